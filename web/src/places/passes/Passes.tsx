import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate } from "react-router";
import { useBeside, useDeciding, useDoubts } from "../../api/doubts";
import { useMay, usePasses } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { NothingMatches } from "../../controls/Filter";
import { useKeysOf } from "../../controls/Keys";
import { LaneName } from "../../controls/LaneMark";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { PlaceHead } from "../../controls/PlaceHead";
import { useAddress } from "../../controls/useAddress";
import { useTitle } from "../../controls/useTitle";
import { count, fps } from "../../format";
import { reasonWords, type Study } from "../../model/study";
import { DECIDING_KEYS, Deciding } from "./Deciding";
import { DoubtList } from "./DoubtList";
import { MatrixGrid } from "./MatrixGrid";
import { MARK_LOOK, MARKS, markPath } from "./marks";
import {
  type At,
  counted,
  type Mark,
  markWords,
  matching,
  moved,
  nextDoubt,
  type Order,
  ordered,
  passAt,
  placeOf,
  rowsOf,
  standing,
  type Way,
} from "./matrix";
import { ReportedTable } from "./Reported";
import { WideDoubts } from "./WideDoubts";

const KEYS = [
  { key: "← →", does: "pass by pass" },
  { key: "↑ ↓", does: "test by test" },
  { key: "n b", does: "next doubted pass, the one before" },
  { key: "Enter", does: "open: its trace, its siblings, the other lanes" },
  { key: "x", does: "pick it, or let it go; Shift-x its whole test, Escape none" },
  { key: "A", does: "accept all that no check doubts" },
  { key: "m", does: "filter by typing: games, lanes, states, checks" },
  { key: "d", does: "order by doubt, by plan" },
  ...DECIDING_KEYS,
];
const WAYS: Record<string, Way> = {
  arrowleft: "left",
  arrowright: "right",
  arrowup: "up",
  arrowdown: "down",
  home: "first",
  end: "last",
};

