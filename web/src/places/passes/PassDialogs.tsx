import { type FormEvent, useEffect, useState } from "react";
import { client, data, type Schemas, upload } from "../../api/client";
import { useMay, useStudyChange } from "../../api/queries";
import { useWhatChanges, useWhatWindowsChange } from "../../api/reports";
import type { Stretch } from "../../charts/TraceChart";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { Dialog } from "../../controls/Dialog";
import { Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { useLater } from "../../controls/useLater";
import { readNumber } from "../../format";
import { laneOptions, type Study, testOptions } from "../../model/study";
import { WouldSay } from "../reports/WouldSay";

type Pass = Schemas["PassOut"];

/** What would be otherwise is asked for once the hand rests. */
const REST_MS = 400;

interface DialogProps {
  study: Study;
  one: Pass;
  open: boolean;
  close: () => void;
}

const FILE_ROLES = [
  { value: "samples", label: "Samples of power, temperature, clock or fan" },
  { value: "picture", label: "A picture" },
  { value: "clip", label: "A clip" },
  { value: "note", label: "A note" },
];

/** Put a further file beside a pass. */
export function FileDialog({ study, one, open, close }: DialogProps) {
  const [role, setRole] = useState("samples");
  const [offset, setOffset] = useState("");
  const [file, setFile] = useState<File | null>(null);
  useEffect(() => {
    if (open) {
      setRole(one.capture_id ? "samples" : "note");
      setOffset("");
      setFile(null);
    }
  }, [open, one]);
  const keep = useStudyChange(study.id, (kept: File) => {
    const shift = readNumber(offset);
    const more = { role, ...(role === "samples" && shift !== null ? { offset_s: String(shift) } : {}) };
    return upload(`/api/passes/${one.id}/files`, kept, () => undefined, more);
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (file) keep.mutate(file, { onSuccess: close });
  };
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title="Put a file beside this pass"
      description="It is kept byte for byte. Samples join the capture on their own clock, and the pass is decided on again."
    >
      <form onSubmit={submit} className="grid gap-4">
        <Labelled label="It is">
          <Select label="It is" value={role} onChange={setRole} options={FILE_ROLES} />
        </Labelled>
        <label className="block">
          <span className="label mb-1 block">File</span>
          <input
            type="file"
            required
            className="field"
            onChange={(event) => setFile(event.target.files?.[0] ?? null)}
          />
        </label>
        {role === "samples" && (
          <NumberField
            label="Their clock begins, s into the capture"
            hint="Left empty: where the capture begins, unless their clock lies within it."
            value={offset}
            onChange={setOffset}
          />
        )}
        <FormEnd error={keep.error} leave={close} disabled={!file || keep.isPending} does="Keep it" />
      </form>
    </Dialog>
  );
}

interface SeveralProps {
  study: Study;
  /** Passes with a capture each. */
  passes: readonly Pass[];
  open: boolean;
  close: () => void;
}

const OWN = "own";
/** What all passes have alike; where they differ, each keeps its own. */
const alike = (passes: readonly Pass[], of: (one: Pass) => number): string => {
  const found = new Set(passes.map(of));
  return found.size === 1 ? String([...found][0]) : OWN;
};
const capturesOf = (passes: readonly Pass[]): number[] =>
  passes.map((one) => one.capture_id).filter((id) => id !== null);

/** Put wrongly assigned captures where they belong. */
export function MoveDialog({ study, passes, open, close }: SeveralProps) {
  const [lane, setLane] = useState(OWN);
  const [test, setTest] = useState(OWN);
  const [number, setNumber] = useState("");
  const [one] = passes;
  const many = passes.length > 1;
  useEffect(() => {
    if (open) {
      setLane(alike(passes, (each) => each.lane_id));
      setTest(alike(passes, (each) => each.test_id));
      setNumber("");
    }
  }, [open, passes]);
  const move = useStudyChange(study.id, () => {
    const [capture_id = 0, ...also] = capturesOf(passes);
    return data(
      client.PUT("/api/captures/{capture_id}/place", {
        params: { path: { capture_id } },
        body: {
          lane_id: lane === OWN ? null : Number(lane),
          test_id: test === OWN ? null : Number(test),
          number: many ? null : readNumber(number),
          also,
        },
      }),
    );
  });
  // A capture that moved waits for a decision: until then its old place is without it.
  const counted = passes.filter((each) => each.state === "accepted").map(({ id }) => id);
  const tester = useMay("tester");
  const { data: reports = [] } = useWhatChanges(study.id, counted, "rejected", tester && open);
  const own = many ? [{ value: OWN, label: "each its own" }] : [];
  const submit = (event: FormEvent) => {
    event.preventDefault();
    move.mutate(undefined, { onSuccess: close });
  };
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title={many ? `Move these ${passes.length} captures` : "Move this capture"}
      description={
        many
          ? "They were assigned to other passes than they belong to. Each goes to the first free pass of its new place, all of them or none."
          : `${one?.file_name ?? "The file"} was assigned to another pass than it belongs to.`
      }
    >
      <form onSubmit={submit} className="grid gap-4">
        <Labelled label="Lane">
          <Select label="Lane" value={lane} onChange={setLane} options={[...own, ...laneOptions(study)]} />
        </Labelled>
        <Labelled label="Test">
          <Select label="Test" value={test} onChange={setTest} options={[...own, ...testOptions(study)]} />
        </Labelled>
        {!many && (
          <NumberField label="Pass" whole placeholder="first free" value={number} onChange={setNumber} />
        )}
        {passes.some((each) => lane !== String(each.lane_id) || test !== String(each.test_id)) && (
          <WouldSay reports={reports} />
        )}
        <FormEnd
          error={move.error}
          leave={close}
          disabled={move.isPending || (lane === OWN && test === OWN)}
          does="Move"
        />
      </form>
    </Dialog>
  );
}

