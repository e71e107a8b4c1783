import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { refreshStudy, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { FilterField, NothingMatches, useFilter } from "../../controls/Filter";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import { useDraft } from "../../controls/useDraft";
import { count, fixed, fps, ms, readNumber } from "../../format";
import {
  chosen as asChosen,
  byPattern,
  clashes,
  isGuess,
  type Place,
  placeRead,
  RIGHT,
  waits,
} from "./assigning";
import { ColumnMapEditor, problemOfMap } from "./ColumnMapEditor";
import { laneOptions, type Study, testOptions } from "./study";

type Arrival = Schemas["ArrivalOut"];
type ColumnMap = Schemas["ColumnMap"];
type Taken = Schemas["Taken"];

/** Files that are taken in with one request; however many there are, they go in so. */
const BATCH = 40;
/** Rows of files on a page. */
const ROWS = 40;

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
  const columns = edited ?? first?.columns ?? null;
  const mapProblem = columns ? problemOfMap(columns) : "Choose the column that says how long frames took.";
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
      <Preview file={first} columns={mapProblem ? null : columns} problem={mapProblem} />
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
          disabled={!ready.length || !!mapProblem || clash.size > 0 || taking.busy}
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

interface AssigningProps {
  study: Study;
  files: Arrival[];
  placeOf: (file: Arrival) => Place;
  setPlace: (file: Arrival, part: Partial<Place>) => void;
  setAll: (ids: Set<number>, part: (file: Arrival) => Partial<Place>) => void;
  clash: Set<number>;
  refusals: Map<number, Taken["refusal"]>;
  setAside: (ids: number[]) => void;
}

/** Files with their places: filtered, chosen and assigned many at a time, or by a pattern of their names. */
function Assigning({ study, files, placeOf, setPlace, setAll, clash, refusals, setAside }: AssigningProps) {
  const [openOnly, setOpenOnly] = useState(false);
  const [page, setPage] = useState(0);
  const [chosen, setChosen] = useState<Set<number>>(new Set());
  const looked = openOnly
    ? files.filter((file) => waits(placeOf(file)) || clash.has(file.id) || refusals.has(file.id))
    : files;
  const filter = useFilter(looked, (file) => file.name);
  const pages = Math.max(1, Math.ceil(filter.shown.length / ROWS));
  const at = Math.min(page, pages - 1);
  const rows = filter.shown.slice(at * ROWS, (at + 1) * ROWS);
  const many = files.length > 1;
  const picked = new Set(filter.shown.filter((file) => chosen.has(file.id)).map((file) => file.id));
  const pick = (ids: number[], on: boolean) =>
    setChosen((now) => {
      const next = new Set(now);
      for (const id of ids) on ? next.add(id) : next.delete(id);
      return next;
    });
  const guesses = new Set(files.filter((file) => isGuess(placeOf(file))).map((file) => file.id));
  const waiting = files.filter((file) => waits(placeOf(file))).length;
  return (
    <>
      {many && (
        <div className="mb-2 flex flex-wrap items-end gap-x-5 gap-y-2">
          <FilterField label="Filter files" text={filter.text} setText={filter.setText} />
          <Tick
            label={`only what is to be looked at (${waiting})`}
            checked={openOnly}
            onChange={(on) => {
              setOpenOnly(on);
              setPage(0);
            }}
          />
          {guesses.size > 0 && (
            <Button onClick={() => setAll(guesses, () => RIGHT)}>
              {count(guesses.size, "guess is", "guesses are")} right
            </Button>
          )}
          <Pattern study={study} files={files} setAll={setAll} />
        </div>
      )}
      {many && (
        <Bulk
          study={study}
          picked={picked}
          set={(part) => setAll(picked, () => asChosen(part))}
          setAside={() => {
            setAside([...picked]);
            setChosen(new Set());
          }}
        />
      )}
      {rows.length === 0 &&
        (filter.text ? (
          <NothingMatches text={filter.text} what="file" />
        ) : (
          <p role="status" className="py-6 text-mute">
            Nothing is left to be looked at.
          </p>
        ))}
      {rows.length > 0 && (
        <div className="relative overflow-x-auto">
          <table className="w-full min-w-[58rem] border-collapse">
            <thead>
              <tr className="label">
                {many && (
                  <th className="w-8 pb-1">
                    <Tick
                      label="All files shown"
                      quietLabel
                      checked={picked.size > 0 && picked.size === filter.shown.length}
                      onChange={(on) =>
                        pick(
                          filter.shown.map((file) => file.id),
                          on,
                        )
                      }
                    />
                  </th>
                )}
                <th className="pb-1">File</th>
                <th className="w-[12rem] pb-1">Lane</th>
                <th className="w-[23rem] pb-1">Test</th>
                <th className="w-[6rem] pb-1">Pass</th>
                <th className="w-[6.5rem] pb-1">
                  <span className="sr-only">Set aside</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {rows.map((file) => (
                <Row
                  key={file.id}
                  study={study}
                  file={file}
                  place={placeOf(file)}
                  set={(part) => setPlace(file, part)}
                  clashes={clash.has(file.id)}
                  refusal={refusals.get(file.id) ?? file.refusal}
                  setAside={() => setAside([file.id])}
                  {...(many
                    ? { picked: chosen.has(file.id), pick: (on: boolean) => pick([file.id], on) }
                    : {})}
                />
              ))}
            </tbody>
          </table>
        </div>
      )}
      {pages > 1 && (
        <p className="mt-2 flex items-center gap-3 text-[0.93rem]">
          <Button disabled={at === 0} onClick={() => setPage(at - 1)}>
            Before
          </Button>
          <span>
            <span className="figure">
              {at * ROWS + 1} to {Math.min((at + 1) * ROWS, filter.shown.length)}
            </span>{" "}
            of {count(filter.shown.length, "file")}
          </span>
          <Button disabled={at === pages - 1} onClick={() => setPage(at + 1)}>
            After
          </Button>
        </p>
      )}
    </>
  );
}

/** What is done with all files that are ticked. */
function Bulk({
  study,
  picked,
  set,
  setAside,
}: {
  study: Study;
  picked: Set<number>;
  set: (part: Partial<Place>) => void;
  setAside: () => void;
}) {
  if (!picked.size) return null;
  return (
    <fieldset className="mb-2 flex flex-wrap items-center gap-3 bg-mark/50 px-3 py-2">
      <legend className="sr-only">Files ticked</legend>
      <span className="font-semibold">{count(picked.size, "file")} ticked:</span>
      <Select
        label="Lane of all files ticked"
        className="w-52"
        value=""
        placeholder="all into this lane"
        onChange={(lane) => set({ lane })}
        options={laneOptions(study)}
      />
      <Select
        label="Test of all files ticked"
        className="w-80"
        value=""
        placeholder="all into this test"
        onChange={(test) => set({ test })}
        options={testOptions(study)}
      />
      <Button onClick={setAside}>Set them aside</Button>
    </fieldset>
  );
}

/** How names are built, typed once: what it says of each file shows before it is used. */
function Pattern({ study, files, setAll }: Pick<AssigningProps, "study" | "files" | "setAll">) {
  const [open, setOpen] = useState(false);
  const [pattern, setPattern] = useState("");
  const read = useMemo(
    () =>
      new Map(
        files.flatMap((file) => {
          const place = byPattern(pattern, file.name, study);
          return place ? [[file.id, place] as const] : [];
        }),
      ),
    [files, pattern, study],
  );
  if (!open) return <Button onClick={() => setOpen(true)}>By a pattern of the names</Button>;
  const example = files.find((file) => read.has(file.id));
  const place = example && read.get(example.id);
  return (
    <div className="grid w-full gap-1 border-rule border-y py-3">
      <div className="flex flex-wrap items-end gap-3">
        <Field
          label="Names are built as"
          autoFocus
          placeholder="{lane}_{game}_{pass}"
          className="w-96"
          value={pattern}
          onChange={(e) => setPattern(e.target.value)}
        />
        <Button
          kind="main"
          disabled={!read.size}
          onClick={() => {
            setAll(new Set(read.keys()), (file) => asChosen(read.get(file.id) ?? {}));
            setOpen(false);
          }}
        >
          Assign {count(read.size, "file")}
        </Button>
        <Button onClick={() => setOpen(false)}>Cancel</Button>
      </div>
      <p className="text-[0.88rem] text-soft" aria-live="polite">
        {"{lane} {game} {scene} {condition} {pass} stand for what they say, {any} for anything. "}
        {pattern && `It fits ${read.size} of ${files.length} names.`}{" "}
        {example && place && (
          <>
            “{example.name}” is{" "}
            {[
              laneOptions(study).find((one) => one.value === place.lane)?.label,
              testOptions(study).find((one) => one.value === place.test)?.label,
              place.number && `pass ${place.number}`,
            ]
              .filter(Boolean)
              .join(", ")}
            .
          </>
        )}
      </p>
    </div>
  );
}

function Row({
  study,
  file,
  place,
  set,
  clashes,
  refusal,
  setAside,
  picked,
  pick,
}: {
  study: Study;
  file: Arrival;
  place: Place;
  set: (part: Partial<Place>) => void;
  clashes: boolean;
  refusal: Taken["refusal"] | undefined;
  setAside: () => void;
  picked?: boolean;
  pick?: (on: boolean) => void;
}) {
  return (
    <tr className="border-rule border-t">
      {pick && (
        <td className="py-1 align-middle">
          <Tick label={`Tick ${file.name}`} quietLabel checked={picked ?? false} onChange={pick} />
        </td>
      )}
      <td className="py-1 pr-3 align-middle">
        {file.name}
        {refusal && (
          <span role="alert" className="block text-[0.88rem] font-semibold text-accent">
            {refusal.row && `Row ${refusal.row}${refusal.line ? ` (line ${refusal.line})` : ""}: `}
            {refusal.message} <span className="font-normal text-soft">{refusal.hint}</span>
          </span>
        )}
        {clashes && (
          <span className="block text-[0.88rem] font-semibold text-accent">
            Another file has this lane, test and pass.
          </span>
        )}
        {isGuess(place) && (
          <span className="block text-[0.88rem] font-semibold text-accent">
            A guess: the name says it in part only.{" "}
            <Button
              kind="quiet"
              onClick={() => set(RIGHT)}
              aria-label={`The guess for ${file.name} is right`}
            >
              It is right
            </Button>
          </span>
        )}
      </td>
      <td className="py-1 pr-2">
        <Select
          label={`Lane of ${file.name}`}
          value={place.lane}
          wanted={!place.lane}
          onChange={(lane) => set(asChosen({ lane }))}
          options={laneOptions(study)}
          placeholder="which lane?"
        />
      </td>
      <td className="py-1 pr-2">
        <Select
          label={`Test of ${file.name}`}
          value={place.test}
          wanted={!place.test}
          onChange={(test) => set(asChosen({ test }))}
          options={testOptions(study)}
          placeholder="which test?"
        />
      </td>
      <td className="py-1 pr-2">
        <NumberField
          whole
          label={`Pass of ${file.name}`}
          quietLabel
          placeholder="next"
          value={place.number}
          onChange={(number) => set({ number })}
        />
      </td>
      <td className="py-1 text-right align-middle">
        <Button kind="quiet" onClick={setAside} aria-label={`Set aside ${file.name}`}>
          Set aside
        </Button>
      </td>
    </tr>
  );
}

/** What the map makes of the first file: a wrong unit shows at once as an absurd length or rate. */
function Preview({
  file,
  columns,
  problem,
}: {
  file: Arrival;
  columns: ColumnMap | null;
  problem: string | null;
}) {
  const { data: preview, error } = useQuery({
    queryKey: ["preview", file.id, JSON.stringify(columns)],
    enabled: columns !== null,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () =>
      data(
        client.POST("/api/files/{arrival_id}/preview", {
          params: { path: { arrival_id: file.id } },
          body: { columns: columns ?? { map: [], format: "delimited" } },
        }),
      ),
  });
  return (
    <div className="mt-3" aria-live="polite">
      {problem ? (
        <p className="border-accent border-l-4 bg-mark/40 px-4 py-2 font-semibold">{problem}</p>
      ) : error ? (
        <ErrorNotice error={error} />
      ) : (
        preview && (
          <p className="border-ink border-l-4 bg-paper px-4 py-2">
            By this map the file holds{" "}
            <strong className="figure">{preview.frames.toLocaleString("en-GB")}</strong> frames in{" "}
            <strong className="figure">{fixed(preview.duration_s, 1)} s</strong>: average{" "}
            <strong className="figure">{fps(preview.average_fps)} fps</strong>, 1% low{" "}
            <strong className="figure">{fps(preview.low_1_fps)} fps</strong>, slowest frame{" "}
            <strong className="figure">{ms(preview.slowest_ms)} ms</strong>.
            {implausible(preview) && (
              <span className="block font-semibold text-accent">
                That is hardly a game: look at the columns and units again.
              </span>
            )}
          </p>
        )
      )}
      {file.reasons.length > 0 && !file.saved_as && (
        <p className="mt-1 text-[0.86rem] text-mute">{file.reasons.join(" ")}</p>
      )}
    </div>
  );
}

function implausible(preview: Schemas["Preview"]): boolean {
  return preview.average_fps > 2000 || preview.average_fps < 4 || preview.duration_s < 2;
}
