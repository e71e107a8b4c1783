import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import type { Looking } from "../../api/queries";
import { missingWords } from "../../api/words";
import { MarginAxis, MarginTrack } from "../../charts/MarginTrack";
import { describe, marginScale, shortVerdict } from "../../charts/margins";
import { disc, laneColour, lozenge } from "../../charts/marks";
import { useWidth } from "../../charts/useWidth";
import { Term } from "../../controls/Term";
import { count, interval, percent, signedPercent } from "../../format";
import type { Study } from "../../model/study";
import { Why } from "../answers/Why";

type FindingsOut = Schemas["FindingsOut"];
type MarginOut = Schemas["MarginOut"];

const ROW = 44;

/** The margins of every test: a track from the finish line, both figures both ways round, verdicts in words. */
export function MarginTable({
  study,
  findings,
  looking,
}: {
  study: Study;
  findings: FindingsOut;
  looking: Looking;
}) {
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
            <th className="label w-[10.5rem] pb-1">
              <Term word="test">Test</Term>
            </th>
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
            <th className="label w-[15.5rem] pb-1 pl-5">
              <Term word="open">Verdict</Term>
            </th>
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
                  <svg width={scale.width} height={ROW} aria-hidden="true" className="block overflow-visible">
                    <MarginTrack
                      test={test}
                      scale={scale}
                      band={findings.method.equal_band}
                      lane={other.marker}
                      height={ROW}
                    />
                  </svg>
                  <span className="sr-only">{describe(test)}</span>
                </td>
                {(["average", "low_1"] as const).map((key) => (
                  <FigureCell key={key} margin={test[key]} to={to}>
                    <Why
                      study={study}
                      looking={looking}
                      asked={{ figure: key, test: test.test_id }}
                      of={`${signedPercent(test[key].b_over_a ?? 0)}% in ${test.game}, ${key === "average" ? "average fps" : "1% low"}`}
                    />
                  </FigureCell>
                ))}
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
              Large: {other.name} over {baseline.name}. Small: the other way round.{" "}
              {findings.tests.some((test) => drifted(test.average) || drifted(test.low_1)) &&
                "Raw: as measured, before drift was taken off. "}
              Strip: within {percent(findings.method.equal_band)}% counts as even. Brackets:{" "}
              {findings.interval_words}. {count(findings.tests.length, "test")},{" "}
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
    <th className="w-[10.4rem] pb-1 pl-4">
      <span className="label flex items-center gap-1.5">
        <svg width="14" height="14" viewBox="-7 -7 14 14" aria-hidden="true">
          <path d={shape} fill={filled ? colour : "none"} stroke={colour} strokeWidth={filled ? 0 : 1.7} />
        </svg>
        {name}
      </span>
      <span className="sr-only">
        {other} over {baseline}, the other way round, and the interval
      </span>
    </th>
  );
}

/** Does what was taken off for drift show once it is rounded? */
const drifted = (margin: MarginOut) => margin.drift_share != null && Math.abs(margin.drift_share) >= 0.0005;

function FigureCell({ margin, to, children }: { margin: MarginOut; to: string; children: ReactNode }) {
  if (margin.left_out || margin.b_over_a == null || margin.a_over_b == null) {
    return <td className="pl-4 align-middle text-[0.9rem] text-mute">left out</td>;
  }
  return (
    <td className="figure pl-4 align-middle leading-tight whitespace-nowrap">
      <Link to={to} className="plain hover:underline" title={`${margin.n_a} and ${margin.n_b} passes`}>
        <span className="text-[1.02rem] font-semibold">{signedPercent(margin.b_over_a)}%</span>
        <span className="ml-2 text-[0.8rem] text-mute">{signedPercent(margin.a_over_b)}%</span>
      </Link>
      <span className="ml-2 font-sans">{children}</span>
      <span className="block text-[0.74rem] text-mute">
        {interval(margin.low, margin.high)}
        {drifted(margin) && ` · raw ${signedPercent(margin.raw_b_over_a ?? 0)}%`}
      </span>
    </td>
  );
}

function Verdict({ margin, name }: { margin: MarginOut; name: string }) {
  const strong = margin.verdict === "ahead" || margin.verdict === "behind";
  return (
    <span className="block truncate" title={margin.left_out?.words ?? margin.words}>
      <span className="text-mute">{name}</span>{" "}
      <span className={strong ? "font-semibold" : ""}>
        {margin.left_out ? `left out: ${missingWords(margin.left_out.reason)}` : shortVerdict(margin)}
      </span>
    </span>
  );
}
