import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { useHealth, useHouse, useMay, useOutlooks, useStudies, useWork } from "../api/queries";
import { words } from "../api/words";
import { Button, buttonLook } from "../controls/Button";
import { FilterField, NothingMatches } from "../controls/Filter";
import { useKeysOf } from "../controls/Keys";
import { LaneName } from "../controls/LaneMark";
import { Empty, ErrorNotice, Loading } from "../controls/Notice";
import { Tick } from "../controls/Tick";
import { useLater } from "../controls/useLater";
import { useTitle } from "../controls/useTitle";
import { benchMoment, count, moment } from "../format";
import { LookAround } from "./people/Beside";

type Summary = Schemas["StudySummary"];

const KEYS = [{ key: "n", does: "new study" }];

/** What a study needs next, in words, and where that is done. */
export function nextAction(study: Summary): { text: string; to: string; urgent: boolean } {
  const { planned, recorded, accepted } = study.counts;
  const at = `/studies/${study.id}`;
  if (study.archived_at) return { text: "Look at it", to: at, urgent: false };
  const begun = recorded + accepted > 0;
  if (study.state === "finished") return { text: "Read the findings", to: `${at}/findings`, urgent: false };
  if (!study.ready_at && !begun) return { text: "Make it fair", to: `${at}/plan`, urgent: false };
  if (recorded)
    return { text: `Decide on ${count(recorded, "pass", "passes")}`, to: `${at}/passes`, urgent: true };
  if (planned) return { text: `Hand in ${count(planned, "capture")}`, to: `${at}/intake`, urgent: false };
  return accepted
    ? { text: "Read the findings", to: `${at}/findings`, urgent: false }
    : { text: "Plan passes", to: `${at}/plan`, urgent: false };
}

/** Typing asks the server when the hand pauses. */
const FILTER_RESTS_MS = 200;

export function Desk() {
  const [filter, setFilter] = useState("");
  const asked = useLater(filter, FILTER_RESTS_MS);
  const [away, setAway] = useState(false);
  const { data, error, isPending, hasNextPage, fetchNextPage, isFetchingNextPage } = useStudies(asked, away);
  const { data: outlooks = [] } = useOutlooks();
  const lead = useMay("lead");
  const go = useNavigate();
  useHotkeys("n", () => go("/studies/new"), { enabled: lead });
  useKeysOf("Desk", KEYS);
  useTitle("Desk");
  if (error) return <ErrorNotice error={error} />;
  if (isPending) return <Loading what="the studies" />;
  const studies = data.pages.flat();
  return (
    <>
      <div className="mb-5 flex flex-wrap items-end justify-between gap-4">
        <div>
          <h1 className="text-[2rem] leading-tight font-bold">Desk</h1>
          <p className="text-soft">Each study is a question. The one that waits for you stands out.</p>
        </div>
        <div className="flex flex-wrap items-end gap-3">
          {(studies.length > 0 || filter) && (
            <FilterField label="Filter studies" text={filter} setText={setFilter} />
          )}
          <span className="pb-1">
            <Tick label="those put away" checked={away} onChange={setAway} />
          </span>
          {lead && (
            <Link to="/studies/new" className={buttonLook("main")}>
              New study{" "}
              <span className="key" aria-hidden="true">
                n
              </span>
            </Link>
          )}
        </div>
      </div>
      <Upkeep />
      <Working />
      {studies.length === 0 && away && !asked ? (
        <p role="status" className="py-6 text-mute">
          No study was put away.
        </p>
      ) : studies.length === 0 && !asked ? (
        <Empty title="No study yet.">
          <p>
            Begin with a question of the form “does X change how games run, by how much?”, name the two setups
            and the scenes, and hand in the captures.
          </p>
          {lead && (
            <p className="mt-4">
              <Link to="/studies/new" className={buttonLook("main")}>
                Ask the first question
              </Link>
            </p>
          )}
          <LookAround />
        </Empty>
      ) : (
        <ul className="grid gap-0">
          {studies.map((study) => (
            <StudyRow
              key={study.id}
              study={study}
              outlook={outlooks.find((one) => one.study_id === study.id)}
            />
          ))}
        </ul>
      )}
      {studies.length === 0 && asked && <NothingMatches text={asked} what="study" />}
      {hasNextPage && (
        <p className="border-rule border-t pt-4">
          <Button disabled={isFetchingNextPage} onClick={() => fetchNextPage()}>
            Older studies
          </Button>
        </p>
      )}
    </>
  );
}

/** From so many days on, the age of the last backup is a matter for the lead. */
const BACKUP_OLD_DAYS = 2;

