import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate } from "react-router";
import { useKeysOf } from "../../controls/Keys";
import { KINDS, type PlannedKind } from "../plan/kinds";
import { ReadBack } from "./ReadBack";

const CHOICE_KEYS = KINDS.map((one, index) => ({ key: String(index + 1), does: one.title }));

/** The kinds of study, each with what it asks and how its lanes lie. */
export function KindChoice({ setup }: { setup: string }) {
  const begun = (kind: PlannedKind) => `/studies/new?kind=${kind}${setup && `&setup=${setup}`}`;
  const go = useNavigate();
  useHotkeys(CHOICE_KEYS.map((one) => one.key).join(","), (event) => {
    const one = KINDS[Number(event.key) - 1];
    if (one) go(begun(one.kind));
  });
  useKeysOf("New study", CHOICE_KEYS);
  return (
    <>
      <h1 className="text-[2rem] leading-tight font-bold">New study</h1>
      <p className="mb-5 text-soft">What are its lanes to each other?</p>
      <ul className="grid max-w-[56rem]">
        {KINDS.map((one, index) => (
          <li
            key={one.kind}
            className="relative grid grid-cols-[3rem_1fr] items-center gap-2 md:grid-cols-[3rem_12rem_1fr_10rem] border-rule border-t px-2 py-4 last:border-b hover:bg-raised"
          >
            <span className="key justify-self-start text-[1rem]!" aria-hidden="true">
              {index + 1}
            </span>
            <Link
              to={begun(one.kind)}
              className="plain text-[1.3rem] font-semibold after:absolute after:inset-0"
            >
              {one.title}
            </Link>
            <span className="text-soft max-md:col-start-2">{one.asks}</span>
            <KindPicture kind={one.kind} />
          </li>
        ))}
      </ul>
      <ReadBack />
    </>
  );
}

/** How the lanes of a kind lie to each other, drawn from discs. */
function KindPicture({ kind }: { kind: PlannedKind }) {
  const places: Record<PlannedKind, [number, number][]> = {
    a_b: [
      [40, 20],
      [80, 20],
    ],
    ladder: [
      [20, 34],
      [40, 28],
      [60, 20],
      [80, 14],
      [100, 6],
    ],
    sweep: [
      [20, 34],
      [40, 18],
      [60, 11],
      [80, 8],
      [100, 7],
    ],
    grid: [
      [40, 12],
      [80, 12],
      [40, 30],
      [80, 30],
    ],
    scaling: [
      [20, 8],
      [47, 8],
      [74, 8],
      [101, 8],
    ],
    budget: [
      [20, 30],
      [47, 27],
      [74, 29],
      [101, 14],
    ],
    several: [
      [40, 20],
      [74, 20],
      [86, 20],
    ],
    proxy_check: [
      [30, 12],
      [60, 12],
      [90, 12],
      [34, 30],
      [64, 30],
      [94, 30],
    ],
  };
  const line = places[kind].map(([x, y], i) => `${i ? "L" : "M"}${x} ${y}`).join("");
  return (
    <svg
      width="120"
      height="42"
      viewBox="0 0 120 42"
      aria-hidden="true"
      className="justify-self-end max-md:hidden"
    >
      {kind === "budget" && <path d="M10 21H111" stroke="var(--mute)" strokeDasharray="3 3" fill="none" />}
      {kind === "proxy_check" && <path d="M30 12L34 30M60 12L64 30M90 12L94 30" stroke="var(--mute)" />}
      {kind === "scaling" && (
        <path d="M20 8H101M20 8V36M47 8V30M74 8V24M101 8V16" stroke="var(--mute)" fill="none" />
      )}
      {(kind === "ladder" || kind === "sweep") && <path d={line} stroke="var(--mute)" fill="none" />}
      {places[kind].map(([x, y], index) => (
        <circle key={x + y * 200} cx={x} cy={y} r="4.5" fill={index ? "var(--ink)" : "var(--accent)"} />
      ))}
    </svg>
  );
}
