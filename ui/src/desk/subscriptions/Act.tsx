// Acting for a customer.
import { useQueryClient, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { styled } from "styled-components";
import { type Schemas, data, api } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Choice } from "../../kit/fields/Choice";
import { Field } from "../../kit/fields/Field";
import { money } from "../../kit/format/money";
import { day } from "../../kit/format/when";
import { Notice } from "../../kit/Notice";
import { Section, Table } from "../../kit/Sheet";
import { refresh, type Mode } from "../queries";
import { useRole } from "../room/role";
import type { At, Proposal, View } from "./subscription";
import { REASONS } from "./subscriptionWords";
import { Day } from "../../kit/fields/Day";

const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
`;

/** What a person does for the customer; all of it is written down. */
export function Act({ code, mode, found }: At) {
  const { mayWord } = useRole(code);
  const [proposal, setProposal] = useState<Proposal>();
  const [asking, setAsking] = useState<"change" | "pause" | "cancel">();
  const queries = useQueryClient();
  const path = { site: code, mode, subscription: found.code };
  const done = async () => {
    setAsking(undefined);
    setProposal(undefined);
    await refresh(queries, code);
  };
  const propose = useMutation({
    mutationFn: (body: Schemas["ProposeRequest"]) =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/proposal", {
          params: { path },
          body,
        }),
      ),
    onSuccess: setProposal,
  });
  const takeBack = useMutation({
    mutationFn: () =>
      data(
        api.DELETE("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/cancellation", {
          params: { path },
        }),
      ),
    onSuccess: done,
  });
  const resume = useMutation({
    mutationFn: () =>
      data(
        api.DELETE("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/pause", {
          params: { path },
        }),
      ),
    onSuccess: done,
  });
  const may = (what: string) => found.can[what] === null;
  if (!mayWord || !Object.values(found.can).includes(null)) return null;
  const problem = propose.error ?? takeBack.error ?? resume.error;
  return (
    <Section aria-labelledby="act">
      <h2 id="act">For the customer</h2>
      <Actions>
        {may("change") || may("quantity") ? (
          <Button onPress={() => setAsking(asking === "change" ? undefined : "change")}>Change it</Button>
        ) : null}
        {may("pay_off") ? (
          <Button isPending={propose.isPending} onPress={() => propose.mutate({ kind: "pay_off" })}>
            Pay the rest at once
          </Button>
        ) : null}
        {may("restart") ? (
          <Button isPending={propose.isPending} onPress={() => propose.mutate({ kind: "restart" })}>
            Start it again
          </Button>
        ) : null}
        {may("resume") ? (
          <Confirm
            question={`Go on with it, and charge ${found.currency} ${found.amount} now?`}
            sure="Go on with it"
            isPending={resume.isPending}
            onConfirm={() => resume.mutate()}
          >
            Go on with it
          </Confirm>
        ) : null}
        {may("pause") && !found.pausing ? (
          <Button onPress={() => setAsking(asking === "pause" ? undefined : "pause")}>Pause it</Button>
        ) : null}
        {may("take_back") ? (
          <Button isPending={takeBack.isPending} onPress={() => takeBack.mutate()}>
            {found.ends_on
              ? "Take the end back"
              : found.pausing
                ? "Take the pause back"
                : "Take the change back"}
          </Button>
        ) : null}
        {may("cancel") || may("cancel_at_once") ? (
          <Button look="plain" onPress={() => setAsking(asking === "cancel" ? undefined : "cancel")}>
            End it
          </Button>
        ) : null}
      </Actions>
      {problem ? <Notice kind="error">{problem.message}</Notice> : null}
      {asking === "change" ? <Change found={found} propose={propose} /> : null}
      {asking === "pause" ? <Pause path={path} found={found} onDone={done} /> : null}
      {asking === "cancel" ? <Cancel path={path} found={found} onDone={done} /> : null}
      {proposal ? (
        <Agree path={path} of={proposal} onDone={done} onNo={() => setProposal(undefined)} />
      ) : null}
    </Section>
  );
}

const Asked = styled.form`
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: end;
  > div {
    min-width: 220px;
  }
