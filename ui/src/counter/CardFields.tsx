// The fields of a card or account stand in a frame of the gateway's own origin: what is typed there never passes through here.
import { forwardRef, useEffect, useImperativeHandle, useRef, useState } from "react";

import { tell } from "./boot";

export type TokenAnswer = { kind: "token"; token: string } | { kind: "invalid" } | { kind: "unreachable" };

export interface CardHandle {
  /** Trades what is typed for a one-time token. */
  tokenise: () => Promise<TokenAnswer>;
}

interface Said {
  from?: string;
  kind?: string;
  id?: number;
  token?: string;
  height?: number;
}

const PATIENCE = 20_000;

interface Props {
  title: string;
  address: string;
  origin: string;
  onEnter: () => void;
}

export const CardFields = forwardRef<CardHandle, Props>(function CardFields(
  { title, address, origin, onEnter },
  handle,
) {
  const frame = useRef<HTMLIFrameElement>(null);
  const waiting = useRef(new Map<number, (answer: TokenAnswer) => void>());
  const next = useRef(1);
  const [height, setHeight] = useState(176);
  const [ready, setReady] = useState(false);
  const [late, setLate] = useState(false);

  useEffect(() => {
    const answers = waiting.current;
    const hear = (event: MessageEvent<Said>) => {
      if (event.origin !== origin || event.source !== frame.current?.contentWindow) return;
      const said = event.data;
      if (said.kind === "ready") setReady(true);
      else if (said.kind === "height" && said.height) setHeight(Math.min(said.height, 600));
      else if (said.kind === "enter") onEnter();
      else if (said.kind === "escape") tell("close");
      else if (said.id !== undefined) {
        const answer = answers.get(said.id);
        answers.delete(said.id);
        if (said.kind === "token" && said.token) answer?.({ kind: "token", token: said.token });
        else if (said.kind === "invalid") answer?.({ kind: "invalid" });
        else answer?.({ kind: "unreachable" });
      }
    };
    window.addEventListener("message", hear);
    return () => window.removeEventListener("message", hear);
  }, [origin, onEnter]);

  useEffect(() => {
    if (ready) return;
    const timer = setTimeout(() => setLate(true), 6000);
    return () => clearTimeout(timer);
  }, [ready]);

  useImperativeHandle(handle, () => ({
    tokenise: () =>
      new Promise((resolve) => {
        const id = next.current++;
        waiting.current.set(id, resolve);
        setTimeout(() => {
          if (waiting.current.delete(id)) resolve({ kind: "unreachable" });
        }, PATIENCE);
        frame.current?.contentWindow?.postMessage({ kind: "tokenise", id }, origin);
      }),
  }));

  return (
    <>
      <iframe
        ref={frame}
        src={address}
        title={title}
        // 3 px of room around the fields, so that their focus rings are not cut off
        style={{ width: "calc(100% + 6px)", margin: "0 -3px", height, border: 0, display: "block" }}
      />
      {late && !ready ? (
        <p role="alert">These fields do not load. Check your connection, then reload this page.</p>
      ) : null}
    </>
  );
});
