import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { useNavigate, useParams } from "react-router";

import { api, data, fieldProblem, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Confirm } from "../../kit/Confirm";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Body, Row, Section, Sheet, Table } from "../../kit/Sheet";
import { Waiting } from "../room/Waiting";
import { refresh, team } from "../queries";
import { useRole } from "../room/role";
import { useTell } from "../room/told";

type Role = Schemas["MemberView"]["role"];

export const ROLES: readonly (readonly [Role, string])[] = [
  ["developer", "developer"],
  ["owner", "owner"],
  ["onlooker", "onlooker"],
];

const MAY: Record<Role, string> = {
  developer: "changes everything and makes releases",
  owner: "looks after sales, and edits wording",
  onlooker: "reads everything and changes nothing",
};

/** Who works on the site, and who is invited to. */
export function People() {
  const { site: code = "" } = useParams();
  const asked = useQuery(team(code));
  const { mayConfigure } = useRole(code);
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return (
    <Sheet tabIndex={-1} aria-label="People">
      <Body>
        <header>
          <h1>People</h1>
          <p className="quiet">
            A developer {MAY.developer}. An owner {MAY.owner}. An onlooker {MAY.onlooker}.
          </p>
        </header>
        <Members code={code} members={asked.data.members} mayChange={mayConfigure} />
        <Invitations code={code} invitations={asked.data.invitations} mayChange={mayConfigure} />
        {mayConfigure ? <Invite code={code} /> : null}
      </Body>
    </Sheet>
  );
}

function Members({
  code,
  members,
  mayChange,
}: {
  code: string;
  members: Schemas["MemberView"][];
  mayChange: boolean;
}) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const tell = useTell();
  const changing = useMutation({
    mutationFn: ({ id, role }: { id: string; role: Role }) =>
      data(
        api.PUT("/desk/api/sites/{site}/members/{member}", {
          params: { path: { site: code, member: id } },
          body: { role },
        }),
      ),
    onSettled: () => refresh(queries, code),
  });
  const removing = useMutation({
    mutationFn: (member: Schemas["MemberView"]) =>
      data(
        api.DELETE("/desk/api/sites/{site}/members/{member}", {
          params: { path: { site: code, member: member.id } },
        }),
      ),
    onSuccess: async (_, member) => {
      tell(`${member.name} does not work on this site any more.`);
      if (member.you) {
        await queries.invalidateQueries({ queryKey: ["me"] });
        await navigate("/");
      } else await refresh(queries, code, "team");
    },
  });
  const error = changing.error ?? removing.error;
  return (
    <Section aria-labelledby="members">
      <h2 id="members">Members</h2>
      {error ? (
        <Notice kind="error">
          {error instanceof Refused ? error.problem.detail : "Nothing was changed."}
        </Notice>
      ) : null}
      <Table>
        <tbody>
          {members.map((member) => (
            <tr key={member.id}>
              <th scope="row">
                {member.name}
                {member.you ? " (you)" : ""}
                <br />
                <span className="quiet">{member.email}</span>
              </th>
              <td style={{ width: 170 }}>
                {mayChange ? (
                  <Choice
                    label={`Role of ${member.name}`}
                    bare
                    value={member.role}
                    options={ROLES}
                    onChange={(role) => changing.mutate({ id: member.id, role })}
                  />
                ) : (
                  member.role
                )}
              </td>
              <td style={{ width: 260 }}>
                {mayChange || member.you ? (
                  <Confirm
                    look="plain"
                    question={member.you ? "You leave this site." : `${member.name} leaves this site.`}
                    sure="Yes"
                    onConfirm={() => removing.mutate(member)}
                  >
                    {member.you ? "Leave this site" : "Remove"}
                  </Confirm>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Section>
  );
}

interface InvitationProps {
  code: string;
  invitations: Schemas["InvitationView"][];
  mayChange: boolean;
}

function Invitations({ code, invitations, mayChange }: InvitationProps) {
  const queries = useQueryClient();
  const asked = useMutation({
    mutationFn: (id: string) =>
      data(
        api.DELETE("/desk/api/sites/{site}/invitations/{invitation}", {
          params: { path: { site: code, invitation: id } },
        }),
      ),
    onSettled: () => refresh(queries, code, "team"),
  });
  if (invitations.length === 0) return null;
  return (
    <Section aria-labelledby="invited">
      <h2 id="invited">Invited</h2>
      <Table>
        <tbody>
          {invitations.map((one) => (
            <tr key={one.id}>
              <th scope="row">{one.email}</th>
              <td>
                as {one.role === "developer" ? "a developer" : `an ${one.role}`},{" "}
                {new Date(one.expires_at) < new Date()
                  ? "run out"
                  : `until ${new Date(one.expires_at).toLocaleDateString("en-GB", { dateStyle: "medium" })}`}
              </td>
              <td>
                {mayChange ? (
                  <Button look="plain" onPress={() => asked.mutate(one.id)}>
                    Withdraw
                  </Button>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Section>
  );
}

function Invite({ code }: { code: string }) {
  const [email, setEmail] = useState("");
  const [role, setRole] = useState<Role>("onlooker");
  const queries = useQueryClient();
  const tell = useTell();
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/invitations", {
          params: { path: { site: code } },
          body: { email: email.trim(), role },
        }),
      ),
    onSuccess: async (made) => {
      setEmail("");
      tell(`An invitation is on its way to ${made.email}.`);
      await refresh(queries, code, "team");
    },
  });
  return (
    <Section aria-labelledby="invite">
      <h2 id="invite">Invite somebody</h2>
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
        style={{ display: "flex", flexDirection: "column", gap: 12, maxWidth: 560 }}
      >
        <Row>
          <Field
            label="Email"
            type="email"
            value={email}
            onChange={setEmail}
            problem={
              fieldProblem(asked.error, "email") ??
              (asked.error instanceof Refused ? asked.error.problem.detail : asked.error?.message)
            }
          />
          <Choice label="As" value={role} options={ROLES} onChange={setRole} />
        </Row>
        <p className="quiet">They are sent a mail with an address that works for a week.</p>
        <div>
          <Button type="submit" look="main" isPending={asked.isPending}>
            Send the invitation
          </Button>
        </div>
      </Form>
    </Section>
  );
}