/** Every pass of the study in one matrix: what is there, what is doubted and why, and settling it. */
export function Passes({ study }: { study: Study }) {
  const { data: passes, error } = usePasses(study.id);
  const stale = (passes ?? []).filter((one) => one.stale).length;
  const { data: doubts } = useDoubts(study.id, stale > 0);
  const out = (passes ?? []).some((one) => one.state === "rejected");
  const { data: beside } = useBeside(study.id, {}, out);
  const may = useMay("tester") && study.state === "open";
  const { accept } = useDeciding(study.id);
  const go = useNavigate();
  const [search, set] = useAddress();
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set());
  const [busy, setBusy] = useState(false);
  const place = useRef<HTMLElement>(null);
  useTitle("Passes", study.question);
  useKeysOf("Passes", KEYS);
  const order: Order = (["doubt", "waiting"] as const).find((one) => one === search.get("order")) ?? "plan";
  const [text, setText] = useState(search.get("match") ?? "");
  const all = useMemo(
    () => rowsOf(study.tests_full, study.lanes_full, passes ?? [], doubts),
    [study.tests_full, study.lanes_full, passes, doubts],
  );
  const sorted = useMemo(() => ordered(all, order), [all, order]);
  const shown = useMemo(() => matching(sorted, text), [sorted, text]);
  const counts = useMemo(() => counted(all), [all]);
  const [pass, setPass] = useState<number | null>(() => Number(search.get("pass")) || null);
  const at = useMemo<At>(() => {
    const found = pass === null ? null : placeOf(shown.rows, pass);
    return found ?? nextDoubt(shown.rows, { row: 0, lane: 0, pass: -1 }, 1) ?? { row: 0, lane: 0, pass: 0 };
  }, [shown.rows, pass]);
  const active = passAt(shown.rows, at);
  // What is in question stays so when its doubt is settled: one sees what became of it before one goes on.
  const first = doubts && pass === null ? active?.one.id : undefined;
  useEffect(() => {
    if (first !== undefined) setPass(first);
  }, [first]);
  const own = useMemo(
    () => (doubts && active ? (standing(doubts).get(active.one.id) ?? []) : []),
    [doubts, active],
  );
  const chosen = useMemo(() => (passes ?? []).filter((one) => picked.has(one.id)), [passes, picked]);
  const step = (to: At | null) => {
    const one = to && passAt(shown.rows, to);
    if (!one) return;
    setPass(one.one.id);
    // Whoever walks through the matrix by keys stands in it from then on, whatever was pressed before.
    place.current?.querySelector<HTMLElement>("[role=grid]")?.focus({ preventScroll: true });
  };
  const pick = (ids: number[]) =>
    setPicked((now) => {
      const next = new Set(now);
      const there = ids.every((id) => next.has(id));
      for (const id of ids) there ? next.delete(id) : next.add(id);
      return next;
    });
  const goTo = useCallback(
    (to: At, withPick: boolean) => {
      const one = passAt(shown.rows, to);
      if (!one) return;
      setPass(one.one.id);
      if (withPick)
        setPicked((now) => {
          const next = new Set(now);
          if (!next.delete(one.one.id)) next.add(one.one.id);
          return next;
        });
    },
    [shown.rows],
  );
  const open = useCallback(
    (to: At) => {
      const one = passAt(shown.rows, to);
      // Back leads to the same place of the matrix.
      if (one) {
        set({ pass: String(one.one.id) });
        go(`/studies/${study.id}/passes/${one.one.test_id}?pass=${one.one.id}`);
      }
    },
    [shown.rows, go, set, study.id],
  );
  const on = !busy;
  useHotkeys(
    "left, right, up, down, home, end",
    (event) => step(moved(shown.rows, at, WAYS[event.key.toLowerCase()] ?? "right")),
    { enabled: on, preventDefault: true, ignoreEventWhen: elsewhere },
  );
  useHotkeys("shift+left", () => step(moved(shown.rows, at, "lane_left")), { enabled: on });
  useHotkeys("shift+right", () => step(moved(shown.rows, at, "lane_right")), { enabled: on });
  useHotkeys("n", () => step(nextDoubt(shown.rows, at, 1)), { enabled: on });
  useHotkeys("b", () => step(nextDoubt(shown.rows, at, -1)), { enabled: on });
  useHotkeys("enter", () => open(at), { enabled: on, ignoreEventWhen: elsewhere });
  useHotkeys("x", () => active && pick([active.one.id]), { enabled: on });
  useHotkeys(
    "shift+x",
    () => pick((shown.rows[at.row]?.cells ?? []).flatMap((cell) => cell.marks.map((one) => one.one.id))),
    { enabled: on },
  );
  useHotkeys("escape", () => setPicked(new Set()), { enabled: on && picked.size > 0 });
  useHotkeys("m", () => place.current?.querySelector<HTMLInputElement>("input")?.focus(), {
    enabled: on,
    preventDefault: true,
  });
  useHotkeys("shift+a", () => accept.mutate(null), { enabled: on && may && counts.waits > 0 });
  useHotkeys("d", () => set({ order: order === "doubt" ? "" : "doubt" }), { enabled: on });
  const written = search.get("match") ?? "";
  useEffect(() => {
    if (text !== written) set({ match: text });
  }, [text, written, set]);

  if (error) return <ErrorNotice error={error} />;
  if (!passes) return <Loading what="the passes" />;
  const fine = counts.waits;
  return (
    <section ref={place} aria-label="All passes">
      <PlaceHead
        level="part"
        title="Passes"
        says={saysOf(passes.filter((one) => one.state === "recorded").length, counts.doubted)}
        filters="Filter passes"
        filter={text}
        setFilter={setText}
      >
        <Link to={`/studies/${study.id}/checks`}>Checks</Link>
        {may && <ReportedTable study={study} />}
        {may && fine > 0 && (
          <Button shortcut="A" disabled={accept.isPending} onClick={() => accept.mutate(null)}>
            Accept {counts.doubted ? `the ${fine} that no check doubts` : `all ${fine}`}
          </Button>
        )}
      </PlaceHead>
      {stale > 0 && study.state === "open" && (
        <p role="status" className="mb-4 border-l-4 border-ink bg-raised px-4 py-2">
          {count(stale, "capture is", "captures are")} being measured again; the figures follow by themselves.
        </p>
      )}
      <ErrorNotice error={accept.error} />
      {doubts && <WideDoubts study={study} doubts={doubts} show={(ids) => setPicked(new Set(ids))} />}
      {out && beside?.rejections.words && <p className="mb-3 text-soft">{beside.rejections.words}</p>}
      <div className="mb-2 flex flex-wrap items-center justify-between gap-x-6 gap-y-2">
        <Legend counts={counts} filter={setText} />
        <Choice
          label="Order of the tests"
          value={order}
          onChange={(next) => set({ order: next === "plan" ? "" : next })}
          options={[
            { value: "plan", label: "By plan" },
            { value: "doubt", label: "Most doubt first" },
            { value: "waiting", label: "Most to decide first" },
          ]}
        />
      </div>
      {!shown.rows.length ? (
        <NothingMatches text={text} what="pass" />
      ) : (
        <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-7 gap-y-4 lg:grid-cols-[minmax(0,1fr)_minmax(0,22rem)]">
          <MatrixGrid
            study={study}
            rows={shown.rows}
            at={at}
            picked={picked}
            meant={shown.meant}
            go={goTo}
            open={open}
          />
          <aside
            aria-live="polite"
            aria-label="The pass in question"
            className="grid min-w-0 gap-3 [&>*]:min-w-0"
          >
            {active && <Head study={study} active={active} open={() => open(at)} />}
            {active && <DoubtList study={study.id} pass={active.one.id} doubts={doubts} />}
            {chosen.length > 0 && (
              <p className="bg-mark/60 px-3 py-1.5 font-semibold">
                {count(chosen.length, "pass", "passes")} picked{" "}
                <Button kind="quiet" onClick={() => setPicked(new Set())}>
                  None
                </Button>
              </p>
            )}
            <Deciding
              study={study}
              chosen={active?.one}
              picked={chosen}
              doubts={doubts}
              own={chosen.length > 1 ? [] : own}
              keys
              busy={setBusy}
            />
          </aside>
        </div>
      )}
    </section>
  );
}

