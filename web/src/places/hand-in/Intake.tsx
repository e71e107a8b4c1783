import { FileUp } from "lucide-react";
import { type DragEvent, useRef, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useFiles, useMay } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { count, size } from "../../format";
import type { Study } from "../../model/study";
import { FileGroup } from "./FileGroup";
import { chosenFolder, dropped } from "./folder";
import { NoCaptures, SetAside } from "./NoCaptures";
import { Packs, usePacks } from "./Packs";
import { type Failed, LARGEST, leftOf, remember, type Sending, useSending } from "./useSending";

/** Drop captures, say once what their columns mean, say where each belongs, take them in. */
export function Intake({ study }: { study: Study }) {
  const { data: files, error } = useFiles(study.id);
  const may = useMay("tester") && study.state === "open";
  useTitle("Hand in", study.question);
  const { sending, failed, skipped, send, sendFolder, forget } = useSending(study.id);
  const [taken, setTaken] = useState(0);
  const [over, setOver] = useState(false);
  const { data: packs = [] } = usePacks(study.id);
  const input = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  if (error) return <ErrorNotice error={error} />;
  if (!files) return <Loading what="the files" />;
  if (!may) {
    return (
      <Empty
        title={
          study.state === "finished" ? "The study is finished." : "Only testers and leads hand in captures."
        }
      >
        <p>
          <Link to={`/studies/${study.id}/passes`}>Look at the passes</Link>
        </p>
      </Empty>
    );
  }
  const groups = groupsOf(files);
  // What is being sent or taken in by itself asks nothing yet: forms stand there once it is through.
  const underWay = sending.length > 0 || packs.some((pack) => pack.state === "running");
  const drop = async (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    setTaken(0);
    const found = await dropped(event.dataTransfer);
    if (found.files.length) void send(found.files);
    for (const one of found.folders) await sendFolder(one.name, one.files);
  };
  return (
    <>
      <section
        aria-label="Hand in captures"
        onDragOver={(event) => {
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={drop}
        className={`mb-5 flex flex-wrap items-center gap-x-6 gap-y-3 rounded border-2 border-dashed px-6 ${files.length ? "py-4" : "py-12"} ${over ? "border-ink bg-mark/50" : "border-mute bg-raised"}`}
      >
        <FileUp size={30} aria-hidden="true" />
        <div className="min-w-[min(24rem,100%)] flex-1">
          <h1 className="text-xl font-bold">Drop the capture files here</h1>
          <p className="text-soft">
            All at once, however many: delimited text, JSON Lines, Parquet or Arrow, gzip and zstd too, up to{" "}
            {size(LARGEST)} each. A folder or a zip of them is taken in by the worker, file by file, while you
            do something else. They are kept byte for byte.
          </p>
        </div>
        <input
          ref={input}
          type="file"
          multiple
          aria-label="Capture files"
          className="sr-only"
          tabIndex={-1}
          onChange={(event) => {
            setTaken(0);
            send([...(event.target.files ?? [])]);
            event.target.value = "";
          }}
        />
        <input
          ref={folder}
          type="file"
          {...{ webkitdirectory: "" }}
          aria-label="Folder of captures"
          className="sr-only"
          tabIndex={-1}
          onChange={(event) => {
            setTaken(0);
            const found = chosenFolder(event.target.files ?? new DataTransfer().files);
            void sendFolder(found.name, found.files);
            event.target.value = "";
          }}
        />
        <span className="flex gap-3">
          <Button onClick={() => folder.current?.click()}>Choose a folder</Button>
          <Button kind="main" onClick={() => input.current?.click()}>
            Choose files
          </Button>
        </span>
      </section>
      <BrokenOff study={study.id} sending={sending.length > 0} />
      <Progress sending={sending} skipped={skipped} />
      <Failures failed={failed} forget={forget} />
      <Packs study={study.id} />
      {taken > 0 && (
        <p role="status" className="mb-5 border-ink border-l-4 bg-raised px-4 py-2.5 font-semibold">
          {count(taken, "pass", "passes")} recorded.{" "}
          <Link to={`/studies/${study.id}/passes`}>Look at them and decide which count</Link>
        </p>
      )}
      {underWay && files.length > 0 && (
        <p className="mb-5 text-soft">
          {count(files.length, "file waits", "files wait")} for a place so far. What is to be said of them is
          asked once all are here.
        </p>
      )}
      <div hidden={underWay}>
        {files.length > 0 && (
          <p className="mb-3 text-soft">
            {count(files.length, "file waits", "files wait")} here,{" "}
            {size(files.reduce((sum, file) => sum + file.size, 0))}.
          </p>
        )}
        {groups.map(([key, group]) => (
          <FileGroup
            key={key}
            study={study}
            files={group}
            onTaken={(n) => setTaken((before) => before + n)}
          />
        ))}
        <NoCaptures study={study} files={files.filter((file) => !file.header_key)} />
      </div>
      <SetAside study={study} />
    </>
  );
}

/** Files that look alike, by their header; the largest group first. */
function groupsOf(files: Schemas["ArrivalOut"][]): [string, Schemas["ArrivalOut"][]][] {
  const groups = new Map<string, Schemas["ArrivalOut"][]>();
  for (const file of files) {
    if (file.header_key) groups.set(file.header_key, [...(groups.get(file.header_key) ?? []), file]);
  }
  return [...groups].sort(([, a], [, b]) => b.length - a.length);
}

/** What a page says whose upload broke off when it went away. */
function BrokenOff({ study, sending }: { study: number; sending: boolean }) {
  const [left, setLeft] = useState(() => leftOf(study));
  if (!left || sending) return null;
  return (
    <div role="status" className="mb-5 border-accent border-l-4 bg-mark/40 px-4 py-3">
      <p className="font-semibold">An upload was broken off with {count(left, "file")} to go.</p>
      <p className="text-soft">
        Choose the same files again, all of them: what is here already is passed over, and the rest goes on.
      </p>
      <Button
        kind="quiet"
        onClick={() => {
          remember(study, 0);
          setLeft(0);
        }}
      >
        Understood
      </Button>
    </div>
  );
}

function Progress({ sending, skipped }: { sending: Sending[]; skipped: number }) {
  const passedOver = skipped > 0 && `${count(skipped, "file was", "files were")} here already.`;
  if (!sending.length)
    return passedOver ? (
      <p role="status" className="mb-5">
        {passedOver}
      </p>
    ) : null;
  const share = sending.reduce((sum, one) => sum + one.share, 0) / sending.length;
  return (
    <div role="status" className="mb-5">
      <p>
        Sending {count(sending.length, "file")} … {Math.round(share * 100)}% {passedOver}
      </p>
      <div className="mt-1 h-2 rounded-[2px] border border-mute bg-raised">
        <div className="h-full bg-ink" style={{ width: `${share * 100}%` }} />
      </div>
    </div>
  );
}

/** So many names of what failed are shown. */
const MOST_FAILED = 50;

function Failures({ failed, forget }: { failed: Failed[]; forget: () => void }) {
  if (!failed.length) return null;
  return (
    <div role="alert" className="mb-5 border-accent border-l-4 bg-mark/40 px-4 py-3">
      <div className="flex items-start justify-between gap-4">
        <p className="font-bold">{count(failed.length, "file was", "files were")} not taken</p>
        <Button kind="quiet" onClick={forget}>
          Understood
        </Button>
      </div>
      <ul className="mt-1 grid gap-1.5">
        {failed.slice(0, MOST_FAILED).map((one) => (
          <li key={one.key}>
            <span className="font-semibold">{one.name}</span>: {one.message}
            {one.hint && <span className="block text-soft">{one.hint}</span>}
          </li>
        ))}
      </ul>
    </div>
  );
}
