import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useRef, useState } from "react";
import { client, data, type Schemas, upload } from "../../api/client";
import { useMay } from "../../api/queries";
import { Button } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";
import type { Study } from "../../model/study";
import { Keep, type Offer } from "../reports/Keep";
import type { Names } from "./shown";

type Note = Schemas["EyeNoteOut"];
type Side = "from" | "to";

/** What the eye gets from step to step, as the reviewer saw it, with two pictures under one divider. */
export function EyeNotes({
  study,
  names,
  steps,
}: {
  study: Study;
  names: Names;
  steps: readonly { from: string; to: string }[];
}) {
  const { data: notes, error } = useQuery({
    queryKey: ["study", study.id, "eye-notes"],
    queryFn: () =>
      data(client.GET("/api/studies/{study_id}/eye-notes", { params: { path: { study_id: study.id } } })),
  });
  const tester = useMay("tester");
  if (error) return <ErrorNotice error={error} />;
  if (!notes || !steps.length) return null;
  const noted = steps.map((step) => ({
    step,
    note: notes.find((one) => String(one.from_lane) === step.from && String(one.to_lane) === step.to),
  }));
  if (!tester && noted.every(({ note }) => !note)) return null;
  return (
    <section className="mt-10" aria-label="What the eye gets">
      <h2 className="mb-2 text-xl font-bold">What the eye gets</h2>
      <div className="grid gap-3">
        {noted.map(({ step, note }) => (
          <Step key={`${step.from} ${step.to}`} study={study} names={names} step={step} note={note} />
        ))}
      </div>
    </section>
  );
}

function Step({
  study,
  names,
  step,
  note,
}: {
  study: Study;
  names: Names;
  step: { from: string; to: string };
  note: Note | undefined;
}) {
  const queries = useQueryClient();
  // What is finished or put away changes no more.
  const tester = useMay("tester") && study.state === "open" && !study.archived_at;
  const [typed, setTyped] = useState<string | null>(null);
  const [error, setError] = useState<unknown>(null);
  const place = `${names.lane(step.from)} to ${names.lane(step.to)}`;
  const address = `/api/studies/${study.id}/eye-notes/${step.from}/${step.to}`;
  const known = (found: unknown) => queries.setQueryData(["study", study.id, "eye-notes"], found);
  const save = useMutation({
    mutationFn: (words: string) =>
      data(
        client.PUT("/api/studies/{study_id}/eye-notes/{from_lane_id}/{to_lane_id}", {
          params: {
            path: { study_id: study.id, from_lane_id: Number(step.from), to_lane_id: Number(step.to) },
          },
          body: { words, seen: note?.words ? note.seen : "" },
        }),
      ),
    onSuccess: (found) => {
      known(found);
      setTyped(null);
    },
  });
  const picture = (side: Side) => note?.pictures.find((one) => one.side === side);
  const source = (side: Side) => `${address}/${side}?mark=${picture(side)?.sha256.slice(0, 12)}`;
  const take = async (side: Side, file: File) => {
    setError(null);
    try {
      const seen = { seen: picture(side)?.sha256 ?? "" };
      known(await upload(`${address}/${side}`, file, () => undefined, seen));
    } catch (problem) {
      setError(problem);
    }
  };
  const both = picture("from") && picture("to");
  return (
    <article className="border-rule border-t pt-2">
      <h3 className="font-bold">{place}</h3>
      {typed === null ? (
        <p className="whitespace-pre-line">
          {note?.words || <span className="text-mute">Nothing noted yet.</span>}{" "}
          {note?.words && <span className="text-[0.86rem] text-mute">{note.by}</span>}
        </p>
      ) : (
        <form
          onSubmit={(event: FormEvent) => {
            event.preventDefault();
            save.mutate(typed);
          }}
        >
          <textarea
            className="field min-h-24"
            aria-label={`What the eye gets from ${place}`}
            // biome-ignore lint/a11y/noAutofocus: it was just asked for
            autoFocus
            maxLength={2000}
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
          />
          <div className="mt-2 flex gap-2">
            <Button onClick={() => setTyped(null)}>Cancel</Button>
            <Button kind="main" type="submit" disabled={save.isPending}>
              Keep the note
            </Button>
          </div>
        </form>
      )}
      <ErrorNotice error={save.error ?? error} />
      {both && (
        <Divider
          from={{ src: source("from"), name: names.lane(step.from) }}
          to={{ src: source("to"), name: names.lane(step.to) }}
          width={both.width}
          height={both.height}
        />
      )}
      {!both &&
        (["from", "to"] as const).map(
          (side) =>
            picture(side) && (
              <img
                key={side}
                src={source(side)}
                alt={`${names.lane(side === "from" ? step.from : step.to)}, as it looks`}
                className="mt-3 max-h-96"
              />
            ),
        )}
      {note && <Keep study={study} offer={() => anEyeNote(place, step)} name={`For a report: ${place}`} />}
      {tester && (
        <div className="no-print mt-1 flex flex-wrap gap-2">
          {typed === null && (
            <Button kind="quiet" onClick={() => setTyped(note?.words ?? "")}>
              {note?.words ? "Change the note" : "Note what you see"}
            </Button>
          )}
          {(["from", "to"] as const).map((side) => (
            <PictureIn
              key={side}
              label={`${picture(side) ? "Another picture" : "Picture"} of ${names.lane(side === "from" ? step.from : step.to)}`}
              take={(file) => take(side, file)}
            />
          ))}
        </div>
      )}
    </article>
  );
}

