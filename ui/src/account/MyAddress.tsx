// Whom papers are made out to, and where parcels go, as the customer changes it.
import { useState } from "react";

import { api, data, fieldProblem, Refused, type Schemas } from "../api/client";
import { Filled, useAt, type Common } from "./accountParts";
import { AddressFields, TextField } from "../counter/Fields";
import type { Typed } from "../counter/kept";
import { Aside, PayButton, TextButton } from "../counter/look";

function inOneLine(of: Pick<Schemas["MyParcelTo"], "name" | "address" | "form">): string {
  return [of.name, ...of.form.fields.map((field) => of.address[field.name])].filter(Boolean).join(", ");
}

/** The address of all that is running. */
export function MyAddress({ boot, mine, onChange }: Common) {
  const at = useAt(boot);
  const known = mine.address;
  const [open, setOpen] = useState(false);
  const [name, setName] = useState(known?.name ?? "");
  const [address, setAddress] = useState<Typed["address"]>(known?.address ?? {});
  const [parcel, setParcel] = useState<Typed["address"] & { name?: string }>({
    ...known?.deliver_to?.address,
    name: known?.deliver_to?.name ?? "",
  });
  const [company, setCompany] = useState(known?.company ?? "");
  const [number, setNumber] = useState(known?.tax_number ?? "");
  const [telephone, setTelephone] = useState(known?.telephone ?? "");
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  if (!known) return null;
  const save = async () => {
    setBusy(true);
    setError(undefined);
    try {
      await data(
        api.PUT("/counter/api/account/{code}/address", {
          ...at,
          body: {
            name,
            address,
            deliver_to: known.deliver_to ? { ...parcel, name: parcel.name ?? "" } : null,
            company: company || null,
            tax_number: number || null,
            telephone: telephone || null,
          },
        }),
      );
      setOpen(false);
      await onChange();
    } catch (caught) {
      setError(caught);
    }
    setBusy(false);
  };
  return (
    <section style={{ display: "flex", flexDirection: "column", gap: 12 }}>
      <h2>Address</h2>
      {open ? (
        <Filled onSend={() => void save()}>
          <TextField
            label="Name"
            required
            name="name"
            autoComplete="name"
            value={name}
            problem={fieldProblem(error, "name")}
            onChange={setName}
          />
          {known.business ? (
            <TextField
              label="Company"
              required
              name="company"
              autoComplete="organization"
              value={company}
              problem={fieldProblem(error, "company")}
              onChange={setCompany}
            />
          ) : null}
          <AddressFields
            form={known.form}
            where="address"
            value={address}
            problem={(field) => fieldProblem(error, field)}
            onChange={(part) => setAddress({ ...address, ...part })}
          />
          {known.deliver_to ? (
            <>
              <h3>Where parcels go</h3>
              <TextField
                label="Name"
                required
                name="deliver_to.name"
                autoComplete="shipping name"
                value={parcel.name ?? ""}
                problem={fieldProblem(error, "deliver_to.name")}
                onChange={(to) => setParcel({ ...parcel, name: to })}
              />
              <AddressFields
                form={known.deliver_to.form}
                where="deliver_to"
                value={parcel}
                problem={(field) => fieldProblem(error, field)}
                onChange={(part) => setParcel({ ...parcel, ...part })}
              />
            </>
          ) : null}
          {known.telephone ? (
            <TextField
              label="Telephone, for the carrier"
              required
              name="telephone"
              type="tel"
              autoComplete="tel"
              value={telephone}
              problem={fieldProblem(error, "telephone")}
              onChange={setTelephone}
            />
          ) : null}
          {known.business ? (
            <TextField
              label={known.form.tax_number ?? "Tax number"}
              name="tax_number"
              value={number}
              problem={fieldProblem(error, "tax_number")}
              onChange={setNumber}
            />
          ) : null}
          {error instanceof Refused && !error.problem.errors.length ? (
            <Aside className="wrong" role="alert">
              {error.message}
            </Aside>
          ) : null}
          <PayButton type="submit" aria-disabled={busy}>
            Save the address
          </PayButton>
        </Filled>
      ) : (
        <>
          <p>
            {known.company ? `${known.company}, ` : ""}
            {inOneLine(known)}
            {known.tax_number ? `. ${known.form.tax_number ?? "Tax number"}: ${known.tax_number}` : ""}
          </p>
          {known.deliver_to ? <p>Parcels go to {inOneLine(known.deliver_to)}.</p> : null}
          {known.telephone ? <p>Whoever brings them may call {known.telephone}.</p> : null}
          <p>
            <TextButton type="button" onClick={() => setOpen(true)}>
              Change it
            </TextButton>
          </p>
        </>
      )}
    </section>
  );
}
