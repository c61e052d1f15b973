// The kit: every component in every state, for whoever adds a sheet.
import { useMemo, useState, type ReactNode } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";

import { Button } from "../kit/Button";
import { Choice } from "../kit/fields/Choice";
import { Confirm } from "../kit/Confirm";
import { Copy } from "../kit/Copy";
import { Country } from "../kit/fields/Country";
import { Empty } from "../kit/Empty";
import { Field } from "../kit/fields/Field";
import { FindableList } from "../kit/fields/FindableList";
import { Finder } from "../kit/fields/Finder";
import { Menu } from "../kit/Menu";
import { Notice } from "../kit/Notice";
import { Picture } from "../kit/Picture";
import { Progress } from "../kit/Progress";
import { Sentence, SlotChoice, SlotMoney } from "../kit/fields/Sentence";
import { Row, Section, SideLink, Table } from "../kit/Sheet";
import { Stamp } from "../kit/Stamp";
import { Outside } from "./room/Outside";
import { StageMark } from "./frame/StageMark";
import { SCHEMES, useScheme } from "./room/scheme";
import { SlotDate } from "../kit/fields/Day";

const Wide = styled.div`
  display: flex;
  flex-direction: column;
  gap: 22px;
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
  }
`;

function Shown({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Section aria-label={title}>
      <h2>{title}</h2>
      {children}
    </Section>
  );
}

const WRONG = "“4,80” is not an amount. Write digits, as in 48.00.";

export default function Kit() {
  const [scheme, setScheme] = useScheme();
  return (
    <Outside>
      <header>
        <h1>The kit</h1>
        <p className="quiet">Every component once, in every state. Screens compose these and restyle none.</p>
      </header>
      <Wide>
        <div style={{ maxWidth: 220 }}>
          <Choice label="Shown" value={scheme} options={SCHEMES} onChange={setScheme} />
        </div>
        <Buttons />
        <Fields />
        <Sentences />
        <Finders />
        <Lists />
        <Words />
        <Marks />
      </Wide>
    </Outside>
  );
}

function Buttons() {
  const [done, setDone] = useState("");
  return (
    <Shown title="Buttons, menus, confirming">
      <div className="line">
        <Button look="main">Main action</Button>
        <Button>Another</Button>
        <Button look="plain">Quiet</Button>
        <Button look="grave">Grave</Button>
        <Button isDisabled>Not now</Button>
        <Button look="main" isPending>
          Under way
        </Button>
      </div>
      <div className="line">
        <Menu
          label="A menu"
          sections={[
            { entries: [{ key: "one", words: "Do one thing" }] },
            { title: "Elsewhere", entries: [{ key: "two", words: "Go there" }] },
          ]}
          onChoose={setDone}
        >
          A menu ▾
        </Menu>
        <Confirm question="It cannot be taken back." sure="Do it" onConfirm={() => setDone("confirmed")}>
          Ask once more
        </Confirm>
        <Copy text="copied from the kit">Copy something</Copy>
        <span role="status">{done}</span>
      </div>
    </Shown>
  );
}

function Fields() {
  const [text, setText] = useState("");
  const [country, setCountry] = useState("NL");
  const [file, setFile] = useState<File>();
  const [kind, setKind] = useState<"goods" | "digital">("goods");
  return (
    <Shown title="Fields">
      <Row>
        <Field
          label="Plain"
          hint="A hint beneath it"
          value={text}
          onChange={setText}
          placeholder="Nothing yet"
        />
        <Field label="Wrong" value="4,80" problem={WRONG} />
        <Field label="Not to be changed" value="fixed" isDisabled />
        <Field label="An amount" amount value="48.00" />
        <Choice
          label="One of a few"
          value={kind}
          options={[
            ["goods", "Goods"],
            ["digital", "Digital"],
          ]}
          onChange={setKind}
        />
        <Country label="A country" value={country} onChange={setCountry} />
      </Row>
      <Field label="Several lines" lines value={"First line\nSecond line"} />
      <Picture label="A picture" file={file} onChange={setFile} />
    </Shown>
  );
}

