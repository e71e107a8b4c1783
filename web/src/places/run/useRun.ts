import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useReducer, useRef, useState } from "react";
import { client, data } from "../../api/client";
import { Outbox, type Run, type Told } from "./outbox";
import { type Held, newer, type View, viewOf } from "./view";

/** How often onlookers ask whether something was done; a run that waits for its file asks more often. */
const PULSE_MS = 1_000;
const WAITING_MS = 400;

/** A study at the bench: how it stands, what waits in the browser, and how to act. */
export function useRun(study: number) {
  const queries = useQueryClient();
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  const [held, setHeld] = useState<Held | null>(null);
  const hold = useCallback((run: Run) => setHeld((held) => newer(held, run, Date.now())), []);
  const path = useMemo(() => ({ path: { study_id: study } }), [study]);
  const outbox = useMemo(
    () =>
      new Outbox(study, {
        shelf: localStorage,
        post: (acts) =>
          data(
            client.POST("/api/studies/{study_id}/run/acts", {
              params: path,
              body: { acts, now: new Date().toISOString() } as never,
            }),
          ),
        onRun: hold,
        onChange: redraw,
        later: (again, delayMs) => setTimeout(again, delayMs),
        newId: () => crypto.randomUUID(),
        now: () => new Date(),
      }),
    [study, path, hold],
  );
  const { error } = useQuery({
    queryKey: ["run", study],
    queryFn: async () => {
      const run = await data(client.GET("/api/studies/{study_id}/run", { params: path }));
      hold(run);
      return run.number;
    },
  });
  const waits = held?.run.under_way?.ended_at != null;
  const { data: pulse, error: silence } = useQuery({
    queryKey: ["run", study, "pulse"],
    enabled: held !== null,
    refetchInterval: waits ? WAITING_MS : PULSE_MS,
    refetchIntervalInBackground: true,
    retry: false,
    // Asked also where the browser believes that there is no network: that is what it is to find out.
    networkMode: "always",
    queryFn: () => data(client.GET("/api/studies/{study_id}/run/pulse", { params: path })),
  });
  const known = held?.run.number ?? 0;
  const driver = held?.run.session?.driver ?? "";
  useEffect(() => {
    if (pulse && (pulse.number !== known || pulse.driver !== driver) && outbox.pending.length === 0)
      void queries.invalidateQueries({ queryKey: ["run", study], exact: true });
  }, [pulse, known, driver, outbox, queries, study]);
  useEffect(() => {
    void outbox.flush();
    const send = () => void outbox.flush();
    window.addEventListener("online", send);
    return () => window.removeEventListener("online", send);
  }, [outbox]);
  const act = useCallback((told: Told) => outbox.add(told), [outbox]);
  const view: View | null = held ? viewOf(held.run, outbox.pending, held.aheadMs) : null;
  return { view, error: held ? null : error, act, outbox, hold, away: outbox.away || silence !== null };
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
