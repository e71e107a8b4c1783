import type { Schemas } from "../../api/client";
import { Problem } from "../../api/client";

/** What is told of an act; its id and its moment are made here. */
export type Told = Omit<Partial<Schemas["ActIn"]>, "id" | "at"> & { kind: Schemas["ActIn"]["kind"] };
export type Act = Told & { id: string; at: string };
export type Run = Schemas["RunOut"];

/** An act that the server did not take, in its words. */
export interface Refusal {
  act: Act;
  message: string;
  hint: string;
}

/** Where acts lie until the server has them. */
interface Shelf {
  getItem: (key: string) => string | null;
  setItem: (key: string, value: string) => void;
}

interface Wiring {
  shelf: Shelf;
  /** Send acts; the answer says what became of each. */
  post: (acts: Act[]) => Promise<Run>;
  /** The server answered, and how it stands now. */
  onRun: (run: Run) => void;
  /** Something is kept, sent or refused. */
  onChange: () => void;
  later: (again: () => void, delayMs: number) => void;
  newId: () => string;
  now: () => Date;
}

const FIRST_WAIT_MS = 700;
const LONGEST_WAIT_MS = 15_000;
const MOST_AT_ONCE = 100;

/**
 * Acts at the bench, kept in the browser until the server has acknowledged them: a reload, a closed lid or a lost
 * network loses none, and an act that is sent twice is done once.
 */
export class Outbox {
  pending: Act[];
  refusals: Refusal[] = [];
  /** The server did not answer the last try. */
  away = false;
  private sending = false;
  private waits = 0;
  private readonly key: string;

  constructor(
    study: number,
    private readonly wiring: Wiring,
  ) {
    this.key = `rennbahn.run.${study}`;
    this.pending = readActs(wiring.shelf.getItem(this.key));
  }

  /** Keep an act and send it as soon as that is possible. */
  add(told: Told): Act {
    const act = { ...told, id: this.wiring.newId(), at: this.wiring.now().toISOString() };
    this.pending = [...this.pending, act];
    this.save();
    void this.flush();
    return act;
  }

  /** Send what waits, in order. */
  async flush(): Promise<void> {
    if (this.sending || this.pending.length === 0) return;
    this.sending = true;
    const acts = this.pending.slice(0, this.refusedWhole ? 1 : MOST_AT_ONCE);
    try {
      const run = await this.wiring.post(acts);
      this.away = false;
      this.waits = 0;
      this.refusedWhole = false;
      this.settle(acts, run.outcomes);
      this.wiring.onRun(run);
    } catch (error) {
      this.failed(acts, error);
    } finally {
      this.sending = false;
    }
    if (this.pending.length && !this.away) await this.flush();
  }

  /** Somebody has read what was refused. */
  forgetRefusals(): void {
    this.refusals = [];
    this.wiring.onChange();
  }

  /** A batch was refused as a whole: its acts are sent one by one, so that a bad one stops no other. */
  private refusedWhole = false;

  private settle(acts: Act[], outcomes: Schemas["ActDone"][]): void {
    const told = new Map(outcomes.map((one) => [one.id, one]));
    for (const act of acts) {
      const outcome = told.get(act.id);
      if (outcome && !outcome.done)
        this.refusals = [...this.refusals, { act, message: outcome.message, hint: outcome.hint }];
    }
    const done = new Set(acts.map((act) => act.id));
    this.pending = this.pending.filter((act) => !done.has(act.id));
    this.save();
  }

  private failed(acts: Act[], error: unknown): void {
    const problem = error instanceof Problem ? error : null;
    const [only] = acts;
    if (problem && problem.status === 422) {
      this.away = false;
      this.waits = 0;
      if (acts.length === 1 && only) {
        this.pending = this.pending.filter((act) => act.id !== only.id);
        this.refusals = [...this.refusals, { act: only, message: problem.message, hint: problem.hint ?? "" }];
        this.refusedWhole = this.pending.length > 1;
        this.save();
      } else {
        this.refusedWhole = true;
      }
      return;
    }
    this.away = true;
    const wait = Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** this.waits);
    this.waits += 1;
    this.wiring.later(() => void this.flush(), wait);
    this.wiring.onChange();
  }

  private save(): void {
    this.wiring.shelf.setItem(this.key, JSON.stringify(this.pending));
    this.wiring.onChange();
  }
}

/** Acts as they were kept; what is none of ours is left out. */
function readActs(text: string | null): Act[] {
  if (!text) return [];
  try {
    const found: unknown = JSON.parse(text);
    return Array.isArray(found)
      ? found.filter((one) => typeof one?.id === "string" && one.kind && one.at)
      : [];
  } catch {
    return [];
  }
}
