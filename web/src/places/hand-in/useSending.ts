import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { client, data, Problem, upload } from "../../api/client";
import { piecesOf, sendPack, zipOf } from "../../api/packs";
import { patiently } from "../../api/patiently";
import { refreshStudy } from "../../api/queries";
import { size } from "../../format";
import type { Named } from "./folder";

/** The server's limit, asked for before a large file is sent at all. */
export const LARGEST = 64 * 1024 * 1024;
/** While one is read the next is sent; the server takes no more of one person. */
const AT_ONCE = 2;
/** Digests that are asked about with one request. */
const ASKED_AT_ONCE = 100;

export interface Sending {
  key: string;
  name: string;
  share: number;
}

export interface Failed {
  key: string;
  name: string;
  message: string;
  hint?: string | undefined;
}

/** Files and folders on their way to the server, and what was not taken. */
export function useSending(study: number) {
  const queries = useQueryClient();
  const [sending, setSending] = useState<Sending[]>([]);
  const [failed, setFailed] = useState<Failed[]>([]);
  const [skipped, setSkipped] = useState(0);
  const serial = useRef(0);

  /** Do what sends something, tell how far it is, and say why where it fails. */
  const attempt = useCallback(
    async (key: string, name: string, work: (told: (share: number) => void) => Promise<unknown>) => {
      try {
        await work((share) =>
          setSending((now) => now.map((one) => (one.key === key ? { ...one, share } : one))),
        );
      } catch (error) {
        const { message, hint } = error as Problem;
        setFailed((now) => [...now, { key, name, message, hint }]);
      } finally {
        setSending((now) => now.filter((one) => one.key !== key));
      }
    },
    [],
  );

  const sendOne = useCallback(
    (key: string, file: File) =>
      attempt(key, file.name, async (told) => {
        if (isZip(file)) {
          await sendPack(study, file.name, piecesOf(file), (bytes) => told(bytes / file.size));
          await queries.invalidateQueries({ queryKey: ["study", study, "packs"] });
        } else {
          const written_at = new Date(file.lastModified).toISOString();
          await patiently(() => upload(`/api/studies/${study}/files`, file, told, { written_at }));
        }
      }),
    [attempt, study, queries],
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
        if (file.size > LARGEST && !isZip(file)) {
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

  const sendFolder = useCallback(
    async (name: string, files: Named[]) => {
      serial.current += 1;
      const key = String(serial.current);
      setSkipped(0);
      setSending((now) => [...now, { key, name, share: 0 }]);
      remember(study, files.length);
      await attempt(key, name, async (told) => {
        if (!files.length) throw new Problem("empty_folder", "there is no file in the folder.", 0);
        const there = await alreadyThere(
          study,
          files.map(([, file]) => file),
        );
        setSkipped(there.size);
        const wanted = files.filter(([, file]) => !there.has(file)).sort(([a], [b]) => a.localeCompare(b));
        const whole = wanted.reduce((sum, [, file]) => sum + file.size, 0);
        if (wanted.length) await sendPack(study, name, zipOf(wanted), (bytes) => told(bytes / whole));
      });
      remember(study, 0);
      await refreshStudy(queries, study);
    },
    [attempt, queries, study],
  );

  const busy = sending.length > 0;
  useEffect(() => {
    if (!busy) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [busy]);

  return { sending, failed, skipped, send, sendFolder, forget: () => setFailed([]) };
}

const isZip = (file: File) => file.name.toLowerCase().endsWith(".zip");

const leftKey = (study: number) => `rennbahn.upload.${study}`;

/** How many files an upload still had to send when the page went away under it. */
export const leftOf = (study: number) => Number(sessionStorage.getItem(leftKey(study)) ?? 0);

/** Keep how many files are still to be sent, should the page go away. */
export function remember(study: number, left: number): void {
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
