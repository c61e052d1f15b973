import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { styled } from "styled-components";

import { api, data } from "../api/client";
import { Button } from "../kit/Button";
import { Field } from "../kit/Field";
import { Notice } from "../kit/Notice";
import { Logo } from "./Logo";

const Room = styled.main`
  max-width: 380px;
  margin: 12vh auto 0;
  padding: 0 20px;
  display: flex;
  flex-direction: column;
  gap: 22px;
  .brand {
    display: flex;
    align-items: center;
    gap: 10px;
    font: 650 20px/1 var(--heading);
  }
  form {
    display: flex;
    flex-direction: column;
    gap: 16px;
    background: var(--sheet);
    border: 1px solid var(--hairline);
    border-radius: var(--corner);
    padding: 24px;
  }
  form button {
    align-self: flex-start;
  }
`;

/** Signing in to the desk. */
export function SignIn() {
  const queries = useQueryClient();
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const asked = useMutation({
    mutationFn: () => data(api.POST("/desk/api/session", { body: { email, password } })),
    onSuccess: () => queries.invalidateQueries(),
  });
  return (
    <Room>
      <div className="brand">
        <Logo /> Skurrow
      </div>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
      >
        <h1>Sign in to the desk</h1>
        {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
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
        <Button type="submit" look="main" isPending={asked.isPending}>
          Sign in
        </Button>
      </Form>
    </Room>
  );
}
