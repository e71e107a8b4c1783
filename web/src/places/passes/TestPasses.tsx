import { useCallback, useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useMay, usePasses, useStudyChange, useTraces } from "../../api/queries";
import { CurveChart } from "../../charts/CurveChart";
import { type Stretch, TraceChart } from "../../charts/TraceChart";
import { Button } from "../../controls/Button";
import { useKeysOf } from "../../controls/Keys";
import { LaneName } from "../../controls/LaneMark";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { fps } from "../../format";
import { FileDialog, MoveDialog, ReasonDialog, TrimDialog } from "./PassDialogs";
import { PassFigures } from "./PassFigures";
import { ReportedDialog } from "./Reported";
import { type Study, stateWords } from "./study";

type Pass = Schemas["PassOut"];

const KEYS = [
  { key: "↑ ↓", does: "choose a pass" },
  { key: "a", does: "accept it" },
  { key: "r", does: "reject it, with a reason" },
  { key: "u", does: "take the decision back" },
  { key: "[ ]", does: "test before, test after" },
];

/** All passes of a test over each other, and the decision on each. */
export function TestPasses({ study }: { study: Study }) {
  const { test: address } = useParams();
  const test = study.tests_full.find((one) => one.id === Number(address));
  const { data: passes, error } = usePasses(study.id);
  const go = useNavigate();
  const [search, setSearch] = useSearchParams();
  const may = useMay("tester") && study.state === "open";
  const [dialog, setDialog] = useState<"reject" | "did_not_run" | "move" | "trim" | "report" | "file" | null>(
    null,
  );

  const own = useMemo(() => (passes ?? []).filter((one) => one.test_id === test?.id), [passes, test?.id]);
  const chosen =
    own.find((one) => one.id === Number(search.get("pass"))) ??
    own.find((one) => one.state === "recorded") ??
    own[0];
  const choose = useCallback(
    (one: Pass | undefined) =>
      one &&
      setSearch(
        (before) => {
          const next = new URLSearchParams(before);
          next.set("pass", String(one.id));
          return next;
        },
        { replace: true },
      ),
    [setSearch],
  );
  const change = useStudyChange(study.id, (next: { id: number; body: Schemas["PassChange"] }) =>
    data(
      client.PUT("/api/studies/passes/{pass_id}/state", {
        params: { path: { pass_id: next.id } },
        body: next.body,
      }),
    ),
  );
  const repeat = useStudyChange(study.id, (one: Pass) =>
    data(
      client.POST("/api/studies/passes", {
        body: { lane_id: one.lane_id, test_id: one.test_id, role: "repeat" },
      }),
    ),
  );
  const decide = (state: Schemas["PassChange"]["state"], why: Partial<Schemas["PassChange"]> = {}) => {
    if (!chosen) return;
    change.mutate({ id: chosen.id, body: { state, reason: "", reason_code: "", ...why } });
  };
  const can = actionsOf(chosen, may);
  const step = (by: number) => choose(own[own.findIndex((one) => one.id === chosen?.id) + by]);
  const neighbour = (by: number) => {
    const next = study.tests_full[study.tests_full.findIndex((one) => one.id === test?.id) + by];
    if (next) go(`/studies/${study.id}/passes/${next.id}`);
  };
  const noDialog = dialog === null;
  const [zoom] = useZoom();
  useHotkeys("up", () => step(-1), { enabled: noDialog, preventDefault: true, ignoreEventWhen: inChart });
  useHotkeys("down", () => step(1), { enabled: noDialog, preventDefault: true, ignoreEventWhen: inChart });
  useHotkeys("a", () => decide("accepted"), { enabled: noDialog && can.accept });
  useHotkeys("r", () => setDialog("reject"), { enabled: noDialog && can.reject, preventDefault: true });
  useHotkeys("u", () => decide("recorded"), { enabled: noDialog && can.takeBack });
  useHotkeys("[", () => neighbour(-1), { enabled: noDialog, useKey: true });
  useHotkeys("]", () => neighbour(1), { enabled: noDialog, useKey: true });
  useKeysOf("Passes", KEYS);

  useTitle(test ? `${test.game}, ${test.scene}` : "Passes", study.question);
  if (!test) return <ErrorNotice error={new Error("There is no such test in this study.")} />;
  if (error) return <ErrorNotice error={error} />;
  if (!passes) return <Loading what="the passes" />;
  return (
    <>
      <div className="mb-3 flex flex-wrap items-end justify-between gap-4">
        <div>
          <p className="text-[0.9rem]">
            <Link to={`/studies/${study.id}/passes`}>All passes</Link>
          </p>
          <h1 className="text-2xl font-bold">
            {test.game}{" "}
            <span className="font-medium text-soft">
              {test.scene}, {test.condition}
            </span>
          </h1>
        </div>
        <div className="flex gap-2">
          <Button shortcut="[" onClick={() => neighbour(-1)} disabled={test.position === 0}>
            Before
          </Button>
          <Button
            shortcut="]"
            onClick={() => neighbour(1)}
            disabled={test.position === study.tests_full.length - 1}
          >
            After
          </Button>
        </div>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-8 gap-y-4 lg:grid-cols-[minmax(0,1fr)_minmax(0,21.5rem)]">
        <Charts study={study} test={test.id} passes={own} focus={chosen?.id ?? null} />
        <aside className="grid min-w-0 gap-3 [&>*]:min-w-0">
          <PassList study={study} passes={own} chosen={chosen} choose={choose} />
          {may && chosen && (
            <div className="flex flex-wrap gap-2">
              <Button
                kind="main"
                shortcut="a"
                disabled={!can.accept || change.isPending}
                onClick={() => decide("accepted")}
              >
                Accept
              </Button>
              <Button kind="grave" shortcut="r" disabled={!can.reject} onClick={() => setDialog("reject")}>
                Reject
              </Button>
              {can.takeBack && (
                <Button shortcut="u" onClick={() => decide("recorded")}>
                  Take back
                </Button>
              )}
              {chosen.state === "planned" && (
                <>
                  <Button onClick={() => setDialog("did_not_run")}>Did not run</Button>
                  <Button onClick={() => setDialog("report")}>Only numbers</Button>
                </>
              )}
              {chosen.state === "did_not_run" && (
                <Button onClick={() => decide("planned")}>Plan again</Button>
              )}
              {chosen.capture_id && <Button onClick={() => setDialog("trim")}>Trim</Button>}
              {chosen.capture_id && (chosen.state === "recorded" || chosen.state === "accepted") && (
                <Button onClick={() => setDialog("move")}>Move</Button>
              )}
              <Button onClick={() => setDialog("file")}>Add a file</Button>
              <Button onClick={() => repeat.mutate(chosen)}>One more pass</Button>
            </div>
          )}
          <ErrorNotice error={change.error ?? repeat.error} />
          {chosen && <PassFigures study={study.id} one={chosen} lowSchool={study.method.low_school} />}
        </aside>
      </div>
      {chosen && (
        <>
          <ReasonDialog
            kind={dialog === "did_not_run" ? "did_not_run" : "rejected"}
            open={dialog === "reject" || dialog === "did_not_run"}
            close={() => setDialog(null)}
            decide={(state, why) => {
              decide(state, why);
              setDialog(null);
            }}
          />
          <ReportedDialog
            study={study}
            one={chosen}
            open={dialog === "report"}
            close={() => setDialog(null)}
          />
          <FileDialog study={study} one={chosen} open={dialog === "file"} close={() => setDialog(null)} />
          <MoveDialog study={study} one={chosen} open={dialog === "move"} close={() => setDialog(null)} />
          <TrimDialog
            study={study}
            one={chosen}
            zoom={zoom}
            open={dialog === "trim"}
            close={() => setDialog(null)}
          />
        </>
      )}
    </>
  );
}

