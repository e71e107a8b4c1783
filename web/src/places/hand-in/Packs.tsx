import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { refreshStudy } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { count, moment, size } from "../../format";

type Pack = Schemas["PackOut"];

const key = (study: number) => ["study", study, "packs"];

export const usePacks = (study: number) =>
  useQuery({
    queryKey: key(study),
    queryFn: () =>
      data(client.GET("/api/studies/{study_id}/packs", { params: { path: { study_id: study } } })),
    // The worker takes them in; the page follows.
    refetchInterval: ({ state }) =>
      state.data?.some((pack) => pack.state === "running" || pack.state === "arriving") ? 1_000 : false,
  });

/** So many of those that are through are shown at once. */
const RECENT = 3;

/** Folders and zips that the worker takes in: how far each has come, and what became of every file. */
export function Packs({ study }: { study: number }) {
  const { data: packs } = usePacks(study);
  const queries = useQueryClient();
  const [shown, setShown] = useState<Pack | null>(null);
  const done = packs?.reduce((sum, pack) => sum + pack.files - pack.waiting, 0) ?? 0;
  useEffect(() => {
    if (done) void queries.invalidateQueries({ queryKey: ["study", study, "files"] });
  }, [done, queries, study]);
  const drop = useMutation({
    mutationFn: (id: number) =>
      data(client.DELETE("/api/packs/{pack_id}", { params: { path: { pack_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: key(study) }),
  });
  const turn = useMutation({
    mutationFn: ({ id, what }: { id: number; what: "cancel" | "resume" }) =>
      data(client.POST(`/api/packs/{pack_id}/${what}`, { params: { path: { pack_id: id } } })),
    onSuccess: () =>
      Promise.all([queries.invalidateQueries({ queryKey: key(study) }), refreshStudy(queries, study)]),
  });
  const [all, setAll] = useState(false);
  if (!packs?.length) return null;
  const recent = packs.filter((pack, at) => at < RECENT || pack.state !== "done");
  return (
    <section aria-label="Packs" className="mb-5 grid gap-3">
      {(all ? packs : recent).map((pack) => (
        <div key={pack.id} className="sheet grid gap-2 px-5 py-3">
          <p className="flex flex-wrap items-baseline gap-x-4">
            <b>{pack.name}</b>
            <span className="text-soft">
              {size(pack.size)}, {moment(pack.made_at)}, {pack.by}
            </span>
            <span role="status" className="ml-auto">
              {wordsOf(pack)}
            </span>
          </p>
          {(pack.state === "running" || pack.state === "cancelled") && (
            <progress
              className="h-2 w-full"
              aria-label={`How far ${pack.name} has come`}
              max={pack.files}
              value={pack.files - pack.waiting}
            />
          )}
          <p className="flex gap-3">
            {pack.state === "running" && (
              <Button onClick={() => turn.mutate({ id: pack.id, what: "cancel" })}>Cancel</Button>
            )}
            {pack.state === "cancelled" && (
              <Button kind="main" onClick={() => turn.mutate({ id: pack.id, what: "resume" })}>
                Resume
              </Button>
            )}
            {pack.state === "arriving" ? (
              <Button onClick={() => drop.mutate(pack.id)}>Throw away</Button>
            ) : (
              <Button kind="quiet" onClick={() => setShown(pack)}>
                File by file
              </Button>
            )}
          </p>
        </div>
      ))}
      {!all && recent.length < packs.length && (
        <p>
          <Button kind="quiet" onClick={() => setAll(true)}>
            {count(packs.length - recent.length, "earlier pack")}
          </Button>
        </p>
      )}
      <ErrorNotice error={turn.error ?? drop.error} />
      <Dialog open={shown !== null} onOpenChange={() => setShown(null)} title={shown?.name ?? ""} wide>
        {shown && <Fates pack={shown.id} />}
        <p className="mt-4">
          <Button onClick={() => setShown(null)}>Close</Button>
        </p>
      </Dialog>
    </section>
  );
}

/** How far a pack has come, in words. */
export function wordsOf(pack: Pack): string {
  const parts = [
    pack.state === "arriving" && `being sent, ${size(pack.size)} so far`,
    pack.state === "cancelled" && "cancelled",
    pack.behind && `waits behind ${pack.behind}`,
    pack.waiting > 0 && `${pack.files - pack.waiting} of ${count(pack.files, "file")}`,
    pack.taken > 0 && `${count(pack.taken, "pass", "passes")} recorded`,
    pack.kept > 0 &&
      (pack.state === "running"
        ? `${pack.kept} will have to be placed`
        : `${pack.kept} ${pack.kept === 1 ? "waits" : "wait"} below`),
    pack.known > 0 && `${pack.known} there already`,
    pack.refused > 0 && `${pack.refused} refused`,
    pack.elsewhere > 0 && `${pack.elsewhere} in another study too`,
  ];
  return parts.filter(Boolean).join(", ");
}

const STATES: Record<string, string> = {
  waiting: "waits its turn",
  taken: "a pass",
  kept: "waits for a place",
  known: "there already",
  refused: "refused",
};

function Fates({ pack }: { pack: number }) {
  const { data: found, error } = useQuery({
    queryKey: ["pack", pack],
    queryFn: () => data(client.GET("/api/packs/{pack_id}", { params: { path: { pack_id: pack } } })),
  });
  if (error) return <ErrorNotice error={error} />;
  if (!found) return <Loading what="the files" />;
  return (
    <table className="w-full border-collapse">
      <thead>
        <tr className="label">
          <th className="py-1 pr-4">File</th>
          <th className="py-1 pr-4">Became</th>
          <th className="py-1">Why</th>
        </tr>
      </thead>
      <tbody>
        {found.entries.map((entry) => (
          <tr key={entry.name} className="border-rule border-t">
            <td className="py-1 pr-4">{entry.name}</td>
            <td className={`py-1 pr-4 ${entry.state === "refused" ? "font-bold text-accent" : ""}`}>
              {STATES[entry.state]}
            </td>
            <td className="py-1 text-soft">
              {entry.state === "taken" ? "" : entry.words}
              {entry.also_in && <span className="block">“{entry.also_in}” has the same file.</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
