import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate, useParams } from "react-router";
import { client, data } from "../../api/client";
import { useDoubts } from "../../api/doubts";
import { useMay, usePasses, useStudyChange } from "../../api/queries";
import type { Stretch } from "../../charts/TraceChart";
import { Button } from "../../controls/Button";
import { useKeysOf } from "../../controls/Keys";
import { LaneName } from "../../controls/LaneMark";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useAddress } from "../../controls/useAddress";
import { useTitle } from "../../controls/useTitle";
import { fps } from "../../format";
import { type Study, stateWords, waits } from "../../model/study";
import { Keep } from "../reports/Keep";
import { DECIDING_KEYS, Deciding } from "./Deciding";
import { DoubtList } from "./DoubtList";
import { checkWords, type Pass, type PassDoubt, standing } from "./matrix";
import { FileDialog, MoveDialog, TrimDialog } from "./PassDialogs";
import { PassFigures } from "./PassFigures";
import { someTraces } from "./printing";
import { ReportedDialog } from "./Reported";
import { Traces } from "./Traces";
import type { DrawnTrace } from "./traceView";

const KEYS = [
  { key: "↑ ↓", does: "choose a pass" },
  { key: "[ ]", does: "test before, test after" },
  ...DECIDING_KEYS,
  { key: "c", does: "trim it by hand" },
  { key: "+ − 0", does: "in the chart: closer, farther, all" },
  { key: ", .", does: "in the chart: frame by frame" },
  { key: "j", does: "in the chart: mark this moment of the pass" },
];

