import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";

import { Refused, SIGNED_OUT } from "../api/client";
import { Account } from "./Account";
import { Checkouts } from "./Checkouts";
import { Coupons } from "./Coupons";
import { Currencies } from "./Currencies";
import { Delivery } from "./Delivery";
import { Tax } from "./Tax";
import { Papers } from "./Papers";
import { PaymentCosts } from "./PaymentCosts";
import { TaxReport } from "./TaxReport";
import { Frame } from "./Frame";
import { History } from "./History";
import { Invited } from "./Invited";
import { Later } from "./Later";
import { NewSite } from "./NewSite";
import { OnSale } from "./OnSale";
import { OnTheSite } from "./OnTheSite";
import { Orders } from "./Orders";
import { MoveOver } from "./MoveOver";
import { Outlook } from "./Outlook";
import { Payments } from "./Payments";
import { People } from "./People";
import { Products } from "./Products";
import { ProductsCsv } from "./ProductsCsv";
import { Release } from "./Release";
import { Renewals } from "./Renewals";
import { Reset } from "./Reset";
import { SetAside } from "./SetAside";
import { SignIn } from "./SignIn";
import { SiteFile } from "./SiteFile";
import { SiteSheet } from "./SiteSheet";
import { StandInBuyers } from "./StandInBuyers";
import { Subscriptions } from "./Subscriptions";
import { Transfers } from "./Transfers";
import { Waiting } from "./Waiting";
import { WaysToPay } from "./WaysToPay";
import { lastSite } from "./lastSite";
import { along } from "./places";
import { me } from "./queries";

const Kit = lazy(() => import("./Kit"));

/** The desk: signing in, the rooms of a site, and those outside of any. */
export function Desk() {
  return (
    <Routes>
      <Route path="/invited/:token" element={<Invited />} />
      <Route path="/reset" element={<Reset />} />
      <Route path="*" element={<SignedIn />} />
    </Routes>
  );
}

/** A session that ends elsewhere, or of age, leads to signing in again; the screen and what was typed stay. */
function useSessionsEnd() {
  const queries = useQueryClient();
  useEffect(() => {
    const ended = () => {
      const known = queries.getQueryState(me.queryKey);
      if (known?.status === "success" && known.fetchStatus === "idle")
        void queries.invalidateQueries({ queryKey: me.queryKey });
    };
    window.addEventListener(SIGNED_OUT, ended);
    return () => window.removeEventListener(SIGNED_OUT, ended);
  }, [queries]);
}

function SignedIn() {
  useSessionsEnd();
  const asked = useQuery(me);
  if (asked.isPending || (asked.error instanceof Refused && asked.error.problem.status !== 401)) {
    return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  }
  if (asked.error) return <SignIn />;
  const first = (asked.data.sites.find(({ code }) => code === lastSite()) ?? asked.data.sites[0])?.code;
  return (
    <Routes>
      <Route path="/account" element={<Account me={asked.data} />} />
      <Route path="/new-site" element={<NewSite first={!first} />} />
      <Route
        path="/kit"
        element={
          <Suspense fallback={<Waiting away={false} again={() => undefined} />}>
            <Kit />
          </Suspense>
        }
      />
      <Route path="/s/:site" element={<Frame me={asked.data} />}>
        <Route index element={<ToProducts />} />
        <Route path="products/:id?" element={<Products />} />
        <Route path="coupons/:id?" element={<Coupons />} />
        <Route path="currencies" element={<Currencies />} />
        <Route path="products-csv" element={<ProductsCsv />} />
        <Route path="site-file" element={<SiteFile />} />
        <Route path="payments/:adapter?" element={<Payments />} />
        <Route path="ways-to-pay" element={<WaysToPay />} />
        <Route path="payment-costs" element={<PaymentCosts />} />
        <Route path="transfers/:mode?" element={<Transfers />} />
        <Route path="tax-and-delivery" element={<Tax />} />
        <Route path="delivery" element={<Delivery />} />
        <Route path="papers" element={<Papers />} />
        <Route path="tax-report" element={<TaxReport />} />
        <Route path="checkouts/:id?" element={<Checkouts />} />
        <Route path="on-the-site" element={<OnTheSite />} />
        <Route path="routes" element={<Later stage="routes" />} />
        <Route path="rehearsals" element={<Later stage="rehearsals" />} />
        <Route path="orders/:mode?/:code?" element={<Orders />} />
        <Route path="subscriptions/:mode?/:code?" element={<Subscriptions />} />
        <Route path="outlook/:mode?" element={<Outlook />} />
        <Route path="move-over/:mode" element={<MoveOver />} />
        <Route path="renewals" element={<Renewals />} />
        <Route path="stand-in-buyers/:id?" element={<StandInBuyers />} />
        <Route path="release" element={<Release />} />
        <Route path="release/history" element={<History />} />
        <Route path="release/back/:number" element={<Release />} />
        <Route path="on-sale" element={<OnSale />} />
        <Route path="aside" element={<SetAside />} />
        <Route path="site" element={<SiteSheet />} />
        <Route path="people" element={<People />} />
        <Route path="*" element={<Later stage="nothing" />} />
      </Route>
      <Route path="*" element={<Navigate to={first ? `/s/${first}/products` : "/new-site"} replace />} />
    </Routes>
  );
}

function ToProducts() {
  const { search } = useLocation();
  return <Navigate to={{ pathname: "products", search: along(search) }} replace />;
}
