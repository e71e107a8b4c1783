import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useHouse } from "../../api/queries";
import { Button } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";
import { Tick } from "../../controls/Tick";
import { useReplaced } from "./accounts";
import { bodyOf, draftOf, HouseFields } from "./HouseFields";

/** Whose Rennbahn this is; leads change it. */
export function House() {
  const { data: house } = useHouse();
  return house ? <HouseForm key={house.name} house={house} /> : null;
}

function HouseForm({ house }: { house: Schemas["HouseOut"] }) {
  const [draft, setDraft] = useState(() => draftOf(house));
  const set = (part: Partial<typeof draft>) => setDraft((now) => ({ ...now, ...part }));
  const keep = useReplaced("house", async () => data(client.PUT("/api/house", { body: bodyOf(draft) })));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    keep.mutate(undefined);
  };
  return (
    <section className="mb-10 max-w-[46rem]">
      <h2 className="mb-2 text-xl font-bold">The house</h2>
      <form onSubmit={submit} className="grid gap-3">
        <HouseFields draft={draft} set={set} />
        <Tick
          label="Everybody needs a second factor to sign in"
          checked={draft.second_factor}
          onChange={(on) => set({ second_factor: on })}
        />
        <ErrorNotice error={keep.error} />
        <div className="flex items-center gap-3">
          <Button type="submit" disabled={keep.isPending}>
            Keep the house
          </Button>
          {keep.isSuccess && <span role="status">It is kept.</span>}
        </div>
      </form>
    </section>
  );
}
