// Connecting a gateway: in one press at its own site, or with keys.
import { useQueryClient, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { data, api, fieldProblem } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { type Mode, refresh } from "../queries";
import { useRole } from "../room/role";
import { BY_PERSON, how } from "./gateways";

export function ConnectForm({
  code,
  adapter,
  mode,
  authorises,
  done,
}: {
  code: string;
  adapter: string;
  mode: Mode;
  authorises: boolean;
  done: (() => void) | undefined;
}) {
  const [merchant, setMerchant] = useState("");
  const [key, setKey] = useState("");
  const queries = useQueryClient();
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/gateways/{adapter}/connections", {
          params: { path: { site: code, adapter } },
          body: { mode, merchant, key },
        }),
      ),
    onSuccess: async () => {
      setKey("");
      await refresh(queries, code);
      done?.();
    },
  });
  const { mayConfigure } = useRole(code);
  if (!mayConfigure)
    return <p className="quiet">Not connected for {mode}. A developer of the site connects it.</p>;
  const keyProblem = fieldProblem(asked.error, "key");
  const merchantProblem = fieldProblem(asked.error, "merchant");
  const transfer = adapter === "transfer";
  const nothing = BY_PERSON.includes(adapter) && !transfer;
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        asked.mutate();
      }}
    >
      {authorises ? <Authorise code={code} adapter={adapter} mode={mode} /> : null}
      <p className="quiet">{how(adapter, mode)}</p>
      {asked.error && !keyProblem && !merchantProblem ? (
        <Notice kind="error">{asked.error.message}</Notice>
      ) : null}
      {nothing ? null : (
        <>
          <Field
            label={transfer ? "Account holder" : "Merchant"}
            autoComplete="off"
            value={merchant}
            onChange={setMerchant}
            problem={merchantProblem}
          />
          <Field
            label={transfer ? `IBAN for ${mode} buyers` : `Key for ${mode} mode`}
            type={transfer ? "text" : "password"}
            autoComplete="off"
            value={key}
            onChange={setKey}
            problem={keyProblem}
          />
        </>
      )}
      <div>
        <Button
          type="submit"
          look={authorises ? undefined : "main"}
          isPending={asked.isPending}
          isDisabled={!nothing && (!merchant || !key)}
        >
          {`${BY_PERSON.includes(adapter) ? "Turn on" : "Connect"} for ${mode}`}
        </Button>
        {done ? (
          <Button onPress={done}>{transfer ? "Keep this account" : "Keep the present keys"}</Button>
        ) : null}
      </div>
    </Form>
  );
}

/** Goes to the gateway's own site, where one press lets us in, and comes back connected. */
function Authorise({ code, adapter, mode }: { code: string; adapter: string; mode: Mode }) {
  const begin = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/gateways/{adapter}/authorisations", {
          params: { path: { site: code, adapter } },
          body: { mode },
        }),
      ),
    onSuccess: ({ address }) => window.location.assign(address),
  });
  return (
    <>
      <div>
        <Button look="main" isPending={begin.isPending} onPress={() => begin.mutate()}>
          {`Connect for ${mode} at its site`}
        </Button>
      </div>
      {begin.error ? <Notice kind="error">{begin.error.message}</Notice> : null}
    </>
  );
}
