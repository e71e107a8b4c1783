import { Link } from "react-router";
import { words } from "../../api/words";
import { Term } from "../../controls/Term";
import { moment } from "../../format";
import { checkWords, type Doubts, type PassDoubt } from "./matrix";

/** What checks found about a pass, as sentences; what its repeats said; how it was settled. None of them decides. */
export function DoubtList({
  study,
  pass,
  doubts,
}: {
  study: number;
  pass: number;
  doubts: Doubts | undefined;
}) {
  if (!doubts) return null;
  const own = doubts.passes.filter((one) => one.pass_id === pass);
  const repeats = doubts.repeats.filter((one) => one.pass_id === pass || one.of === pass);
  const odd = doubts.odd.includes(pass);
  if (!own.length && !repeats.length && !odd) return null;
  return (
    <ul aria-label="Doubts" className="grid gap-1.5">
      {own.map((one) => (
        <Doubt key={one.check} study={study} doubt={one} />
      ))}
      {repeats.map((one) => (
        <li
          key={one.pass_id}
          className={`border-l-4 px-3 py-1.5 ${one.agrees ? "border-ink" : "border-accent bg-mark/40"}`}
        >
          {one.words}
        </li>
      ))}
      {odd && (
        <li className="border-l-4 border-ink px-3 py-1.5">Odd, but real: it counts, and is told as odd.</li>
      )}
    </ul>
  );
}

function Doubt({ study, doubt }: { study: number; doubt: PassDoubt }) {
  const settled = doubt.settled;
  const open = !settled?.done;
  return (
    <li
      className={`border-l-4 px-3 py-1.5 ${open && !doubt.weak ? "border-accent bg-mark/40" : "border-rule text-soft"}`}
    >
      <CheckLink study={study} check={doubt.check} />
      {doubt.words}
      {doubt.weak && (
        <>
          {" "}
          <Term word="unsure check">This check is unsure.</Term>
        </>
      )}
      {settled && (
        <span className="mt-0.5 block text-[0.88rem]">
          <strong>{settled.words}</strong>
          {settled.reason && `: ${settled.reason}`}{" "}
          <span className="text-mute">
            ({settled.by}, {moment(settled.at)})
          </span>
        </span>
      )}
    </li>
  );
}

/** The name of a check, which leads to what it asks and whether it is asked in the study. */
export function CheckLink({ study, check }: { study: number; check: string }) {
  return (
    <Link to={`/studies/${study}/checks#${check}`} title={words().checks[check]} className="label mr-2">
      {checkWords(check)}
    </Link>
  );
}
