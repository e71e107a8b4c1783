import { useEffect, useMemo, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link } from "react-router";
import { useBeside, useDeciding, useDoubts } from "../../api/doubts";
import { useMay, usePasses } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { NothingMatches } from "../../controls/Filter";
import { useKeysOf } from "../../controls/Keys";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { PlaceHead } from "../../controls/PlaceHead";
import { useAddress } from "../../controls/useAddress";
import { useTitle } from "../../controls/useTitle";
import { count } from "../../format";
import type { Study } from "../../model/study";
import { DECIDING_KEYS, Deciding } from "./Deciding";
import { DoubtList } from "./DoubtList";
import { Legend } from "./Legend";
import { MatrixGrid } from "./MatrixGrid";
import { counted, matching, type Order, openWide, ordered, rowsOf, wideMeant } from "./matrix";
import { MoveDialog, TrimDialog } from "./PassDialogs";
import { PassHead } from "./PassHead";
import { ReportedTable } from "./Reported";
import { useWalk, useWalkKeys } from "./useWalk";
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
  { key: "c", does: "trim to stretches of seconds" },
  ...DECIDING_KEYS,
];
/** Every pass of the study in one matrix: what is there, what is doubted and why, and settling it. */
export function Passes({ study }: { study: Study }) {
  const { data: found, error } = usePasses(study.id);
  // Warm-ups stand with their test; here is what counts, or could.
  const passes = useMemo(() => found?.filter((one) => one.role !== "warm_up"), [found]);
  const stale = (passes ?? []).filter((one) => one.stale).length;
  const { data: doubts } = useDoubts(study.id, stale > 0);
  const out = (passes ?? []).some((one) => one.state === "rejected");
  const { data: beside } = useBeside(study.id, {}, out);
  const may = useMay("tester") && study.state === "open";
  const { accept } = useDeciding(study.id);
  const [search, set] = useAddress();
  const [busy, setBusy] = useState(false);
  const [dialog, setDialog] = useState<"trim" | "move" | null>(null);
  const place = useRef<HTMLElement>(null);
  useTitle("Passes", study.question);
  useKeysOf("Passes", KEYS);
  const order: Order = (["doubt", "waiting"] as const).find((one) => one === search.get("order")) ?? "plan";
  const [text, setText] = useState(search.get("match") ?? "");
  const all = useMemo(
    () => rowsOf(study.tests_full, study.lanes_full, passes ?? [], doubts),
    [study.tests_full, study.lanes_full, passes, doubts],
  );
  const shown = useMemo(() => matching(ordered(all, order), text), [all, order, text]);
  const counts = useMemo(() => counted(all), [all]);
  const wide = useMemo(() => openWide(doubts?.wide ?? []), [doubts]);
  const meantDoubts = useMemo(() => wideMeant(doubts?.wide ?? [], all, text), [doubts, all, text]);
  const walk = useWalk(study.id, shown.rows, place);
  const { at, active, picked } = walk;
  // What is in question stays so when its doubt is settled: one sees what became of it before one goes on.
  const first = doubts && !walk.went ? active?.one.id : undefined;
  useEffect(() => {
    if (first !== undefined) walk.settleOn(first);
  }, [first, walk.settleOn]);
  const chosen = useMemo(() => (passes ?? []).filter((one) => picked.has(one.id)), [passes, picked]);
  // What can be trimmed or moved: what was picked, else the pass in question.
  const measured = (chosen.length ? chosen : active ? [active.one] : []).filter(
    (one) => one.capture_id !== null && (one.state === "recorded" || one.state === "accepted"),
  );
  const taken = busy || dialog !== null;
  useWalkKeys(walk, shown.rows, place, !taken);
  useHotkeys("c", () => setDialog("trim"), {
    enabled: !taken && may && measured.length > 0,
    preventDefault: true,
  });
  useHotkeys("shift+a", () => accept.mutate(null), { enabled: !taken && may && counts.waits > 0 });
  useHotkeys("d", () => set({ order: order === "doubt" ? "" : "doubt" }), { enabled: !taken });
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
        says={saysOf(passes.filter((one) => one.state === "recorded").length, counts.doubted, wide.length)}
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
      {doubts && <WideDoubts study={study} doubts={meantDoubts} show={walk.pickOnly} />}
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
            go={walk.goTo}
            open={walk.open}
          />
          <aside
            aria-live="polite"
            aria-label="The pass in question"
            className="grid min-w-0 gap-3 [&>*]:min-w-0"
          >
            {active && <PassHead study={study} active={active} open={() => walk.open(at)} />}
            {active && <DoubtList study={study.id} pass={active.one.id} doubts={doubts} />}
            {chosen.length > 0 && (
              <p className="bg-mark/60 px-3 py-1.5 font-semibold">
                {count(chosen.length, "pass", "passes")} picked{" "}
                <Button kind="quiet" onClick={() => walk.pickOnly([])}>
                  Let go
                </Button>
              </p>
            )}
            <Deciding
              study={study}
              chosen={active?.one}
              picked={chosen}
              doubts={doubts}
              keys={dialog === null}
              busy={setBusy}
            >
              {measured.length > 0 && (
                <>
                  <Button shortcut="c" onClick={() => setDialog("trim")}>
                    Trim
                  </Button>
                  <Button onClick={() => setDialog("move")}>Move</Button>
                </>
              )}
            </Deciding>
          </aside>
        </div>
      )}
      <MoveDialog study={study} passes={measured} open={dialog === "move"} close={() => setDialog(null)} />
      <TrimDialog study={study} passes={measured} open={dialog === "trim"} close={() => setDialog(null)} />
    </section>
  );
}

function saysOf(waiting: number, doubted: number, wide: number): string {
  const beside = wide ? `${count(wide, "doubt is", "doubts are")} about several passes at once.` : "";
  if (!waiting && !doubted)
    return beside
      ? `No pass waits for a decision; ${beside}`
      : "No pass waits for a decision, and none is doubted.";
  const first = waiting
    ? `${count(waiting, "pass waits", "passes wait")} for a decision.`
    : "All are decided on.";
  return doubted
    ? `${first} ${count(doubted, "pass is", "passes are")} doubted. Look at why, and settle it.`
    : `${first} ${beside || "No check doubts any."}`;
}
