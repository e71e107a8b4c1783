import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { client, data } from "../../api/client";
import { useFindings, useMay, useStudyChange } from "../../api/queries";
import { fontStyle, png, save } from "../../charts/export";
import { LevelChart } from "../../charts/LevelChart";
import { MarginAxis, MarginTrack } from "../../charts/MarginTrack";
import { describe, marginPicture, marginScale, PICTURE, shortVerdict } from "../../charts/margins";
import { disc, laneColour, lozenge } from "../../charts/marks";
import { useWidth } from "../../charts/useWidth";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { LaneName } from "../../controls/LaneMark";
import { Menu, MenuAction, MenuLink } from "../../controls/Menu";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { count, interval, parted, percent, signedPercent } from "../../format";
import { MethodDialog, SCHOOL_WORDS } from "./MethodDialog";
import type { Study } from "./StudyFrame";

type FindingsOut = Schemas["FindingsOut"];
type SuiteOut = Schemas["SuiteOut"];
type MarginOut = Schemas["MarginOut"];

const ROW = 44;

export function Findings({ study }: { study: Study }) {
  const own = study.lanes_full.find((lane) => lane.baseline)?.id ?? 0;
  const [baseline, setBaseline] = useState(own);
  const { data: findings, error } = useFindings(study.id, baseline);
  if (error) return <ErrorNotice error={error} />;
  if (!findings) return <Loading what="the findings" />;
  const averageLeads = findings.method.leading === "average_fps";
  const leading = averageLeads ? findings.average : findings.low_1;
  const second = averageLeads ? findings.low_1 : findings.average;
  if (!leading.tests && !second.tests) {
    return (
      <Empty title="No finding yet.">
        <p>{leading.sentence}</p>
        <p className="mt-3">
          <Link to={`/studies/${study.id}/intake`}>Hand in captures</Link>, then{" "}
          <Link to={`/studies/${study.id}/passes`}>accept the passes</Link> that are fit to count.
        </p>
      </Empty>
    );
  }
  return (
    <>
      <section aria-label="Answer" className="mb-5">
        <h1 className="max-w-5xl text-[2.25rem] leading-[1.1] font-semibold" style={{ fontStretch: "82%" }}>
          <Answer suite={leading} />
        </h1>
        <p className="mt-2 text-[1.1rem] text-soft">{second.sentence}</p>
      </section>
      <Bar study={study} findings={findings} baseline={baseline} setBaseline={setBaseline} />
      <MarginTable study={study} findings={findings} />
      <div className="mt-10 grid gap-10 lg:grid-cols-2">
        <Suite findings={findings} suite={leading} title={averageLeads ? "Average fps" : "1% low"} />
        <Suite findings={findings} suite={second} title={averageLeads ? "1% low" : "Average fps"} />
      </div>
      <section className="mt-10">
        <h2 className="mb-3 text-xl font-bold">Levels</h2>
        <LevelChart findings={findings} lanes={study.lanes_full} />
      </section>
      <NotCounted study={study} findings={findings} />
    </>
  );
}

/** The sentence: what answers set off, what it stands on smaller beneath. */
function Answer({ suite }: { suite: SuiteOut }) {
  const { claim, basis } = parted(suite.sentence);
  const found = /^(.* (?:is|are) )([\d.]+% (?:ahead|behind)|even)( .*)$/.exec(claim);
  return (
    <>
      {found ? (
        <>
          {found[1]}
          <span className="answer">{found[2]}</span>
          {found[3]}
        </>
      ) : (
        claim
      )}
      {basis && (
        <>
          <span className="sr-only"> (</span>
          <span className="mt-1 block text-[1.15rem] font-medium text-soft" style={{ fontStretch: "90%" }}>
            {basis}
          </span>
          <span className="sr-only">).</span>
        </>
      )}
    </>
  );
}

