// The account page: what a customer has bought, and their subscriptions, which they look after themselves.
// It is loaded by itself, never with a checkout.
import { useCallback, useEffect, useRef, useState } from "react";

import { api, data, fieldProblem, Refused } from "../api/client";
import { Filled, useAt, type Common, type Mine } from "./accountParts";
import { framed, type AccountBoot } from "../counter/boot";
import { TextField } from "../counter/Fields";
import { keptProof } from "../counter/kept";
import { inZone } from "../kit/format/when";
import { Aside, Column, PayButton, TextButton } from "../counter/look";
import { Kept } from "./Kept";
import { GiveBack } from "./GiveBack";
import { MyAddress } from "./MyAddress";
import { MyPurchase } from "./MyPurchase";
import { MySubscription } from "./MySubscription";

/** The account page of a site. */
export default function Account({ boot }: { boot: AccountBoot }) {
  inZone(boot.time_zone);
  const [mine, setMine] = useState<Mine>();
  const [state, setState] = useState<"looking" | "out" | "in">("looking");
  const [trouble, setTrouble] = useState<string>();
  const at = useAt(boot);
  const load = useCallback(async () => {
    try {
      setMine(await data(api.GET("/counter/api/account/{code}/mine", at)));
      setState("in");
    } catch (error) {
      if (error instanceof Refused && error.problem.status !== 401) setTrouble(error.message);
      setState("out");
    }
  }, [at]);
  const begun = useRef(false);
  useEffect(() => {
    // A link that is opened where the page is open already changes nothing but what comes after the sign #.
    const followed = () => window.location.reload();
    window.addEventListener("hashchange", followed);
    return () => window.removeEventListener("hashchange", followed);
  }, []);
  useEffect(() => {
    if (begun.current) return;
    begun.current = true;
    const token = decodeURIComponent(window.location.hash.slice(1));
    if (!token) {
      setTimeout(() => void load());
      return;
    }
    // The link works once: it is taken out of the address, so that it is neither kept nor followed again.
    window.history.replaceState(null, "", window.location.pathname + window.location.search);
    data(
      api.POST("/counter/api/account/{code}/enter", { ...at, body: { token, visit: keptProof(), framed } }),
    ).then(load, async (error: unknown) => {
      setTrouble(error instanceof Refused ? error.message : undefined);
      // Somebody who is signed in already follows an old link now and then.
      await load();
    });
  }, [at, load]);
  const [back, setBack] = useGivingBack();
  if (state === "looking") return <Column aria-busy="true" />;
  if (back !== undefined)
    return <GiveBack boot={boot} order={back} email={mine?.email ?? ""} onLeave={() => setBack(undefined)} />;
  if (state === "out" || !mine)
    return <SignIn boot={boot} trouble={trouble} onIn={load} onGiveBack={() => setBack("")} />;
  return (
    <Theirs boot={boot} mine={mine} onChange={load} onOut={() => setState("out")} onGiveBack={setBack} />
  );
}

/** Of which order something is given back; it stands in the address, so that pages and mails can lead there. */
function useGivingBack(): [string | undefined, (order: string | undefined) => void] {
  const named = new URLSearchParams(window.location.search).get("give-back");
  const [order, setOrder] = useState(named ?? undefined);
  const choose = (next: string | undefined) => {
    const address = new URL(window.location.href);
    if (next === undefined) address.searchParams.delete("give-back");
    else address.searchParams.set("give-back", next);
    window.history.replaceState(null, "", address);
    setOrder(next);
  };
  return [order, choose];
}

