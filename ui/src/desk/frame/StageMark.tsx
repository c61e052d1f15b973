import type { Schemas } from "../../api/client";

type State = Schemas["StageView"]["state"];

const WORDS: Record<State, string> = {
  not_begun: "Not begun",
  in_work: "In work",
  ready: "Ready",
  attention: "Needs attention",
  later: "Comes later",
};

/** How a stage stands, by shape and not by colour alone: empty, half, ticked, a number in a frame, a dotted ring. */
export function StageMark({ state, attention }: { state: State; attention: number }) {
  return (
    <svg
      width="24"
      height="24"
      viewBox="0 0 24 24"
      role="img"
      aria-label={WORDS[state]}
      style={{ flex: "none" }}
    >
      {state === "attention" ? (
        <>
          <rect
            x="2"
            y="2"
            width="20"
            height="20"
            rx="4"
            fill="var(--sheet)"
            stroke="var(--madder)"
            strokeWidth="2"
          />
          <text x="12" y="16.5" textAnchor="middle" fontSize="12.5" fontWeight="700" fill="var(--madder)">
            {attention}
          </text>
        </>
      ) : (
        <>
          <circle
            cx="12"
            cy="12"
            r="10"
            fill={state === "ready" ? "var(--ink)" : "var(--paper)"}
            stroke={state === "later" ? "var(--edge)" : "var(--ink)"}
            strokeWidth={state === "later" ? 1.5 : 2}
            strokeDasharray={state === "later" ? "2 3" : undefined}
          />
          {state === "in_work" ? <path d="M12 2a10 10 0 0 1 0 20z" fill="var(--ink)" /> : null}
          {state === "ready" ? (
            <path
              d="M7.5 12.5l3 3 6-7"
              fill="none"
              stroke="var(--sheet)"
              strokeWidth="2"
              strokeLinecap="round"
            />
          ) : null}
        </>
      )}
    </svg>
  );
}
