import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useParams } from "react-router";
import { useMay } from "../../api/queries";
import { type Log, useLog } from "../../api/tuning";
import { ExportMenu } from "../../charts/ExportMenu";
import type { Drawn } from "../../charts/kinds/Frame";
import {
  FIGURES,
  type FigureOf,
  figuresOf,
  pointsOf,
  TuningPicture,
  WATTS,
} from "../../charts/kinds/TuningPicture";
import { PagePicture } from "../../charts/PagePicture";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { useKeysOf } from "../../controls/Keys";
import { MenuLink } from "../../controls/Menu";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { useAddress } from "../../controls/useAddress";
import { useTitle } from "../../controls/useTitle";
import { fps } from "../../format";
import { Keep, ofTheHouse } from "../reports/Keep";
import { AtTheBench } from "./AtTheBench";
import { BeforeAfterDialog } from "./BeforeAfterDialog";
import { LogDialog } from "./LogDialog";
import { StepTable } from "./StepTable";

const KEYS = [
  { key: "c", does: "change what is said of the log" },
  { key: "b", does: "before and after over a suite" },
];

/** A tuning log: what is known, what is next, and every step that was taken. */
export function LogPage() {
  const id = Number(useParams().log);
  const { data: log, error } = useLog(id);
  if (error) return <ErrorNotice error={error} />;
  if (!log) return <Loading what="the tuning log" />;
  return <Shown log={log} />;
}

function Shown({ log }: { log: Log }) {
  const lead = useMay("lead");
  const tester = useMay("tester");
  const [open, setOpen] = useState<"edit" | "study" | null>(null);
  useTitle(log.title, "Tuning");
  useHotkeys("c", () => setOpen("edit"), { enabled: lead && !open, preventDefault: true });
  useHotkeys("b", () => setOpen("study"), {
    enabled: lead && !open && log.steps.length > 1,
    preventDefault: true,
  });
  useKeysOf("This log", KEYS);
  const [first, ...more] = log.sentences;
  return (
    <>
      <p className="text-soft">
        <Link to="/tuning">Tuning</Link> · {log.part} in {log.setup}
        {log.machine && <b className="text-ink"> · at {log.machine}</b>}
      </p>
      <div className="mb-3 flex flex-wrap items-end justify-between gap-3">
        <h1 className="text-[2rem] leading-tight font-bold">{log.title}</h1>
        {lead && (
          <span className="flex gap-2">
            {log.steps.length > 1 && (
              <Button shortcut="b" onClick={() => setOpen("study")}>
                Before and after
              </Button>
            )}
            <Button shortcut="c" onClick={() => setOpen("edit")}>
              Change
            </Button>
          </span>
        )}
      </div>
      <p className="max-w-5xl text-[1.5rem] leading-[1.15] font-semibold" style={{ fontStretch: "85%" }}>
        {first}
      </p>
      {more.map((one) => (
        <p key={one} className="mt-1.5 max-w-5xl text-[1.05rem]">
          {one}
        </p>
      ))}
      {log.samples_words && <p className="mt-1.5 max-w-5xl text-[1.05rem] text-soft">{log.samples_words}</p>}
      {log.steps.length > 0 && (
        <details className="mt-2 max-w-5xl">
          <summary className="cursor-pointer font-semibold">Why?</summary>
          <ul className="mt-1 grid list-disc gap-1 pl-5 text-soft">
            {log.why.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </details>
      )}
      {tester && <AtTheBench log={log} />}
      {log.steps.length > 0 && <Picture log={log} />}
      {log.steps.length > 0 && <StepTable log={log} />}
      <Limits log={log} />
      {open === "edit" && <LogDialog log={log} close={() => setOpen(null)} />}
      {open === "study" && <BeforeAfterDialog log={log} close={() => setOpen(null)} />}
    </>
  );
}

function Picture({ log }: { log: Log }) {
  const [search, set] = useAddress();
  const overs = [...log.settings.map((one) => one.name), WATTS].filter(
    (one) => pointsOf(log, one).length > 0,
  );
  const over = overs.find((one) => one === (search.get("over") ?? "")) ?? overs[0] ?? WATTS;
  const figures = figuresOf(log);
  const of = figures.find((one) => one === search.get("of")) ?? "fps";
  const draw = (how: Drawn) => <TuningPicture {...how} log={log} over={over} of={of} />;
  return (
    <section aria-label="Picture" className="mt-6">
      <div className="mb-2 flex flex-wrap items-center gap-4">
        <Choice
          label="Over"
          value={over || "watts"}
          onChange={(one) => set({ over: one === "watts" ? WATTS : one })}
          options={overs.map((one) => ({ value: one || "watts", label: one ? `over ${one}` : "over watts" }))}
        />
        {figures.length > 1 && (
          <div className="w-44">
            <Select
              label="What is drawn"
              value={of}
              onChange={(one) => set({ of: one === "fps" ? "" : one })}
              options={figures.map((one) => ({ value: one, label: FIGURES[one] }))}
            />
          </div>
        )}
        <ExportMenu label="Export" name={log.title} draw={draw}>
          <MenuLink href={`/api/tuning/${log.id}/steps.csv`}>Steps as CSV</MenuLink>
        </ExportMenu>
        <Keep offer={() => ofTheHouse(log.title, [logKept(log, over, of)])} />
      </div>
      <PagePicture draw={draw} />
      {log.rival && (
        <p className="mt-1 text-soft">
          Rival: <Link to={`/studies/${log.rival.study_id}`}>{log.rival.name}</Link>, {log.rival.of}
          {log.rival.fps != null && log.rival.w != null
            ? `: ${fps(log.rival.fps)} fps at ${Math.round(log.rival.w)} W measured, ${log.rival.passes} passes.`
            : ". It has no accepted pass with watts, so nothing is held against it."}
        </p>
      )}
    </section>
  );
}

/** A log as it is drawn, for the shelf. */
const logKept = (log: Log, over: string, of: FigureOf) => ({
  kind: "log" as const,
  label: `This log, ${FIGURES[of].replace(" ↑", "")} over ${over || "watts"}`,
  look: { log: { log_id: log.id, over, of } },
});

/** What the maker states, with where that is from. */
function Limits({ log }: { log: Log }) {
  return (
    <section aria-label="Limits" className="mt-8">
      <h2 className="text-xl font-bold">Limits that the maker states</h2>
      <ul className="mt-1 grid gap-1">
        {log.settings.map((one) => (
          <li key={one.name}>
            <b>{one.name}</b>: stock {one.stock} {one.unit}
            {one.limit_low == null && one.limit_high == null
              ? ", no limit known"
              : `, ${one.limit_low ?? "–"} to ${one.limit_high ?? "–"} ${one.unit} (${one.limit_source}${one.limit_day ? `, ${one.limit_day}` : ""})`}
            . {one.caution && <span className="text-soft">{one.caution}</span>}
          </li>
        ))}
      </ul>
      {log.reset_words && (
        <p className="mt-2">
          <b>If it fails to start:</b> {log.reset_words}
        </p>
      )}
    </section>
  );
}
