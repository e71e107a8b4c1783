import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate } from "react-router";
import { useMay } from "../../api/queries";
import { type FitPlace, fitActs, type Matrix, useFitAct } from "../../api/tuning";
import { SIGNS } from "../../charts/kinds/FitPicture";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { useKeysOf } from "../../controls/Keys";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { moment, readNumber } from "../../format";

const KEYS = [{ key: "a", does: "note an attempt" }];
/** How an attempt can end: all a place can stand as, but not tried. */
const OUTCOMES = Object.entries(SIGNS).filter(([state]) => state !== "not_tried");

/** A place of a matrix: what facts say, what was tried, what to try next. */
export function PlacePanel({ matrix, place, close }: { matrix: Matrix; place: FitPlace; close: () => void }) {
  const tester = useMay("tester");
  const lead = useMay("lead");
  const go = useNavigate();
  const queries = useQueryClient();
  const [noting, setNoting] = useState<string | null>(null);
  const study = useMutation({
    mutationFn: () => fitActs.setup(matrix.id, { row: place.row, via: place.via, column: place.column }),
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["setups"] });
      go(`/studies/new?setup=${made.setup_id}`);
    },
  });
  useHotkeys("a", () => setNoting(""), { enabled: tester && noting === null, preventDefault: true });
  useKeysOf("This combination", KEYS);
  const names = [
    matrix.rows.find((one) => one.id === place.row)?.name,
    matrix.via.find((one) => one.id === place.via)?.name,
    matrix.columns.find((one) => one.id === place.column)?.name,
  ].filter((one) => one !== undefined);
  const works = place.state === "works" || place.state === "limited";
  return (
    <aside aria-label="This combination" className="sheet grid gap-3 p-4">
      <div>
        <h2 className="text-lg leading-tight font-bold">{names.join(" + ")}</h2>
        <p className="text-[1.3rem] font-semibold first-letter:uppercase">{place.words}</p>
        {place.link && <p className="text-soft first-letter:uppercase">Link {place.link}.</p>}
      </div>
      {place.checks.length > 0 && (
        <div>
          <h3 className="label">Before anything is plugged in</h3>
          <ul className="list-disc pl-5 text-accent">
            {place.checks.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </div>
      )}
      {place.next.length > 0 && (
        <div>
          <h3 className="label">To try next</h3>
          <ul className="grid gap-1">
            {place.next.map((one) => (
              <li key={one.change} className="flex flex-wrap items-baseline justify-between gap-2">
                <span>
                  <b>{one.change}</b> <span className="text-soft">{one.words}</span>
                </span>
                {tester && (
                  <Button kind="quiet" onClick={() => setNoting(one.change)}>
                    Tried it
                  </Button>
                )}
              </li>
            ))}
          </ul>
        </div>
      )}
      <div>
        <h3 className="label">Attempts</h3>
        {place.attempts.length === 0 && <p className="text-mute">None yet.</p>}
        <ol className="grid gap-2">
          {place.attempts.map((one, at) => (
            <Attempt key={one.id} number={at + 1} one={one} tester={tester} lead={lead} />
          ))}
        </ol>
      </div>
      {place.cautions.map((one) => (
        <p key={one} className="border-accent border-l-4 pl-3 text-[0.92rem]">
          <b>Caution.</b> {one}
        </p>
      ))}
      <ErrorNotice error={study.error} />
      <div className="flex flex-wrap gap-2">
        {tester && (
          <Button kind="main" shortcut="a" onClick={() => setNoting("")}>
            Note an attempt
          </Button>
        )}
        {lead && works && (
          <Button disabled={study.isPending} onClick={() => study.mutate()}>
            Begin a study with it
          </Button>
        )}
        <Button kind="quiet" onClick={close}>
          Close
        </Button>
      </div>
      {noting !== null && (
        <AttemptDialog matrix={matrix} place={place} change={noting} close={() => setNoting(null)} />
      )}
    </aside>
  );
}