`;

function Change({
  found,
  propose,
}: {
  found: View;
  propose: { isPending: boolean; mutate: (body: Schemas["ProposeRequest"]) => void };
}) {
  const [to, setTo] = useState(found.plans[0]?.price ?? "");
  const [many, setMany] = useState(String(found.quantity));
  return (
    <>
      {found.can["change"] === null && found.plans.length ? (
        <Asked
          onSubmit={(event) => {
            event.preventDefault();
            propose.mutate({ kind: "change", price: to });
          }}
        >
          <Choice
            label="To the plan"
            value={to}
            options={found.plans.map((one) => [
              one.price,
              `${one.name}, ${found.currency} ${one.amount} every ${one.every} (${one.way})`,
            ])}
            onChange={setTo}
          />
          <Button type="submit" isPending={propose.isPending}>
            Show what it costs
          </Button>
        </Asked>
      ) : null}
      {found.can["quantity"] === null ? (
        <Asked
          onSubmit={(event) => {
            event.preventDefault();
            propose.mutate({ kind: "change", quantity: Number(many) });
          }}
        >
          <Field
            label={`How many, from ${found.quantity_least} to ${found.quantity_most}`}
            value={many}
            onChange={setMany}
            inputMode="numeric"
          />
          <Button type="submit" isPending={propose.isPending} isDisabled={!/^\d+$/.test(many)}>
            Show what it costs
          </Button>
        </Asked>
      ) : null}
    </>
  );
}

interface PathTo {
  site: string;
  mode: Mode;
  subscription: string;
}

function Agree({
  path,
  of,
  onDone,
  onNo,
}: {
  path: PathTo;
  of: Proposal;
  onDone: () => Promise<void>;
  onNo: () => void;
}) {
  const agree = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/agree", {
          params: { path },
          body: { token: of.token },
        }),
      ),
    onSuccess: async ({ state }) => {
      if (state !== "refused") await onDone();
    },
  });
  const nothing = Number(of.due) === 0;
  return (
    <div aria-label="What it comes to" role="group">
      <Table>
        <tbody>
          <tr>
            <th scope="row">
              {of.quantity > 1 ? `${of.quantity} × ` : ""}
              {of.plan}
            </th>
            <td className="amount">{of.when === "now" ? `${of.currency} ${of.charge}` : ""}</td>
          </tr>
          {Number(of.credit) ? (
            <tr>
              <th scope="row">Credit for unused time</th>
              <td className="amount">−{of.credit}</td>
            </tr>
          ) : null}
          <tr>
            <th scope="row">
              <strong>{nothing ? "Nothing is charged now" : "Charged now"}</strong>
            </th>
            <td className="amount">
              <strong>
                {of.currency} {of.due}
              </strong>
            </td>
          </tr>
          {Number(of.balance) ? (
            <tr>
              <th scope="row">Left for the next charges</th>
              <td className="amount">{of.balance}</td>
            </tr>
          ) : null}
          <tr>
            <th scope="row">{of.when === "now" ? "Next charge on" : "It takes effect on"}</th>
            <td className="amount">{day(of.next_on)}</td>
          </tr>
        </tbody>
      </Table>
      {agree.error ? <Notice kind="error">{agree.error.message}</Notice> : null}
      {agree.data?.state === "refused" ? (
        <Notice kind="error">
          The card was refused: {REASONS[agree.data.message ?? "other"] ?? "no reason was given"}. Everything
          stays.
        </Notice>
      ) : null}
      <Actions>
        <Button look="main" isPending={agree.isPending} onPress={() => agree.mutate()}>
          {nothing ? "Do it" : `Charge ${of.currency} ${of.due} and do it`}
        </Button>
        <Button onPress={onNo}>No</Button>
      </Actions>
    </div>
  );
}

function Pause({ path, found, onDone }: { path: PathTo; found: View; onDone: () => Promise<void> }) {
  const [until, setUntil] = useState("");
  const pause = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/pause", {
          params: { path },
          body: { resumes_on: until || null },
        }),
      ),
    onSuccess: onDone,
  });
  return (
    <Asked
      onSubmit={(event) => {
        event.preventDefault();
        pause.mutate();
      }}
    >
      <p>Nothing is charged from {day(found.paid_until)} on.</p>
      <Day label="Until a day, if it is known" value={until} onChange={setUntil} />
      <Button type="submit" isPending={pause.isPending}>
        Pause it
      </Button>
      {pause.error ? <Notice kind="error">{pause.error.message}</Notice> : null}
    </Asked>
  );
}

function Cancel({ path, found, onDone }: { path: PathTo; found: View; onDone: () => Promise<void> }) {
  const later = found.can["cancel"] === null;
  const [when, setWhen] = useState<"paid_time" | "at_once">(later ? "paid_time" : "at_once");
  const [unused, setUnused] = useState<"kept" | "given_back">("kept");
  const [reason, setReason] = useState("");
  const { paid, kept } = found.unused;
  const worth = [
    paid && money(found.currency, paid),
    kept && `${money(found.currency, kept)} to their balance`,
  ]
    .filter(Boolean)
    .join(" and ");
  const cancel = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/cancellation", {
          params: { path },
          body: { when, unused: when === "at_once" ? unused : null, reason, shown_at: found.unused.at },
        }),
      ),
    onSuccess: onDone,
  });
  return (
    <Asked onSubmit={(event) => event.preventDefault()}>
      <Choice
        label="It ends"
        value={when}
        options={[
          ...(later
            ? ([["paid_time", `When the paid time does, on ${day(found.paid_until)}`]] as const)
            : []),
          ["at_once", "At once"],
        ]}
        onChange={setWhen}
      />
      {when === "at_once" ? (
        <Choice
          label="The unused part of what was paid is"
          value={unused}
          options={[
            ["kept", "Kept"],
            ["given_back", `Given back${worth ? `: ${worth}` : ", and there is none"}`],
          ]}
          onChange={setUnused}
        />
      ) : null}
      <Field label="Reason, if there is one" value={reason} onChange={setReason} />
      <Confirm
        question="End it?"
        sure="End the subscription"
        isPending={cancel.isPending}
        onConfirm={() => cancel.mutate()}
      >
        End it
      </Confirm>
      {cancel.error ? <Notice kind="error">{cancel.error.message}</Notice> : null}
    </Asked>
  );
}
