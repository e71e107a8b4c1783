import { useState } from "react";
import type { Schemas } from "../../api/client";
import { type Looking, useLimits } from "../../api/queries";
import { ExportMenu } from "../../charts/ExportMenu";
import type { Drawn } from "../../charts/kinds/Frame";
import { type Column, type Held, LimitsPicture } from "../../charts/kinds/LimitsPicture";
import { TracksPicture } from "../../charts/kinds/TracksPicture";
import { PagePicture } from "../../charts/PagePicture";
import { DataTable } from "../../controls/DataTable";
import { Headline } from "../../controls/Headline";
import { ErrorNotice } from "../../controls/Notice";
import { useAddress } from "../../controls/useAddress";
import { fps, signedPercent } from "../../format";
import type { Study } from "../../model/study";
import { useFront } from "./LanesInFront";
import { ends } from "./questions";
import { marginCell, namesOf } from "./shown";

type Limits = Schemas["HeldOut"];

const HELD: Record<string, string> = {
  card: "card",
  processor: "processor",
  cap: "a cap",
  link_or_memory: "link or memory",
  unclear: "unclear",
};
const SIDES = ["card", "processor"] as const;
const EVIDENCE: Record<string, string> = {
  busy_times: "busy times",
  utilisation: "utilisation",
  resolutions: "resolutions",
  presets: "presets",
  lock: "a held rate",
};

/** What holds each lane in each test; what each side could do alone; a margin at a resolution that was not run. */
export function LimitsSection({ study, looking }: { study: Study; looking: Looking }) {
  const [search] = useAddress();
  const asked = search.get("resolution") ?? "";
  const { data: limits, error } = useLimits(study.id, looking, asked);
  if (error && !limits) return <ErrorNotice error={error} />;
  if (!limits?.tests.some((one) => one.held_by !== "unclear")) return null;
  return (
    <section className="mt-10" aria-label="What holds the rate">
      <LimitsMap study={study} limits={limits} />
      <Ceilings study={study} limits={limits} />
      <Alone study={study} limits={limits} looking={looking} />
      <NotRun study={study} limits={limits} asked={asked} error={error} />
    </section>
  );
}

function LimitsMap({ study, limits }: { study: Study; limits: Limits }) {
  const { shown } = useFront();
  const tests = study.tests_full;
  const found = new Map(limits.tests.map((one) => [`${one.test} ${one.lane}`, one]));
  const scenes = [...new Map(tests.map((one) => [one.scene_id, one])).values()];
  const rows = scenes.map((one) => ({
    key: String(one.scene_id),
    name:
      scenes.filter((other) => other.game === one.game).length > 1 ? `${one.game}, ${one.scene}` : one.game,
  }));
  const conditions = [...new Set(tests.map((one) => one.condition))];
  const columns: Column[] = conditions.flatMap((over) =>
    study.lanes_full
      .filter((lane) => shown(lane.id))
      .map((lane) => ({ key: `${over}\n${lane.id}`, over, lane })),
  );
  const held = (row: string, column: string): Held | undefined => {
    const [over, lane] = column.split("\n");
    const test = tests.find((one) => String(one.scene_id) === row && one.condition === over);
    const one = test && found.get(`${test.id} ${lane}`);
    return (
      one && {
        by: one.held_by,
        word: HELD[one.held_by] ?? one.held_by,
        sure: one.held_by === "unclear" ? 0 : one.sure,
        evidence: one.held_by === "unclear" ? "" : (EVIDENCE[one.evidence ?? ""] ?? ""),
      }
    );
  };
  const draw = (how: Drawn) => (
    <LimitsPicture
      {...how}
      question={study.question}
      sentence={limits.sentence}
      foot="solid: card · outlined: processor · two lines: a cap · dashed: neither, or not shown · the wider, the surer"
      rows={rows}
      columns={columns}
      held={held}
    />
  );
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-4">
        <h2 className="text-xl font-bold">What holds the rate</h2>
        <span className="text-soft">
          {limits.sentence.answer}
          {limits.sentence.after}
        </span>
        <ExportMenu label="Export the limits" name={`${study.question} limits`} draw={draw} />
      </div>
      <PagePicture draw={draw} />
      <p className="mt-1 text-[0.88rem] text-mute">
        Solid: the card. Outlined: the processor. Two lines: a cap. Dashed: neither, or not shown. The wider a
        mark, the surer it is.
      </p>
    </>
  );
}

function Ceilings({ study, limits }: { study: Study; limits: Limits }) {
  const names = namesOf(study);
  if (!limits.scenes.length) return null;
  return (
    <p className="mt-2 text-soft">
      The processor’s ceiling:{" "}
      {limits.scenes
        .map((one) => {
          const test = study.tests_full.find((other) => String(other.scene_id) === one.scene);
          const lane = names.lanes.get(one.lane)?.name ?? "";
          return `${test ? `${test.game}, ${test.scene}` : ""}, ${lane} ${fps(one.processor_ceiling_fps)} fps`;
        })
        .join("; ")}
      .
    </p>
  );
}

