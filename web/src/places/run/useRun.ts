import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useReducer, useRef, useState } from "react";
import { client, data, databaseMark } from "../../api/client";
import { useSession } from "../../api/queries";
import { newId } from "../../model/ids";
import { KEPT, keepAhead, keepForOffline, keepRun, keptAhead } from "./offline";
import { Outbox, type Run, type Told } from "./outbox";
import { type Held, newer, type View, viewOf } from "./view";

/** How often onlookers ask whether something was done; a run that waits for its file asks more often. */
const PULSE_MS = 800;
const WAITING_MS = 400;
/** A server that has not answered after this is away, as far as one who stands at the bench can tell. */
const SILENT_MS = 2_500;
/** An act may take longer: it is sent once, and done once whatever comes of the answer. */
const PATIENT_MS = 20_000;

/** A study at the bench: how it stands, what waits in the browser, and how to act. */
export function useRun(study: number, session: number | null) {
  const queries = useQueryClient();
  const { data: signedIn } = useSession();
  const person = signedIn?.name ?? "";
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  const [held, setHeld] = useState<Held | null>(null);
  const hold = useCallback(
    (run: Run) => {
      keepAhead(Date.parse(run.now) - Date.now());
      void keepRun(study, session, run);
      setHeld((held) => newer(held, run, Date.now()));
    },
    [study, session],
  );
  const asked = useMemo(
    () => ({ path: { study_id: study }, query: session === null ? {} : { session } }),
    [study, session],
  );
  const outbox = useMemo(
    () =>
      new Outbox(
        { study, person, tab: thisTab() },
        {
          shelf: localStorage,
          post: (acts) =>
            data(
              client.POST("/api/studies/{study_id}/run/acts", {
                params: asked,
                body: { acts, now: new Date().toISOString() } as never,
                signal: AbortSignal.timeout(PATIENT_MS),
              }),
            ),
          renew: () => void queries.invalidateQueries({ queryKey: ["session"] }),
          onRun: hold,
          onChange: redraw,
          later: (again, delayMs) => setTimeout(again, delayMs),
          newId,
          now: () => new Date(),
        },
      ),
    [study, person, asked, hold, queries],
  );
  const { error } = useQuery({
    queryKey: ["run", study, session],
    networkMode: "always",
    queryFn: async () => {
      const answer = await client.GET("/api/studies/{study_id}/run", { params: asked }).catch(() => null);
      const run = await data(answer ? Promise.resolve(answer) : Promise.reject());
      // An answer that was kept from before is as old as it is: what it says of the time is not so any more.
      if (answer?.response.headers.has(KEPT)) setHeld((now) => now ?? { run, aheadMs: keptAhead() });
      else hold(run);
      return run.number;
    },
  });
  const waits = held?.run.under_way?.ended_at != null;
  const { data: pulse, error: silence } = useQuery({
    queryKey: ["run", study, session, "pulse"],
    enabled: held !== null,
    refetchInterval: waits ? WAITING_MS : PULSE_MS,
    refetchIntervalInBackground: true,
    retry: false,
    // Asked also where the browser believes that there is no network: that is what it is to find out.
    networkMode: "always",
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/run/pulse", {
          params: asked,
          signal: AbortSignal.timeout(SILENT_MS),
        }),
      ),
  });
  const known = held?.run.number ?? 0;
  const driver = held?.run.session?.driver ?? "";
  useEffect(() => {
    if (pulse && (pulse.number !== known || pulse.driver !== driver) && outbox.pending.length === 0)
      void queries.invalidateQueries({ queryKey: ["run", study, session], exact: true });
  }, [pulse, known, driver, outbox, queries, study, session]);
  const open = held !== null;
  useEffect(() => {
    if (open) void keepForOffline();
  }, [open]);
  useEffect(() => {
    void outbox.flush();
    const send = () => void outbox.flush();
    window.addEventListener("online", send);
    window.addEventListener("focus", send);
    return () => {
      window.removeEventListener("online", send);
      window.removeEventListener("focus", send);
    };
  }, [outbox]);
  const inSession = held?.run.session?.id ?? null;
  const act = useCallback(
    (told: Told) => outbox.add({ session_id: inSession, database: databaseMark(), ...told }),
    [outbox, inSession],
  );
  const view: View | null = held ? viewOf(held.run, outbox.pending, held.aheadMs) : null;
  const away = outbox.hindrance === "away" || silence !== null;
  return { view, error: held ? null : error, act, outbox, hold, away };
}

/** This tab's own name, which it keeps when it is loaded again. */
function thisTab(): string {
  const kept = sessionStorage.getItem("rennbahn.tab");
  if (kept) return kept;
  const made = newId();
  sessionStorage.setItem("rennbahn.tab", made);
  return made;
}

/** The time, so often that a countdown runs; `active` keeps it still where nothing moves. */
export function useNow(active: boolean, everyMs = 100): number {
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    setNow(Date.now());
    if (!active) return;
    const timer = setInterval(() => setNow(Date.now()), everyMs);
    return () => clearInterval(timer);
  }, [active, everyMs]);
  return now;
}

/** When what is on screen appeared, so that a step can say what it took. */
export function useSince(key: string): () => number {
  const since = useRef({ key, at: Date.now() });
  if (since.current.key !== key) since.current = { key, at: Date.now() };
  return () => (Date.now() - since.current.at) / 1000;
}
