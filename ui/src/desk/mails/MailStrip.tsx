// Beside the room of mails: the mail as it will arrive for a stand-in buyer, about a sale that is made up on the spot.
import { useMutation, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { styled } from "styled-components";

import { api, data, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { SlotChoice } from "../../kit/fields/Sentence";
import { mailPreview, useSite } from "../queries";
import { useRole } from "../room/role";
import { RollHead } from "../tape/RollHead";
import { Roll, Strip } from "../tape/tapeLook";
import { asSaved, REAL, useTape } from "../tape/tapeState";
import type { Language } from "./own";
import { useLanguage } from "./useLanguage";

const Wide = styled(Strip)`
  flex-basis: 346px;
  width: 346px;
  max-width: calc(100vw - 44px);
  padding-bottom: 0;
  dl {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 2px 10px;
    margin: 0;
    padding: 10px 16px;
    border-bottom: 1px dashed var(--hairline);
  }
  dt {
    color: var(--pencil);
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
  iframe {
    display: block;
    width: 100%;
    min-height: 420px;
    border: 0;
    background: #f3f1ec;
  }
  pre {
    margin: 0;
    padding: 14px 16px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    font: inherit;
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    padding: 10px 16px;
    font-family: var(--text);
  }
`;

interface Props {
  site: string;
  kind: string;
  onClose?: () => void;
}

export function MailStrip({ site, kind, onClose }: Props) {
  const { main, buyers, change, price, nextBuyer } = useTape();
  const [language] = useLanguage();
  const stored = useSite(site).data?.change ?? 0;
  const buyer = main.id;
  const asked = useQuery(mailPreview(site, kind as Kind, { buyer, language, price: price ?? null }, stored));
  const options = [...buyers.map((one) => [one.id, one.name] as const), [REAL, "a real buyer"] as const];
  return (
    <Roll>
      <RollHead title="As it arrives" onNext={nextBuyer} onClose={onClose} />
      <div className="strips">
        <Wide aria-label="The mail as it arrives">
          <div className="made-out">
            made out to{" "}
            <SlotChoice
              label="Made out to"
              value={main.id}
              options={options}
              onChange={(id) => change({ buyer: id, ...asSaved })}
            />
          </div>
          {asked.data ? (
            <Arrived
              mail={asked.data}
              about={{ site, kind: kind as Kind, buyer, language, price: price ?? null }}
            />
          ) : (
            <p className="said">{asked.error instanceof Refused ? sentence(asked.error) : "One moment …"}</p>
          )}
        </Wide>
      </div>
    </Roll>
  );
}

type Kind = Schemas["MailKindView"]["kind"];

const sentence = ({ message }: Refused) => `${message.charAt(0).toUpperCase()}${message.slice(1)}.`;

interface About {
  site: string;
  kind: Kind;
  buyer: string;
  language: Language;
  price: string | null;
}

function Arrived({ mail, about }: { mail: Schemas["MailPreview"]; about: About }) {
  const [asText, setAsText] = useState(false);
  const frame = useRef<HTMLIFrameElement>(null);
  // Nothing in it runs: it is only measured, so that it stands there as a whole.
  const fit = () => {
    const inside = frame.current?.contentDocument?.documentElement;
    if (frame.current && inside) frame.current.style.height = `${inside.scrollHeight}px`;
  };
  return (
    <>
      <dl>
        <dt>From</dt>
        <dd>{mail.sender}</dd>
        {mail.reply_to ? (
          <>
            <dt>Answers</dt>
            <dd>{mail.reply_to}</dd>
          </>
        ) : null}
        <dt>Subject</dt>
        <dd>
          <strong>{mail.subject}</strong>
        </dd>
        {mail.attached.length ? (
          <>
            <dt>With it</dt>
            <dd>{mail.attached.join(", ")} (PDF)</dd>
          </>
        ) : null}
      </dl>
      {asText ? (
        <pre>{mail.text}</pre>
      ) : (
        <iframe
          ref={frame}
          title={`Mail: ${mail.subject}`}
          sandbox="allow-same-origin"
          srcDoc={mail.page}
          onLoad={fit}
        />
      )}
      <div className="tools">
        <Button onPress={() => setAsText(!asText)}>{asText ? "As a page" : "As plain text"}</Button>
        <ToMe key={`${about.kind} ${about.buyer} ${about.language}`} about={about} />
      </div>
    </>
  );
}

/** Sends the mail to whoever presses; said of this one only. */
function ToMe({ about }: { about: About }) {
  const { site, kind, ...body } = about;
  const { mayConfigure } = useRole(site);
  const sent = useMutation({
    mutationFn: () =>
      data(api.POST("/desk/api/sites/{site}/mails/{kind}/trial", { params: { path: { site, kind } }, body })),
  });
  if (!mayConfigure) return null;
  return (
    <>
      <Button isPending={sent.isPending} onPress={() => sent.mutate()}>
        Send it to me
      </Button>
      <span role="status">
        {sent.isSuccess ? "Sent to your address." : sent.error ? sent.error.message : ""}
      </span>
    </>
  );
}
