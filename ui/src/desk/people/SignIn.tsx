import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { Link } from "react-router";

import { api, data, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Outside } from "../room/Outside";
import { anyUnsaved } from "../editing/savers";

const SECOND_STEP = "urn:skurrow:second-step";

/** Signing in to the desk, with a code where the second step is on. */
export function SignIn() {
  const queries = useQueryClient();
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [second, setSecond] = useState(false);
  const asked = useMutation({
    mutationFn: () =>
      data(api.POST("/desk/api/session", { body: { email, password, code: second ? code : null } })),
    onSuccess: () => {
      // Edits that wait in this page are the last person's; each person's own are kept by the browser.
      if (anyUnsaved()) window.location.reload();
      else void queries.invalidateQueries();
    },
    onError: (error) => {
      if (error instanceof Refused && error.problem.type === SECOND_STEP) setSecond(true);
    },
  });
  const wrong = asked.error && !(isSecondStep(asked.error) && code === "") ? asked.error.message : undefined;
  return (
    <Outside narrow home={false}>
      <h1>Sign in to the desk</h1>
      {wrong && !second ? <Notice kind="error">{wrong}</Notice> : null}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
      >
        {second ? (
          <Field
            key="code"
            label="Code"
            hint="The six digits that your device shows now; or one of your recovery codes."
            autoComplete="one-time-code"
            value={code}
            onChange={setCode}
            problem={wrong}
            autoFocus
          />
        ) : (
          <>
            <Field
              label="Email"
              type="email"
              name="email"
              autoComplete="username"
              value={email}
              onChange={setEmail}
              isRequired
              autoFocus
            />
            <Field
              label="Password"
              type="password"
              name="password"
              autoComplete="current-password"
              value={password}
              onChange={setPassword}
              isRequired
            />
          </>
        )}
        <Button type="submit" look="main" isPending={asked.isPending}>
          Sign in
        </Button>
        {second ? (
          <Button
            look="plain"
            onPress={() => {
              setSecond(false);
              setCode("");
              asked.reset();
            }}
          >
            Another account
          </Button>
        ) : (
          <Link to="/reset">I do not know my password</Link>
        )}
      </Form>
    </Outside>
  );
}

const isSecondStep = (error: unknown) => error instanceof Refused && error.problem.type === SECOND_STEP;
