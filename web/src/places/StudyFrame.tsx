import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, Navigate, Route, Routes, useNavigate, useParams } from "react-router";
import { client, data } from "../api/client";
import { refreshStudy, useMay, useStudy } from "../api/queries";
import { useFailedSetups } from "../api/tuning";
import { words } from "../api/words";
import { Button } from "../controls/Button";
import { Dialog } from "../controls/Dialog";
import { useKeysOf } from "../controls/Keys";
import { LaneName } from "../controls/LaneMark";
import { Menu, MenuAction } from "../controls/Menu";
import { ErrorNotice, Loading } from "../controls/Notice";
import { PlaceTab } from "../controls/PlaceTab";
import type { Study } from "../model/study";
import { Findings } from "./findings/Findings";
import { Intake } from "./hand-in/Intake";
import { Checks } from "./passes/Checks";
import { Passes } from "./passes/Passes";
import { TestPasses } from "./passes/TestPasses";
import { KeptTo } from "./people/KeptTo";
import { Plan } from "./plan/Plan";
import { Record } from "./Record";

const KEYS = [
  { key: "l", does: "plan" },
  { key: "w", does: "run, at the bench" },
  { key: "h", does: "hand in captures" },
  { key: "p", does: "passes" },
  { key: "f", does: "findings" },
];

/** How many lanes are named before the rest is counted. */
const LANES_NAMED = 8;

export default function StudyFrame() {
  const id = Number(useParams().study);
  const { data: study, error } = useStudy(id);
  const tester = useMay("tester");
  const go = useNavigate();
  useHotkeys("l", () => go(`/studies/${id}/plan`));
  useHotkeys("w", () => go(`/studies/${id}/run`));
  useHotkeys("h", () => go(`/studies/${id}/intake`), { enabled: tester });
  useHotkeys("p", () => go(`/studies/${id}/passes`));
  useHotkeys("f", () => go(`/studies/${id}/findings`));
  useKeysOf("Study", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!study) return <Loading what="the study" />;
  const { recorded, accepted } = study.counts;
  const begin = !recorded && !accepted ? "plan" : recorded && study.state === "open" ? "passes" : "findings";
  return (
    <>
      <header className="mb-4 flex flex-wrap items-end justify-between gap-x-8 gap-y-2 border-rule border-b">
        <div className="pb-2">
          <p className="label">{study.question}</p>
          <p className="mt-1 flex flex-wrap items-center gap-x-3 text-[0.93rem] text-soft">
            {study.lanes_full.slice(0, LANES_NAMED).map((lane) => (
              <span key={lane.id} className="inline-flex items-center gap-1">
                <LaneName lane={lane.position} name={lane.name} />
                {lane.baseline && <span className="text-mute">(baseline)</span>}
              </span>
            ))}
            {study.lanes_full.length > LANES_NAMED && (
              <span>and {study.lanes_full.length - LANES_NAMED} more</span>
            )}
            <span className="text-mute">
              {words().kinds[study.kind]}, factor: {study.factor}
              {study.second_factor && ` × ${study.second_factor}`} · {stateWords(study)}
              {study.kept && <b className="text-accent"> · kept to some</b>}
            </span>
          </p>
        </div>
        <nav aria-label="Study" className="flex flex-wrap gap-1 max-sm:gap-0">
          <PlaceTab to={`/studies/${id}/plan`} shortcut="l">
            Plan
          </PlaceTab>
          <PlaceTab to={`/studies/${id}/run`} shortcut="w">
            Run
          </PlaceTab>
          <PlaceTab to={`/studies/${id}/intake`} shortcut="h">
            Hand in
          </PlaceTab>
          <PlaceTab to={`/studies/${id}/passes`} shortcut="p">
            Passes{recorded > 0 && <span className="figure"> {recorded}</span>}
          </PlaceTab>
          <PlaceTab to={`/studies/${id}/findings`} shortcut="f">
            Findings
          </PlaceTab>
          <PlaceTab to={`/studies/${id}/record`}>Record</PlaceTab>
          <div className="mb-1 ml-2">
            <PutAway study={study} />
          </div>
        </nav>
      </header>
      <FailedSetups study={study} />
      <Routes>
        <Route path="plan" element={<Plan study={study} />} />
        <Route path="intake" element={<Intake study={study} />} />
        <Route path="passes" element={<Passes study={study} />} />
        <Route path="checks" element={<Checks study={study} />} />
        <Route path="passes/:test" element={<TestPasses study={study} />} />
        <Route path="findings" element={<Findings study={study} />} />
        <Route path="record" element={<Record study={study} />} />
        <Route path="*" element={<Navigate to={`/studies/${id}/${begin}`} replace />} />
      </Routes>
    </>
  );
}

