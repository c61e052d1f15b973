import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { NavLink, Outlet, useLocation, useNavigate, useParams } from "react-router";
import { styled } from "styled-components";

import { api, type Schemas } from "../api/client";
import { Button } from "../kit/Button";
import { Logo } from "./Logo";
import { StageMark } from "./StageMark";
import { Waiting } from "./Waiting";
import { useSite } from "./queries";
import { STAGES } from "./stages";

const Bar = styled.header`
  display: flex;
  align-items: center;
  gap: 6px 18px;
  flex-wrap: wrap;
  min-height: 46px;
  padding: 5px 16px;
  border-bottom: 1px solid var(--hairline);
  .brand {
    display: flex;
    align-items: center;
    gap: 10px;
    font: 650 18px/1 var(--heading);
    width: 172px;
  }
  .site {
    flex: 1;
    min-width: 160px;
  }
  .site span {
    color: var(--pencil);
  }
  .draft {
    font-size: 14px;
    color: var(--pencil);
  }
  .draft strong {
    color: var(--ink);
  }
`;

const Columns = styled.div`
  display: grid;
  grid-template-columns: 188px minmax(0, 1fr);
  gap: 0 16px;
  padding: 14px 16px 0 8px;
  @media (max-width: 760px) {
    grid-template-columns: minmax(0, 1fr);
    padding: 8px;
    gap: 8px;
  }
`;

const Rail = styled.nav`
  h2 {
    font: 600 13.5px/1.2 var(--text);
    letter-spacing: 0;
    color: var(--pencil);
    padding: 4px 8px 10px;
  }
  ol {
    list-style: none;
    margin: 0;
    padding: 0;
    position: relative;
  }
  li {
    position: relative;
  }
  li + li::before {
    content: "";
    position: absolute;
    left: 20px;
    top: -9px;
    height: 18px;
    width: 2px;
    background: var(--hairline);
  }
  a {
    display: flex;
    gap: 10px;
    padding: 7px 8px;
    border: 1px solid transparent;
    border-radius: var(--corner);
    text-decoration: none;
    color: var(--ink);
    position: relative;
  }
  a strong {
    display: block;
    font-weight: 600;
    line-height: 1.3;
  }
  a span span {
    font-size: 13.5px;
    color: var(--pencil);
    line-height: 1.3;
    display: block;
  }
  a:hover {
    background: var(--wash);
  }
  a.active {
    background: var(--sheet);
    border-color: var(--hairline);
  }
  a.active strong {
    color: var(--verdigris);
  }
  @media (max-width: 760px) {
    ol {
      display: flex;
      overflow-x: auto;
      gap: 4px;
      padding: 2px;
    }
    li {
      flex: 0 0 auto;
    }
    li + li::before {
      display: none;
    }
    h2 {
      display: none;
    }
  }
`;

/** The frame of the desk: the bar on top, the work order at the left, the sheet of a stage in the middle. */
export function Frame({ me }: { me: Schemas["Me"] }) {
  const { site: code = "" } = useParams();
  const asked = useSite(code);
  const queries = useQueryClient();
  const navigate = useNavigate();
  useFocusOnArrival();
  if (!asked.data)
    return <Waiting away={asked.isError || asked.failureCount > 0} again={() => void asked.refetch()} />;
  const site = asked.data;
  const signOut = async () => {
    await api.DELETE("/desk/api/session");
    queries.clear();
    await navigate("/");
  };
  return (
    <>
      <Bar>
        <span className="brand">
          <Logo /> Skurrow
        </span>
        <span className="site">
          <strong>{site.name}</strong> <span>· {new URL(site.url).hostname}</span>
        </span>
        <span className="draft">
          <DraftLine site={site} />
        </span>
        {site.changed.length ? (
          <Button look="main" onPress={() => void navigate(`/s/${code}/release`)}>
            Review and release
          </Button>
        ) : null}
        <Button look="plain" onPress={() => void signOut()} aria-label={`Sign out ${me.name}`}>
          Sign out
        </Button>
      </Bar>
      <Columns>
        <Rail aria-labelledby="work-order">
          <h2 id="work-order">Work order</h2>
          <ol>
            {STAGES.map(([name, title]) => {
              const stage = site.stages.find((one) => one.stage === name);
              return (
                <li key={name}>
                  <NavLink to={`/s/${code}/${name}`}>
                    <StageMark state={stage?.state ?? "later"} attention={stage?.attention ?? 0} />
                    <span>
                      <strong>{title}</strong>
                      <span>{stage?.words}</span>
                    </span>
                  </NavLink>
                </li>
              );
            })}
          </ol>
        </Rail>
        <Outlet />
      </Columns>
    </>
  );
}

function DraftLine({ site }: { site: Schemas["SiteView"] }) {
  if (!site.release) {
    return (
      <>
        Draft, <strong>never released</strong>
      </>
    );
  }
  const count = site.changed.length;
  return count ? (
    <>
      Draft, <strong>{count === 1 ? "1 change" : `${count} changes`}</strong> since release{" "}
      {site.release.number}
    </>
  ) : (
    <>Release {site.release.number}, nothing changed since</>
  );
}

/** Each room is announced when one arrives: the focus goes to its sheet, and the title names it. */
function useFocusOnArrival() {
  const { pathname } = useLocation();
  const room = pathname.split("/")[3] ?? "";
  const before = useRef(room);
  useEffect(() => {
    const title = STAGES.find(([name]) => name === room)?.[1] ?? "Skurrow";
    document.title = `${title} · Skurrow`;
    if (before.current === room) return;
    before.current = room;
    document.querySelector("main")?.focus();
  }, [room]);
}
