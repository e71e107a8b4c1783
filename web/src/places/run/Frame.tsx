import { Link } from "react-router";
import { useShowKeys } from "../../controls/Keys";
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
    <header className="flex flex-wrap items-center gap-x-6 gap-y-1 border-rule border-b px-4 py-2 text-[1.05rem] sm:px-8">
      <Link to={`/studies/${study}/plan`} className="plain font-semibold hover:underline">
        {view.run.question}
      </Link>
      {session?.machine && (
        <span className="text-soft">
          at <b className="text-ink">{session.machine}</b>
          {session.lanes.length > 0 && `: ${session.lanes.join(", ")}`}
        </span>
      )}
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
        {view.run.others.map((one) => (
          <Link key={one.id} to={`?session=${one.id}`}>
            also runs: {one.machine || one.driver}
          </Link>
        ))}
        {session && !session.simulated && session.lanes.length > 0 && (
          <Link to="?session=0">run more here</Link>
        )}
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
    <div className="flex flex-wrap items-center gap-x-8 gap-y-1 px-4 pt-5 text-[1.7rem] leading-tight sm:px-8">
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
  mayRun: boolean;
  looksOn: boolean;
  quiet: boolean;
  tray: number;
  counting: boolean;
  /** Does what a key does, and whether it does anything just now. */
  onKey: (key: string) => void;
  may: (key: string) => boolean;
}

/** The one key to go on, and the others beside it: keys to press, and buttons for a hand that holds a phone. */
export function Foot({ instruction, mayRun, looksOn, quiet, tray, counting, onKey, may }: FootProps) {
  const others = otherKeys(instruction, quiet, tray);
  const showKeys = useShowKeys();
  const choices = (instruction.kind === "step" && instruction.step.question?.choices) || [];
  return (
    <footer className="border-rule border-t bg-paper px-4 py-4 max-sm:sticky max-sm:bottom-0 sm:px-8">
      {!looksOn && choices.length > 0 ? (
        // No key that is pressed anyway: what was seen has a digit, another one for each pass.
        <ul aria-label="What it says" className="grid gap-3 sm:grid-cols-2 lg:grid-cols-3">
          {choices.map((value, at) => (
            <li key={value}>
              <Large shortcut={String(at + 1)} onClick={() => onKey(String(at + 1))}>
                it says {value}
              </Large>
            </li>
          ))}
        </ul>
      ) : !looksOn ? (
        <Large
          main
          shortcut="Enter"
          onClick={() => onKey("enter")}
          disabled={
            counting || (instruction.kind === "waiting" && !instruction.late && !instruction.underWay.warmUp)
          }
        >
          {counting ? "get ready" : goOnWords(instruction)}
        </Large>
      ) : mayRun ? (
        <Large shortcut="v" onClick={() => onKey("v")}>
          take over driving
        </Large>
      ) : (
        <p className="text-[1.6rem]">You look on.</p>
      )}
      {!looksOn && (
        <div className="mt-3 flex flex-wrap gap-2 sm:gap-x-4 sm:gap-y-1">
          {others.map(({ key, does }) => (
            <button
              type="button"
              key={key}
              disabled={key !== "?" && !may(key)}
              onClick={() => (key === "?" ? showKeys() : onKey(key))}
              className={`inline-flex min-h-[44px] cursor-pointer items-center gap-2 rounded border border-rule px-3 text-[1.5rem] leading-tight hover:bg-band disabled:opacity-50 sm:min-h-0 sm:border-transparent sm:px-1 ${key === "m" || key === "?" ? "max-sm:hidden" : ""}`}
            >
              <kbd className="key text-[1.3rem]">{key}</kbd> {does}
            </button>
          ))}
        </div>
      )}
    </footer>
  );
}

function Large({
  shortcut,
  main = false,
  disabled = false,
  onClick,
  children,
}: {
  shortcut: string;
  main?: boolean;
  disabled?: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  const look = main ? "bg-ink text-paper hover:bg-soft" : "border-2 border-ink hover:bg-band";
  return (
    <button
      type="button"
      onClick={onClick}
      disabled={disabled}
      className={`flex w-full cursor-pointer items-center gap-6 rounded px-5 py-4 text-left font-bold text-[2rem] leading-tight disabled:opacity-60 ${look}`}
    >
      <span aria-hidden="true" className="rounded border-2 border-current px-3 font-mono text-[1.5rem]">
        {shortcut}
      </span>
      {children}
    </button>
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
  if (kind === "waiting" && !instruction.underWay.warmUp) {
    if (!instruction.late) found.push({ key: "r", does: "run it again" });
    found.push({ key: "u", does: "type the result" });
  }
  if (kind === "step" || kind === "running" || kind === "waiting")
    found.push({ key: "s", does: "did not run" });
  if (kind === "step") found.push({ key: "y", does: "later" });
  if (kind === "step" || kind === "finished") found.push({ key: "h", does: "what settles most" });
  found.push({ key: "n", does: "note" });
  if (tray) found.push({ key: "g", does: `${count(tray, "file waits", "files wait")}` });
  found.push(
    { key: "k", does: kind === "paused" ? "go on" : "pause" },
    { key: "t", does: "room" },
    { key: "m", does: quiet ? "sound on" : "sound off" },
    { key: "e", does: "end the session" },
    { key: "?", does: "all keys" },
  );
  return found;
}
