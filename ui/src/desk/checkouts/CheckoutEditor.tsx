import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useSearchParams } from "react-router";
import { styled } from "styled-components";

import { fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Finder, fitting } from "../../kit/fields/Finder";
import { Body, Row, Section } from "../../kit/Sheet";
import { Title } from "../../kit/fields/Title";
import { ArchivePart } from "../editing/ArchivePart";
import { Arrange } from "../editing/Arrange";
import { CouponsHere, Lock, Locked, OwnDiscount, Taking, WaysHere } from "./CheckoutRules";
import { Preview, type Screen } from "../tape/Preview";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { withValue, type CheckoutBody } from "../editing/bodies";
import { To } from "../room/places";
import { prices, useSite } from "../queries";
import { useRole } from "../room/role";
import { useOnTape, useTape } from "../tape/tapeState";
import { useDraft } from "../editing/useDraft";

const Head = styled.header`
  .title {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 16px;
    align-items: center;
    justify-content: space-between;
  }
`;

/** One checkout: what it sells, its wording, and the working counter beside it. */
export function CheckoutEditor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure, mayWord } = useRole(code);
  const [params, setParams] = useSearchParams();
  const body = draft.body as unknown as CheckoutBody;
  useOnTape("checkout", view.part.id, draft);
  const { roll } = useTape();
  // What was locked when it was opened; a reason that is being typed locks nobody out.
  const [locked, setLocked] = useState(Boolean(body.locked));
  const screen = (params.get("preview") as Screen | null) ?? undefined;
  const show = (next: Screen | undefined) =>
    setParams(
      (old) => {
        const changed = new URLSearchParams(old);
        if (next) changed.set("preview", next);
        else changed.delete("preview");
        return changed;
      },
      { replace: true },
    );
  return (
    <Body style={screen ? { maxWidth: "none" } : undefined}>
      <Head>
        <div className="title">
          <Title
            label="Name at the desk"
            value={body.name}
            onChange={(value) => draft.edit(withValue(body, "name", value))}
            problem={draft.state.kind === "refused" ? fieldProblem(draft.state.error, "name") : undefined}
            isDisabled={!mayWord || locked}
          />
          <Button
            data-preview=""
            onPress={() => show(screen ? undefined : (roll.snapshot().tapes?.tapes[0]?.screen ?? "phone"))}
          >
            {screen ? "Back to its settings" : "Preview and try it"}
          </Button>
        </div>
        <SaveLine state={draft.state} />
      </Head>
      <SaveTrouble {...draft} />
      {screen ? (
        <Preview
          code={code}
          checkout={view.part.id}
          screen={screen}
          onScreen={show}
          change={view.part.change}
        />
      ) : (
        <>
          {locked ? (
            <Locked reason={body.locked ?? ""} may={mayWord} onOpen={() => setLocked(false)} />
          ) : null}
          <Settings
            code={code}
            view={view}
            draft={draft}
            mayConfigure={mayConfigure && !locked}
            mayWord={mayWord && !locked}
          />
        </>
      )}
    </Body>
  );
}

interface SettingsProps {
  code: string;
  view: Schemas["PartView"];
  draft: ReturnType<typeof useDraft>;
  mayConfigure: boolean;
  mayWord: boolean;
}

