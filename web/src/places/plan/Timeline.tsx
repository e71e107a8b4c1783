import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { laneColour, laneShape } from "../../charts/marks";
import { useWidth } from "../../charts/useWidth";
import { benchDay, count } from "../../format";
import type { Study } from "../../model/study";
import { BlockDetail } from "./BlockDetail";

type PlanOut = Schemas["PlanOut"];
type Block = Schemas["BlockOut"];

const LABEL = 96;
const ROW = 50;
const BAR = 30;
const AXIS = 22;
const DRAG_FROM = 5;
/** Room that the words of an hour take, px. */
const HOUR_WORDS = 40;

interface Props {
  study: Study;
  plan: PlanOut;
  /** Move a block to where another stands; not given to those who may not. */
  move?: (from: number, to: number) => void;
}

/** The plan as days with blocks in them; a block is chosen, and moved by drag or by keys. */
export function Timeline({ study, plan, move }: Props) {
  const [ref, width] = useWidth<HTMLDivElement>(1100);
  const [chosen, setChosen] = useState(0);
  const [target, setTarget] = useState<number | null>(null);
  const held = useRef<{ from: number; x: number; y: number } | null>(null);
  const { blocks, sessions } = plan;
  const at = Math.min(chosen, blocks.length - 1);
  const block = blocks[at];
  const lanes = new Map(study.lanes_full.map((lane) => [lane.id, lane]));
  // Days that are hardly filled are drawn as far as they are used, to the next full hour.
  const used = Math.ceil(Math.max(...sessions.map((session) => session.used_s), 1) / 3600) * 3600;
  const longest = Math.min(used, Math.max(...sessions.map((session) => session.length_s), 1));
  const x = (seconds: number) => LABEL + (seconds / longest) * (width - LABEL - 4);
  const place = (one: Block) => {
    const session = sessions[one.session];
    const start = session?.start_s ?? 0;
    return {
      left: x(one.start_s - start),
      begin: x(one.begin_s - start),
      right: x(one.end_s - start),
      top: AXIS + one.session * ROW,
    };
  };
  const moveTo = (to: number) => {
    if (!move || to < 0 || to >= blocks.length || to === at) return;
    move(at, to);
    setChosen(to);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const steps: Record<string, number> = {
      ArrowRight: at + 1,
      ArrowLeft: at - 1,
      Home: 0,
      End: blocks.length - 1,
    };
    const step = steps[event.key];
    if (step !== undefined) setChosen(Math.min(Math.max(step, 0), blocks.length - 1));
    else if (event.key === "[") moveTo(at - 1);
    else if (event.key === "]") moveTo(at + 1);
    else return;
    event.preventDefault();
  };
  const indexAt = (event: PointerEvent): number | null => {
    const box = ref.current?.getBoundingClientRect();
    if (!box) return null;
    const [px, py] = [event.clientX - box.left, event.clientY - box.top];
    const row = Math.floor((py - AXIS) / ROW);
    const own = blocks.flatMap((one, index) => (one.session === row ? [index] : []));
    return own.find((index) => px < place(blocks[index] as Block).right) ?? own.at(-1) ?? null;
  };
  const onPointerMove = (event: PointerEvent) => {
    const from = held.current;
    if (!from || !move) return;
    if (Math.hypot(event.clientX - from.x, event.clientY - from.y) < DRAG_FROM && target === null) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setTarget(indexAt(event));
  };
  const onPointerUp = () => {
    const from = held.current;
    held.current = null;
    if (from && target !== null && target !== from.from) {
      move?.(from.from, target);
      setChosen(target);
    }
    setTarget(null);
  };
  const hoursAcross = Math.floor(longest / 3600);
  const deadline = plan.deadline?.slice(0, 10);
  const lastOfDeadline = sessions.map((session) => session.day).lastIndexOf(deadline ?? "");
  const caret = target === null ? null : blocks[target];
  return (
    <div>
      <div
        ref={ref}
        role="listbox"
        aria-label="Timeline: blocks of passes"
        aria-activedescendant={block ? `block-${at}` : undefined}
        tabIndex={0}
        onKeyDown={onKeyDown}
        onPointerMove={onPointerMove}
        onPointerUp={onPointerUp}
        className="overflow-hidden rounded-[3px] select-none"
      >
        <svg width={width} height={AXIS + sessions.length * ROW} role="presentation">
          {Array.from({ length: hoursAcross + 1 }, (_, hour) => hour).map((hour) => (
            <g key={hour}>
              <path
                d={`M${x(hour * 3600)} ${AXIS - 4}V${AXIS + sessions.length * ROW}`}
                stroke="var(--grid)"
              />
              <text x={x(hour * 3600) + 3} y={AXIS - 8} fontSize={11} fill="var(--mute)" className="figure">
                {hour && x(hour * 3600) + HOUR_WORDS < width ? `+${hour} h` : ""}
              </text>
            </g>
          ))}
          {sessions.map((session, row) => (
            <g key={session.starts}>
              <path d={`M0 ${AXIS + row * ROW}H${width}`} stroke="var(--rule)" />
              <text x={0} y={AXIS + row * ROW + 21} fontSize={14} fontWeight={600} fill="var(--ink)">
                {benchDay(session.day)}
              </text>
              <text x={0} y={AXIS + row * ROW + 38} fontSize={11.5} fill="var(--mute)" className="figure">
                {session.starts.slice(11, 16)}
              </text>
              <rect
                x={x(0)}
                y={AXIS + row * ROW + (ROW - BAR) / 2}
                width={Math.max(0, x(Math.min(session.length_s, longest)) - x(0))}
                height={BAR}
                fill="var(--raised)"
                stroke="var(--rule)"
              />
            </g>
          ))}
          {blocks.map((one, index) => (
            <BlockMark
              key={one.pass_ids[0]}
              id={`block-${index}`}
              one={one}
              place={place(one)}
              lane={lanes.get(one.lane_id)?.position ?? 0}
              name={`${lanes.get(one.lane_id)?.name}, ${one.game}, ${count(one.pass_ids.length, "pass", "passes")}`}
              chosen={index === at}
              grab={(event) => {
                setChosen(index);
                ref.current?.focus({ preventScroll: true });
                held.current = { from: index, x: event.clientX, y: event.clientY };
              }}
            />
          ))}
          {lastOfDeadline >= 0 && (
            // Over the blocks, with ground of its own: a full day leaves no room beside them.
            <text
              x={x(Math.min(sessions[lastOfDeadline]?.length_s ?? 0, longest)) - 8}
              y={AXIS + lastOfDeadline * ROW + ROW / 2 + 4.5}
              fontSize={12.5}
              fontWeight={700}
              textAnchor="end"
              fill="var(--accent)"
              stroke="var(--raised)"
              strokeWidth={5}
              paintOrder="stroke"
              pointerEvents="none"
            >
              deadline {plan.deadline?.slice(11, 16)}
            </text>
          )}
          {caret && held.current && (
            <path
              d={`M${held.current.from < (target ?? 0) ? place(caret).right : place(caret).left} ${place(caret).top + 4}v${ROW - 8}`}
              stroke="var(--focus)"
              strokeWidth="4"
            />
          )}
        </svg>
      </div>
      {block && (
        <BlockDetail
          block={block}
          plan={plan}
          study={study}
          {...(move
            ? {
                earlier: at > 0 ? () => moveTo(at - 1) : null,
                later: at < blocks.length - 1 ? () => moveTo(at + 1) : null,
              }
            : {})}
        />
      )}
    </div>
  );
}

