import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import type { Looking } from "../../api/queries";
import { words } from "../../api/words";
import { testWords } from "../../charts/margins";
import { count, interval, signedPercent } from "../../format";
import type { Study } from "../../model/study";
import { Why } from "../answers/Why";
import { Spread } from "./Spread";

type FindingsOut = Schemas["FindingsOut"];
type SuiteOut = Schemas["SuiteOut"];

/** What the answer of one figure rests on: intervals, spread, influence, and every other way of computing it. */
export function SuitePanel({
  study,
  looking,
  findings,
  suite,
  title,
}: {
  study: Study;
  looking: Looking;
  findings: FindingsOut;
  suite: SuiteOut;
  title: string;
}) {
  if (suite.margin == null) return null;
  const names = new Map(findings.tests.map((test) => [test.test_id, testWords(test, findings.tests)]));
  const school = findings.method.suite_school;
  return (
    <section id={`agreement-${suite.figure}`}>
      <h2 className="mb-2 text-xl font-bold">
        {title} over {count(suite.tests, "test")}
        {suite.games !== suite.tests && ` in ${count(suite.games, "game")}`}
      </h2>
      <dl className="grid gap-y-1.5 border-rule border-t pt-2 sm:grid-cols-[10rem_1fr]">
        <dt className="label pt-0.5">These tests</dt>
        <dd>
          <span className="figure font-semibold">{signedPercent(suite.margin)}%</span>{" "}
          <span className="figure text-[0.86rem] text-soft">({interval(suite.low, suite.high)})</span>{" "}
          <Why
            study={study}
            looking={looking}
            asked={{ figure: suite.figure === "average_fps" ? "average" : "low_1" }}
            of={`${signedPercent(suite.margin)}% over ${count(suite.tests, "test")}`}
          />
          <span className="block text-[0.88rem] text-mute">
            {suite.basis_words}
            {suite.drift && !suite.drift.untold && `; ${signedPercent(suite.drift.raw)}% as measured`}
          </span>
        </dd>
        <dt className="label pt-0.5">Other games</dt>
        <dd>
          {suite.games_low != null ? (
            <>
              <span className="figure text-[0.93rem]">{interval(suite.games_low, suite.games_high)}</span>
              <span className="block text-[0.88rem] text-mute">
                what the mean of other such games might be, at 95%, from {count(suite.games, "game")}, each
                counted once
              </span>
              <span className="figure text-[0.93rem]">
                {interval(suite.single_game_low, suite.single_game_high)}
              </span>
              <span className="block text-[0.88rem] text-mute">
                what a single other game might give, at 95%
              </span>
            </>
          ) : (
            <span className="text-[0.93rem] text-soft">not told from fewer than eight games</span>
          )}
        </dd>
        <dt className="label pt-0.5">Tests say</dt>
        <dd>
          {suite.wins} ahead, {suite.losses} behind, {suite.even} even, {suite.open} open
          <Spread suite={suite} />
        </dd>
        {suite.mover && (
          <>
            <dt className="label pt-0.5">Most influence</dt>
            <dd>
              <Link to={`/studies/${findings.study_id}/passes/${suite.mover.test_id}`}>
                {names.get(suite.mover.test_id)}
              </Link>
              : without it <span className="figure">{signedPercent(suite.mover.without)}%</span>
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
                {words().schools[name] ?? name}: {suite.verdicts[name]}
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
              .map((part) => words().schools[part] ?? part)
              .join(", ")}
            : {verdict}
          </li>
        ))}
      </ul>
    </>
  );
}
