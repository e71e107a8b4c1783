import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useMay, useStudyChange } from "../../api/queries";
import { Dialog } from "../../controls/Dialog";
import { FormEnd } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { figure, readNumber } from "../../format";

/** The clock of samples is laid beside the frames' by what their files say; a person may know better. */
export function SamplesClock({ study, file }: { study: number; file: Schemas["FileOut"] }) {
  const tester = useMay("tester");
  const [open, setOpen] = useState(false);
  if (!tester) return null;
  return (
    <>
      <button
        type="button"
        className="ml-2 cursor-pointer underline underline-offset-3"
        onClick={() => setOpen(true)}
      >
        move its clock
      </button>
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title="Where does the clock of these samples begin?"
        description="Seconds into the capture; below 0 they began before it. The pass is measured with them anew and decided on again."
      >
        {open && <ClockForm study={study} file={file} close={() => setOpen(false)} />}
      </Dialog>
    </>
  );
}

function ClockForm({ study, file, close }: { study: number; file: Schemas["FileOut"]; close: () => void }) {
  const [text, setText] = useState(figure(file.offset_s ?? 0));
  const keep = useStudyChange(study, (offset_s: number) =>
    data(
      client.PUT("/api/files/{file_id}/offset", {
        params: { path: { file_id: file.id } },
        body: { offset_s },
      }),
    ),
  );
  const number = readNumber(text);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (number !== null) keep.mutate(number, { onSuccess: close });
  };
  return (
    <form onSubmit={submit} className="grid gap-4">
      <NumberField label="Seconds" value={text} onChange={setText} required autoFocus />
      <FormEnd error={keep.error} leave={close} disabled={keep.isPending} does="Move it" />
    </form>
  );
}
