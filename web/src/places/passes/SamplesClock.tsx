import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useMay, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { FormEnd } from "../../controls/FormEnd";
import { NumberField } from "../../controls/NumberField";
import { figure, fixed, readNumber } from "../../format";
import { channelWords } from "./SampleTracks";

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
  const { data: load } = useQuery({
    queryKey: ["study", study, "load", file.id, file.offset_s],
    queryFn: () => data(client.GET("/api/files/{file_id}/load", { params: { path: { file_id: file.id } } })),
  });
  const found = load?.found_s ?? null;
  const number = readNumber(text);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (number !== null) keep.mutate(number, { onSuccess: close });
  };
  return (
    <form onSubmit={submit} className="grid gap-4">
      <NumberField label="Seconds" value={text} onChange={setText} required autoFocus />
      {load && (
        <div className="grid gap-1">
          <p>{load.words}</p>
          {found !== null && (
            <p>
              <Button onClick={() => setText(figure(found))}>Lay it where load begins</Button>
            </p>
          )}
          {load.drawn.map((one) => (
            <p key={one.channel}>
              {channelWords(one.channel)} as it lies now: {fixed(one.watts, 1)} W over the pass alone,{" "}
              {fixed(one.joules_a_frame, 2)} J a frame
              {one.watts_above_idle != null && one.joules_a_frame_above_idle != null
                ? `; with idle taken off ${fixed(one.watts_above_idle, 1)} W, ${fixed(one.joules_a_frame_above_idle, 2)} J a frame`
                : ""}
              .
            </p>
          ))}
        </div>
      )}
      <FormEnd error={keep.error} leave={close} disabled={keep.isPending} does="Move it" />
    </form>
  );
}