/** Arrow keys within a field, a chosen row of buttons or a menu are that one's own. */
function elsewhere(event: KeyboardEvent): boolean {
  return (
    event.target instanceof Element && event.target.closest("button, a, input, [role=radiogroup]") !== null
  );
}

function saysOf(waiting: number, doubted: number): string {
  if (!waiting && !doubted) return "No pass waits for a decision, and none is doubted.";
  const first = waiting
    ? `${count(waiting, "pass waits", "passes wait")} for a decision.`
    : "All are decided on.";
  return doubted
    ? `${first} ${count(doubted, "pass is", "passes are")} doubted. Look at why, and settle it.`
    : `${first} No check doubts any.`;
}

function Head({
  study,
  active,
  open,
}: {
  study: Study;
  active: NonNullable<ReturnType<typeof passAt>>;
  open: () => void;
}) {
  const { one, mark } = active;
  const test = study.tests_full.find((found) => found.id === one.test_id);
  const lane = study.lanes_full.find((found) => found.id === one.lane_id);
  const why = reasonWords(one);
  const figures = one.figures;
  return (
    <div className="border-rule border-b pb-2">
      <h2 className="text-lg leading-tight font-bold">
        {test?.game}, pass {one.number}
      </h2>
      <p className="flex flex-wrap items-center gap-x-3 text-[0.93rem]">
        {lane && <LaneName lane={lane.position} name={lane.name} />}
        <span className={mark === "doubted" ? "font-bold text-accent" : "text-mute"}>
          {markWords(mark)}
          {one.role !== "counted" && `, ${one.role.replace("_", "-")}`}
          {one.simulated && ", simulated: no result"}
        </span>
      </p>
      {figures?.average_fps != null && figures.low_1_fps != null && (
        <p className="figure">
          {fps(figures.average_fps)} · {fps(figures.low_1_fps)}{" "}
          <span className="font-sans text-[0.86rem] text-mute">average · 1% low, fps</span>
        </p>
      )}
      {why && <p>{why}</p>}
      <p className="mt-1">
        <Button shortcut="Enter" onClick={open}>
          Open its trace
        </Button>
      </p>
    </div>
  );
}

/** What each mark means and how many there are; pressed, it shows those alone. */
function Legend({ counts, filter }: { counts: Record<Mark, number>; filter: (text: string) => void }) {
  return (
    <ul aria-label="Marks" className="flex flex-wrap gap-x-1 gap-y-1">
      {MARKS.filter((mark) => counts[mark] > 0).map((mark) => (
        <li key={mark}>
          <Button
            kind="quiet"
            onClick={() => filter(markWords(mark).split(",")[0] ?? "")}
            className="px-1.5! py-0.5!"
          >
            <svg width={16} height={22} viewBox="0 0 16 24" aria-hidden="true">
              <path
                d={markPath(mark, 8)}
                fill={MARK_LOOK[mark].fill}
                stroke={MARK_LOOK[mark].stroke}
                strokeWidth={MARK_LOOK[mark].width}
                strokeDasharray={MARK_LOOK[mark].dash}
              />
            </svg>
            <span className="font-medium">
              {markWords(mark)} <span className="figure">{counts[mark]}</span>
            </span>
          </Button>
        </li>
      ))}
    </ul>
  );
}