function Bar({
  study,
  findings,
  baseline,
  setBaseline,
}: {
  study: Study;
  findings: FindingsOut;
  baseline: number;
  setBaseline: (lane: number) => void;
}) {
  const lead = useMay("lead");
  const [method, setMethod] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const finish = useStudyChange(study.id, (verb: "finish" | "reopen") =>
    data(client.POST(`/api/studies/{study_id}/${verb}`, { params: { path: { study_id: study.id } } })),
  );
  const name = `${study.question
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "")
    .toLowerCase()}-findings`;
  const exportAs = async (kind: "svg" | 1 | 2) => {
    setError(null);
    try {
      const svg = marginPicture(findings, await fontStyle());
      if (kind === "svg") save(new Blob([svg], { type: "image/svg+xml" }), `${name}.svg`);
      else
        save(
          await png(svg, PICTURE.width, PICTURE.height, kind),
          `${name}-${PICTURE.width * kind}x${PICTURE.height * kind}.png`,
        );
    } catch (problem) {
      setError(problem);
    }
  };
  const flips = [findings.average, findings.low_1].filter((suite) => suite.depends_on_method);
  return (
    <div className="mb-4">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
        <div className="flex items-center gap-2">
          <span className="label" id="baseline-label">
            Baseline
          </span>
          <Choice
            label="Baseline"
            value={String(baseline)}
            onChange={(lane) => setBaseline(Number(lane))}
            options={study.lanes_full.map((lane) => ({ value: String(lane.id), label: lane.name }))}
          />
        </div>
        <p className="text-[0.92rem] text-soft">
          <span className="label">Method</span> {SCHOOL_WORDS[findings.method.suite_school]} over tests ·{" "}
          {SCHOOL_WORDS[findings.method.low_school]} lows · even within {percent(findings.method.equal_band)}%{" "}
          <button
            type="button"
            className="cursor-pointer underline underline-offset-3"
            onClick={() => setMethod(true)}
          >
            {lead && study.state === "open" ? "change" : "read more"}
          </button>
        </p>
        {flips.length > 0 && (
          <a
            href={`#agreement-${flips[0]?.figure}`}
            className="plain rounded-[3px] border border-accent bg-mark/50 px-2 py-0.5 text-[0.88rem] font-bold text-ink"
          >
            Depends on the method:{" "}
            {flips.map((suite) => (suite === findings.average ? "average" : "1% low")).join(" and ")}
          </a>
        )}
        <div className="no-print ml-auto flex items-center gap-2">
          <Menu label="Export">
            <MenuAction onSelect={() => exportAs("svg")}>Chart as SVG</MenuAction>
            <MenuAction onSelect={() => exportAs(1)}>Chart as PNG, 1920 × 1080</MenuAction>
            <MenuAction onSelect={() => exportAs(2)}>Chart as PNG, 3840 × 2160</MenuAction>
            <MenuLink href={`/api/studies/${study.id}/findings.csv?baseline=${baseline}`}>
              Table as CSV
            </MenuLink>
          </Menu>
          {lead && (
            <Button
              kind={study.state === "open" ? "main" : "plain"}
              disabled={finish.isPending}
              onClick={() => finish.mutate(study.state === "open" ? "finish" : "reopen")}
            >
              {study.state === "open" ? "Finish study" : "Open again"}
            </Button>
          )}
        </div>
      </div>
      {(error || finish.error) && (
        <div className="mt-3">
          <ErrorNotice error={error ?? finish.error} />
        </div>
      )}
      <MethodDialog study={study} open={method} onOpenChange={setMethod} />
    </div>
  );
}