const FEWEST_LETTERS = 4;

/** As many whole words as there is room for: what is read out must hold what is seen, and half a word is none. */
function fitting(text: string, letters: number): string {
  if (letters < FEWEST_LETTERS) return "";
  if (text.length <= letters) return text;
  const words = text.slice(0, letters).split(" ").slice(0, -1).join(" ");
  return words ? `${words}…` : "";
}

function BlockMark({
  id,
  one,
  place,
  lane,
  name,
  chosen,
  grab,
}: {
  id: string;
  one: Block;
  place: { left: number; begin: number; right: number; top: number };
  lane: number;
  name: string;
  chosen: boolean;
  grab: (event: PointerEvent) => void;
}) {
  const top = place.top + (ROW - BAR) / 2;
  const wide = place.right - place.begin;
  const said = fitting(one.game, Math.floor((wide - 20) / 6.6));
  return (
    <g
      id={id}
      role="option"
      aria-selected={chosen}
      aria-label={name}
      onPointerDown={grab}
      className="cursor-pointer"
    >
      <rect
        x={place.left}
        y={top}
        width={Math.max(0.5, place.begin - place.left)}
        height={BAR}
        fill="var(--band)"
      />
      <path
        d={`M${place.left} ${top + BAR - 2}H${place.begin}`}
        stroke="var(--mute)"
        strokeWidth="1.5"
        strokeDasharray="2 2"
      />
      <rect
        x={place.begin}
        y={top}
        width={Math.max(1, wide)}
        height={BAR}
        fill={`color-mix(in oklab, ${laneColour(lane)} 22%, var(--raised))`}
        stroke={laneColour(lane)}
      />
      {wide > 12 && (
        <path
          transform={`translate(${place.begin + 9} ${top + BAR / 2})`}
          d={laneShape(lane, 4.5)}
          fill={laneColour(lane)}
        />
      )}
      {said && (
        <text
          x={place.begin + 18}
          y={top + BAR / 2 + 4.5}
          fontSize={12.5}
          fill="var(--ink)"
          pointerEvents="none"
        >
          {said}
        </text>
      )}
      {chosen && (
        <rect
          x={place.left - 1.5}
          y={top - 3.5}
          width={place.right - place.left + 3}
          height={BAR + 7}
          fill="none"
          stroke="var(--ink)"
          strokeWidth="2.5"
          rx="2"
        />
      )}
    </g>
  );
}
