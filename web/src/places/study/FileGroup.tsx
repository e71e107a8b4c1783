import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { count, fixed, fps, ms, readNumber } from "../../format";
import { ColumnMapEditor, problemOfMap } from "./ColumnMapEditor";
import { laneOptions, type Study, testOptions } from "./study";

type Arrival = Schemas["ArrivalOut"];
type ColumnMap = Schemas["ColumnMap"];

interface Place {
  lane: string;
  test: string;
  number: string;
}

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
  const [places, setPlaces] = useState<Record<number, Place>>({});
  const [saveAs, setSaveAs] = useState("");
  const columns = edited ?? first?.columns ?? null;
  const mapProblem = columns ? problemOfMap(columns) : "Choose the column that says how long frames took.";

  const placeOf = (file: Arrival): Place =>
    places[file.id] ?? {
      lane: file.lane_id === null ? "" : String(file.lane_id),
      test: file.test_id === null ? "" : String(file.test_id),
      number: file.number === null ? "" : String(file.number),
    };
  const setPlace = (file: Arrival, part: Partial<Place>) =>
    setPlaces((now) => ({ ...now, [file.id]: { ...placeOf(file), ...part } }));

  const take = useStudyChange(study.id, (body: Schemas["TakeIn"]) =>
    data(client.POST("/api/studies/{study_id}/take", { params: { path: { study_id: study.id } }, body })),
  );
  const aside = useStudyChange(study.id, (id: number) =>
    data(client.POST("/api/files/{arrival_id}/set-aside", { params: { path: { arrival_id: id } } })),
  );
  const ready = files.filter((file) => placeOf(file).lane && placeOf(file).test);
  const clash = clashes(files.map((file) => [file.id, placeOf(file)]));
  const refusals = new Map(
    (take.data ?? []).filter((one) => one.refusal).map((one) => [one.arrival_id, one.refusal]),
  );

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
    // Once its files are taken this group is gone, and callbacks of a component that is gone are not called.
    take
      .mutateAsync({ columns, assignments, save_as: saveAs })
      .then((done) => onTaken(done.filter((one) => one.pass_id !== null).length))
      .catch(() => undefined);
  };
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
      <div className="relative overflow-x-auto">
        <table className="w-full min-w-[56rem] border-collapse">
          <thead>
            <tr className="label">
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
            {files.map((file) => {
              const place = placeOf(file);
              const refusal = refusals.get(file.id) ?? file.refusal;
              return (
                <tr key={file.id} className="border-rule border-t">
                  <td className="py-1 pr-3 align-middle">
                    {file.name}
                    {refusal && (
                      <span role="alert" className="block text-[0.88rem] font-semibold text-accent">
                        {refusal.row &&
                          `Row ${refusal.row}${refusal.line ? ` (line ${refusal.line})` : ""}: `}
                        {refusal.message} <span className="font-normal text-soft">{refusal.hint}</span>
                      </span>
                    )}
                    {clash.has(file.id) && (
                      <span className="block text-[0.88rem] font-semibold text-accent">
                        Another file has this lane, test and pass.
                      </span>
                    )}
                  </td>
                  <td className="py-1 pr-2">
                    <Select
                      label={`Lane of ${file.name}`}
                      value={place.lane}
                      wanted={!place.lane}
                      onChange={(lane) => setPlace(file, { lane })}
                      options={laneOptions(study)}
                      placeholder="which lane?"
                    />
                  </td>
                  <td className="py-1 pr-2">
                    <Select
                      label={`Test of ${file.name}`}
                      value={place.test}
                      wanted={!place.test}
                      onChange={(test) => setPlace(file, { test })}
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
                      onChange={(text) => setPlace(file, { number: text.replace(/\D/g, "") })}
                    />
                  </td>
                  <td className="py-1 text-right">
                    <Button
                      kind="quiet"
                      onClick={() => aside.mutate(file.id)}
                      aria-label={`Set aside ${file.name}`}
                    >
                      Set aside
                    </Button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <ErrorNotice error={take.error ?? aside.error} />
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
          disabled={!ready.length || !!mapProblem || clash.size > 0 || take.isPending}
          onClick={submit}
        >
          {take.isPending ? "Taking in …" : `Confirm and take in ${count(ready.length, "file")}`}
        </Button>
        {ready.length < files.length && (
          <p className="text-[0.93rem] text-accent">
            {count(files.length - ready.length, "file has", "files have")} no lane or test yet and will wait
            here.
          </p>
        )}
      </div>
    </section>
  );
}

/** Files that would be the same pass. */
export function clashes(places: [number, Place][]): Set<number> {
  const seen = new Map<string, number[]>();
  for (const [id, place] of places) {
    if (place.lane && place.test && place.number) {
      const key = `${place.lane}/${place.test}/${Number(place.number)}`;
      seen.set(key, [...(seen.get(key) ?? []), id]);
    }
  }
  return new Set([...seen.values()].filter((ids) => ids.length > 1).flat());
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
