import { type FormEvent, useEffect, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { Select } from "../../controls/Select";
import { laneOptions, type Study, testOptions } from "./study";

type Pass = Schemas["PassOut"];

interface DialogProps {
  study: Study;
  one: Pass;
  open: boolean;
  close: () => void;
}

/** A reason for what does not count. */
export function ReasonDialog({
  kind,
  open,
  close,
  decide,
}: {
  kind: "rejected" | "did_not_run";
  open: boolean;
  close: () => void;
  decide: (state: "rejected" | "did_not_run", reason: string) => void;
}) {
  const [reason, setReason] = useState("");
  useEffect(() => {
    if (open) setReason("");
  }, [open]);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (reason.trim()) decide(kind, reason.trim());
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
        <Field
          label="Reason"
          required
          maxLength={300}
          autoFocus
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          placeholder={
            kind === "rejected" ? "an update ran in the background" : "crashed while loading, twice"
          }
        />
        <FormEnd leave={close} disabled={!reason.trim()} does={kind === "rejected" ? "Reject" : "Note it"} />
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
        body: { lane_id: Number(lane), test_id: Number(test), number: number ? Number(number) : null },
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
        <Field
          label="Pass"
          inputMode="numeric"
          placeholder="first free"
          value={number}
          onChange={(e) => setNumber(e.target.value)}
        />
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
    trim.mutate({ from_s: Number(from), to_s: Number(to) }, { onSuccess: close });
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
          <Field
            label="From, s"
            inputMode="decimal"
            required
            value={from}
            onChange={(e) => setFrom(e.target.value)}
          />
          <Field
            label="To, s"
            inputMode="decimal"
            required
            value={to}
            onChange={(e) => setTo(e.target.value)}
          />
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
