import { type FormEvent, useEffect, useState } from "react";
import { client, data, type Schemas, upload } from "../../api/client";
import { useStudyChange } from "../../api/queries";
import { words } from "../../api/words";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { readNumber } from "../../format";
import { laneOptions, type Study, testOptions } from "./study";

type Pass = Schemas["PassOut"];

interface DialogProps {
  study: Study;
  one: Pass;
  open: boolean;
  close: () => void;
}

type Why = Pick<Schemas["PassChange"], "reason" | "reason_code">;

/** A reason for what does not count: what it was, and more words where they are needed. */
export function ReasonDialog({
  kind,
  open,
  close,
  decide,
}: {
  kind: "rejected" | "did_not_run";
  open: boolean;
  close: () => void;
  decide: (state: "rejected" | "did_not_run", why: Why) => void;
}) {
  const [code, setCode] = useState("other");
  const [reason, setReason] = useState("");
  useEffect(() => {
    if (open) {
      setCode("other");
      setReason("");
    }
  }, [open]);
  const codes = kind === "rejected" ? words().rejected_for : words().did_not_run_for;
  const enough = code !== "other" || reason.trim() !== "";
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (enough) decide(kind, { reason_code: code as Why["reason_code"], reason: reason.trim() });
  };
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title={kind === "rejected" ? "Reject this pass" : "This pass did not run"}
      description={
        kind === "rejected"
          ? "It stays in the record and is listed with every finding. A pass that is merely lower than one likes is no reason."
          : "The reason is listed with every finding."
      }
    >
      <form onSubmit={submit} className="grid gap-4">
        <Labelled label="It was">
          <Select
            label="It was"
            value={code}
            onChange={setCode}
            options={codes.map((one) => ({ value: one.name, label: one.words }))}
          />
        </Labelled>
        <Field
          label="Reason"
          required={code === "other"}
          maxLength={300}
          autoFocus
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          placeholder={
            code !== "other"
              ? "more words, if you like"
              : kind === "rejected"
                ? "an update ran in the background"
                : "crashed while loading, twice"
          }
        />
        <FormEnd leave={close} disabled={!enough} does={kind === "rejected" ? "Reject" : "Note it"} />
      </form>
    </Dialog>
  );
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

/** Put a wrongly assigned capture where it belongs. */
export function MoveDialog({ study, one, open, close }: DialogProps) {
  const [lane, setLane] = useState(String(one.lane_id));
  const [test, setTest] = useState(String(one.test_id));
  const [number, setNumber] = useState("");
  useEffect(() => {
    if (open) {
      setLane(String(one.lane_id));
      setTest(String(one.test_id));
      setNumber("");
    }
  }, [open, one]);
  const move = useStudyChange(study.id, () =>
    data(
      client.PUT("/api/captures/{capture_id}/place", {
        params: { path: { capture_id: one.capture_id ?? 0 } },
        body: { lane_id: Number(lane), test_id: Number(test), number: readNumber(number) },
      }),
    ),
  );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    move.mutate(undefined, { onSuccess: close });
  };
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title="Move this capture"
      description={`${one.file_name ?? "The file"} was assigned to another pass than it belongs to.`}
    >
      <form onSubmit={submit} className="grid gap-4">
        <Labelled label="Lane">
          <Select label="Lane" value={lane} onChange={setLane} options={laneOptions(study)} />
        </Labelled>
        <Labelled label="Test">
          <Select label="Test" value={test} onChange={setTest} options={testOptions(study)} />
        </Labelled>
        <NumberField label="Pass" whole placeholder="first free" value={number} onChange={setNumber} />
        <FormEnd error={move.error} leave={close} disabled={move.isPending} does="Move" />
      </form>
    </Dialog>
  );
}

/** Look at some seconds of a capture only; the file stays as it is. */
export function TrimDialog({ study, one, open, close }: DialogProps) {
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  useEffect(() => {
    if (open) {
      setFrom(one.window ? String(one.window[0]) : "");
      setTo(one.window ? String(one.window[1]) : "");
    }
  }, [open, one]);
  const trim = useStudyChange(study.id, (window: Schemas["WindowIn"]) =>
    data(
      client.PUT("/api/captures/{capture_id}/window", {
        params: { path: { capture_id: one.capture_id ?? 0 } },
        body: window,
      }),
    ),
  );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    trim.mutate({ from_s: readNumber(from), to_s: readNumber(to) }, { onSuccess: close });
  };
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title="Trim this pass"
      description="A loading screen or a cut scene at the ends is left out of the figures. The file stays as it came."
    >
      <form onSubmit={submit} className="grid gap-4">
        <div className="grid grid-cols-2 gap-4">
          <NumberField label="From, s" required value={from} onChange={setFrom} />
          <NumberField label="To, s" required value={to} onChange={setTo} />
        </div>
        <FormEnd error={trim.error} leave={close} disabled={trim.isPending} does="Trim">
          {one.window && (
            <Button onClick={() => trim.mutate({ from_s: null, to_s: null }, { onSuccess: close })}>
              Whole capture
            </Button>
          )}
        </FormEnd>
      </form>
    </Dialog>
  );
}
