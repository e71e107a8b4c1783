import { ms } from "../format";
import { CONDENSED } from "./kinds/Frame";
import { laneShape, type Theme } from "./marks";
import { WholeText } from "./WholeText";

/** What stands still in a film strip, and where in it what moves goes. Told to whoever paints the pictures, in px. */
export interface StripOf {
  lanes: { said: string; position: number }[];
  budget_ms: number;
  /** The frame time at the upper edge of a trace. */
  top_ms: number;
}

const WIDTH = 1920;
const ROW = 200;
const PAD = 40;
const TRACE = { x: 620, y: 64, width: 1260, height: 122 };
const RATE = { x: PAD, y: 52, cell: 56, height: 96, cells: 4 };
const SMALL = { cell: 16, height: 32 };
const LONGEST = { x: 138, y: 158, cells: 6 };
const STUTTERS = { x: 424, y: 158, cells: 3 };
const NOT = { x: 1620, y: 6, width: 260, height: 36 };
const MARK = { width: 20, height: 16 };
const DIGITS = "0123456789.–";
/** The sheet of what moves: large digits, small ones, words and mark beneath each other. */
const SPRITES = {
  width: RATE.cell * DIGITS.length,
  height: RATE.height + SMALL.height + NOT.height + MARK.height,
};

export const placesOf = (lanes: number) => ({
  width: WIDTH,
  height: ROW * lanes,
  row: ROW,
  trace: TRACE,
  rate: RATE,
  longest: { ...SMALL, ...LONGEST },
  stutters: { ...SMALL, ...STUTTERS },
  not: NOT,
  mark: MARK,
  digits: DIGITS,
  sprites: SPRITES,
});

/** What does not move: names, units, the grid and the budget. */
export function StripGround({ lanes, budget_ms, top_ms, theme }: StripOf & { theme: Theme }) {
  const sans = { fontFamily: theme.sans, ...CONDENSED, fill: theme.ink };
  const budget = TRACE.y + TRACE.height * (1 - budget_ms / top_ms);
  return (
    <svg xmlns="http://www.w3.org/2000/svg" width={WIDTH} height={ROW * lanes.length}>
      <title>Film strip</title>
      {lanes.map(({ said, position }, i) => (
        <g key={`${said} ${position}`} transform={`translate(0 ${i * ROW})`}>
          <path
            d={laneShape(position, 11)}
            transform={`translate(${PAD + 12} 29)`}
            fill={theme.lane(position)}
          />
          <WholeText x={PAD + 36} y={39} {...sans} fontSize={30} width={NOT.x - PAD - 60} fontWeight={700}>
            {said}
          </WholeText>
          <text
            x={RATE.x + RATE.cell * RATE.cells + 10}
            y={RATE.y + 80}
            {...sans}
            fontSize={36}
            fontWeight={600}
          >
            fps
          </text>
          <g {...sans} fontSize={26} fontWeight={550}>
            <text x={LONGEST.x - 10} y={LONGEST.y + 24} textAnchor="end">
              longest
            </text>
            <text x={LONGEST.x + LONGEST.cells * SMALL.cell + 8} y={LONGEST.y + 24}>
              ms
            </text>
            <text x={STUTTERS.x - 10} y={STUTTERS.y + 24} textAnchor="end">
              stutters
            </text>
          </g>
          <path
            d={`M${TRACE.x} ${TRACE.y + TRACE.height}h${TRACE.width}`}
            stroke={theme.ink}
            strokeWidth={2}
          />
          <path
            d={`M${TRACE.x} ${budget}h${TRACE.width}`}
            stroke={theme.ink}
            strokeWidth={2}
            strokeDasharray="10 7"
          />
          <text
            x={TRACE.x - 10}
            y={budget + 7}
            fontFamily={theme.mono}
            fontSize={20}
            fill={theme.ink}
            textAnchor="end"
          >
            {`${ms(budget_ms)} ms`}
          </text>
        </g>
      ))}
    </svg>
  );
}

/** What moves: digits in both sizes, what is said of frames that do not count, and the mark of a stutter. */
export function StripSprites({ theme }: { theme: Theme }) {
  const mono = { fontFamily: theme.mono, fill: theme.ink, textAnchor: "middle" as const };
  return (
    <svg xmlns="http://www.w3.org/2000/svg" {...SPRITES}>
      <title>Digits</title>
      {[...DIGITS].map((digit, i) => (
        <g key={digit}>
          <text x={RATE.cell * (i + 0.5)} y={80} {...mono} fontSize={92} fontWeight={650}>
            {digit}
          </text>
          <text x={SMALL.cell * (i + 0.5)} y={RATE.height + 24} {...mono} fontSize={26} fontWeight={550}>
            {digit}
          </text>
        </g>
      ))}
      <text
        x={NOT.width}
        y={RATE.height + SMALL.height + 28}
        fontFamily={theme.sans}
        fill={theme.ink}
        fontSize={26}
        fontWeight={650}
        textAnchor="end"
      >
        does not count
      </text>
      <path
        d={`M1 ${SPRITES.height - MARK.height + 1}h${MARK.width - 2}l${1 - MARK.width / 2} ${MARK.height - 2}z`}
        fill={theme.ink}
      />
    </svg>
  );
}