function Attempt({
  number,
  one,
  tester,
  lead,
}: {
  number: number;
  one: FitPlace["attempts"][number];
  tester: boolean;
  lead: boolean;
}) {
  const [asking, setAsking] = useState<"photograph" | "strike" | null>(null);
  return (
    <li className={one.struck ? "text-mute" : ""}>
      <p>
        <span className="figure">{number}</span> <b>{SIGNS[one.outcome]?.words}</b>
        {one.changed.length > 0 && ` after: ${one.changed.join(", ")}`}
        {one.struck && ` (struck out, ${one.struck})`}
      </p>
      {one.seen && <p className="text-soft">{one.seen}</p>}
      {one.link && <p className="text-soft">Link {one.link}</p>}
      <p className="text-[0.85rem] text-mute">
        {one.by}, {moment(one.at)}
        {tester && !one.struck && (
          <button
            type="button"
            className="ml-2 cursor-pointer underline"
            onClick={() => setAsking("photograph")}
          >
            photograph
          </button>
        )}
        {lead && !one.struck && (
          <button type="button" className="ml-2 cursor-pointer underline" onClick={() => setAsking("strike")}>
            strike out
          </button>
        )}
      </p>
      <div className="flex flex-wrap gap-2">
        {one.photographs.map((photo) => (
          <a key={photo.id} href={photo.source} target="_blank" rel="noreferrer">
            <img
              src={photo.source}
              alt={photo.words}
              className="h-20 rounded border border-rule"
              loading="lazy"
            />
          </a>
        ))}
      </div>
      {asking === "photograph" && <PhotographDialog attempt={one.id} close={() => setAsking(null)} />}
      {asking === "strike" && <StrikeDialog attempt={one.id} close={() => setAsking(null)} />}
    </li>
  );
}

function PhotographDialog({ attempt, close }: { attempt: number; close: () => void }) {
  const [words, setWords] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const keep = useFitAct((chosen: File) => fitActs.photograph(attempt, chosen, words));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const chosen = file.current?.files?.[0];
    if (chosen) keep.mutate(chosen, { onSuccess: close });
  };
  return (
    <Dialog open onOpenChange={(now) => !now && close()} title="A photograph of the attempt">
      <form onSubmit={submit} className="grid gap-4">
        <Field
          label="What it shows"
          required
          autoFocus
          maxLength={300}
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
        <label className="grid gap-1">
          <span className="label">PNG, JPEG or WebP</span>
          <input ref={file} type="file" required accept="image/png,image/jpeg,image/webp" />
        </label>
        <FormEnd error={keep.error} leave={close} disabled={keep.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}

function StrikeDialog({ attempt, close }: { attempt: number; close: () => void }) {
  const [why, setWhy] = useState("");
  const strike = useFitAct((words: string) => fitActs.strike(attempt, words));
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title="Strike the attempt out"
      description="It stays, with why, and counts no more."
    >
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          strike.mutate(why, { onSuccess: close });
        }}
      >
        <Field
          label="Why"
          required
          autoFocus
          minLength={3}
          maxLength={300}
          value={why}
          onChange={(event) => setWhy(event.target.value)}
        />
        <FormEnd error={strike.error} leave={close} disabled={strike.isPending} does="Strike it out" />
      </form>
    </Dialog>
  );
}

function AttemptDialog({
  matrix,
  place,
  change,
  close,
}: {
  matrix: Matrix;
  place: FitPlace;
  change: string;
  close: () => void;
}) {
  const [outcome, setOutcome] = useState("");
  const [changed, setChanged] = useState(change);
  const [seen, setSeen] = useState("");
  const [generation, setGeneration] = useState("");
  const [lanes, setLanes] = useState("");
  const note = useFitAct((body: Parameters<typeof fitActs.attempt>[1]) => fitActs.attempt(matrix.id, body));
  const known = [...new Set(matrix.places.flatMap((one) => one.attempts.flatMap((each) => each.changed)))];
  const submit = (event: FormEvent) => {
    event.preventDefault();
    note.mutate(
      {
        row: place.row,
        via: place.via,
        column: place.column,
        outcome: outcome as "works",
        changed: changed
          .split(";")
          .map((one) => one.trim())
          .filter(Boolean),
        seen,
        generation: readNumber(generation),
        lanes: readNumber(lanes),
      },
      { onSuccess: close },
    );
  };
  return (
    <Dialog open onOpenChange={(now) => !now && close()} title="An attempt">
      <form onSubmit={submit} className="grid gap-4">
        <Labelled label="How it ended">
          <Select
            label="How it ended"
            value={outcome}
            onChange={setOutcome}
            options={OUTCOMES.map(([value, { words }]) => ({ value, label: words }))}
          />
        </Labelled>
        <Field
          label="What was changed for it; several with a semicolon between"
          autoFocus
          suggestions={known}
          value={changed}
          onChange={(event) => setChanged(event.target.value)}
        />
        <Field
          label="What was seen"
          maxLength={600}
          value={seen}
          onChange={(event) => setSeen(event.target.value)}
        />
        <div className="grid grid-cols-2 gap-3">
          <NumberField
            label="Link: generation"
            whole
            min={1}
            max={5}
            value={generation}
            onChange={setGeneration}
          />
          <NumberField label="Link: lanes" whole min={1} max={16} value={lanes} onChange={setLanes} />
        </div>
        <FormEnd error={note.error} leave={close} disabled={note.isPending || !outcome} does="Note it" />
      </form>
    </Dialog>
  );
}
