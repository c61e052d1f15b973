import "@fontsource-variable/bricolage-grotesque";
import "@fontsource-variable/instrument-sans";
import "@fontsource-variable/spline-sans-mono";

import { lazy, StrictMode, Suspense } from "react";
import { createRoot } from "react-dom/client";

import { Checkout } from "./checkout/Checkout";
import { Column, Head, Look, Stamp } from "./look";
import { framed, readBoot, tell, type Boot } from "./boot";

// Seldom needed, and never on the way to paying: each is loaded when its page is opened.
const Account = lazy(() => import("../account/Account"));
const Renewal = lazy(() => import("../account/Renewal"));
const fetchConfirmation = () => import("./Confirmation");
const Confirmation = lazy(() => fetchConfirmation().then((it) => ({ default: it.Confirmation })));

const DEFAULT_COLOUR = "#2F4858";

function Page({ boot }: { boot: Boot }) {
  switch (boot.page) {
    case "checkout":
      return <Checkout code={boot.code} fresh={boot.counter} back={boot.back ?? undefined} />;
    case "confirmation":
      return (
        <Suspense fallback={<Column aria-busy="true" />}>
          <Confirmation boot={boot} />
        </Suspense>
      );
    case "account":
      return (
        <Suspense fallback={<Column aria-busy="true" />}>
          <Account boot={boot} />
        </Suspense>
      );
    case "renewal":
      return (
        <Suspense fallback={<Column aria-busy="true" />}>
          <Renewal boot={boot} />
        </Suspense>
      );
    case "unknown":
      return (
        <Plain
          title="There is nothing at this address"
          text="The link may have been cut off when it was copied. Go back to the website you came from and press its button once more."
        />
      );
    case "tried":
      return (
        <Plain
          title="This browser is no test buyer’s any more"
          text="What is bought from now on is bought for real. A window in which a checkout is still open may be closed."
        />
      );
    case "closed":
      return (
        <Plain title="Not on sale at the moment" text={boot.message}>
          {boot.shop && !framed ? (
            <p>
              <a href={boot.shop.url}>Back to {boot.shop.name}</a>
            </p>
          ) : null}
        </Plain>
      );
    case "away":
      return (
        <Plain title="One moment, please" text={boot.message}>
          <p>
            <a href="">Try again</a>
          </p>
        </Plain>
      );
  }
}

function Plain({ title, text, children }: { title: string; text: string; children?: React.ReactNode }) {
  return (
    <Column>
      <h1>{title}</h1>
      <p>{text}</p>
      {children}
    </Column>
  );
}

function Counter({ boot }: { boot: Boot }) {
  const shop = boot.page === "checkout" ? boot.counter : "site_name" in boot ? boot : undefined;
  return (
    <>
      <Look $brand={shop?.colour ?? DEFAULT_COLOUR} />
      {shop ? (
        <Head className={framed ? "framed" : ""}>
          <span className="business">{shop.site_name}</span>
          {shop.mode === "test" ? <Stamp>TEST</Stamp> : null}
        </Head>
      ) : null}
      <Page boot={boot} />
    </>
  );
}

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape") tell("close");
});
// Whoever types something is likely to pay: the page that comes then is fetched meanwhile.
document.addEventListener("input", () => void fetchConfirmation().catch(() => undefined), { once: true });
// A page that the browser has kept from before may show an order that was paid since: it is asked for anew.
window.addEventListener("pageshow", (event) => {
  if (event.persisted) window.location.reload();
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <Counter boot={readBoot()} />
    </StrictMode>,
  );
}
