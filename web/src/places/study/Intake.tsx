import { useQueryClient } from "@tanstack/react-query";
import { FileUp } from "lucide-react";
import { type DragEvent, useCallback, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { client, data, type Problem, type Schemas, upload } from "../../api/client";
import { refreshStudy, useFiles, useMay } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { count, size } from "../../format";
import { FileGroup } from "./FileGroup";
import { NoCaptures, SetAside } from "./NoCaptures";
import { Packs } from "./Packs";
import type { Study } from "./study";

/** The server's limit, asked for before a large file is sent at all. */
const LARGEST = 64 * 1024 * 1024;
const AT_ONCE = 4;
/** Digests that are asked about with one request. */
const ASKED_AT_ONCE = 100;

interface Sending {
  key: string;
  name: string;
  share: number;
}

interface Failed {
  key: string;
  name: string;
  message: string;
  hint?: string | undefined;
}

/** Drop captures, say once what their columns mean, say where each belongs, take them in. */
export function Intake({ study }: { study: Study }) {
  const { data: files, error } = useFiles(study.id);
  const may = useMay("tester") && study.state === "open";
  useTitle("Hand in", study.question);
  const { sending, failed, skipped, send, forget } = useSending(study.id);
  const [taken, setTaken] = useState(0);
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
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
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    setTaken(0);
    send([...event.dataTransfer.files]);
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
        <div className="mr-auto">
          <h1 className="text-xl font-bold">Drop the capture files here</h1>
          <p className="text-soft">
            All at once, however many: delimited text, JSON Lines, Parquet or Arrow, gzip and zstd too, up to{" "}
            {size(LARGEST)} each; or a zip of them, which the worker takes in. They are kept byte for byte.
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
        <Button kind="main" onClick={() => input.current?.click()}>
          Choose files
        </Button>
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
      {groups.map(([key, group]) => (
        <FileGroup key={key} study={study} files={group} onTaken={(n) => setTaken((before) => before + n)} />
      ))}
      <NoCaptures study={study} files={files.filter((file) => !file.header_key)} />
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

function useSending(study: number) {
  const queries = useQueryClient();
  const [sending, setSending] = useState<Sending[]>([]);
  const [failed, setFailed] = useState<Failed[]>([]);
  const [skipped, setSkipped] = useState(0);
  const serial = useRef(0);

  const sendOne = useCallback(
    async (key: string, file: File) => {
      try {
        const zip = file.name.toLowerCase().endsWith(".zip");
        await upload(
          `/api/studies/${study}/${zip ? "packs" : "files"}`,
          file,
          (share) => setSending((now) => now.map((one) => (one.key === key ? { ...one, share } : one))),
          zip ? {} : { written_at: new Date(file.lastModified).toISOString() },
        );
        if (zip) await queries.invalidateQueries({ queryKey: ["study", study, "packs"] });
      } catch (error) {
        const { message, hint } = error as Problem;
        setFailed((now) => [...now, { key, name: file.name, message, hint }]);
      } finally {
        setSending((now) => now.filter((one) => one.key !== key));
      }
    },
    [study, queries],
  );

  const send = useCallback(
    async (files: File[]) => {
      const queue: [string, File][] = [];
      const keys = files.map((file): [string, File] => {
        serial.current += 1;
        return [String(serial.current), file];
      });
      setSkipped(0);
      setSending((now) => [...now, ...keys.map(([key, file]) => ({ key, name: file.name, share: 0 }))]);
      remember(study, files.length);
      const there = await alreadyThere(study, files);
      for (const [key, file] of keys) {
        if (file.size > LARGEST) {
          const message = `“${file.name}” has ${size(file.size)}; up to ${size(LARGEST)} are taken, so it was not sent.`;
          const hint = "Trim the recording in the logger or compress it with gzip or zstd.";
          setFailed((now) => [...now, { key, name: file.name, message, hint }]);
        } else if (!there.has(file)) queue.push([key, file]);
        else setSkipped((now) => now + 1);
      }
      const wanted = new Set(queue.map(([key]) => key));
      const own = new Set(keys.map(([key]) => key));
      setSending((now) => now.filter((one) => !own.has(one.key) || wanted.has(one.key)));
      const work = async () => {
        for (let next = queue.shift(); next; next = queue.shift()) {
          await sendOne(...next);
          remember(study, queue.length);
        }
      };
      await Promise.all(Array.from({ length: AT_ONCE }, work));
      remember(study, 0);
      await refreshStudy(queries, study);
    },
    [queries, sendOne, study],
  );

  const busy = sending.length > 0;
  useEffect(() => {
    if (!busy) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [busy]);

  return { sending, failed, skipped, send, forget: () => setFailed([]) };
}

/** How many files an upload still had to send, should the page go away under it. */
const leftKey = (study: number) => `rennbahn.upload.${study}`;

function remember(study: number, left: number): void {
  if (left) sessionStorage.setItem(leftKey(study), String(left));
  else sessionStorage.removeItem(leftKey(study));
}

/** Those of the files whose bytes the study has already: an upload that broke off goes on where it was. */
async function alreadyThere(study: number, files: File[]): Promise<Set<File>> {
  const there = new Set<File>();
  // Only pages of one's own machine and of HTTPS may compute digests; elsewhere the server says it file by file.
  if (!globalThis.crypto?.subtle) return there;
  for (let from = 0; from < files.length; from += ASKED_AT_ONCE) {
    const part = files.slice(from, from + ASKED_AT_ONCE).filter((file) => file.size <= LARGEST);
    const digests = await Promise.all(part.map(digestOf));
    try {
      const known = await data(
        client.POST("/api/studies/{study_id}/files/known", {
          params: { path: { study_id: study } },
          body: { sha256: [...new Set(digests)] },
        }),
      );
      const here = new Set(known.sha256);
      part.forEach((file, i) => {
        if (here.has(digests[i] ?? "")) there.add(file);
      });
    } catch {
      return there;
    }
  }
  return there;
}

async function digestOf(file: File): Promise<string> {
  const hash = await crypto.subtle.digest("SHA-256", await file.arrayBuffer());
  return [...new Uint8Array(hash)].map((byte) => byte.toString(16).padStart(2, "0")).join("");
}

/** What a page says whose upload broke off when it went away. */
function BrokenOff({ study, sending }: { study: number; sending: boolean }) {
  const [left, setLeft] = useState(() => Number(sessionStorage.getItem(leftKey(study)) ?? 0));
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
