import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";

import { api, data, fieldProblem, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Copy } from "../../kit/Copy";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Section, Table } from "../../kit/Sheet";
import { when } from "../../kit/format/when";
import { Outside } from "../room/Outside";
import { me as meQuery, sessions } from "../queries";
import { SCHEMES, useScheme } from "../room/scheme";

/** One's own account: the password, the second step, where one is signed in, light and dark. */
export function Account({ me }: { me: Schemas["Me"] }) {
  const [scheme, setScheme] = useScheme();
  return (
    <Outside>
      <header>
        <h1>Your account</h1>
        <p className="quiet">
          {me.name}, {me.email}
        </p>
      </header>
      <Password />
      <TwoStep on={me.two_step} />
      <Sessions />
      <Section aria-labelledby="look">
        <h2 id="look">Light and dark</h2>
        <div style={{ maxWidth: 240 }}>
          <Choice label="The desk is" value={scheme} options={SCHEMES} onChange={setScheme} />
        </div>
      </Section>
    </Outside>
  );
}

function Password() {
  const queries = useQueryClient();
  const [present, setPresent] = useState("");
  const [another, setAnother] = useState("");
  const asked = useMutation({
    mutationFn: () => data(api.PUT("/desk/api/password", { body: { password: present, new: another } })),
    onSuccess: () => {
      setPresent("");
      setAnother("");
      return queries.invalidateQueries({ queryKey: sessions.queryKey });
    },
  });
  const wrong = { present: fieldProblem(asked.error, "password"), another: fieldProblem(asked.error, "new") };
  return (
    <Section aria-labelledby="password">
      <h2 id="password">Password</h2>
      {asked.isSuccess ? (
        <Notice title="Your password is changed">
          Other browsers are signed out, and a mail tells you so.
        </Notice>
      ) : null}
      {asked.error && !wrong.present && !wrong.another ? (
        <Notice kind="error">{asked.error.message}</Notice>
      ) : null}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
      >
        <Field
          label="Present password"
          type="password"
          autoComplete="current-password"
          value={present}
          onChange={setPresent}
          problem={wrong.present}
        />
        <Field
          label="New password"
          type="password"
          autoComplete="new-password"
          hint="At least ten characters; three words will do."
          value={another}
          onChange={setAnother}
          problem={wrong.another}
        />
        <Button type="submit" isPending={asked.isPending} isDisabled={!present || !another}>
          Change it
        </Button>
      </Form>
    </Section>
  );
}

function TwoStep({ on }: { on: boolean }) {
  const queries = useQueryClient();
  const [codes, setCodes] = useState<string[]>();
  const offering = useMutation({ mutationFn: () => data(api.POST("/desk/api/two-step")) });
  const again = () => queries.invalidateQueries({ queryKey: meQuery.queryKey });
  return (
    <Section aria-labelledby="two-step">
      <h2 id="two-step">Two-step sign-in</h2>
      {codes ? (
        <Notice kind="attention" title="Keep these recovery codes where your device is not">
          Each stands in once for a lost device. They are not shown again.
          <pre className="mono">{codes.join("\n")}</pre>
          <Copy text={codes.join("\n")}>Copy the codes</Copy>
        </Notice>
      ) : null}
      {on ? (
        <TurnOff
          onDone={() => {
            setCodes(undefined);
            void again();
          }}
        />
      ) : offering.data ? (
        <TurnOn
          offer={offering.data}
          onDone={(made) => {
            setCodes(made);
            offering.reset();
            void again();
          }}
        />
      ) : (
        <>
          <p className="quiet">
            Off. When it is on, signing in needs a code from a device of yours as well as the password.
          </p>
          <div>
            <Button isPending={offering.isPending} onPress={() => offering.mutate()}>
              Turn it on
            </Button>
          </div>
        </>
      )}
    </Section>
  );
}

function TurnOn({ offer, onDone }: { offer: Schemas["TwoStepOffer"]; onDone: (codes: string[]) => void }) {
  const [code, setCode] = useState("");
  const asked = useMutation({
    mutationFn: () => data(api.PUT("/desk/api/two-step", { body: { sealed: offer.sealed, code } })),
    onSuccess: ({ codes }) => onDone(codes),
  });
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        asked.mutate();
      }}
    >
      <p>
        Scan this with an app that makes one-time codes, or type the key into it. Then type the code it shows.
      </p>
      <img src={offer.picture} alt="The key as a QR code" width={190} height={190} />
      <p>
        Key: <span className="mono">{offer.key}</span>
      </p>
      <Field
        label="Code"
        autoComplete="one-time-code"
        inputMode="numeric"
        value={code}
        onChange={setCode}
        problem={fieldProblem(asked.error, "code")}
        autoFocus
      />
      <Button type="submit" look="main" isPending={asked.isPending}>
        Turn it on
      </Button>
    </Form>
  );
}

function TurnOff({ onDone }: { onDone: () => void }) {
  const [password, setPassword] = useState("");
  const asked = useMutation({
    mutationFn: () => data(api.POST("/desk/api/two-step/off", { body: { password } })),
    onSuccess: onDone,
  });
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        asked.mutate();
      }}
    >
      <p className="quiet">On. Signing in needs a code from your device.</p>
      <Field
        label="Your password, to turn it off"
        type="password"
        autoComplete="current-password"
        value={password}
        onChange={setPassword}
        problem={fieldProblem(asked.error, "password") ?? (asked.error ? asked.error.message : undefined)}
      />
      <Button type="submit" isPending={asked.isPending}>
        Turn it off
      </Button>
    </Form>
  );
}

/** A browser in a few words, from what it says of itself. */
export function browserWords(agent: string): string {
  const system = ["Android", "iPhone", "iPad", "Windows", "Mac OS", "Linux"].find((one) =>
    agent.includes(one),
  );
  const browser = /(Firefox|Edg|Chrome|Safari)\//.exec(agent)?.[1];
  const name = browser === "Edg" ? "Edge" : browser;
  return [name, system].filter(Boolean).join(" on ") || "A browser";
}

function Sessions() {
  const asked = useQuery(sessions);
  const queries = useQueryClient();
  const ending = useMutation({
    mutationFn: (id: string) =>
      data(api.DELETE("/desk/api/sessions/{session}", { params: { path: { session: id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: sessions.queryKey }),
  });
  return (
    <Section aria-labelledby="sessions">
      <h2 id="sessions">Where you are signed in</h2>
      {ending.error instanceof Refused ? <Notice kind="error">{ending.error.problem.detail}</Notice> : null}
      <Table>
        <tbody>
          {(asked.data ?? []).map((one) => (
            <tr key={one.id}>
              <th scope="row">
                {browserWords(one.agent)}
                {one.this ? ", this one" : ""}
                <br />
                <span className="quiet">since {when(one.began_at)}</span>
              </th>
              <td className="quiet">{one.seen_at ? `last used ${when(one.seen_at)}` : ""}</td>
              <td>
                {one.this ? null : (
                  <Button look="plain" onPress={() => ending.mutate(one.id)}>
                    Sign out there
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Section>
  );
}
