import type { Schemas } from "../../api/client";
import { signedPercent } from "../../format";
import { MarginTrack } from "../MarginTrack";
import { marginScale, shortVerdict, testWords, tickWords } from "../margins";
import { disc, lozenge } from "../marks";
import { WholeText } from "../WholeText";
import { CONDENSED, type Drawn, Frame, groundOf } from "./Frame";

const NAME = 420;
const SAID = 470;
/** A track is at most so high, in the units of the ground. */
const ROW = 74;
const LEGEND = 40;

/** One lane over another in every test as a picture on a page, however many tests there are. */
export function PairPicture({ findings, ...how }: Drawn & { findings: Schemas["FindingsOut"] }) {
  const { theme } = how;
  const { width, top: ground, pad, name, said } = groundOf(how, NAME, SAID);
  const top = ground + LEGEND;
  const left = how.narrow ? pad : pad + name;
  const row = how.narrow ? ROW * 1.5 : ROW;
  const plot = width - pad - left - (how.narrow ? said + 20 : said);
  const scale = marginScale(findings, plot);
  const end = top + row * findings.tests.length;
  const leading = findings.method.leading === "average_fps" ? findings.average : findings.low_1;
  const colour = theme.lane(findings.other.marker);
  const sans = { fontFamily: theme.sans, fontSize: how.narrow ? 27 : 23, ...CONDENSED };
  const mono = { fontFamily: theme.mono, fontSize: how.narrow ? 25 : 22 };
  return (
    <Frame {...how} question={findings.question} sentence={leading.sentence} foot="" height={end + 40}>
      <path d={disc(9)} transform={`translate(${pad + 10} ${ground + 2})`} fill={colour} />
      <text x={pad + 28} y={ground + 10} {...sans} fill={theme.soft}>
        average fps
      </text>
      <path
        d={lozenge(10)}
        transform={`translate(${pad + 190} ${ground + 2})`}
        fill={theme.paper}
        stroke={colour}
        strokeWidth={2.4}
      />
      <text x={pad + 208} y={ground + 10} {...sans} fill={theme.soft}>
        1% low
      </text>
      {!how.narrow && (
        <text x={left + plot} y={ground + 10} {...sans} textAnchor="end" fill={theme.soft}>
          ahead of {findings.baseline.name} →
        </text>
      )}
      {findings.tests.map((test, at) => (
        <g key={test.test_id} transform={`translate(0 ${top + at * row})`}>
          <path d={`M${pad} 0H${width - pad}`} stroke={theme.rule} strokeWidth={1.4} />
          <WholeText
            x={pad}
            y={how.narrow ? 29 : row / 2 + 8}
            {...sans}
            width={how.narrow ? width - 2 * pad : name - 20}
            fontWeight={600}
            fill={theme.ink}
          >
            {testWords(test, findings.tests)}
          </WholeText>
          <g transform={`translate(${left} ${how.narrow ? 38 : 0})`}>
            <MarginTrack
              test={test}
              scale={scale}
              band={findings.method.equal_band}
              lane={findings.other.marker}
              height={how.narrow ? row - 38 : row}
              theme={theme}
              cell={5}
            />
          </g>
          {(["average", "low_1"] as const).map((key, line) => {
            const margin = test[key];
            const y = how.narrow ? 62 + line * 34 : row * (line ? 0.75 : 0.4);
            return (
              <g key={key}>
                <text
                  x={left + plot + (how.narrow ? 140 : 110)}
                  y={y}
                  {...mono}
                  fontWeight={margin.b_over_a == null ? 400 : 700}
                  textAnchor="end"
                  fill={theme.ink}
                >
                  {margin.b_over_a == null ? "–" : `${signedPercent(margin.b_over_a)}%`}
                </text>
                {!how.narrow && (
                  <WholeText
                    x={left + plot + 130}
                    y={y}
                    {...sans}
                    fontSize={20}
                    width={said - 130}
                    lines={1}
                    fill={theme.soft}
                  >
                    {shortVerdict(margin)}
                  </WholeText>
                )}
              </g>
            );
          })}
        </g>
      ))}
      <path d={`M${pad} ${end}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
      {scale.ticks.map((tick, at) => (
        <text
          key={tick}
          x={left + scale(tick)}
          y={end + 30}
          {...mono}
          fontSize={20}
          textAnchor={how.narrow && at === 0 ? "start" : "middle"}
          fill={theme.mute}
          opacity={how.narrow && at % 2 ? 0 : 1}
        >
          {tickWords(tick)}
        </text>
      ))}
    </Frame>
  );
}