function MarginTable({ study, findings }: { study: Study; findings: FindingsOut }) {
  const [axis, width] = useWidth<HTMLTableCellElement>(430);
  const scale = marginScale(findings, Math.max(width, 160));
  const { baseline, other } = findings;
  const colour = laneColour(other.marker);
  return (
    <div className="relative overflow-x-auto">
      <table className="w-full min-w-[64rem] border-collapse">
        <caption className="sr-only">
          Margins of {other.name} over {baseline.name}, the baseline, in every test
        </caption>
        <thead>
          <tr className="align-bottom text-[0.85rem]">
            <th className="label w-[10.5rem] pb-1">Test</th>
            <th className="pb-1" ref={axis}>
              <span className="label flex justify-between normal-case!">
                <span>← behind {baseline.name}</span>
                <span>ahead →</span>
              </span>
              <MarginAxis scale={scale} />
            </th>
            <FigureHead
              shape={disc(5)}
              filled
              colour={colour}
              name="Average fps"
              other={other.name}
              baseline={baseline.name}
            />
            <FigureHead
              shape={lozenge(5.8)}
              filled={false}
              colour={colour}
              name="1% low"
              other={other.name}
              baseline={baseline.name}
            />
            <th className="label w-[15.5rem] pb-1 pl-5">Verdict</th>
          </tr>
        </thead>
        <tbody>
          {findings.tests.map((test) => {
            const to = `/studies/${study.id}/passes/${test.test_id}`;
            return (
              <tr key={test.test_id} className="border-rule border-t hover:bg-raised">
                <th scope="row" className="h-[44px] pr-3 align-middle">
                  <Link to={to} className="plain leading-tight font-semibold hover:underline">
                    {test.game}
                  </Link>
                  <span className="block text-[0.8rem] leading-tight text-mute">
                    {test.scene}, {test.condition}
                  </span>
                </th>
                <td className="p-0 align-middle">
                  <MarginTrack
                    test={test}
                    scale={scale}
                    band={findings.method.equal_band}
                    lane={other.marker}
                    height={ROW}
                  />
                  <span className="sr-only">{describe(test)}</span>
                </td>
                <FigureCell margin={test.average} to={to} />
                <FigureCell margin={test.low_1} to={to} />
                <td className="max-w-[15.5rem] pl-5 align-middle text-[0.88rem] leading-tight">
                  <Verdict margin={test.average} name="average" />
                  <Verdict margin={test.low_1} name="1% low" />
                </td>
              </tr>
            );
          })}
        </tbody>
        <tfoot>
          <tr className="border-ink border-t">
            <td />
            <td colSpan={4} className="pt-1.5 text-right text-[0.84rem] text-mute">
              Large: {other.name} over {baseline.name}. Small: the other way round. Strip: within{" "}
              {percent(findings.method.equal_band)}% counts as even. Brackets: 95% interval.{" "}
              {count(findings.tests.length, "test")},{" "}
              {count(findings.accepted_passes, "accepted pass", "accepted passes")}.
            </td>
          </tr>
        </tfoot>
      </table>
    </div>
  );
}

function FigureHead({
  shape,
  filled,
  colour,
  name,
  other,
  baseline,
}: {
  shape: string;
  filled: boolean;
  colour: string;
  name: string;
  other: string;
  baseline: string;
}) {
  return (
    <th className="w-[9.6rem] pb-1 pl-4">
      <span className="label flex items-center gap-1.5">
        <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
          <path d={shape} fill={filled ? colour : "none"} stroke={colour} strokeWidth={filled ? 0 : 1.7} />
        </svg>
        {name}
      </span>
      <span className="sr-only">
        {other} over {baseline}, the other way round, and the 95% interval
      </span>
    </th>
  );
}

function FigureCell({ margin, to }: { margin: MarginOut; to: string }) {
  if (margin.left_out || margin.b_over_a == null || margin.a_over_b == null) {
    return <td className="pl-4 align-middle text-[0.9rem] text-mute">left out</td>;
  }
  return (
    <td className="figure pl-4 align-middle leading-tight whitespace-nowrap">
      <Link to={to} className="plain hover:underline" title={`${margin.n_a} and ${margin.n_b} passes`}>
        <span className="text-[1.02rem] font-semibold">{signedPercent(margin.b_over_a)}%</span>
        <span className="ml-2 text-[0.8rem] text-mute">{signedPercent(margin.a_over_b)}%</span>
        <span className="block text-[0.74rem] text-mute">{interval(margin.low, margin.high)}</span>
      </Link>
    </td>
  );
}

function Verdict({ margin, name }: { margin: MarginOut; name: string }) {
  const strong = margin.verdict === "ahead" || margin.verdict === "behind";
  return (
    <span className="block truncate" title={margin.left_out?.words ?? margin.words}>
      <span className="text-mute">{name}</span>{" "}
      <span className={strong ? "font-semibold" : ""}>
        {margin.left_out ? `left out: ${margin.left_out.reason.replace(/_/g, " ")}` : shortVerdict(margin)}
      </span>
    </span>
  );
}

