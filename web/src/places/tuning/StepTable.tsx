import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useMay } from "../../api/queries";
import { type Log, logActs, type Step, useLogAct } from "../../api/tuning";
import { Button } from "../../controls/Button";
import { DataTable } from "../../controls/DataTable";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { Menu, MenuAction } from "../../controls/Menu";
import { ErrorNotice } from "../../controls/Notice";
import { fixed, fps } from "../../format";

const STATES = { proven: "proven", unproven: "not proven", unstable: "failed" };

/** Every step with what is known of it. */
export function StepTable({ log }: { log: Log }) {
  const tester = useMay("tester");
  const lead = useMay("lead");
  const go = useNavigate();
  const queries = useQueryClient();
  const [concluding, setConcluding] = useState<Step | null>(null);
  const [looking, setLooking] = useState<Step | null>(null);
  const setup = useMutation({
    mutationFn: (step: number) => logActs.setup(step),
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["setups"] });
      await queries.invalidateQueries({ queryKey: ["tuning"] });
      go(`/bench/setups/${made.setup_id}`);
    },
  });
  const several = new Set(log.steps.map((one) => one.sample)).size > 1;
  const has = (name: "temperature_c" | "hotspot_c" | "fan_rpm" | "noise_dba") =>
    log.steps.some((one) => one[name] !== null);
  const beside = [
    ...(has("temperature_c") ? [["°C", (one: Step) => show(one.temperature_c, 0)] as const] : []),
    ...(has("hotspot_c") ? [["hotspot", (one: Step) => show(one.hotspot_c, 0)] as const] : []),
    ...(has("fan_rpm") ? [["fan, rpm", (one: Step) => show(one.fan_rpm, 0)] as const] : []),
    ...(has("noise_dba") ? [["dB(A)", (one: Step) => show(one.noise_dba, 1)] as const] : []),
  ];
  return (
    <section aria-label="Steps" className="relative mt-6 overflow-x-auto">
      <h2 className="mb-1 text-xl font-bold">Steps</h2>
      <ErrorNotice error={setup.error} />
      <DataTable
        caption="Steps of the log"
        heads={[
          "Step",
          "Set",
          "State",
          "Passes",
          "fps",
          "W",
          "fps a W",
          ...beside.map(([head]) => head),
          "What is known",
          <span key="more" className="sr-only">
            More
          </span>,
        ]}
        rows={log.steps.map((one) => ({
          key: String(one.id),
          cells: [
            <span key="n" className="figure" id={`step-${one.number}`}>
              {one.number}
              {several && one.sample ? ` (${one.sample})` : ""}
            </span>,
            <span key="set">
              {one.words}
              {one.after !== null &&
                log.steps.find((each) => each.id === one.after)?.number !== one.number - 1 && (
                  <span className="text-mute">
                    {" "}
                    from step {log.steps.find((each) => each.id === one.after)?.number}
                  </span>
                )}
            </span>,
            <span
              key="state"
              className={`whitespace-nowrap ${one.state === "unstable" ? "font-semibold text-accent" : ""}`}
            >
              {STATES[one.state]}
              {one.state !== "unstable" && one.minutes > 0 && (
                <span className="text-mute"> {fixed(one.minutes, 0)} min</span>
              )}
            </span>,
            one.passes.filter((row) => !row.struck).length || "–",
            one.fps === null ? "–" : fps(one.fps),
            show(one.w, 1),
            show(one.fps_per_w, 3),
            ...beside.map(([, of]) => of(one)),
            <Known key="known" step={one} />,
            <span key="do" className="flex justify-end">
              <Menu label="More" name={`More of step ${one.number}`}>
                <MenuAction onSelect={() => setLooking(one)}>Its runs and passes</MenuAction>
                {tester && <MenuAction onSelect={() => setConcluding(one)}>Conclude in words</MenuAction>}
                {lead && one.setup_id === null && (
                  <MenuAction onSelect={() => setup.mutate(one.id)}>Make it a setup</MenuAction>
                )}
                {one.setup_id !== null && (
                  <MenuAction onSelect={() => go(`/bench/setups/${one.setup_id}`)}>
                    To its setup, {one.setup_name}
                  </MenuAction>
                )}
              </Menu>
            </span>,
          ],
        }))}
      />
      {concluding && <ConcludeDialog step={concluding} close={() => setConcluding(null)} />}
      {looking && (
        <EntriesDialog
          step={log.steps.find((one) => one.id === looking.id) ?? looking}
          close={() => setLooking(null)}
        />
      )}
    </section>
  );
}

