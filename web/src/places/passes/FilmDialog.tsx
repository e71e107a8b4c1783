import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useMay } from "../../api/queries";
import type { Stretch } from "../../charts/TraceChart";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { Dialog } from "../../controls/Dialog";
import { Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { ErrorNotice } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { fixed, size } from "../../format";
import type { Study } from "../../model/study";
import type { DrawnTrace } from "./traceView";

type Film = Schemas["FilmOut"];
type Asked = Schemas["FilmIn"];

const RATES: readonly Asked["rate"][] = [25, 30, 50, 60];
const NONE = "none";
/** While one is being made, it is asked so often how far it is. */
const ASKS_MS = 1_000;

interface OfTest {
  study: Study;
  test: number;
  traces: readonly DrawnTrace[];
  /** The pass in question, and what of it is looked at. */
  chosen: number | null;
  stretch: Stretch | null;
  close: () => void;
}

/** A pass or two as a film strip with a clear ground, to be laid over footage; and those that were made. */
export function FilmDialog(of: OfTest) {
  const tester = useMay("tester");
  const films = useFilms(of.study.id, of.test);
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && of.close()}
      title="Film strip"
      description="Rate, longest frame, stutters and frame times of a pass in its own time, on a clear ground: laid over footage, no counter need run while playing."
    >
      {tester && <Ask {...of} />}
      <ErrorNotice error={films.error} />
      {films.data && films.data.length > 0 && (
        <section aria-label="Film strips of this test" className={tester ? "mt-5" : ""}>
          <h3 className="label mb-1">Of this test</h3>
          <ul className="grid gap-2">
            {films.data.map((film) => (
              <Made key={film.id} film={film} mine={tester} />
            ))}
          </ul>
          <p className="mt-2 text-[0.86rem] text-mute">Each is kept for a week.</p>
        </section>
      )}
      {films.data?.length === 0 && !tester && <p className="text-soft">None was made of this test.</p>}
    </Dialog>
  );
}

/** What is asked for: who, how much of it, and how it is to look. */
function Ask({ study, test, traces, chosen, stretch, close }: OfTest) {
  const queries = useQueryClient();
  const first = traces.find((one) => one.key === chosen) ?? traces[0];
  const [upper, setUpper] = useState(String(first?.key ?? ""));
  const [lower, setLower] = useState(NONE);
  const [rate, setRate] = useState<Asked["rate"]>(60);
  const [letters, setLetters] = useState<"light" | "dark">("light");
  const options = traces.map((one) => ({ value: String(one.key), label: one.label }));
  const ask = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/studies/{study_id}/films", {
          params: { path: { study_id: study.id } },
          body: {
            test_id: test,
            passes: [upper, lower].flatMap((key) =>
              traces
                .filter((one) => String(one.key) === key)
                .map((one) => ({ pass_id: one.key, offset_s: one.offsetS })),
            ),
            rate,
            letters,
            ...(stretch && { from_s: stretch.from, to_s: stretch.to }),
          },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["films", test] }),
  });
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        ask.mutate();
      }}
    >
      <div className="grid gap-3 sm:grid-cols-2">
        <Labelled label="Above">
          <Select label="Above" value={upper} onChange={setUpper} options={options} />
        </Labelled>
        <Labelled label="Beneath">
          <Select
            label="Beneath"
            value={lower}
            onChange={setLower}
            options={[{ value: NONE, label: "Nothing" }, ...options.filter((one) => one.value !== upper)]}
          />
        </Labelled>
      </div>
      <div className="grid justify-items-start gap-1">
        <span className="label">Pictures a second</span>
        <Choice
          label="Pictures a second"
          value={String(rate)}
          onChange={(next) => setRate(Number(next) as Asked["rate"])}
          options={RATES.map((one) => ({ value: String(one), label: String(one) }))}
        />
      </div>
      <div className="grid justify-items-start gap-1">
        <span className="label">Letters</span>
        <Choice
          label="Letters"
          value={letters}
          onChange={setLetters}
          options={[
            { value: "light", label: "Light, over dark footage" },
            { value: "dark", label: "Dark, over light footage" },
          ]}
        />
      </div>
      <p className="text-[0.9rem] text-soft">
        {stretch
          ? `What is looked at: ${fixed(stretch.from, 1)} to ${fixed(stretch.to, 1)} s.`
          : "The whole pass; look closer at the trace first to choose a stretch."}
      </p>
      <FormEnd
        error={ask.error}
        leave={close}
        leaveLabel="Close"
        does="Make"
        disabled={!upper || ask.isPending}
      />
    </form>
  );
}

/** A film strip: how far it is, then the file. */
function Made({ film, mine }: { film: Film; mine: boolean }) {
  const queries = useQueryClient();
  const gone = useMutation({
    mutationFn: () => data(client.DELETE("/api/films/{film_id}", { params: { path: { film_id: film.id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["films", film.test_id] }),
  });
  return (
    <li className="sheet grid gap-1 p-3">
      <p className="font-semibold">{film.said}</p>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-[0.9rem]">
        <span className="text-soft">
          {film.rate} pictures a second, {film.letters} letters
        </span>
        <Standing film={film} />
        {mine && (
          <Button
            kind="quiet"
            aria-label={`Throw away ${film.said}`}
            disabled={gone.isPending}
            onClick={() => gone.mutate()}
          >
            Throw away
          </Button>
        )}
      </div>
      <ErrorNotice error={gone.error} />
    </li>
  );
}

function Standing({ film }: { film: Film }) {
  if (film.state === "ready")
    return (
      <a className="font-semibold" href={`/api/films/${film.id}/file`} download>
        Take it along, {size(film.size)}
      </a>
    );
  if (film.state === "failed") return <span className="text-accent">Not made. {film.words}</span>;
  if (film.state === "waiting") return <span className="text-mute">Waits for its turn …</span>;
  return (
    <span className="flex items-center gap-2 text-mute">
      <progress
        className="h-2 w-32"
        aria-label={`Making ${film.said}`}
        value={film.done}
        max={film.pictures}
      />
      {film.done} of {film.pictures} pictures
    </span>
  );
}

function useFilms(study: number, test: number) {
  return useQuery({
    queryKey: ["films", test],
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/tests/{test_id}/films", {
          params: { path: { study_id: study, test_id: test } },
        }),
      ),
    refetchInterval: ({ state }) =>
      state.data?.some((one) => one.state === "waiting" || one.state === "running") ? ASKS_MS : false,
  });
}