interface WindowRow {
  key: number;
  from: string;
  to: string;
}

/** Look at some stretches of a capture only; the file stays as it is. */
export function TrimDialog({
  study,
  passes,
  others = NO_PASSES,
  zoom = null,
  dragged = null,
  open,
  close,
}: SeveralProps & TrimProps) {
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title={passes.length > 1 ? `Trim these ${passes.length} passes` : "Trim this pass"}
      description="What lies outside these windows is left out of the figures: a loading screen, a cut scene, also one in the middle. The files stay as they came, and what was accepted is decided on again."
    >
      <TrimForm study={study} passes={passes} others={others} zoom={zoom} dragged={dragged} close={close} />
    </Dialog>
  );
}

const NO_PASSES: readonly Pass[] = [];

interface TrimProps {
  /** Other passes of the same test, which may be trimmed alike. */
  others?: readonly Pass[];
  zoom?: Stretch | null;
  /** What was dragged over in the chart. */
  dragged?: Stretch | null;
}

function TrimForm({
  study,
  passes,
  others,
  zoom,
  dragged,
  close,
}: Omit<SeveralProps, "open"> & Required<TrimProps>) {
  const [one] = passes;
  const windowsNow = one?.windows ?? [];
  const [widely, setWidely] = useState<"one" | "lane" | "test">("one");
  const [rows, setRows] = useState<WindowRow[]>(() =>
    dragged
      ? [{ key: 0, from: dragged.from.toFixed(3), to: dragged.to.toFixed(3) }]
      : windowsNow.length
        ? windowsNow.map(([from, to], key) => ({ key, from: String(from), to: String(to) }))
        : [{ key: 0, from: "", to: "" }],
  );
  const lane = others.filter((other) => other.lane_id === one?.lane_id);
  const trim = useStudyChange(study.id, (windows: number[][]) => {
    const [capture_id = 0, ...also] = capturesOf([...passes, ...more]);
    return data(
      client.PUT("/api/captures/{capture_id}/windows", {
        params: { path: { capture_id } },
        body: { windows, also },
      }),
    );
  });
  const more = widely === "test" ? others : widely === "lane" ? lane : NO_PASSES;
  const counted = [...passes, ...more].filter((other) => other.state === "accepted").map(({ id }) => id);
  const windows = useLater(windowsOf(rows), REST_MS);
  const whole = windows.every(([from = Number.NaN, to = Number.NaN]) => from < to);
  const tester = useMay("tester");
  const { data: reports = [] } = useWhatWindowsChange(
    study.id,
    counted,
    windows,
    tester && whole && JSON.stringify(windows) !== JSON.stringify(windowsNow),
  );
  const set = (key: number, part: Partial<WindowRow>) =>
    setRows((now) => now.map((row) => (row.key === key ? { ...row, ...part } : row)));
  const further = (from = "", to = "") =>
    setRows((now) => {
      const kept = now.filter((row) => row.from || row.to);
      return [...kept, { key: Math.max(0, ...now.map((row) => row.key)) + 1, from, to }];
    });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    trim.mutate(windowsOf(rows), { onSuccess: close });
  };
  return (
    <form onSubmit={submit} className="grid gap-3">
      {rows.map((row, index) => (
        <div key={row.key} className="grid grid-cols-[1fr_1fr_auto] items-end gap-3">
          <NumberField
            label={rows.length > 1 ? `Window ${index + 1} from, s` : "From, s"}
            required
            autoFocus={index === 0}
            value={row.from}
            onChange={(from) => set(row.key, { from })}
          />
          <NumberField
            label={rows.length > 1 ? `Window ${index + 1} to, s` : "To, s"}
            required
            value={row.to}
            onChange={(to) => set(row.key, { to })}
          />
          <Button
            kind="quiet"
            disabled={rows.length === 1}
            onClick={() => setRows((now) => now.filter((other) => other.key !== row.key))}
            aria-label={`Without window ${index + 1}`}
          >
            Without it
          </Button>
        </div>
      ))}
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => further()}>One more window</Button>
        {zoom && (
          <Button onClick={() => further(zoom.from.toFixed(3), zoom.to.toFixed(3))}>
            Take what the chart shows
          </Button>
        )}
      </div>
      {others.length > 0 && (
        <Labelled label="What is trimmed">
          <Choice
            label="What is trimmed"
            value={widely}
            onChange={setWidely}
            options={[
              { value: "one", label: "This pass" },
              ...(lane.length
                ? [{ value: "lane" as const, label: `All ${lane.length + 1} of this lane` }]
                : []),
              { value: "test", label: `All ${others.length + 1} of this test` },
            ]}
          />
        </Labelled>
      )}
      {whole && reports.length > 0 && (
        <>
          <p className="text-[0.92rem] text-soft">Once they are accepted anew:</p>
          <WouldSay reports={reports} />
        </>
      )}
      <FormEnd error={trim.error} leave={close} disabled={trim.isPending} does="Trim">
        {windowsNow.length > 0 && (
          <Button onClick={() => trim.mutate([], { onSuccess: close })}>Whole capture</Button>
        )}
      </FormEnd>
    </form>
  );
}

/** Windows as they are sent: in the order of the capture, whatever order they were typed in. */
export function windowsOf(rows: { from: string; to: string }[]): number[][] {
  return rows
    .map((row) => [readNumber(row.from) ?? Number.NaN, readNumber(row.to) ?? Number.NaN])
    .sort(([a = 0], [b = 0]) => a - b);
}