/** What stands in the way of all work: no worker, no backup. A lead is told how old the last backup is. */
function Upkeep() {
  const { data: house } = useHouse();
  const { data: health } = useHealth();
  const days = house?.backed_up_at
    ? (Date.now() - Date.parse(house.backed_up_at)) / 86_400_000
    : Number.POSITIVE_INFINITY;
  const old = house?.backups && days > BACKUP_OLD_DAYS;
  return (
    <>
      {health && !health.worker && (
        <p role="alert" className="mb-5 border-accent border-l-4 bg-raised px-4 py-2">
          The worker was not heard of for a minute: packs, checks and measuring wait. It is started again by
          itself; if this stays, look at what the terminal says.
        </p>
      )}
      {house?.backups && (
        <p
          className={
            old ? "mb-5 border-accent border-l-4 bg-raised px-4 py-2" : "mb-3 text-[0.86rem] text-mute"
          }
        >
          {house.backed_up_at ? `Last backup: ${moment(house.backed_up_at)}.` : "No backup was made yet."}
          {old && " One is made every night while it runs; make backup makes one now."}
        </p>
      )}
    </>
  );
}

/** What the worker is measuring again, and what it could not. */
function Working() {
  const { data: work = [] } = useWork();
  const left = work.reduce((sum, one) => sum + one.left, 0);
  const failed = work.filter((one) => one.failed);
  if (!left && !failed.length) return null;
  return (
    <div role="status" className="mb-5 border-l-4 border-ink bg-raised px-4 py-2">
      {left > 0 && (
        <p>
          {count(left, "capture is", "captures are")} being measured again, since the measures or a method
          have changed. You can go on meanwhile.
        </p>
      )}
      {failed.map((one) => (
        <p key={one.study_id}>
          {count(one.failed, "capture", "captures")} of{" "}
          <Link to={`/studies/${one.study_id}/passes`}>{one.question}</Link> could not be measured again; the
          figures are those from before.
        </p>
      ))}
    </div>
  );
}

/** How many lanes are named before the rest is counted. */
const LANES_NAMED = 4;

function StudyRow({ study, outlook }: { study: Summary; outlook: Schemas["OutlookOut"] | undefined }) {
  const next = nextAction(study);
  const { planned, recorded, accepted, rejected, did_not_run } = study.counts;
  const total = planned + recorded + accepted + rejected + did_not_run;
  return (
    <li className="grid items-center gap-x-8 gap-y-2 border-rule border-t py-4 md:grid-cols-[1fr_17rem_13rem]">
      <div>
        <h2 className="text-[1.35rem] leading-snug font-semibold">
          <Link to={`/studies/${study.id}`} className="plain hover:underline">
            {study.question}
          </Link>
          {study.kept && <span className="ml-2 text-[0.86rem] font-semibold text-accent">kept to some</span>}
        </h2>
        <p className="mt-1 flex flex-wrap items-center gap-x-3 text-soft">
          {study.lanes.slice(0, LANES_NAMED).map((lane, index) => (
            <LaneName key={lane} lane={index} name={lane} />
          ))}
          {study.lanes.length > LANES_NAMED && <span>and {study.lanes.length - LANES_NAMED} more</span>}
          <span className="text-mute">
            {words().kinds[study.kind]} · {study.factor} · {count(study.tests, "test")}
          </span>
        </p>
      </div>
      <div>
        <Progress counts={study.counts} total={total} />
        <p className="mt-1 text-[0.88rem] text-soft">
          <span className="figure">{accepted}</span> accepted, <span className="figure">{recorded}</span> to
          decide, <span className="figure">{planned}</span> to run
          {rejected + did_not_run > 0 && (
            <>
              , <span className="figure">{rejected + did_not_run}</span> out
            </>
          )}
        </p>
        {outlook && (
          <p className={`text-[0.88rem] ${outlook.late ? "font-semibold text-accent" : "text-soft"}`}>
            {outlook.late
              ? `${outlook.dropped ? `${count(outlook.dropped, "test")} too many` : "Does not fit"} for ${benchMoment(outlook.deadline)}`
              : `planned to be done ${outlook.ends ? benchMoment(outlook.ends) : "never"}`}
          </p>
        )}
      </div>
      <div className="md:text-right">
        <Link to={next.to} className={buttonLook(next.urgent ? "main" : "plain")}>
          {next.text}
        </Link>
      </div>
    </li>
  );
}

function Progress({ counts, total }: { counts: Schemas["Counts"]; total: number }) {
  const share = (n: number) => `${(100 * n) / Math.max(total, 1)}%`;
  return (
    <div className="flex h-2.5 overflow-hidden rounded-[2px] border border-mute bg-raised" aria-hidden="true">
      <div style={{ width: share(counts.accepted) }} className="bg-ink" />
      <div style={{ width: share(counts.recorded) }} className="bg-accent" />
      <div style={{ width: share(counts.rejected + counts.did_not_run) }} className="bg-rule" />
    </div>
  );
}
