import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { refreshStudy, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { ErrorNotice } from "../../controls/Notice";
import { Tick } from "../../controls/Tick";
import { useDraft } from "../../controls/useDraft";
import { count, readNumber } from "../../format";
import type { Study } from "../../model/study";
import { clashes, isGuess, type Place, placeRead, waits } from "./assigning";
import { ColumnMapEditor, problemOfMap } from "./ColumnMapEditor";
import { Assigning } from "./FilePlaces";
import { MapPreview } from "./MapPreview";

type Arrival = Schemas["ArrivalOut"];
type ColumnMap = Schemas["ColumnMap"];
type Taken = Schemas["Taken"];

/** Files that are taken in with one request; however many there are, they go in so. */
const BATCH = 40;
/** Files of one kind: what their columns mean, confirmed once for all, and where each belongs. */
export function FileGroup({
  study,
  files,
  onTaken,
}: {
  study: Study;
  files: Arrival[];
  onTaken: (n: number) => void;
}) {
  const first = files[0];
  const [edited, setEdited] = useState<ColumnMap | null>(null);
  const [places, setPlaces, forget] = useDraft<Record<number, Place>>(
    `assigning.${study.id}.${first?.header_key}`,
    {},
  );
  const [saveAs, setSaveAs] = useState("");
  const [settled, setSettled] = useState(false);
  const columns = edited ?? first?.columns ?? null;
  const mapProblem = columns ? problemOfMap(columns) : "Choose the column that says how long frames took.";
  // Who changed the map has looked; of a map that is known somebody did.
  const asks = (first?.questions.length ?? 0) > 0 && !edited;
  const placeOf = (file: Arrival): Place => places[file.id] ?? placeRead(file);
  const setPlace = (file: Arrival, part: Partial<Place>) =>
    setPlaces((now) => ({ ...now, [file.id]: { ...(now[file.id] ?? placeRead(file)), ...part } }));
  const setAll = (ids: Set<number>, part: (file: Arrival) => Partial<Place>) =>
    setPlaces((now) => {
      const next = { ...now };
      for (const file of files)
        if (ids.has(file.id)) next[file.id] = { ...(now[file.id] ?? placeRead(file)), ...part(file) };
      return next;
    });
  const aside = useStudyChange(study.id, (ids: number[]) =>
    data(
      client.POST("/api/studies/{study_id}/files/set-aside", {
        params: { path: { study_id: study.id } },
        body: { arrival_ids: ids },
      }),
    ),
  );
  const taking = useTaking(study, onTaken);
  const ready = files.filter((file) => !waits(placeOf(file)));
  const guesses = files.filter((file) => isGuess(placeOf(file)));
  const clash = clashes(files.map((file) => [file.id, placeOf(file)]));
  const refusals = new Map(taking.refused.map((one) => [one.arrival_id, one.refusal]));

  if (!first) return null;
  const submit = () => {
    if (!columns) return;
    const assignments = ready.map((file) => {
      const place = placeOf(file);
      return {
        arrival_id: file.id,
        lane_id: Number(place.lane),
        test_id: Number(place.test),
        number: readNumber(place.number),
      };
    });
    // The header is where it stands in each file: files of one logger differ in what is above it.
    const map = edited ? columns : { ...columns, skip_lines: null };
    taking.take(map, assignments, saveAs).then(() => {
      if (assignments.length === files.length) forget();
    });
  };
  const waiting = files.length - ready.length;
  return (
    <section className="sheet mb-8 p-5" aria-label={`Files like ${first.name}`}>
      <div className="mb-3 flex flex-wrap items-baseline justify-between gap-3">
        <h2 className="text-xl font-bold">
          {files.length === 1 ? first.name : `${files.length} files of one kind`}
          {first.saved_as && (
            <span className="ml-2 text-[0.95rem] font-medium text-mute">known as “{first.saved_as}”</span>
          )}
        </h2>
        <p className="text-[0.9rem] text-mute">First rows of {first.name}</p>
      </div>
      <ColumnMapEditor file={first} columns={columns} change={setEdited} />
      <MapPreview file={first} columns={mapProblem ? null : columns} problem={mapProblem} />
      {asks && (
        <div className="mt-3 border-accent border-l-4 px-4 py-2">
          <p className="font-bold">This is not sure:</p>
          {first.questions.map((question) => (
            <p key={question}>{question}</p>
          ))}
          <Tick label="I have looked at it: the map above is right" checked={settled} onChange={setSettled} />
        </div>
      )}
      <h3 className="mt-6 mb-1 text-lg font-bold">Where each file belongs</h3>
      <Assigning
        study={study}
        files={files}
        placeOf={placeOf}
        setPlace={setPlace}
        setAll={setAll}
        clash={clash}
        refusals={refusals}
        setAside={(ids) => aside.mutate(ids)}
      />
      <ErrorNotice error={taking.error ?? aside.error} />
      <div className="mt-4 flex flex-wrap items-end gap-4 border-rule border-t pt-4">
        <Field
          label="Keep this column map as"
          placeholder="name of the logger (may stay empty)"
          value={saveAs}
          onChange={(e) => setSaveAs(e.target.value)}
          className="w-80"
        />
        <Button
          kind="main"
          disabled={!ready.length || !!mapProblem || clash.size > 0 || taking.busy || (asks && !settled)}
          onClick={submit}
        >
          {taking.busy
            ? `Taking in ${taking.done} of ${taking.total} …`
            : `Confirm and take in ${count(ready.length, "file")}`}
        </Button>
        {waiting > 0 && (
          <p role="status" className="max-w-md text-[0.93rem] text-accent">
            {count(waiting, "file waits", "files wait")}:{" "}
            {guesses.length > 0 && `${guesses.length} named in part only, `}
            {waiting - guesses.length > 0 ? "without a lane or a test" : "say whether they are right"}. They
            stay here, as they are assigned, until you come back.
          </p>
        )}
      </div>
    </section>
  );
}

/** Taking files in, batch after batch: each file's fate is kept, and what is done stays done where one fails. */
function useTaking(study: Study, onTaken: (n: number) => void) {
  const queries = useQueryClient();
  const [state, setState] = useState({ done: 0, total: 0, busy: false });
  const [refused, setRefused] = useState<Taken[]>([]);
  const [error, setError] = useState<unknown>(null);
  const take = async (columns: ColumnMap, assignments: Schemas["Assignment"][], saveAs: string) => {
    setError(null);
    setRefused([]);
    setState({ done: 0, total: assignments.length, busy: true });
    let recorded = 0;
    try {
      for (let from = 0; from < assignments.length; from += BATCH) {
        const body = { columns, assignments: assignments.slice(from, from + BATCH), save_as: saveAs };
        const fates = await data(
          client.POST("/api/studies/{study_id}/take", { params: { path: { study_id: study.id } }, body }),
        );
        recorded += fates.filter((one) => one.pass_id !== null).length;
        setRefused((now) => [...now, ...fates.filter((one) => one.refusal)]);
        setState((now) => ({ ...now, done: Math.min(from + BATCH, assignments.length) }));
      }
    } catch (failed) {
      setError(failed);
    } finally {
      // Told before the files are asked for anew: once its files are taken this group is gone.
      if (recorded) onTaken(recorded);
      setState((now) => ({ ...now, busy: false }));
      await refreshStudy(queries, study.id);
    }
  };
  return { take, refused, error, ...state };
}
