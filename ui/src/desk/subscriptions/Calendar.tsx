// The calendar of the test book: what date it is there, and how it is moved forward.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { styled } from "styled-components";

import { api, data, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Notice } from "../../kit/Notice";
import { Progress } from "../../kit/Progress";
import { Stamp } from "../../kit/Stamp";
import { day } from "../../kit/format/when";
import { calendar, refresh } from "../queries";
import { useRole } from "../room/role";
import { Day } from "../../kit/fields/Day";

type View = Schemas["CalendarView"];
type Leap = NonNullable<Schemas["CalendarRequest"]["leap"]>;

const Strip = styled.section`
  border-bottom: 1px solid var(--hairline);
  padding: 14px 26px 16px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  h2 {
    font-size: 16px;
    display: flex;
    gap: 10px;
    align-items: center;
    flex-wrap: wrap;
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 8px;
    align-items: center;
  }
  input {
    min-height: 34px;
    padding: 4px 8px;
    border-radius: var(--corner);
    border: 1px solid var(--edge);
    background: var(--tape);
    color: var(--ink);
    font: inherit;
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    font-size: 14px;
  }
  @media (max-width: 600px) {
    padding-inline: 16px;
  }
`;

const LEAPS: readonly (readonly [Leap, string])[] = [
  ["day", "A day on"],
  ["week", "A week on"],
  ["month", "A month on"],
];

/** The test book's date, and ways to move it. What falls due on the way really happens, each at its own time. */
export function Calendar({ code }: { code: string }) {
  const queries = useQueryClient();
  const { mayConfigure } = useRole(code);
  const asked = useQuery(calendar(code));
  const [to, setTo] = useState("");
  const found = asked.data;
  const moving = found?.moving ?? false;
  const was = useRef(false);
  useEffect(() => {
    if (was.current && !moving) void refresh(queries, code);
    was.current = moving;
  }, [moving, queries, code]);
  const told = (view: View) => {
    queries.setQueryData(calendar(code).queryKey, view);
    was.current = was.current || view.moving;
  };
  const move = useMutation({
    mutationFn: (body: Schemas["CalendarRequest"]) =>
      data(api.POST("/desk/api/sites/{site}/calendar", { params: { path: { site: code } }, body })),
    onSuccess: told,
  });
  const stop = useMutation({
    mutationFn: () =>
      data(api.DELETE("/desk/api/sites/{site}/calendar", { params: { path: { site: code } } })),
    onSuccess: told,
  });
  if (!found) return null;
  return (
    <Strip aria-labelledby="calendar">
      <h2 id="calendar">
        In the test book it is {day(found.day)} <Stamp />
      </h2>
      {moving ? (
        <Moving found={found} onStop={() => stop.mutate()} />
      ) : (
        <>
          <p className="quiet">
            {found.next_day
              ? `Next due on ${day(found.next_day)}. Test subscriptions renew only when you move the date.`
              : "Nothing is due. Buy something that recurs, and move the date to see it renew."}
          </p>
          {mayConfigure ? (
            <form
              onSubmit={(event) => {
                event.preventDefault();
                if (to) move.mutate({ to });
              }}
            >
              {LEAPS.map(([leap, words]) => (
                <Button key={leap} isPending={pending(move, leap)} onPress={() => move.mutate({ leap })}>
                  {words}
                </Button>
              ))}
              <Button
                isDisabled={!found.next_day}
                isPending={pending(move, "next")}
                onPress={() => move.mutate({ leap: "next" })}
              >
                To what is due next
              </Button>
              <span>or to</span>
              <Day bare label="Move the date to" value={to} onChange={setTo} />
              <Button type="submit" isDisabled={!to} isPending={move.isPending && Boolean(move.variables.to)}>
                Go there
              </Button>
            </form>
          ) : null}
        </>
      )}
      {found.trouble ? <Notice kind="attention">{found.trouble}</Notice> : null}
      {move.error ? <Notice kind="error">{move.error.message}</Notice> : null}
    </Strip>
  );
}

const pending = (
  move: { isPending: boolean; variables: Schemas["CalendarRequest"] | undefined },
  leap: Leap,
): boolean => move.isPending && move.variables?.leap === leap;

function Moving({ found, onStop }: { found: View; onStop: () => void }) {
  const from = Date.parse(found.began_from ?? found.at);
  const whole = Date.parse(found.target ?? found.at) - from;
  const share = whole > 0 ? ((Date.parse(found.at) - from) / whole) * 100 : undefined;
  const things = found.done === 1 ? "1 thing" : `${found.done} things`;
  return (
    <Progress
      label={`On the way to ${day(found.target?.slice(0, 10) ?? found.day)}`}
      {...(share === undefined ? {} : { value: share })}
      left={`${things} happened`}
      onStop={onStop}
    />
  );
}
