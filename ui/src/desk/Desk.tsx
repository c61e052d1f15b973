import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Suspense, useEffect } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";

import { Refused, SIGNED_OUT } from "../api/client";
import { Frame } from "./frame/Frame";
import { lastSite } from "./frame/lastSite";
import { fetched } from "./room/fetched";
import { me } from "./queries";
import { along } from "./room/places";
import { ROOMS } from "./room/rooms";
import { Waiting } from "./room/Waiting";
import { elementOf, fetchAhead } from "./rooms";

const Kit = fetched(() => import("./Kit"));
const Account = fetched(() => import("./people/Account").then((it) => ({ default: it.Account })));
const Invited = fetched(() => import("./people/Invited").then((it) => ({ default: it.Invited })));
const NewSite = fetched(() => import("./site/NewSite").then((it) => ({ default: it.NewSite })));
const Nowhere = fetched(() => import("./Later").then((it) => ({ default: it.Nowhere })));
const SignIn = fetched(() => import("./people/SignIn").then((it) => ({ default: it.SignIn })));
const Reset = fetched(() => import("./people/Reset").then((it) => ({ default: it.Reset })));

/** The desk: signing in, the rooms of a site, and those outside of any. */
export function Desk() {
  return (
    <Suspense fallback={<Waiting away={false} again={() => undefined} />}>
      <Routes>
        <Route path="/invited/:token" element={<Invited />} />
        <Route path="/reset" element={<Reset />} />
        <Route path="*" element={<SignedIn />} />
      </Routes>
    </Suspense>
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
  useEffect(fetchAhead, []);
  const asked = useQuery(me);
  if (asked.isPending || (asked.error instanceof Refused && asked.error.problem.status !== 401)) {
    return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  }
  if (asked.error) return <SignIn />;
  const { sites } = asked.data;
  const first = (
    sites.find(({ code }) => code === lastSite()) ??
    sites.find(({ archived }) => !archived) ??
    sites[0]
  )?.code;
  return (
    <Routes>
      <Route path="/account" element={<Account me={asked.data} />} />
      <Route path="/new-site" element={<NewSite first={!first} />} />
      <Route path="/kit" element={<Kit />} />
      <Route path="/s/:site" element={<Frame me={asked.data} />}>
        <Route index element={<ToProducts />} />
        {ROOMS.map((room) => {
          const Element = elementOf(room.path);
          const more = "more" in room ? room.more : "";
          return <Route key={room.path} path={`${room.path}${more}`} element={<Element />} />;
        })}
        <Route path="*" element={<Nowhere />} />
      </Route>
      <Route path="*" element={<Navigate to={first ? `/s/${first}/products` : "/new-site"} replace />} />
    </Routes>
  );
}

function ToProducts() {
  const { search } = useLocation();
  return <Navigate to={{ pathname: "products", search: along(search) }} replace />;
}
