// Setting one's password anew: a mail is asked for and, from its link, another password is set.
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { Link } from "react-router";

import { api, data, fieldProblem } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Outside } from "../room/Outside";

/** The link's token comes after the sign #, which no server is sent; it is taken out of the address at once. */
function takeToken(): string {
  const token = decodeURIComponent(window.location.hash.slice(1));
  if (token) window.history.replaceState(null, "", window.location.pathname);
  return token;
}

export function Reset() {
  const [token] = useState(takeToken);
  return <Outside narrow>{token ? <Another token={token} /> : <Ask />}</Outside>;
}

function Ask() {
  const [email, setEmail] = useState("");
  const asked = useMutation({
    mutationFn: () => data(api.POST("/desk/api/password-links", { body: { email: email.trim() } })),
  });
  if (asked.isSuccess)
    return (
      <>
        <h1>Look into your mailbox</h1>
        <p>
          If {email.trim()} can sign in here, a mail with a link is on its way. It works once, within half an
          hour. Where no mail works, whoever runs Skurrow can set a password with{" "}
          <span className="mono">./skurrow password</span>.
        </p>
        <Link to="/">Back to signing in</Link>
      </>
    );
  return (
    <>
      <h1>Set your password anew</h1>
      <p className="quiet">A link is mailed to you. Two-step sign-in stays as it is.</p>
      {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
      >
        <Field
          label="Email"
          type="email"
          name="email"
          autoComplete="username"
          value={email}
          onChange={setEmail}
          problem={fieldProblem(asked.error, "email")}
          isRequired
          autoFocus
        />
        <Button type="submit" look="main" isPending={asked.isPending} isDisabled={email.trim().length < 3}>
          Send me a link
        </Button>
      </Form>
      <Link to="/">Back to signing in</Link>
    </>
  );
}

function Another({ token }: { token: string }) {
  const [password, setPassword] = useState("");
  const asked = useMutation({
    mutationFn: () => data(api.POST("/desk/api/password-resets", { body: { token, password } })),
  });
  if (asked.isSuccess)
    return (
      <>
        <h1>Your password is set</h1>
        <p>All browsers in which you were signed in are signed out.</p>
        <Link to="/">Sign in with it</Link>
      </>
    );
  const wrong = fieldProblem(asked.error, "password");
  return (
    <>
      <h1>Choose another password</h1>
      {asked.error && !wrong ? (
        <Notice kind="error">
          {asked.error.message} <Link to="/reset">Ask for another link</Link>
        </Notice>
      ) : null}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
      >
        <Field
          label="New password"
          type="password"
          name="new-password"
          autoComplete="new-password"
          hint="At least ten characters; three words will do."
          value={password}
          onChange={setPassword}
          problem={wrong}
          autoFocus
        />
        <Button type="submit" look="main" isPending={asked.isPending}>
          Set it
        </Button>
      </Form>
    </>
  );
}
