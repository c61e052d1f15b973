import { useQuery } from "@tanstack/react-query";
import { Navigate, Route, Routes, useLocation } from "react-router";

import { Refused } from "../api/client";
import { Checkouts } from "./Checkouts";
import { Frame } from "./Frame";
import { Later } from "./Later";
import { OnTheSite } from "./OnTheSite";
import { Orders } from "./Orders";
import { Payments } from "./Payments";
import { Products } from "./Products";
import { Release } from "./Release";
import { SignIn } from "./SignIn";
import { Waiting } from "./Waiting";
import { me } from "./queries";

/** The desk: signing in, and the rooms of a site. */
export function Desk() {
  const asked = useQuery(me);
  const { pathname } = useLocation();
  if (asked.isPending || (asked.error instanceof Refused && asked.error.problem.status !== 401)) {
    return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  }
  if (asked.error) return <SignIn />;
  const first = asked.data.sites[0]?.code;
  if (!first) return <p>You have no site yet.</p>;
  return (
    <Routes>
      <Route path="/s/:site" element={<Frame me={asked.data} />}>
        <Route index element={<Navigate to="products" replace />} />
        <Route path="products/:id?" element={<Products />} />
        <Route path="payments" element={<Payments />} />
        <Route path="tax-and-delivery" element={<Later stage="tax-and-delivery" />} />
        <Route path="checkouts/:id?" element={<Checkouts />} />
        <Route path="on-the-site" element={<OnTheSite />} />
        <Route path="routes" element={<Later stage="routes" />} />
        <Route path="rehearsals" element={<Later stage="rehearsals" />} />
        <Route path="orders/:mode?/:code?" element={<Orders />} />
        <Route path="release" element={<Release />} />
        <Route path="*" element={<Later stage="nothing" />} />
      </Route>
      <Route path="*" element={<Navigate to={`/s/${first}/products`} replace state={{ from: pathname }} />} />
    </Routes>
  );
}
