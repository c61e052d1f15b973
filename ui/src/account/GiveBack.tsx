// Giving something back, or withdrawing from what was bought: in two steps, signed in or not, with a receipt.
import { useState } from "react";

import { api, data, fieldProblem, Refused } from "../api/client";
import type { AccountBoot } from "../counter/boot";
import { TextField } from "../counter/Fields";
import { Aside, Column, PayButton, TextButton } from "../counter/look";
import { whenInFull } from "../kit/format/when";
import { Filled, useAt } from "./accountParts";

interface Typed {
  name: string;
  email: string;
  order: string;
  what: string;
  words: string;
}

interface Props {
  boot: AccountBoot;
  /** The order that it is about, and whose it is, as far as that is known. */
  order: string;
  email: string;
  onLeave: () => void;
}

const FIELDS: readonly (readonly [keyof Typed, string])[] = [
  ["name", "Name"],
  ["email", "Email"],
  ["order", "Order"],
  ["what", "Given back"],
  ["words", "Said beside"],
];

const ALL = "All of it";

export function GiveBack({ boot, order, email, onLeave }: Props) {
  const at = useAt(boot);
  const [typed, setTyped] = useState<Typed>({ name: "", email, order, what: ALL, words: "" });
  const [step, setStep] = useState<"typing" | "sure">("typing");
  const [kept, setKept] = useState<{ code: string; at: string }>();
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const [tried, setTried] = useState(false);
  // Pressed twice, or after an answer that was lost, it is the same word.
  const [id] = useState(newId);
  const send = async () => {
    setBusy(true);
    try {
      setKept(
        await data(api.POST("/counter/api/account/{code}/give-back", { ...at, body: { id, ...typed } })),
      );
    } catch (caught) {
      setError(caught);
      setStep("typing");
    }
    setBusy(false);
  };
  if (kept)
    return (
      <Column>
        <h1>{boot.site_name} has received it</h1>
        <p className="lead">
          Number {kept.code}, {whenInFull(kept.at)}. Keep this page, or print it: it is your receipt.
        </p>
        <Said typed={typed} />
        <p>
          If the order was bought with this address, the same is on its way there by mail. {boot.site_name}{" "}
          answers you.
        </p>
        <p>
          <TextButton type="button" onClick={() => window.print()}>
            Print it
          </TextButton>
        </p>
        <p>
          <TextButton type="button" onClick={onLeave}>
            To what you have bought
          </TextButton>
        </p>
      </Column>
    );
  if (step === "sure")
    return (
      <Column>
        <h1>Is this right?</h1>
        <Said typed={typed} />
        <PayButton type="button" aria-disabled={busy} onClick={() => (busy ? undefined : void send())}>
          Confirm: I give this back
        </PayButton>
        <p>
          <TextButton type="button" onClick={() => setStep("typing")}>
            Change something
          </TextButton>
        </p>
      </Column>
    );
  const field = (name: keyof Typed) => ({
    name,
    value: typed[name],
    problem: (tried ? lacking(typed)[name] : undefined) ?? fieldProblem(error, name),
    onChange: (value: string) => setTyped({ ...typed, [name]: value }),
  });
  const look = () => {
    setTried(true);
    setError(undefined);
    if (!Object.keys(lacking(typed)).length) setStep("sure");
  };
  const told = FIELDS.some(([name]) => fieldProblem(error, name));
  return (
    <Column>
      <div>
        <h1>Give something back</h1>
        <p className="lead">
          Or withdraw from a purchase. You need not sign in, and need not say why. Nothing is sent before you
          have looked at it once more.
        </p>
      </div>
      {error instanceof Refused && !told ? (
        <Aside className="wrong" role="alert">
          {error.message}
        </Aside>
      ) : null}
      <Filled onSend={look}>
        <TextField label="Name" required autoComplete="name" {...field("name")} />
        <TextField
          label="Email that it was bought with"
          required
          type="email"
          autoComplete="email"
          {...field("email")}
        />
        <TextField label="Number of the order, as in our mail" autoComplete="off" {...field("order")} />
        <TextField label="What you give back" required autoComplete="off" {...field("what")} />
        <TextField label="Anything else" autoComplete="off" {...field("words")} />
        <PayButton type="submit">Look at it once more</PayButton>
      </Filled>
      <p>
        <TextButton type="button" onClick={onLeave}>
          Leave it
        </TextButton>
      </p>
    </Column>
  );
}

/** What is still to be typed, by field. */
function lacking({ name, email, what }: Typed): Partial<Record<keyof Typed, string>> {
  return {
    ...(name.trim() ? {} : { name: "Write your name." }),
    ...(/^\S+@\S+\.\S+$/.test(email.trim()) ? {} : { email: "Write it as in name@example.org." }),
    ...(what.trim() ? {} : { what: `Write what you give back, or “${ALL}”.` }),
  };
}

function Said({ typed }: { typed: Typed }) {
  return (
    <dl style={{ margin: 0 }}>
      {FIELDS.map(([name, label]) =>
        typed[name].trim() ? (
          <div key={name} style={{ display: "flex", gap: 12, padding: "5px 0" }}>
            <dt className="soft" style={{ flex: "0 0 96px" }}>
              {label}
            </dt>
            <dd style={{ margin: 0, minWidth: 0, overflowWrap: "anywhere" }}>{typed[name]}</dd>
          </div>
        ) : null,
      )}
    </dl>
  );
}

/** Without TLS there is no `crypto.randomUUID`. */
function newId(): string {
  const bytes = [...crypto.getRandomValues(new Uint8Array(16))].map((one) =>
    one.toString(16).padStart(2, "0"),
  );
  return bytes.join("").replace(/^(.{8})(.{4})(.{4})(.{4})/, "$1-$2-$3-$4-");
}
