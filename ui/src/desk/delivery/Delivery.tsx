// How goods are sent: zones and their methods, and a tester that says what a parcel costs to an address.
import type { Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Body } from "../../kit/Sheet";
import type { DeliveryBody, ZoneBody } from "../editing/bodies";
import { PartRoom, useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { useSite } from "../queries";
import { TaxRooms } from "../room/StageRooms";
import { Tester } from "./Tester";
import { Zone } from "./Zone";

export const Delivery = () => (
  <PartRoom rooms={<TaxRooms />} name="Delivery" kind="delivery">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

function Editor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const { draft, problem, off } = useSinglePart(code, view);
  const site = useSite(code).data;
  const base = site?.currencies[0] ?? "EUR";
  const zones = (draft.body as DeliveryBody).zones ?? [];
  const store = (next: ZoneBody[]) => draft.edit({ zones: next });
  return (
    <Body>
      <header>
        <h1>Delivery</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <p>
        {zones.length
          ? "A parcel goes by the most specific place that fits: the beginning of a postal code, a region, a country, anywhere. Amounts are as tax is written at your prices."
          : "Nothing is sent yet: goods are collected from you, and taxed at home. Add a zone, and the counter asks for an address and a way."}
      </p>
      {zones.map((zone, i) => (
        <Zone
          key={i}
          zone={zone}
          elsewhere={zones.flatMap((one, j) => (j === i ? [] : one.places))}
          base={base}
          isDisabled={off}
          problem={(path) => problem(`zones[${i}]${path}`)}
          onChange={(next) => store(zones.map((one, j) => (j === i ? next : one)))}
          onRemove={() => store(zones.filter((_, j) => j !== i))}
        />
      ))}
      {off ? null : (
        <div>
          <Button
            onPress={() =>
              store([
                ...zones,
                {
                  name: zones.length ? "Elsewhere" : "At home",
                  places: [zones.length ? "*" : (site?.country ?? "*")],
                  methods: [{ id: "post", name: "Post", amount: { [base]: "5.00" } }],
                },
              ])
            }
          >
            Add a zone
          </Button>
        </div>
      )}
      {zones.length ? (
        <Tester code={code} change={site?.change ?? 0} currencies={site?.currencies ?? [base]} />
      ) : null}
    </Body>
  );
}