/** Lanes whose setup failed stability somewhere: what they show may not last. */
function FailedSetups({ study }: { study: Study }) {
  const { data: failed = [] } = useFailedSetups(study.id);
  const told = study.lanes_full.flatMap((lane) => {
    const mark = failed.find((one) => one.version_id === lane.setup.version_id);
    return mark ? [{ lane, mark }] : [];
  });
  if (!told.length) return null;
  return (
    <p role="note" aria-label="Setups that failed" className="mb-4 border-accent border-l-4 pl-3">
      {told.slice(0, LANES_NAMED).map(({ lane, mark }, at) => (
        <span key={lane.id}>
          {at > 0 && " "}
          The setup of <b>{lane.name}</b> failed: <Link to={mark.way}>{mark.words}</Link>.
        </span>
      ))}
      {told.length > LANES_NAMED && ` And ${told.length - LANES_NAMED} more.`}
    </p>
  );
}

/** How far a study has come. */
function stateWords(study: Study): string {
  if (study.archived_at) return "put away";
  if (study.state === "finished") return "finished";
  const { recorded, accepted } = study.counts;
  if (recorded + accepted > 0) return study.ready_at ? "in progress" : "in progress, not called ready";
  return study.ready_at ? "ready" : "not called ready";
}

/** Off the desk: an empty study goes for good, one with passes is put away and can be taken out. */
function PutAway({ study }: { study: Study }) {
  const lead = useMay("lead");
  const go = useNavigate();
  const queries = useQueryClient();
  const [asked, setAsked] = useState(false);
  const [keeping, setKeeping] = useState(false);
  const { recorded, accepted, rejected, did_not_run } = study.counts;
  const empty = !recorded && !accepted && !rejected && !did_not_run;
  const path = { params: { path: { study_id: study.id } } };
  const change = useMutation({
    mutationFn: async (what: "archive" | "restore" | "remove") =>
      what === "remove"
        ? data(client.DELETE("/api/studies/{study_id}", path))
        : data(client.POST(`/api/studies/{study_id}/${what}`, path)),
    onSuccess: async (_, what) => {
      await refreshStudy(queries, study.id);
      if (what !== "restore") go("/");
    },
  });
  if (!lead) return null;
  return (
    <>
      {study.archived_at ? (
        <Button kind="quiet" onClick={() => change.mutate("restore")}>
          Take it out again
        </Button>
      ) : (
        <Menu label="More">
          {empty && <MenuAction onSelect={() => setAsked(true)}>Remove this empty study</MenuAction>}
          <MenuAction onSelect={() => setKeeping(true)}>Who sees it</MenuAction>
          <MenuAction onSelect={() => change.mutate("archive")}>Put it away</MenuAction>
        </Menu>
      )}
      {keeping && <KeptTo study={study} close={() => setKeeping(false)} />}
      <Dialog
        open={asked}
        onOpenChange={setAsked}
        title="Remove this study?"
        description={`“${study.question}” goes with its lanes, its tests and its plan. Nothing was run for it. To keep it out of sight and be able to take it out again, put it away instead.`}
      >
        <div className="flex justify-end gap-3">
          <Button onClick={() => setAsked(false)}>Cancel</Button>
          <Button kind="main" onClick={() => change.mutate("remove")} disabled={change.isPending}>
            Remove it
          </Button>
        </div>
      </Dialog>
      <ErrorNotice error={change.error} />
    </>
  );
}
