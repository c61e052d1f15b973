// The parcel of an order: whether it was sent, and saying so, which the buyer is told.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data, fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
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
  if (!found.parcel) return null;
  const sent = found.events.filter((event) => event.kind === "order.sent");
  return (
    <Section aria-label="The parcel">
      {sent.map((event) => {
        const { follow } = event.body as { follow?: string };
        return (
          <p key={event.at}>
            Sent {whenInFull(event.at)}.{" "}
            {follow ? (
              <a href={follow} target="_blank" rel="noreferrer noopener">
                Follow it
              </a>
            ) : null}
          </p>
        );
      })}
      {sent.length ? null : <p>It was not sent yet.</p>}
      {!mayWord ? null : open ? (
        <Sending code={code} mode={mode} found={found} done={() => setOpen(false)} />
      ) : (
        <div>
          <Button onPress={() => setOpen(true)}>{sent.length ? "Send another" : "Mark as sent"}</Button>
        </div>
      )}
    </Section>
  );
}

function Sending({ code, mode, found, done }: Props & { done: () => void }) {
  const queries = useQueryClient();
  const tell = useTell();
  const [follow, setFollow] = useState("");
  // However often it is pressed, this is said once.
  const [askedAs] = useState(() => crypto.randomUUID());
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/orders/{code}/sent", {
          params: { path: { site: code, mode, code: found.code } },
          body: { asked_as: askedAs, ...(follow.trim() ? { follow: inFull(follow.trim()) } : {}) },
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
      <Field
        label="Where it can be followed"
        hint="The carrier's web address for this parcel; may be left empty"
        value={follow}
        problem={problem ?? asked.error?.message}
        onChange={setFollow}
      />
      <div>
        <Button look="main" type="submit" isPending={asked.isPending}>
          It was sent
        </Button>{" "}
        <Button look="plain" onPress={done}>
          Not yet
        </Button>
      </div>
    </form>
  );
}
