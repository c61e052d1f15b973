// The working counter in a frame, made out to the buyer of the tape: a test sale can be made in it.
import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { styled } from "styled-components";

import { api, data, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Notice } from "../../kit/Notice";
import { Stamp } from "../../kit/Stamp";
import { useLastSale } from "../room/live";
import { To } from "../room/places";
import { useSite } from "../queries";
import { REAL, useTape } from "./tapeState";

export type Screen = "phone" | "desktop";

const SIZES: Record<Screen, readonly [width: number, height: number]> = {
  phone: [390, 844],
  desktop: [1120, 800],
};

const Room = styled.div`
  display: flex;
  flex-direction: column;
  gap: 12px;
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: center;
    font-size: 14px;
  }
  .tools [aria-pressed="true"] {
    background: var(--wash);
    border-color: var(--verdigris);
  }
  .window {
    background: var(--tape);
    border: 1px solid var(--edge);
    overflow: auto hidden;
    max-width: 100%;
  }
  iframe {
    border: 0;
    display: block;
    transform-origin: 0 0;
    background: var(--tape);
  }
`;

interface Props {
  code: string;
  checkout: string;
  screen: Screen;
  onScreen: (screen: Screen) => void;
  /** The change of the checkout that is stored: with a new one the preview is opened anew. */
  change: number;
}

export function Preview({ code, checkout, screen, onScreen }: Props) {
  const { main, buyers } = useTape();
  const site = useSite(code).data;
  const buyer = main.id === REAL ? { ...main, id: buyers[0]?.id ?? "" } : main;
  const stored = site?.change ?? 0;
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/previews", {
          params: { path: { site: code } },
          body: { checkout, buyer },
        }),
      ),
  });
  const { mutate } = asked;
  const wanted = JSON.stringify([checkout, buyer, stored]);
  const [again, setAgain] = useState(0);
  useEffect(() => mutate(), [mutate, wanted, again]);
  const [page, setPage] = useState("");
  const after = asked.data?.after.find((one) => one.words === page);
  const shown = after?.address ?? asked.data?.address;
  const name = buyers.find((one) => one.id === buyer.id)?.name ?? "a stand-in buyer";
  return (
    <Room>
      <div className="tools">
        <span>
          <Stamp /> &nbsp;Made out to <strong>{name}</strong>; what they type is filled in.
        </span>
        <span role="group" aria-label="Width">
          {(["phone", "desktop"] as const).map((one) => (
            <Button key={one} aria-pressed={screen === one} onPress={() => onScreen(one)}>
              {one === "phone" ? "Phone" : "Desktop"}
            </Button>
          ))}
        </span>
        <Button
          onPress={() => {
            setPage("");
            setAgain(again + 1);
          }}
        >
          Begin anew
        </Button>
        {asked.data ? (
          <Choice
            label="Which page"
            bare
            value={after ? page : ""}
            options={[
              ["", "The checkout"],
              ...asked.data.after.map((one) => [one.words, one.words] as const),
            ]}
            onChange={setPage}
          />
        ) : null}
        {shown ? (
          <a href={shown} target="_blank" rel="noreferrer">
            In a window of its own
          </a>
        ) : null}
      </div>
      <Sale code={code} />
      {asked.error ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : "No preview."}
        </Notice>
      ) : null}
      {after ? (
        <p className="quiet">
          Nothing was bought: the page is of an invented sale, as the draft would make it.
        </p>
      ) : null}
      {shown ? <Framed address={shown} screen={screen} /> : null}
    </Room>
  );
}

/** No smaller than this: where there is less room it is scrolled sideways. */
const READABLE = 0.62;

/** Whoever has no pointer can scroll it too. */
const SIDEWAYS = { role: "region", tabIndex: 0, "aria-label": "The checkout, to be scrolled sideways" };

/** The counter at its own width, made smaller where there is less room. */
function Framed({ address, screen }: { address: string; screen: Screen }) {
  const [width, height] = SIZES[screen];
  const room = useRef<HTMLDivElement>(null);
  const [wide, setWide] = useState(width);
  useEffect(() => {
    if (!room.current) return;
    const watch = new ResizeObserver(([entry]) => setWide(entry?.contentRect.width ?? width));
    watch.observe(room.current);
    return () => watch.disconnect();
  }, [width]);
  const scale = Math.min(1, Math.max(READABLE, (wide - 2) / width));
  // A screen's height, or what there is of this window: the counter scrolls within, as on the buyer's.
  const shown = Math.max(420, Math.min(height * scale, window.innerHeight - 300));
  return (
    <div ref={room}>
      <div
        className="window"
        {...(scale > (wide - 2) / width ? SIDEWAYS : {})}
        style={{ width: width * scale + 2, height: shown + 2 }}
      >
        <iframe
          src={address}
          allow="payment"
          title={`Preview of the checkout, ${screen}`}
          style={{ width, height: shown / scale, transform: scale < 1 ? `scale(${scale})` : undefined }}
        />
      </div>
    </div>
  );
}

const WORDS: Record<string, string> = {
  "order.placed": "was placed",
  "charge.attempted": "is being charged",
  "charge.refused": "was refused",
  "charge.made": "was charged",
  "order.paid": "is paid",
};

/** The sale just made, as the test book has it. */
function Sale({ code }: { code: string }) {
  const [opened] = useState(() => Date.now());
  const sale = useLastSale();
  if (!sale || sale.at < opened) return null;
  return (
    <p role="status">
      Order <span className="mono">{sale.code}</span> {WORDS[sale.what] ?? sale.what}.{" "}
      <To to={`/s/${code}/orders/test/${sale.code}`}>See it in the test book</To>
    </p>
  );
}
