import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";

import { Refused, SIGNED_OUT } from "../api/client";
import { Account } from "./people/Account";
import { Checkouts } from "./checkouts/Checkouts";
import { Coupons } from "./coupons/Coupons";
import { Currencies } from "./products/Currencies";
import { Delivery } from "./delivery/Delivery";
import { Tax } from "./tax/Tax";
import { Papers } from "./papers/Papers";
import { PaymentCosts } from "./payments/PaymentCosts";
import { TaxReport } from "./tax/TaxReport";
import { Frame } from "./frame/Frame";
import { History } from "./release/History";
import { Invited } from "./people/Invited";
import { Later } from "./Later";
import { NewSite } from "./site/NewSite";
import { OnSale } from "./release/OnSale";
import { OnTheSite } from "./checkouts/OnTheSite";
import { Orders } from "./orders/Orders";
import { MoveOver } from "./subscriptions/MoveOver";
import { Outlook } from "./subscriptions/Outlook";
import { Payments } from "./payments/Payments";
import { People } from "./people/People";
import { Products } from "./products/Products";
import { ProductsCsv } from "./products/ProductsCsv";
import { Release } from "./release/Release";
import { Renewals } from "./subscriptions/Renewals";
import { Reset } from "./people/Reset";
import { SetAside } from "./orders/SetAside";
import { SignIn } from "./people/SignIn";
import { SiteFile } from "./site/SiteFile";
import { SiteSheet } from "./site/SiteSheet";
import { StandInBuyers } from "./site/StandInBuyers";
import { Subscriptions } from "./subscriptions/Subscriptions";
import { Transfers } from "./payments/Transfers";
import { Waiting } from "./room/Waiting";
import { WaysToPay } from "./payments/WaysToPay";
import { lastSite } from "./frame/lastSite";
import { along } from "./room/places";
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