/** All passes of a test over each other, what is doubted about the one in question, and the decision on it. */
export function TestPasses({ study }: { study: Study }) {
  const { test: address } = useParams();
  const test = study.tests_full.find((one) => one.id === Number(address));
  const { data: passes, error } = usePasses(study.id);
  const measuring = useMemo(() => (passes ?? []).some((one) => one.stale), [passes]);
  const { data: doubts } = useDoubts(study.id, measuring);
  const go = useNavigate();
  const [search, set] = useAddress();
  const may = useMay("tester") && study.state === "open";
  const [dialog, setDialog] = useState<"move" | "trim" | "report" | "file" | null>(null);
  const [busy, setBusy] = useState(false);
  const looking = useRef<Stretch | null>(null);
  const laid = useRef<readonly DrawnTrace[]>([]);
  const [dragged, setDragged] = useState<Stretch | null>(null);

  const own = useMemo(() => (passes ?? []).filter((one) => one.test_id === test?.id), [passes, test?.id]);
  const stands = useMemo(() => (doubts ? standing(doubts) : new Map<number, PassDoubt[]>()), [doubts]);
  const [opened, setOpened] = useState<number | null>(null);
  const doubted = (one: Pass) => stands.get(one.id)?.some((doubt) => !doubt.weak);
  const last = own.find((one) => one.id === opened);
  // A check that ends meanwhile must not put another pass under the keys: the one in question stays until it is decided,
  // then comes the next that waits, and the last one stays to be seen.
  const chosen =
    own.find((one) => one.id === Number(search.get("pass"))) ??
    (last && (waits(last) || doubted(last)) ? last : undefined) ??
    own.find(doubted) ??
    own.find(waits) ??
    last ??
    own[0];
  const first = doubts ? chosen?.id : undefined;
  useEffect(() => setOpened(first ?? null), [first]);
  const choose = useCallback(
    (id: number | undefined) => id !== undefined && set({ pass: String(id) }),
    [set],
  );
  const more = useStudyChange(study.id, (one: Pass) =>
    data(
      client.POST("/api/studies/passes", {
        body: { lane_id: one.lane_id, test_id: one.test_id, role: "counted" },
      }),
    ),
  );
  const its = (chosen && stands.get(chosen.id)) ?? NONE;
  const step = (by: number) => choose(own[own.findIndex((one) => one.id === chosen?.id) + by]?.id);
  const neighbour = (by: number) => {
    const next = study.tests_full[study.tests_full.findIndex((one) => one.id === test?.id) + by];
    if (next) go(`/studies/${study.id}/passes/${next.id}`);
  };
  const on = dialog === null && !busy;
  useHotkeys("up", () => step(-1), { enabled: on, preventDefault: true, ignoreEventWhen: inChart });
  useHotkeys("down", () => step(1), { enabled: on, preventDefault: true, ignoreEventWhen: inChart });
  useHotkeys("[", () => neighbour(-1), { enabled: on, useKey: true });
  useHotkeys("]", () => neighbour(1), { enabled: on, useKey: true });
  useHotkeys("c", () => setDialog("trim"), {
    enabled: on && may && Boolean(chosen?.capture_id),
    preventDefault: true,
  });
  useKeysOf("Passes", KEYS);

  useTitle(test ? `${test.game}, ${test.scene}` : "Passes", study.question);
  if (!test) return <ErrorNotice error={new Error("There is no such test in this study.")} />;
  if (error) return <ErrorNotice error={error} />;
  if (!passes) return <Loading what="the passes" />;
  const trims = may && chosen?.capture_id != null;
  return (
    <>
      <div className="mb-3 flex flex-wrap items-end justify-between gap-4">
        <div>
          <p className="text-[0.9rem]">
            <Link to={`/studies/${study.id}/passes${chosen ? `?pass=${chosen.id}` : ""}`}>All passes</Link>
          </p>
          <h1 className="text-2xl font-bold">
            {test.game}{" "}
            <span className="font-medium text-soft">
              {test.scene}, {test.condition}
            </span>
          </h1>
        </div>
        <div className="flex flex-wrap gap-2">
          {own.some((one) => one.capture_id !== null) && (
            <Keep
              study={study}
              shortcut="K"
              enabled={on}
              offer={() => someTraces(test.id, own, laid.current, chosen, looking.current)}
            />
          )}
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
        <Traces
          study={study}
          test={test.id}
          passes={own}
          chosen={chosen}
          doubts={its}
          looking={looking}
          laid={laid}
          trim={
            trims
              ? (stretch) => {
                  setDragged(stretch);
                  setDialog("trim");
                }
              : undefined
          }
          choose={choose}
        />
        <aside className="grid min-w-0 gap-3 [&>*]:min-w-0">
          <PassList
            study={study}
            passes={own}
            stands={stands}
            chosen={chosen}
            choose={(one) => choose(one.id)}
          />
          {chosen && <DoubtList study={study.id} pass={chosen.id} doubts={doubts} />}
          <Deciding study={study} chosen={chosen} doubts={doubts} keys={dialog === null} busy={setBusy}>
            {chosen?.state === "planned" && <Button onClick={() => setDialog("report")}>Only numbers</Button>}
            {chosen?.capture_id && (
              <Button shortcut="c" onClick={() => setDialog("trim")}>
                Trim
              </Button>
            )}
            {chosen?.capture_id && (chosen.state === "recorded" || chosen.state === "accepted") && (
              <Button onClick={() => setDialog("move")}>Move</Button>
            )}
            {chosen && <Button onClick={() => setDialog("file")}>Add a file</Button>}
            {chosen && <Button onClick={() => more.mutate(chosen)}>One more pass</Button>}
          </Deciding>
          {chosen && <PassFigures study={study.id} one={chosen} lowSchool={study.method.low_school} />}
        </aside>
      </div>
      {chosen && (
        <>
          <ReportedDialog
            study={study}
            one={chosen}
            open={dialog === "report"}
            close={() => setDialog(null)}
          />
          <FileDialog study={study} one={chosen} open={dialog === "file"} close={() => setDialog(null)} />
          <MoveDialog
            study={study}
            passes={[chosen]}
            open={dialog === "move"}
            close={() => setDialog(null)}
          />
          <TrimDialog
            study={study}
            passes={[chosen]}
            others={own.filter((one) => one.id !== chosen.id && one.capture_id !== null)}
            zoom={looking.current}
            dragged={dragged}
            open={dialog === "trim"}
            close={() => {
              setDialog(null);
              setDragged(null);
            }}
          />
        </>
      )}
    </>
  );
}

const NONE: readonly PassDoubt[] = [];

/** The chart has arrow keys of its own. */
function inChart(event: KeyboardEvent): boolean {
  return event.target instanceof Element && event.target.getAttribute("role") === "group";
}

function PassList({
  study,
  passes,
  stands,
  chosen,
  choose,
}: {
  study: Study;
  passes: Pass[];
  /** What stands about each pass. */
  stands: ReadonlyMap<number, readonly PassDoubt[]>;
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
                    <span className={`text-[0.88rem] ${waits(one) ? "font-bold text-accent" : "text-mute"}`}>
                      {one.role === "warm_up" ? "warm-up, never counts" : stateWords(one.state)}
                      {one.simulated && ", simulated"}
                      {(stands.get(one.id) ?? [])
                        .filter((doubt) => !doubt.weak)
                        .map((doubt) => `, ${checkWords(doubt.check)}`)}
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
