// The jump box: anything by its name.
import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState, type Ref } from "react";
import { styled } from "styled-components";

import type { Schemas } from "../../api/client";
import { Finder, fitting, type Choosable } from "../../kit/fields/Finder";
import { focusWhenThere } from "./arrival";
import { useGo } from "../room/places";
import { jump } from "../queries";
import { HELP, screensFor } from "../room/jumpWords";

const Room = styled.div`
  width: 190px;
  input {
    min-height: 32px;
    padding: 4px 10px;
    background: var(--sheet);
  }
  position: relative;
  kbd {
    position: absolute;
    right: 9px;
    top: 10px;
    font: 12px/1 var(--mono);
    color: var(--pencil);
    pointer-events: none;
  }
  &:focus-within kbd {
    display: none;
  }
  @media (max-width: 760px) {
    width: 100%;
    order: 9;
  }
`;

const KINDS: Record<Schemas["FoundView"]["kind"], string> = {
  product: "product",
  price: "price",
  coupon: "coupon",
  checkout: "checkout",
  stand_in_buyer: "stand-in buyer",
  order: "order",
};

function pathOf(code: string, found: Schemas["FoundView"]): string {
  switch (found.kind) {
    case "product":
      return `/s/${code}/products/${found.id}`;
    case "price":
      return `/s/${code}/products/${found.product ?? ""}`;
    case "coupon":
      return `/s/${code}/coupons/${found.id}`;
    case "checkout":
      return `/s/${code}/checkouts/${found.id}`;
    case "stand_in_buyer":
      return `/s/${code}/stand-in-buyers/${found.id}`;
    case "order":
      return `/s/${code}/orders/${found.mode ?? "test"}/${found.id}`;
  }
}

interface Props {
  code: string;
  inputRef: Ref<HTMLInputElement>;
  onHelp: () => void;
}

export function Jump({ code, inputRef, onHelp }: Props) {
  const [typed, setTyped] = useState("");
  const sought = useDeferredValue(typed.trim());
  const asked = useQuery(jump(code, sought));
  const go = useGo();
  const screens = screensFor(sought).map(({ path, name, words, kind }): Choosable => ({
    key: path.startsWith("/") ? `${path} ${name}` : `/s/${code}/${path} ${name}`,
    ...{ name, words, kind },
  }));
  const found = (sought ? (asked.data ?? []) : []).map((one): Choosable => ({
    key: `${pathOf(code, one)} ${one.kind} ${one.id}`,
    name: one.name,
    words: one.words,
    kind: KINDS[one.kind],
  }));
  return (
    <Room>
      <Finder
        label="Jump to anything"
        bare
        placeholder="Jump to anything"
        inputRef={inputRef}
        found={sought ? [...fitting(found, sought, asked.isPlaceholderData), ...screens] : screens}
        typed={typed}
        onType={setTyped}
        onChoose={(key) => {
          setTyped("");
          const [path = "/"] = key.split(" ");
          if (path === HELP) {
            onHelp();
            return;
          }
          go(path);
          // The field has done its work: left, it lets go of the list and of the rest of the page.
          requestAnimationFrame(() => {
            if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
            focusWhenThere();
          });
        }}
        nothing={asked.isFetching ? "Looking …" : "Nothing is called that."}
      />
      <kbd aria-hidden="true">Alt J</kbd>
    </Room>
  );
}
