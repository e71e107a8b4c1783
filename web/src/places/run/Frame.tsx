import { Link } from "react-router";
import { LaneMark } from "../../controls/LaneMark";
import { benchMoment, count, hours } from "../../format";
import { goOnWords, type Instruction, type View } from "./view";

/** What stands above everything: the study, the time beside the plan, the network. */
export function Strip({
  view,
  kept,
  away,
  study,
}: {
  view: View;
  kept: number;
  away: boolean;
  study: number;
}) {
  const { session, progress } = view.run;
  const behind = Math.round(progress.behind_s / 60);
  return (
    <header className="flex flex-wrap items-center gap-x-6 gap-y-1 border-rule border-b px-8 py-2 text-[1.05rem]">
      <Link to={`/studies/${study}/plan`} className="plain font-semibold hover:underline">
        {view.run.question}
      </Link>
      {session?.simulated && (
        <span className="bg-mark px-2 py-0.5 font-bold">Simulated bench: nothing here is a result</span>
      )}
      <span className="ml-auto flex flex-wrap items-center gap-x-6 text-soft">
        {away && (
          <span role="status" className="bg-mark px-2 py-0.5 font-bold text-ink">
            No network{kept > 0 && ` · ${count(kept, "act")} kept here`}
          </span>
        )}
        <span>
          <b className="figure text-ink">{progress.run}</b> run,{" "}
          <b className="figure text-ink">{progress.left}</b> to go
        </span>
        {session && (
          <span>
            {hours(progress.used_s)} used
            {Math.abs(behind) >= 1 &&
              `, ${Math.abs(behind)} min ${behind > 0 ? "more" : "less"} than planned`}
          </span>
        )}
        {progress.ends && <span>ends {benchMoment(progress.ends)}</span>}
        {progress.dropped.length > 0 && (
          <span className="font-semibold text-accent">
            too late for {progress.dropped.slice(0, 2).join("; ")}
            {progress.dropped.length > 2 && ` and ${progress.dropped.length - 2} more`}
          </span>
        )}
        {session && !view.driving && <span className="text-ink">{session.driver} drives, you look on</span>}
      </span>
    </header>
  );
}

/** Which lane and pass it is about, in its lane's colour and shape. */
export function LaneStrip({ instruction }: { instruction: Instruction }) {
  const coming =
    instruction.kind === "step" ||
    instruction.kind === "running" ||
    instruction.kind === "waiting" ||
    instruction.kind === "mismatch"
      ? instruction.coming
      : null;
  if (!coming) return null;
  return (
    <div className="flex flex-wrap items-center gap-x-8 gap-y-1 px-8 pt-5 text-[1.7rem] leading-tight">
      <span className="inline-flex items-center gap-3 font-bold">
        <LaneMark lane={coming.lane_position} size={30} />
        {coming.lane}
      </span>
      <span>{coming.card.game}</span>
      <span className="text-soft">
        {coming.card.scene}, {coming.card.condition}
      </span>
      <span className="figure ml-auto text-soft">
        pass {coming.number}
        {coming.number <= coming.of ? ` of ${coming.of}` : ""}
        {coming.role === "repeat" && ", a repeat"}
        {coming.role === "control" && ", control"}
      </span>
    </div>
  );
}

interface FootProps {
  instruction: Instruction;
  driving: boolean;
  mayRun: boolean;
  quiet: boolean;
  tray: number;
  counting: boolean;
  onGoOn: () => void;
  onTakeOver: () => void;
}

/** The one key to go on, and the others in small. */
export function Foot({ instruction, driving, mayRun, quiet, tray, counting, onGoOn, onTakeOver }: FootProps) {
  const others = otherKeys(instruction, quiet, tray);
  return (
    <footer className="border-rule border-t px-8 py-4">
      {driving ? (
        <button
          type="button"
          onClick={onGoOn}
          disabled={counting || (instruction.kind === "waiting" && !instruction.late)}
          className="flex w-full cursor-pointer items-center gap-6 rounded bg-ink px-6 py-4 text-left font-bold text-[2rem] text-paper leading-tight hover:bg-soft disabled:opacity-60"
        >
          <span aria-hidden="true" className="rounded border-2 border-current px-3 font-mono text-[1.5rem]">
            Enter
          </span>
          {counting ? "get ready" : goOnWords(instruction)}
        </button>
      ) : mayRun ? (
        <button
          type="button"
          onClick={onTakeOver}
          className="flex w-full cursor-pointer items-center gap-6 rounded border-2 border-ink px-6 py-4 text-left font-bold text-[2rem] leading-tight hover:bg-band"
        >
          <span aria-hidden="true" className="rounded border-2 border-current px-3 font-mono text-[1.5rem]">
            v
          </span>
          take over driving
        </button>
      ) : (
        <p className="text-[1.6rem]">You look on.</p>
      )}
      {driving && (
        <p className="mt-3 flex flex-wrap gap-x-5 gap-y-1 text-soft">
          {others.map(({ key, does }) => (
            <span key={key}>
              <kbd className="key text-[0.95rem]">{key}</kbd> {does}
            </span>
          ))}
        </p>
      )}
    </footer>
  );
}

/** Which other keys make sense just now. */
function otherKeys(instruction: Instruction, quiet: boolean, tray: number) {
  const { kind } = instruction;
  const found = [];
  if (kind === "verdict") {
    found.push({ key: "l", does: "leave it for the desk" }, { key: "x", does: "reject it" });
    if (!instruction.verdict.doubted) found.push({ key: "r", does: "repeat it" });
  }
  if (kind === "mismatch") found.push({ key: "a", does: "run anyway, with a reason" });
  if (kind === "step" && instruction.step.kind === "read_back")
    found.push({ key: "w", does: "it says something else" });
  if (kind === "running") found.push({ key: "r", does: "break off, run again" });
  if (kind === "waiting") {
    if (!instruction.late) found.push({ key: "r", does: "run it again" });
    found.push({ key: "u", does: "type the result" });
  }
  if (kind === "step" || kind === "running" || kind === "waiting")
    found.push({ key: "s", does: "did not run" });
  if (kind === "step") found.push({ key: "y", does: "later" });
  found.push({ key: "n", does: "note" });
  if (tray) found.push({ key: "g", does: `${count(tray, "file waits", "files wait")}` });
  found.push(
    { key: "k", does: kind === "paused" ? "go on" : "pause" },
    { key: "t", does: "room" },
    { key: "m", does: quiet ? "sound on" : "sound off" },
    { key: "?", does: "all keys" },
  );
  return found;
}