/** A note with its pictures, as a block of a report. */
const anEyeNote = (place: string, step: { from: string; to: string }): Offer => ({
  legend: "What",
  options: [{ key: "eye", label: `What the eye gets: ${place}` }],
  first: ["eye"],
  blocks: () => [
    {
      kind: "eye",
      look: {
        own: false,
        figure: "",
        targets: [],
        eye: { from_lane: Number(step.from), to_lane: Number(step.to) },
      },
    },
  ],
});

function PictureIn({ label, take }: { label: string; take: (file: File) => void }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button kind="quiet" onClick={() => input.current?.click()}>
        {label}
      </Button>
      <input
        ref={input}
        type="file"
        accept="image/png,image/jpeg,image/webp"
        aria-label={label}
        className="hidden"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) take(file);
          event.target.value = "";
        }}
      />
    </>
  );
}

/** A picture is shown no higher than this. */
const HIGHEST_REM = 32;

interface Half {
  src: string;
  name: string;
}

/** Two pictures in one place: what lies left of the divider is the first, right of it the second. */
function Divider({ from, to, width, height }: { from: Half; to: Half; width: number; height: number }) {
  const [at, setAt] = useState(50);
  return (
    <figure className="mt-3" style={{ maxWidth: `calc(${HIGHEST_REM}rem * ${width / height})` }}>
      <div className="relative w-full overflow-hidden" style={{ aspectRatio: `${width} / ${height}` }}>
        <img src={to.src} alt={`${to.name}, as it looks`} className="absolute inset-0 size-full" />
        <img
          src={from.src}
          alt={`${from.name}, as it looks`}
          className="absolute inset-0 size-full"
          style={{ clipPath: `inset(0 ${100 - at}% 0 0)` }}
        />
        <span
          aria-hidden="true"
          className="absolute inset-y-0 w-[3px] bg-accent"
          style={{ left: `calc(${at}% - 1.5px)` }}
        />
      </div>
      <figcaption className="mt-1 flex items-center gap-3">
        <span className="font-semibold">{from.name}</span>
        <input
          type="range"
          min={0}
          max={100}
          value={at}
          aria-label={`Divider between ${from.name} and ${to.name}`}
          className="grow accent-[var(--accent)]"
          onChange={(event) => setAt(Number(event.target.value))}
        />
        <span className="font-semibold">{to.name}</span>
      </figcaption>
    </figure>
  );
}
