import type { Schemas } from "../../api/client";
import { Field } from "../../controls/Field";
import { NumberField } from "../../controls/NumberField";
import { readNumber } from "../../format";

export interface HouseDraft {
  name: string;
  time_zone: string;
  currency: string;
  price_per_kwh: string;
  second_factor: boolean;
}

/** A house nobody described yet: the browser's own time zone is likely the bench's. */
export const NEW_HOUSE: HouseDraft = {
  name: "",
  time_zone: Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC",
  currency: "",
  price_per_kwh: "",
  second_factor: false,
};

export const draftOf = (house: Schemas["HouseOut"]): HouseDraft => ({
  name: house.name,
  time_zone: house.time_zone || NEW_HOUSE.time_zone,
  currency: house.currency,
  price_per_kwh: house.price_per_kwh === null ? "" : String(house.price_per_kwh),
  second_factor: house.second_factor,
});

export function bodyOf(draft: HouseDraft): Schemas["HouseIn"] {
  const price = draft.price_per_kwh.trim();
  return { ...draft, price_per_kwh: price === "" ? null : (readNumber(price) ?? Number.NaN) };
}

/** Whose Rennbahn it is: name, time zone of the bench, money. */
export function HouseFields({ draft, set }: { draft: HouseDraft; set: (part: Partial<HouseDraft>) => void }) {
  return (
    <div className="grid gap-3 sm:grid-cols-2">
      <Field
        label="Name of the magazine or house"
        className="sm:col-span-2"
        required
        value={draft.name}
        onChange={(e) => set({ name: e.target.value })}
      />
      <Field
        label="Time zone of the bench"
        required
        suggestions={Intl.supportedValuesOf("timeZone")}
        value={draft.time_zone}
        onChange={(e) => set({ time_zone: e.target.value })}
      />
      <Field
        label="Currency"
        hint="Three letters; may stay empty."
        maxLength={3}
        value={draft.currency}
        onChange={(e) => set({ currency: e.target.value })}
      />
      <NumberField
        label="Price of a kilowatt-hour"
        hint="May stay empty."
        value={draft.price_per_kwh}
        onChange={(text) => set({ price_per_kwh: text })}
      />
    </div>
  );
}
