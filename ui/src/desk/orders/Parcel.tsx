// The parcel of an order: whether it was sent, and saying so, which the buyer is told.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data, fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Tick } from "../../kit/fields/Tick";
import { inFull } from "../../kit/format/webAddress";
import { whenInFull } from "../../kit/format/when";
import { Section } from "../../kit/Sheet";
import { type Mode, refresh } from "../queries";
import { useRole } from "../room/role";
import { useTell } from "../room/told";

interface Props {
  code: string;
  mode: Mode;
  found: Schemas["OrderView"];
}

export function Parcel({ code, mode, found }: Props) {
  const { mayWord } = useRole(code);
  const [open, setOpen] = useState(false);
  if (!found.goods.length) return null;
  const left = found.goods.filter((one) => !one.sent);
  const sent = found.events.filter((event) => event.kind === "order.sent");
  return (
    <Section aria-label="The parcel">
      {sent.map((event) => {
        const { follow, lines } = event.body as { follow?: string; lines?: number[] };
        const inside = found.goods.filter((one) => lines?.includes(one.line));
        return (
          <p key={event.at}>
            Sent {whenInFull(event.at)}
            {inside.length ? `: ${inside.map((one) => one.name).join("; ")}` : ""}.{" "}
            {follow ? (
              <a href={follow} target="_blank" rel="noreferrer noopener">
                Follow it
              </a>
            ) : null}
          </p>
        );
      })}
      {!sent.length ? (
        <p>It was not sent yet.</p>
      ) : left.length ? (
        <p>Not sent yet: {left.map((one) => one.name).join("; ")}.</p>
      ) : null}
      {!mayWord ? null : open ? (
        <Sending code={code} mode={mode} found={found} done={() => setOpen(false)} />
      ) : (
        <div>
          <Button onPress={() => setOpen(true)}>
            {!sent.length ? "Mark as sent" : left.length ? "Mark the rest as sent" : "Send another"}
          </Button>
        </div>
      )}
    </Section>
  );
}

function Sending({ code, mode, found, done }: Props & { done: () => void }) {
  const queries = useQueryClient();
  const tell = useTell();
  const [follow, setFollow] = useState("");
  const { goods } = found;
  const [inside, setInside] = useState(() => {
    const left = goods.filter((one) => !one.sent);
    return (left.length ? left : goods).map((one) => one.line);
  });
  // However often it is pressed, this is said once.
  const [askedAs] = useState(() => crypto.randomUUID());
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/orders/{code}/sent", {
          params: { path: { site: code, mode, code: found.code } },
          body: {
            asked_as: askedAs,
            lines: inside,
            ...(follow.trim() ? { follow: inFull(follow.trim()) } : {}),
          },
        }),
      ),
    onSuccess: () => {
      tell(`${found.name} gets a mail that it is on its way.`);
      done();
      return refresh(queries, code);
    },
  });
  const problem = fieldProblem(asked.error, "follow");
  return (
    <form
      style={{ display: "flex", flexDirection: "column", gap: 10, maxWidth: 520 }}
      onSubmit={(event) => {
        event.preventDefault();
        asked.mutate();
      }}
    >
      {goods.length > 1 ? (
        <fieldset style={{ border: 0, padding: 0, margin: 0 }}>
          <legend>What is in this parcel</legend>
          {goods.map((one) => (
            <Tick
              key={one.line}
              on={inside.includes(one.line)}
              onChange={(ticked) =>
                setInside((before) =>
                  ticked ? [...before, one.line] : before.filter((line) => line !== one.line),
                )
              }
            >
              {one.quantity > 1 ? `${one.quantity} × ${one.name}` : one.name}
              {one.sent ? ", sent before" : ""}
            </Tick>
          ))}
        </fieldset>
      ) : null}
      <Field
        label="Where it can be followed"
        hint="The carrier's web address for this parcel; may be left empty"
        value={follow}
        problem={problem ?? asked.error?.message}
        onChange={setFollow}
      />
      <div>
        <Button look="main" type="submit" isPending={asked.isPending} isDisabled={!inside.length}>
          It was sent
        </Button>{" "}
        <Button look="plain" onPress={done}>
          Not yet
        </Button>
      </div>
    </form>
  );
}
