import { useMemo, useState } from "react";
import type { Schemas } from "../../api/client";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { FilterField, NothingMatches, useFilter } from "../../controls/Filter";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Tick } from "../../controls/Tick";
import { count } from "../../format";
import { laneOptions, type Study, testOptions } from "../../model/study";
import { chosen as asChosen, byPattern, isGuess, type Place, RIGHT, waits } from "./assigning";

type Arrival = Schemas["ArrivalOut"];
type Taken = Schemas["Taken"];

/** Rows of files on a page. */
const ROWS = 40;

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
export function Assigning({
  study,
  files,
  placeOf,
  setPlace,
  setAll,
  clash,
  refusals,
  setAside,
}: AssigningProps) {
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
        {file.also_in && (
          <span className="block text-[0.88rem] text-soft">“{file.also_in}” has the same file.</span>
        )}
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