const show = (value: number | null, places: number) => (value === null ? "–" : fixed(value, places));

function Known({ step }: { step: Step }) {
  const lines = [
    step.why_unstable,
    step.over_limit.length ? `past the maker’s limit of ${step.over_limit.join(" and ")}` : "",
    step.beyond_a_failure ? "beyond a failure" : "",
    step.on_front === false ? "another gives more and draws less" : "",
    step.conclusion.replace(/\.$/, ""),
    step.setup_name ? `is the setup “${step.setup_name}”` : "",
  ].filter(Boolean);
  return <span className="text-soft">{lines.join("; ") || "–"}</span>;
}

function ConcludeDialog({ step, close }: { step: Step; close: () => void }) {
  const [words, setWords] = useState(step.conclusion);
  const keep = useLogAct((text: string) => logActs.conclude(step.id, text));
  return (
    <Dialog open onOpenChange={(now) => !now && close()} title={`What does step ${step.number} come to?`}>
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate(words, { onSuccess: close });
        }}
      >
        <Field
          label="In words"
          autoFocus
          maxLength={600}
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
        <FormEnd
          error={keep.error}
          leave={close}
          leaveLabel="Leave it"
          disabled={keep.isPending}
          does="Keep"
        />
      </form>
    </Dialog>
  );
}

/** The runs and passes of a step. What was noted wrongly is struck out with a reason, and stays. */
function EntriesDialog({ step, close }: { step: Step; close: () => void }) {
  const lead = useMay("lead");
  const [why, setWhy] = useState("");
  const strike = useLogAct(({ kind, id }: { kind: "run" | "pass"; id: number }) =>
    kind === "run" ? logActs.strikeRun(id, why) : logActs.strikePass(id, why),
  );
  const entries = [
    ...step.runs.map((one) => ({
      kind: "run" as const,
      ...one,
      words: `${one.program}, ${fixed(one.minutes, 0)} min: ${one.outcome}`,
    })),
    ...step.passes.map((one) => ({
      kind: "pass" as const,
      ...one,
      words: `${one.what || "quick pass"}: ${fps(one.fps)} fps${one.w === null ? "" : `, ${fixed(one.w, 1)} W`}${one.file_name ? `, ${one.file_name}` : ""}`,
    })),
  ];
  return (
    <Dialog open onOpenChange={(now) => !now && close()} title={`Runs and passes of step ${step.number}`}>
      <div className="grid gap-3">
        {entries.length === 0 && <p>Nothing was noted yet.</p>}
        <ul className="grid gap-2">
          {entries.map((one) => (
            <li key={`${one.kind}${one.id}`} className="flex items-baseline justify-between gap-3">
              <span className={one.struck ? "text-mute line-through" : ""}>
                {one.words}, by {one.by}
                {one.struck && <span className="no-underline"> ({one.struck})</span>}
              </span>
              {lead && !one.struck && (
                <Button
                  kind="quiet"
                  disabled={why.trim().length < 3 || strike.isPending}
                  onClick={() => strike.mutate({ kind: one.kind, id: one.id })}
                >
                  Strike out
                </Button>
              )}
            </li>
          ))}
        </ul>
        {lead && entries.some((one) => !one.struck) && (
          <Field
            label="Why one is struck out: it stays, and counts no more"
            maxLength={300}
            value={why}
            onChange={(event) => setWhy(event.target.value)}
          />
        )}
        <ErrorNotice error={strike.error} />
        <div className="flex justify-end">
          <Button onClick={close}>Close</Button>
        </div>
      </div>
    </Dialog>
  );
}
