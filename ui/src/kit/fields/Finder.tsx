// Finding one of many by typing part of its name: prices, countries, and anything at all in the jump box.
import { useEffect, useRef, type ReactNode, type Ref } from "react";
import { ComboBox, Input, Label, ListBox, ListBoxItem, Popover, Text } from "react-aria-components";
import { styled } from "styled-components";

const Framed = styled(ComboBox)`
  display: flex;
  flex-direction: column;
  gap: 4px;
  min-width: 0;
  label {
    font-size: 14px;
    font-weight: 600;
  }
  input {
    width: 100%;
    min-height: 36px;
    padding: 6px 10px;
    border-radius: var(--corner);
    border: 1px solid var(--edge);
    background: var(--tape);
    color: var(--ink);
  }
  ::placeholder {
    color: var(--pencil);
    opacity: 1;
  }
  input[data-disabled] {
    background: var(--sheet);
    border-color: var(--hairline);
  }
  input[data-focused] {
    outline: 2px solid var(--verdigris);
    border-color: var(--verdigris);
  }
  .problem {
    font-size: 13px;
    color: var(--madder);
  }
` as typeof ComboBox;

const Sheeted = styled(Popover)`
  min-width: max(var(--trigger-width), 260px);
  max-width: 460px;
  background: var(--tape);
  border: 1px solid var(--edge);
  border-radius: var(--corner);
  box-shadow: 0 6px 22px var(--shade);
  /* The list never reaches over its field: it is as high as there is room beside that, and scrolls within. */
  display: flex;
  flex-direction: column;
  overflow: hidden;
  [role="listbox"] {
    min-height: 0;
    max-height: 320px;
    overflow: auto;
    outline: none;
  }
  .empty {
    padding: 10px 12px;
    color: var(--pencil);
    font-size: 14px;
  }
`;

const Entry = styled(ListBoxItem)`
  padding: 6px 12px;
  cursor: pointer;
  outline: none;
  border-left: 3px solid transparent;
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 14px;
  strong {
    font-weight: 600;
    overflow-wrap: anywhere;
  }
  [slot="description"] {
    grid-column: 1 / -1;
    font-size: 13.5px;
    color: var(--pencil);
  }
  .kind {
    font-size: 12.5px;
    color: var(--pencil);
  }
  &[data-focused] {
    background: var(--wash);
    border-left-color: var(--verdigris);
  }
`;

export interface Choosable {
  key: string;
  name: string;
  words?: string;
  kind?: string;
}

/** While the answer for what is typed is under way, of the last one only what fits: Enter never takes another. */
export function fitting(found: Choosable[], typed: string, stale: boolean): Choosable[] {
  if (!stale) return found;
  const low = typed.trim().toLowerCase();
  return found.filter((one) => `${one.name} ${one.kind ?? ""}`.toLowerCase().includes(low));
}

interface Props {
  label: string;
  bare?: boolean;
  found: readonly Choosable[];
  /** What is typed; whoever holds it finds what fits. */
  typed: string;
  onType: (text: string) => void;
  onChoose: (key: string) => void;
  /** The field is left, or Enter pressed without a choice: what was typed counts, or does not. */
  onLeave?: () => void;
  placeholder?: string;
  nothing?: string;
  problem?: string | undefined;
  isDisabled?: boolean;
  inputRef?: Ref<HTMLInputElement>;
  /** It came up because somebody wants to choose: it takes the focus, well inside the view, and shows its list. */
  atOnce?: boolean;
  after?: ReactNode;
}

/** A field with a list beneath it of what fits; arrows and Enter choose, Escape leaves. */
export function Finder({
  label,
  bare,
  found,
  typed,
  onType,
  onChoose,
  onLeave,
  placeholder,
  nothing = "Nothing is called that.",
  problem,
  isDisabled = false,
  inputRef,
  atOnce = false,
  after,
}: Props) {
  const own = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (!atOnce) return;
    // The list closes when its field is scrolled, so the scrolling comes first.
    own.current?.scrollIntoView({ block: "center" });
    own.current?.focus({ preventScroll: true });
  }, [atOnce]);
  return (
    <Framed
      aria-label={bare ? label : undefined}
      items={found}
      inputValue={typed}
      onInputChange={onType}
      value={null}
      onChange={(key) => {
        if (key !== null) onChoose(String(key));
      }}
      allowsEmptyCollection
      allowsCustomValue
      menuTrigger="focus"
      isInvalid={Boolean(problem)}
      isDisabled={isDisabled}
      validationBehavior="aria"
    >
      {bare ? null : <Label>{label}</Label>}
      <Input
        ref={inputRef ?? own}
        placeholder={placeholder}
        autoComplete="off"
        spellCheck={false}
        onBlur={onLeave}
        onKeyDownCapture={(event) => {
          if (event.key === "Enter" && !event.currentTarget.getAttribute("aria-activedescendant"))
            onLeave?.();
        }}
        onFocus={(event) => {
          const field = event.currentTarget;
          if (onLeave) requestAnimationFrame(() => field.select());
        }}
      />
      {after}
      {problem ? <p className="problem">{problem}</p> : null}
      <Sheeted offset={4}>
        <ListBox<Choosable> renderEmptyState={() => <div className="empty">{nothing}</div>}>
          {(one) => (
            <Entry id={one.key} textValue={one.name}>
              <strong>
                <Text slot="label">{one.name}</Text>
              </strong>
              {one.kind ? <span className="kind">{one.kind}</span> : null}
              {one.words ? <Text slot="description">{one.words}</Text> : null}
            </Entry>
          )}
        </ListBox>
      </Sheeted>
    </Framed>
  );
}
