import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { useNavigate, useParams } from "react-router";

import { api, data, fieldProblem, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Outside } from "../room/Outside";
import { SignIn } from "./SignIn";
import { Waiting } from "../room/Waiting";
import { me as meQuery } from "../queries";

/** Somebody follows an invitation from a mail. */
export function Invited() {
  const { token = "" } = useParams();
  const asked = useQuery({
    queryKey: ["invited", token],
    queryFn: () => data(api.GET("/desk/api/invitations/{token}", { params: { path: { token } } })),
  });
  const me = useQuery(meQuery);
  if (asked.error instanceof Refused) {
    return (
      <Outside>
        <h1>This invitation is over</h1>
        <p className="quiet">
          It was accepted or withdrawn, or it is more than a week old. Ask for a new one.
        </p>
      </Outside>
    );
  }
  if (!asked.data || me.isPending)
    return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const mine = me.data?.email.toLowerCase() === asked.data.email.toLowerCase();
  // The owner of an email that can sign in shows first that it is theirs.
  if (asked.data.known && !me.data) return <SignIn />;
  return <Accept token={token} invited={asked.data} signedInAs={me.data?.email} mine={mine} />;
}

interface Props {
  token: string;
  invited: Schemas["InvitedView"];
  signedInAs: string | undefined;
  mine: boolean;
}

function Accept({ token, invited, signedInAs, mine }: Props) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/invitations/{token}", { params: { path: { token } }, body: { name, password } }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries();
      await navigate(`/s/${invited.site}/products`);
    },
  });
  const known = ["name", "password"].some((field) => fieldProblem(asked.error, field));
  const role = invited.role === "developer" ? "a developer" : `an ${invited.role}`;
  return (
    <Outside>
      <header>
        <h1>Work on {invited.site_name}</h1>
        <p className="quiet">
          {invited.email} is invited as {role}.
        </p>
      </header>
      {asked.error && !known ? <Notice kind="error">{asked.error.message}</Notice> : null}
      {signedInAs && !mine ? (
        <Notice kind="attention">
          You are signed in as {signedInAs}. Sign out first, then follow the invitation again.
        </Notice>
      ) : (
        <Form
          onSubmit={(event) => {
            event.preventDefault();
            asked.mutate();
          }}
        >
          {invited.known ? null : (
            <>
              <Field
                label="Your name"
                autoComplete="name"
                value={name}
                onChange={setName}
                problem={fieldProblem(asked.error, "name")}
                autoFocus
              />
              <Field
                label="A password for the desk"
                hint="At least 10 characters"
                type="password"
                autoComplete="new-password"
                value={password}
                onChange={setPassword}
                problem={fieldProblem(asked.error, "password")}
              />
            </>
          )}
          <Button type="submit" look="main" isPending={asked.isPending}>
            Accept the invitation
          </Button>
        </Form>
      )}
    </Outside>
  );
}