function Sentences() {
  const [amount, setAmount] = useState("24.00");
  const [every, setEvery] = useState<"month" | "year">("month");
  const [on, setOn] = useState("2026-11-25");
  const wrong = /^\d+(\.\d{1,2})?$/.test(amount) ? undefined : WRONG;
  return (
    <Shown title="Sentences">
      <Sentence problems={[wrong]}>
        Charge{" "}
        <SlotMoney
          label="Amount"
          currency="EUR"
          value={amount}
          onChange={setAmount}
          invalid={Boolean(wrong)}
        />{" "}
        every{" "}
        <SlotChoice
          label="How often"
          value={every}
          options={[
            ["month", "month"],
            ["year", "year"],
          ]}
          onChange={setEvery}
        />
        , from <SlotDate label="From" value={on} onChange={setOn} />.
      </Sentence>
      <Sentence>
        Charge <SlotMoney label="Yen" currency="JPY" value="4000" onChange={() => undefined} isDisabled /> as
        somebody sees it who may not change it.
      </Sentence>
    </Shown>
  );
}

const THINGS = ["Bone folder", "Book cloth", "Bookbinder’s awl", "Linen thread set", "Marbled paper"];

function Finders() {
  const [typed, setTyped] = useState("");
  const found = useMemo(
    () =>
      THINGS.filter((one) => one.toLowerCase().includes(typed.toLowerCase())).map((name) => ({
        key: name,
        name,
        words: "a thing",
      })),
    [typed],
  );
  return (
    <Shown title="Finding one of many">
      <Finder
        label="A thing"
        found={found}
        typed={typed}
        onType={setTyped}
        onChoose={setTyped}
        placeholder="Part of its name"
      />
    </Shown>
  );
}

function Lists() {
  const [search, setSearch] = useState("");
  const fitting = THINGS.filter((one) => one.toLowerCase().includes(search.toLowerCase()));
  return (
    <Shown title="Lists and small tables">
      <div style={{ maxWidth: 260, border: "1px solid var(--hairline)" }}>
        <FindableList
          label="Things"
          find="Find a thing"
          search={search}
          onSearch={setSearch}
          total={fitting.length}
          more={{ load: () => undefined, loading: false }}
        >
          {fitting.map((name) => (
            <li key={name}>
              <SideLink
                as={Link}
                to={`/kit?thing=${encodeURIComponent(name)}`}
                className={name === "Book cloth" ? "active" : "plain"}
              >
                <strong>{name}</strong>
                <span>EUR 12.00 once</span>
              </SideLink>
            </li>
          ))}
        </FindableList>
      </div>
      <Table>
        <thead>
          <tr>
            <th scope="col">Currency</th>
            <th scope="col" className="amount">
              Amount
            </th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <th scope="row">EUR</th>
            <td className="amount">EUR 1048.00</td>
          </tr>
          <tr>
            <th scope="row">JPY</th>
            <td className="amount pencil">JPY 178200</td>
          </tr>
        </tbody>
      </Table>
    </Shown>
  );
}

function Words() {
  return (
    <Shown title="Notices, empty places, progress">
      <Notice title="To know">Something that helps.</Notice>
      <Notice kind="attention" title="To look at" actions={<Button>Look</Button>}>
        Something that should be settled.
      </Notice>
      <Notice kind="error" title="Not saved yet">
        What is wrong, and what to do. What you typed stays here.
      </Notice>
      <Empty title="Nothing here yet" action={<Button look="main">Add the first</Button>}>
        What goes here, and the first step.
      </Empty>
      <Progress label="Trying 400 checkouts" value={62} left="about 8 s left" onStop={() => undefined} />
      <Progress label="Asking the gateway" />
    </Shown>
  );
}

function Marks() {
  return (
    <Shown title="Marks and stamps">
      <div className="line">
        <StageMark state="not_begun" attention={0} /> not begun
        <StageMark state="in_work" attention={0} /> in work
        <StageMark state="ready" attention={0} /> ready
        <StageMark state="attention" attention={3} /> needs attention
        <StageMark state="later" attention={0} /> comes later
        <Stamp />
      </div>
    </Shown>
  );
}
