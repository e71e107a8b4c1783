import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data } from "../../api/client";
import { useSession, useStudyChange } from "../../api/queries";
import { Dialog } from "../../controls/Dialog";
import { FormEnd } from "../../controls/FormEnd";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { Tick } from "../../controls/Tick";
import type { Study } from "../../model/study";

/** Whom a study is kept to until it is published: everybody, or those who are ticked and the lead who says so. */
export function KeptTo({ study, close }: { study: Study; close: () => void }) {
  const { data: session } = useSession();
  const people = useQuery({ queryKey: ["people"], queryFn: async () => data(client.GET("/api/people")) });
  const [kept, setKept] = useState(study.kept);
  const [names, setNames] = useState<string[]>(study.kept_to ?? []);
  const keep = useStudyChange(study.id, (given: string[] | null) =>
    data(
      client.PUT("/api/studies/{study_id}/kept", {
        params: { path: { study_id: study.id } },
        body: { names: given },
      }),
    ),
  );
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    await keep.mutateAsync(kept ? names : null);
    close();
  };
  const others =
    people.data?.people.filter((person) => person.name !== session?.name && !person.closed) ?? [];
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title="Who sees this study"
      description="For everybody else there is no such study: on the desk, in searches, exports and the API. Parts and setups on the bench are seen by all."
    >
      <form onSubmit={(event) => submit(event).catch(() => undefined)} className="grid gap-4">
        <Tick label="Keep it to some, until it is published" checked={kept} onChange={setKept} />
        <ErrorNotice error={people.error} />
        {kept && !people.data && !people.error && <Loading what="the people" />}
        {kept && people.data && (
          <fieldset className="grid gap-1.5 sm:grid-cols-2">
            <legend className="label mb-1">Beside you</legend>
            {others.map((person) => (
              <Tick
                key={person.name}
                label={`${person.name}, ${person.role}`}
                checked={names.includes(person.name)}
                onChange={(on) =>
                  setNames((now) => (on ? [...now, person.name] : now.filter((one) => one !== person.name)))
                }
              />
            ))}
            {!others.length && <p className="text-mute">Nobody else works here yet.</p>}
          </fieldset>
        )}
        <FormEnd error={keep.error} leave={close} disabled={keep.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