/** What the other lane could show were a limit away: rates of card and processor by their busy times. */
function Alone({ study, limits, looking }: { study: Study; limits: Limits; looking: Looking }) {
  const names = namesOf(study);
  const { cells, margins } = limits.alone;
  const [open, setOpen] = useState(false);
  if (!cells.length) return null;
  const base = looking.baseline ?? study.lanes_full.find((one) => one.baseline)?.id;
  const other = looking.other ?? study.lanes_full.find((one) => one.id !== base)?.id;
  const found = new Map(cells.map((one) => [`${one.test} ${one.lane}`, one]));
  const margin = new Map(margins.map((one) => [`${one.test} ${one.side}`, one]));
  const tests = [...new Set(cells.map((one) => one.test))];
  const over = `${names.lane(String(other))} over ${names.lane(String(base))}`;
  const rate = (test: string, lane: number | undefined, side: "card" | "processor") => {
    const one = found.get(`${test} ${lane}`);
    const value = one?.[`${side}_fps`];
    return value == null ? (
      "–"
    ) : (
      <span className="figure" title={ends(one?.[`${side}_low`] ?? null, one?.[`${side}_high`] ?? null, fps)}>
        {fps(value)}
      </span>
    );
  };
  return (
    <details className="mt-4" open={open} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="cursor-pointer font-semibold">
        Were the limit away: what each side could do alone, by busy times
      </summary>
      <div className="relative mt-2 overflow-x-auto">
        <DataTable
          narrow
          caption="Rates that card and processor could reach alone"
          heads={[
            "Test",
            ...SIDES.flatMap((side) => [
              `${side} of ${names.lane(String(base))}, fps`,
              `of ${names.lane(String(other))}`,
              over,
            ]),
          ]}
          rows={tests.map((test) => ({
            key: test,
            cells: [
              names.tests.get(test),
              ...SIDES.flatMap((side) => {
                const one = margin.get(`${test} ${side}`);
                return [rate(test, base, side), rate(test, other, side), one ? marginCell(one) : "–"];
              }),
            ],
          }))}
        />
      </div>
    </details>
  );
}

/** A margin at a resolution that nobody ran: set apart from all that was measured. */
function NotRun({
  study,
  limits,
  asked,
  error,
}: {
  study: Study;
  limits: Limits;
  asked: string;
  error: unknown;
}) {
  const [, set] = useAddress();
  const [typed, setTyped] = useState(asked);
  if (limits.resolutions.length < 2) return null;
  return (
    <div className="mt-6 border-rule border-t border-dashed pt-4">
      <h3 className="text-lg font-bold">At a resolution that was not run</h3>
      <form
        className="my-2 flex flex-wrap items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          set({ resolution: typed.trim() });
        }}
      >
        <input
          className="field w-40"
          aria-label="Resolution that was not run"
          placeholder="3440 × 1440"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
        />
        <button
          type="submit"
          className="cursor-pointer rounded-[3px] border border-mute bg-raised px-3 py-1 font-semibold"
        >
          Estimate
        </button>
        <span className="text-[0.9rem] text-mute">run: {limits.resolutions.join(", ")}</span>
      </form>
      <ErrorNotice error={error} />
      {limits.expected && <Expected study={study} expected={limits.expected} />}
    </div>
  );
}

function Expected({ study, expected }: { study: Study; expected: NonNullable<Limits["expected"]> }) {
  const scene = new Map(study.tests_full.map((one) => [String(one.scene_id), one]));
  const tracks = expected.scenes.map((one) => ({
    key: `${one.scene} ${one.preset}`,
    name: [scene.get(one.scene)?.game, scene.get(one.scene)?.scene].filter(Boolean).join(", "),
    value: one.margin,
    low: one.low,
    high: one.high,
    said: one.words,
    hollow: true,
  }));
  const draw = (how: Drawn) => (
    <TracksPicture
      {...how}
      question={study.question}
      sentence={expected.sentence}
      foot="hollow: an estimate, not a measurement · brackets: all that is possible"
      tracks={tracks}
      line={0}
      words={(share: number) => `${signedPercent(share)}%`}
      axis="expected margin →"
    />
  );
  return (
    <>
      <div className="flex flex-wrap items-start gap-4">
        <div>
          <Headline sentence={expected.sentence} size="third" />
        </div>
        <ExportMenu label="Export the estimate" name={`${study.question} estimate`} draw={draw} />
      </div>
      <PagePicture draw={draw} />
    </>
  );
}
