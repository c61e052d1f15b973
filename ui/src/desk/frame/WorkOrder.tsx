// The work order: the stages of the job, and how each of them stands.
import { useLocation } from "react-router";
import { styled } from "styled-components";
import type { Schemas } from "../../api/client";
import { To } from "../room/places";
import { stageOf } from "../room/rooms";
import { StageMark } from "./StageMark";

export const Rail = styled.nav`
  @media (min-width: 761px) and (min-height: 620px) {
    position: sticky;
    top: 58px;
  }
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

export function Stage({
  code,
  name,
  title,
  stages,
}: {
  code: string;
  name: string;
  title: string;
  stages: Schemas["StageView"][];
}) {
  const stage = stages.find((one) => one.stage === name);
  const { pathname } = useLocation();
  const here = stageOf(pathname.split("/")[3] ?? "") === name;
  return (
    <li>
      <To to={`/s/${code}/${name}`} className={here ? "active" : ""} aria-current={here ? "page" : undefined}>
        <StageMark state={stage?.state ?? "later"} attention={stage?.attention ?? 0} />
        <span>
          <strong>{title}</strong>
          <span>{stage?.words}</span>
        </span>
      </To>
    </li>
  );
}
