// The fields of the checkout, with their labels above and what is wrong beneath.
import { useId, type ReactNode } from "react";

import type { Schemas } from "../api/client";
import type { Counter } from "./boot";
import type { AddressForm } from "./forms";
import type { Address, ParcelTo } from "./kept";
import { Group, WayList } from "./Group";
import { Framed } from "./look";

interface FieldProps {
  label: string;
  name: string;
  value: string;
  problem: string | undefined;
  onChange: (value: string) => void;
  type?: string;
  autoComplete?: string;
  /** What cannot be left blank; anything else says that it is for whoever likes. */
  required?: boolean;
  about?: string | undefined;
  onLeave?: () => void;
}

/** A label above, what is wrong or worth knowing beneath; `children` is given what ties them together. */
function Labelled({
  label,
  problem,
  about,
  children,
}: {
  label: ReactNode;
  problem: string | undefined;
  about: string | undefined;
  children: (tied: {
    id: string;
    "aria-invalid": boolean;
    "aria-describedby": string | undefined;
  }) => ReactNode;
}) {
  const id = useId();
  const told = problem ?? about;
  return (
    <Framed>
      <label htmlFor={id}>{label}</label>
      {children({
        id,
        "aria-invalid": Boolean(problem),
        "aria-describedby": told ? `${id}-about` : undefined,
      })}
      {told ? (
        <span className={problem ? "problem" : "lead"} id={`${id}-about`}>
          {told}
        </span>
      ) : null}
    </Framed>
  );
}

export function TextField({
  label,
  name,
  value,
  problem,
  onChange,
  type = "text",
  autoComplete,
  required = false,
  about,
  onLeave,
}: FieldProps) {
  const words = required ? (
    label
  ) : (
    <>
      {label}
      <span className="soft"> (if you like)</span>
    </>
  );
  return (
    <Labelled label={words} problem={problem} about={about}>
      {(tied) => (
        <input
          {...tied}
          name={name}
          type={type}
          autoComplete={autoComplete}
          value={value}
          required={required}
          onChange={(event) => onChange(event.target.value)}
          onBlur={onLeave}
        />
      )}
    </Labelled>
  );
}

interface ChoiceProps {
  label: string;
  name: string;
  value: string;
  options: readonly (readonly [string, string])[];
  problem: string | undefined;
  onChange: (value: string) => void;
  autoComplete?: string;
  about?: string | undefined;
  empty?: string;
}

export function ChoiceField({
  label,
  name,
  value,
  options,
  problem,
  onChange,
  autoComplete,
  about,
  empty,
}: ChoiceProps) {
  return (
    <Labelled label={label} problem={problem} about={about}>
      {(tied) => (
        <select
          {...tied}
          name={name}
          autoComplete={autoComplete}
          value={value}
          onChange={(event) => onChange(event.target.value)}
        >
          {empty !== undefined ? <option value="">{empty}</option> : null}
          {options.map(([code, words]) => (
            <option key={code} value={code}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Labelled>
  );
}

export function CountryField({
  countries,
  name = "country",
  value,
  problem,
  about,
  onChange,
}: {
  countries: Counter["countries"];
  name?: string;
  value: string;
  problem: string | undefined;
  about?: string | undefined;
  onChange: (value: string) => void;
}) {
  return (
    <ChoiceField
      label="Country"
      name={name}
      autoComplete="country"
      value={value}
      options={countries.map((one) => [one.code, one.name] as const)}
      problem={problem}
      about={about}
      onChange={onChange}
    />
  );
}

/** An address as its country writes it; `only` leaves out what need not be known. */
export function AddressFields({
  form,
  where,
  value,
  only,
  problem,
  onChange,
}: {
  form: AddressForm;
  where: "address" | "deliver_to";
  value: Address;
  only?: readonly string[];
  problem: (field: string) => string | undefined;
  onChange: (part: Partial<Address>) => void;
}) {
  const group = where === "deliver_to" ? "shipping" : "billing";
  return (
    <>
      {form.fields
        .filter((field) => !only || only.includes(field.name))
        .map((field) => {
          const key = field.name as keyof Address;
          const common = {
            label: field.label,
            name: `${where}.${field.name}`,
            value: value[key] ?? "",
            problem: problem(`${where}.${field.name}`),
            autoComplete: `${group} ${field.autocomplete === "street-address" ? "address-line1" : field.autocomplete}`,
            onChange: (text: string) => onChange({ [key]: text }),
          };
          return field.choices.length ? (
            <ChoiceField
              key={field.name}
              {...common}
              options={field.choices.map((one) => [one.code, one.name] as const)}
              empty="Choose …"
            />
          ) : (
            <TextField
              key={field.name}
              {...common}
              required={field.required || Boolean(only)}
              about={field.example ? `As in ${field.example}` : undefined}
            />
          );
        })}
    </>
  );
}

/** The ways of delivery, each with what it costs. */
export function Ways({
  ways,
  way,
  currency,
  onChange,
}: {
  ways: Schemas["WayView"][];
  way: string | null;
  currency: (amount: string) => string;
  onChange: (way: string) => void;
}) {
  return (
    <Group>
      <legend>How it comes to you</legend>
      <WayList>
        {ways.map((one) => (
          <label key={one.id}>
            <input type="radio" name="delivery" checked={one.id === way} onChange={() => onChange(one.id)} />
            <span>
              <span className="name">{one.name}</span>
              <br />
              <span className="words">{/^0(\.0+)?$/.test(one.amount) ? "free" : currency(one.amount)}</span>
            </span>
          </label>
        ))}
      </WayList>
    </Group>
  );
}

export const emptyParcel = (country: string): ParcelTo => ({ name: "", country });