function SignIn({
  boot,
  trouble,
  onIn,
  onGiveBack,
}: {
  boot: AccountBoot;
  trouble: string | undefined;
  onIn: () => Promise<void>;
  onGiveBack: () => void;
}) {
  const at = useAt(boot);
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [withPassword, setWithPassword] = useState(false);
  const [sent, setSent] = useState(false);
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const send = async () => {
    setBusy(true);
    setError(undefined);
    try {
      if (withPassword) {
        await data(
          api.POST("/counter/api/account/{code}/password-sign-in", {
            ...at,
            body: { email, password, framed },
          }),
        );
        await onIn();
      } else {
        await data(api.POST("/counter/api/account/{code}/link", { ...at, body: { email } }));
        setSent(true);
      }
    } catch (caught) {
      setError(caught);
    }
    setBusy(false);
  };
  if (sent)
    return (
      <Column>
        <h1>Look into your mailbox</h1>
        <p>
          If {email.trim()} belongs to a customer of {boot.site_name}, a mail with a link is on its way. It
          works once, within 20 minutes{framed ? ", and opens a page of its own" : ""}.
        </p>
        <p>
          <TextButton type="button" onClick={() => setSent(false)}>
            Use another address
          </TextButton>
        </p>
      </Column>
    );
  const wrong = fieldProblem(error, "password") ?? fieldProblem(error, "email");
  return (
    <Column>
      <h1>What you have bought</h1>
      <p className="lead">
        {withPassword
          ? "Sign in with the password that you have set."
          : "Type the address that you bought with. We send you a link to sign in with."}
      </p>
      {trouble ? <Aside className="wrong">{trouble}</Aside> : null}
      <Filled onSend={() => void send()}>
        <TextField
          label="Email"
          required
          name="email"
          type="email"
          autoComplete="username"
          value={email}
          problem={withPassword ? undefined : wrong}
          onChange={setEmail}
        />
        {withPassword ? (
          <TextField
            label="Password"
            required
            name="password"
            type="password"
            autoComplete="current-password"
            value={password}
            problem={wrong}
            onChange={setPassword}
          />
        ) : null}
        {error instanceof Refused && !wrong ? (
          <Aside className="wrong" role="alert">
            {error.message}
          </Aside>
        ) : null}
        <PayButton type="submit" aria-disabled={busy || email.trim().length < 3}>
          {withPassword ? "Sign in" : "Send me a link"}
        </PayButton>
      </Filled>
      <p>
        <TextButton type="button" onClick={() => setWithPassword(!withPassword)}>
          {withPassword ? "Send me a link instead" : "Sign in with a password"}
        </TextButton>
      </p>
      <p>
        <TextButton type="button" onClick={onGiveBack}>
          Give something back, without signing in
        </TextButton>
      </p>
    </Column>
  );
}

function Theirs({
  boot,
  mine,
  onChange,
  onOut,
  onGiveBack,
}: Common & { onOut: () => void; onGiveBack: (order: string) => void }) {
  const at = useAt(boot);
  const leave = async () => {
    await data(api.POST("/counter/api/account/{code}/leave", at)).catch(() => undefined);
    onOut();
  };
  const running = mine.subscriptions.filter((one) => !["ended", "completed"].includes(one.state));
  const over = mine.subscriptions.filter((one) => ["ended", "completed"].includes(one.state));
  return (
    <Column>
      <div>
        <h1>What you have bought</h1>
        <p className="lead">{mine.email}</p>
      </div>
      {mine.subscriptions.length || mine.purchases.length ? null : (
        <p>You have bought nothing from {boot.site_name} with this address.</p>
      )}
      {running.length && mine.purchases.length ? <h2>Subscriptions</h2> : null}
      {running.map((one) => (
        <MySubscription key={one.code} boot={boot} mine={mine} sub={one} onChange={onChange} />
      ))}
      {mine.purchases.length ? <h2>Bought once</h2> : null}
      {mine.purchases.map((one) => (
        <MyPurchase key={one.code} of={one} onGiveBack={onGiveBack} />
      ))}
      {over.length ? <h2>Over</h2> : null}
      {over.map((one) => (
        <MySubscription key={one.code} boot={boot} mine={mine} sub={one} onChange={onChange} />
      ))}
      {mine.address && running.length ? <MyAddress boot={boot} mine={mine} onChange={onChange} /> : null}
      <Password boot={boot} mine={mine} onChange={onChange} />
      <Kept boot={boot} onForgotten={onOut} />
      {framed ? null : (
        <p>
          <a href={boot.site_url}>Back to {boot.site_name}</a>
        </p>
      )}
      <p>
        <TextButton type="button" onClick={() => void leave()}>
          Sign out
        </TextButton>
      </p>
    </Column>
  );
}

function Password({ boot, mine, onChange }: Common) {
  const at = useAt(boot);
  const [open, setOpen] = useState(false);
  const [password, setPassword] = useState("");
  const [error, setError] = useState<unknown>();
  const save = async () => {
    try {
      await data(api.PUT("/counter/api/account/{code}/password", { ...at, body: { password } }));
      setOpen(false);
      setPassword("");
      await onChange();
    } catch (caught) {
      setError(caught);
    }
  };
  if (!open)
    return (
      <p>
        <TextButton type="button" onClick={() => setOpen(true)}>
          {mine.has_password ? "Change the password" : "Set a password"}
        </TextButton>
      </p>
    );
  return (
    <Filled onSend={() => void save()}>
      <TextField
        label="New password"
        required
        name="new-password"
        type="password"
        autoComplete="new-password"
        value={password}
        problem={fieldProblem(error, "password")}
        onChange={setPassword}
      />
      <PayButton type="submit">Set the password</PayButton>
    </Filled>
  );
}