function Suite({ findings, suite, title }: { findings: FindingsOut; suite: SuiteOut; title: string }) {
  if (suite.margin == null) return null;
  const names = new Map(findings.tests.map((test) => [test.test_id, test.game]));
  const school = findings.method.suite_school;
  return (
    <section id={`agreement-${suite.figure}`}>
      <h2 className="mb-2 text-xl font-bold">
        {title} over {count(suite.tests, "test")}
      </h2>
      <dl className="grid grid-cols-[10rem_1fr] gap-y-1.5 border-rule border-t pt-2">
        <dt className="label pt-0.5">These tests</dt>
        <dd>
          <span className="figure font-semibold">{signedPercent(suite.margin)}%</span>{" "}
          <span className="figure text-[0.86rem] text-soft">({interval(suite.low, suite.high)})</span>
          <span className="block text-[0.88rem] text-mute">from pass noise alone</span>
        </dd>
        <dt className="label pt-0.5">Other games</dt>
        <dd>
          <span className="figure text-[0.93rem]">{interval(suite.games_low, suite.games_high)}</span>
          <span className="block text-[0.88rem] text-mute">what another choice of games might give</span>
        </dd>
        <dt className="label pt-0.5">Tests say</dt>
        <dd>
          {suite.wins} ahead, {suite.losses} behind, {suite.even} even, {suite.open} open
          <span className="block text-[0.88rem] text-mute">
            beyond 1%: {suite.beyond["1"]?.up ?? 0} up, {suite.beyond["1"]?.down ?? 0} down · beyond 5%:{" "}
            {suite.beyond["5"]?.up ?? 0} up, {suite.beyond["5"]?.down ?? 0} down
          </span>
        </dd>
        {suite.mover && (
          <>
            <dt className="label pt-0.5">Most influence</dt>
            <dd>
              {names.get(suite.mover.test_id)}: without it{" "}
              <span className="figure">{signedPercent(suite.mover.without)}%</span>
              {suite.outliers.length > 0 && (
                <span className="block text-[0.88rem] text-mute">
                  far from the rest: {suite.outliers.map((test) => names.get(test)).join(", ")}
                </span>
              )}
            </dd>
          </>
        )}
        <dt className="label pt-0.5">Kinds of mean</dt>
        <dd>
          <ul>
            {Object.entries(suite.margins).map(([name, margin]) => (
              <li key={name} className={name === school ? "font-semibold" : ""}>
                <span className="figure inline-block w-16">{signedPercent(margin)}%</span>{" "}
                {SCHOOL_WORDS[name] ?? name}: {suite.verdicts[name]}
                {name === school && <span className="font-normal text-mute"> (declared)</span>}
              </li>
            ))}
          </ul>
        </dd>
        <dt className="label pt-0.5">Agreement</dt>
        <dd>
          <Agreement suite={suite} />
        </dd>
      </dl>
    </section>
  );
}

function Agreement({ suite }: { suite: SuiteOut }) {
  const verdicts = Object.values(suite.agreement);
  if (!suite.depends_on_method)
    return (
      <>
        All {verdicts.length} ways of computing it say “{verdicts[0]}”.
      </>
    );
  const others = Object.entries(suite.agreement).filter(([, verdict]) => verdict !== suite.verdict);
  return (
    <>
      <strong>Depends on the method.</strong> {verdicts.length - others.length} of {verdicts.length} ways say
      “{suite.verdict}”; the others:
      <ul className="mt-1 text-[0.9rem] text-soft">
        {others.map(([way, verdict]) => (
          <li key={way}>
            {way
              .split("/")
              .map((part) => SCHOOL_WORDS[part] ?? part)
              .join(", ")}
            : {verdict}
          </li>
        ))}
      </ul>
    </>
  );
}

function NotCounted({ study, findings }: { study: Study; findings: FindingsOut }) {
  const lanes = new Map(study.lanes_full.map((lane) => [lane.id, lane.position]));
  if (!findings.rejected.length && !findings.missing.length) return null;
  return (
    <section className="mt-10">
      <h2 className="mb-2 text-xl font-bold">What does not count, and what is missing</h2>
      <ul>
        {findings.rejected.map((one) => (
          <li
            key={one.pass_id}
            className="grid gap-x-4 border-rule border-t py-1.5 md:grid-cols-[17rem_11rem_1fr]"
          >
            <Link to={`/studies/${study.id}/passes/${one.test_id}`} className="font-semibold">
              {one.test}
            </Link>
            <LaneName lane={lanes.get(one.lane_id) ?? 0} name={`${one.lane}, pass ${one.number}`} />
            <span>
              {one.state === "rejected" ? "rejected" : "did not run"}: {one.reason}
            </span>
          </li>
        ))}
        {findings.missing.map((one) => (
          <li
            key={`${one.test_id}-${one.lane_id}`}
            className="grid gap-x-4 border-rule border-t py-1.5 md:grid-cols-[17rem_11rem_1fr]"
          >
            <Link to={`/studies/${study.id}/passes/${one.test_id}`} className="font-semibold">
              {one.test}
            </Link>
            <LaneName lane={lanes.get(one.lane_id) ?? 0} name={one.lane} />
            <span>
              {one.accepted} of {count(one.planned, "planned pass", "planned passes")} accepted
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