function Settings({ code, view, draft, mayConfigure, mayWord }: SettingsProps) {
  const body = draft.body as unknown as CheckoutBody;
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const sold = body.prices ?? [];
  const base = useSite(code).data?.currencies[0] ?? "EUR";
  const set = (name: string, value: unknown) => draft.edit(withValue(body, name, value));
  const problem = (path: string) => fieldProblem(error, path);
  return (
    <>
      <Section aria-labelledby="sells">
        <h2 id="sells">What it sells</h2>
        <Taking body={body} edit={draft.edit} problem={problem} isDisabled={!mayConfigure} />
        {sold.map((price, at) => (
          <Sold key={`${price} ${at}`}>
            <PriceFinder
              code={code}
              label={at === 0 ? "Price" : `${body.choose || body.everyday ? "And" : "Or"} price ${at + 1}`}
              chosen={price}
              saved={view.prices}
              onChange={(next) =>
                set(
                  "prices",
                  sold.map((one, i) => (i === at ? next : one)),
                )
              }
              problem={fieldProblem(error, `prices[${at}]`)}
              isDisabled={!mayConfigure}
            />
            {(sold.length > 1 || body.everyday) && mayConfigure ? (
              <Button
                look="plain"
                onPress={() =>
                  set(
                    "prices",
                    sold.filter((_, i) => i !== at),
                  )
                }
              >
                Take out<span className="hidden"> {price}</span>
              </Button>
            ) : null}
          </Sold>
        ))}
        {mayConfigure ? (
          <AddPrice
            code={code}
            sold={sold}
            words={body.choose || body.everyday ? "Offer another price" : "Let buyers choose another price"}
            onAdd={(price) => set("prices", [...sold, price])}
          />
        ) : null}
      </Section>
      <Section aria-labelledby="wording">
        <h2 id="wording">What the buyer reads</h2>
        <Field
          label="Heading"
          hint="Left empty, the name at the desk stands there."
          value={body.heading ?? ""}
          onChange={(value) => set("heading", value)}
          problem={fieldProblem(error, "heading")}
          isDisabled={!mayWord}
        />
        <Field
          label="Text under the heading"
          lines
          value={body.text ?? ""}
          onChange={(value) => set("text", value)}
          problem={fieldProblem(error, "text")}
          isDisabled={!mayWord}
        />
        <Row>
          <Field
            label="Pay button"
            hint="The amount is written behind it."
            value={body.button ?? "Pay"}
            onChange={(value) => set("button", value)}
            problem={fieldProblem(error, "button")}
            isDisabled={!mayWord}
          />
        </Row>
      </Section>
      <OwnDiscount body={body} set={set} problem={problem} base={base} isDisabled={!mayConfigure} />
      <WaysHere code={code} body={body} set={set} problem={problem} isDisabled={!mayConfigure} />
      <CouponsHere body={body} set={set} problem={problem} isDisabled={!mayConfigure} />
      <Lock body={body} set={set} problem={problem} isDisabled={!mayConfigure} />
      <p>
        <To to={`/s/${code}/on-the-site`}>Put it on the site</To>
      </p>
      {mayConfigure ? (
        <Arrange code={code} kind="checkout" id={view.part.id} to={`/s/${code}/checkouts`} />
      ) : null}
      {mayConfigure ? (
        <ArchivePart code={code} part={view.part} name={body.name} to={`/s/${code}/checkouts`} />
      ) : null}
    </>
  );
}

const Sold = styled.div`
  display: flex;
  gap: 10px;
  align-items: end;
  > div {
    flex: 1;
  }
`;

/** One more price that the buyer may choose. */
function AddPrice({
  code,
  sold,
  words,
  onAdd,
}: {
  code: string;
  sold: string[];
  words: string;
  onAdd: (price: string) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const sought = useDeferredValue(typed?.trim() ?? "");
  const asked = useQuery({ ...prices(code, sought), enabled: typed !== undefined });
  if (typed === undefined) {
    return (
      <div>
        <Button onPress={() => setTyped("")}>{words}</Button>
      </div>
    );
  }
  return (
    <Finder
      label="Another price to choose from"
      atOnce
      found={fitting(
        (asked.data ?? [])
          .filter((one) => !sold.includes(one.price))
          .map((one) => ({ key: one.price, name: one.words, kind: one.price })),
        typed,
        asked.isPlaceholderData,
      )}
      typed={typed}
      onType={setTyped}
      onChoose={(price) => {
        setTyped(undefined);
        onAdd(price);
      }}
      nothing="No price is called that."
    />
  );
}

interface FinderProps {
  code: string;
  label: string;
  chosen: string;
  saved: Schemas["PriceAmounts"][];
  onChange: (price: string) => void;
  problem: string | undefined;
  isDisabled: boolean;
}

/** The price that a checkout sells, found by part of its name. */
function PriceFinder({ code, label, chosen, saved, onChange, problem, isDisabled }: FinderProps) {
  const [typed, setTyped] = useState<string>();
  const sought = useDeferredValue(typed?.trim() ?? "");
  const asked = useQuery(prices(code, sought));
  const known = [...saved, ...(asked.data ?? [])].find((one) => one.price === chosen);
  return (
    <Finder
      label={label}
      found={fitting(
        (asked.data ?? []).map((one) => ({ key: one.price, name: one.words, kind: one.price })),
        typed ?? "",
        asked.isPlaceholderData,
      )}
      typed={typed ?? known?.words ?? chosen}
      onType={setTyped}
      onChoose={(price) => {
        setTyped(undefined);
        onChange(price);
      }}
      nothing="No price is called that."
      problem={problem}
      isDisabled={isDisabled}
    />
  );
}