/** The chart has arrow keys of its own. */
function inChart(event: KeyboardEvent): boolean {
  return event.target instanceof Element && event.target.getAttribute("role") === "group";
}

function actionsOf(one: Pass | undefined, may: boolean) {
  const state = one?.state;
  return {
    accept: may && (state === "recorded" || state === "rejected"),
    reject: may && (state === "recorded" || state === "accepted"),
    takeBack: may && (state === "accepted" || state === "rejected"),
  };
}

/** What of the traces is looked at; it lives in the address. */
function useZoom(): [Stretch | null, (zoom: Stretch | null) => void] {
  const [search, setSearch] = useSearchParams();
  const [from, to] = (search.get("zoom") ?? "").split("-").map(Number);
  const zoom = useMemo(
    () => (from !== undefined && to !== undefined && to > from && from >= 0 ? { from, to } : null),
    [from, to],
  );
  const setZoom = useCallback(
    (next: Stretch | null) =>
      setSearch(
        (before) => {
          const after = new URLSearchParams(before);
          if (next) after.set("zoom", `${next.from.toFixed(3)}-${next.to.toFixed(3)}`);
          else after.delete("zoom");
          return after;
        },
        { replace: true, preventScrollReset: true },
      ),
    [setSearch],
  );
  return [zoom, setZoom];
}

function Charts({
  study,
  test,
  passes,
  focus,
}: {
  study: Study;
  test: number;
  passes: Pass[];
  focus: number | null;
}) {
  const { data: found, error } = useTraces(study.id, test);
  const [zoom, setZoom] = useZoom();
  const lanes = useMemo(() => new Map(study.lanes_full.map((lane) => [lane.id, lane])), [study.lanes_full]);
  const traces = useMemo(
    () =>
      (found?.traces ?? []).map((trace) => {
        const lane = lanes.get(trace.lane_id);
        return {
          key: trace.pass_id,
          label: `${lane?.name ?? ""} ${trace.number}`,
          lane: lane?.position ?? 0,
          dashed: trace.state === "rejected",
          capture: trace.capture_id,
          made: trace.key,
          endS: trace.length_s,
          windows: trace.windows,
        };
      }),
    [found, lanes],
  );
  const curves = useMemo(
    () =>
      (found?.traces ?? []).map((trace, i) => ({
        key: trace.pass_id,
        label: traces[i]?.label ?? "",
        lane: traces[i]?.lane ?? 0,
        dashed: trace.state === "rejected",
        ms: trace.curve_ms,
      })),
    [found, traces],
  );
  if (error) return <ErrorNotice error={error} />;
  if (!found) return <Loading what="the frames" />;
  if (!traces.length) {
    return (
      <p className="sheet border-dashed! p-8 text-soft">
        No capture yet. <Link to={`/studies/${study.id}/intake`}>Hand in</Link> the files of this test, or
        note why a pass did not run. {passes.length} passes are planned.
      </p>
    );
  }
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-6">
      <section aria-label="Frame times">
        <TraceChart
          traces={traces}
          budgetMs={found.budget_ms}
          focus={focus !== null && traces.some((t) => t.key === focus) ? focus : null}
          zoom={zoom}
          setZoom={setZoom}
        />
      </section>
      <section aria-label="Distribution">
        <h2 className="mb-1 text-lg font-bold">Distribution</h2>
        <CurveChart curves={curves} budgetMs={found.budget_ms} />
      </section>
    </div>
  );
}

function PassList({
  study,
  passes,
  chosen,
  choose,
}: {
  study: Study;
  passes: Pass[];
  chosen: Pass | undefined;
  choose: (one: Pass) => void;
}) {
  return (
    <div className="sheet overflow-hidden">
      {study.lanes_full.map((lane) => (
        <div key={lane.id} className="border-rule border-b last:border-b-0">
          <p className="px-3 pt-2 text-[0.93rem] font-semibold">
            <LaneName lane={lane.position} name={lane.name} />
          </p>
          <ul className="pb-1">
            {passes
              .filter((one) => one.lane_id === lane.id)
              .map((one) => (
                <li key={one.id}>
                  <button
                    type="button"
                    aria-pressed={one.id === chosen?.id}
                    onClick={() => choose(one)}
                    className={`grid w-full cursor-pointer grid-cols-[3.6rem_1fr_auto] items-baseline gap-2 px-3 py-1 text-left hover:bg-band ${one.id === chosen?.id ? "bg-mark/60 font-semibold" : ""}`}
                  >
                    <span title={one.role === "counted" ? undefined : one.role.replace("_", "-")}>
                      pass {one.number}
                    </span>
                    <span
                      className={`text-[0.88rem] ${one.state === "recorded" ? "font-bold text-accent" : "text-mute"}`}
                    >
                      {stateWords(one.state)}
                      {one.simulated && ", simulated"}
                    </span>
                    <span className="figure text-[0.88rem]">
                      {one.figures?.average_fps != null && one.figures.low_1_fps != null
                        ? `${fps(one.figures.average_fps)} · ${fps(one.figures.low_1_fps)}`
                        : one.reported?.average_fps != null
                          ? `${fps(one.reported.average_fps)} told`
                          : ""}
                    </span>
                  </button>
                </li>
              ))}
          </ul>
        </div>
      ))}
    </div>
  );
}
