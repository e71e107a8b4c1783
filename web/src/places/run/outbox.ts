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

/** Why nothing is sent just now: the server does not answer, or does not know who asks any more. */
export type Hindrance = "" | "away" | "signed-out";

/** Where acts lie until the server has them: what a browser's storage can do. */
export type Shelf = Pick<Storage, "getItem" | "setItem" | "removeItem" | "key" | "length">;

/** Whose acts they are: of which study, which person, which tab. */
export interface Owner {
  study: number;
  person: string;
  tab: string;
}

interface Wiring {
  shelf: Shelf;
  /** Send acts; the answer says what became of each. */
  post: (acts: Act[]) => Promise<Run>;
  /** Ask anew who is signed in: somebody may have signed in again meanwhile, which makes this page's token stale. */
  renew: () => void;
  /** The server answered, and how it stands now. */
  onRun: (run: Run) => void;
  /** Something is kept, sent or refused. */
  onChange: () => void;
  later: (again: () => void, delayMs: number) => void;
  newId: () => string;
  now: () => Date;
}

/** The code of a refusal that is about the person's role. */
const NO_RIGHT = "not_allowed";
const FIRST_WAIT_MS = 700;
const LONGEST_WAIT_MS = 15_000;
const MOST_AT_ONCE = 100;

/**
 * Acts at the bench, kept in the browser until the server has acknowledged them: a reload, a closed lid or a lost
 * network loses none, and an act that is sent twice is done once.
 *
 * They are a person's: whoever signs in next neither sends nor sees them. What a closed tab left is taken over by the
 * next one of the same person.
 */
export class Outbox {
  pending: Act[];
  refusals: Refusal[] = [];
  hindrance: Hindrance = "";
  private sending = false;
  private waiting = false;
  private waits = 0;
  private readonly key: string;

  constructor(
    { study, person, tab }: Owner,
    private readonly wiring: Wiring,
  ) {
    const own = `rennbahn.run.${study}.${encodeURIComponent(person)}.`;
    this.key = own + tab;
    this.pending = takeOver(wiring.shelf, own, this.key);
    if (this.pending.length) wiring.shelf.setItem(this.key, JSON.stringify(this.pending));
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
      this.hindrance = "";
      this.waits = 0;
      this.refusedWhole = false;
      this.settle(acts, run.outcomes);
      this.wiring.onRun(run);
    } catch (error) {
      this.failed(acts, error instanceof Problem ? error : null);
    } finally {
      this.sending = false;
    }
    if (this.pending.length && !this.hindrance) await this.flush();
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
    this.drop(acts);
  }

  /** What an answer other than yes means: to send it again, later or after signing in, or that it is never taken. */
  private failed(acts: Act[], problem: Problem | null): void {
    const status = problem?.status ?? 0;
    if (problem && status === 401) {
      // Nothing is thrown away: whoever signs in again as the same person sends it.
      this.hindrance = "signed-out";
      this.wiring.onChange();
    } else if (problem && status === 422 && acts.length > 1) {
      this.hindrance = "";
      this.waits = 0;
      this.refusedWhole = true;
    } else if (status === 403 && problem?.code !== NO_RIGHT) {
      // It is the page's token that is stale, not the person's right.
      this.hindrance = "away";
      this.wiring.renew();
      this.retry();
      this.wiring.onChange();
    } else if (problem && [403, 404, 409, 422].includes(status)) {
      // No right to it, gone, somebody else's by now, or not to be understood: sending it again changes nothing.
      this.hindrance = "";
      this.waits = 0;
      const { message, hint } = problem;
      this.refusals = [...this.refusals, ...acts.map((act) => ({ act, message, hint: hint ?? "" }))];
      this.refusedWhole = status === 422 && this.pending.length > 1;
      this.drop(acts);
    } else {
      this.hindrance = "away";
      this.retry();
      this.wiring.onChange();
    }
  }

  /** Once more after a while: one at a time, ever later. */
  private retry(): void {
    if (this.waiting) return;
    this.waiting = true;
    const wait = Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** this.waits);
    this.waits += 1;
    this.wiring.later(() => {
      this.waiting = false;
      void this.flush();
    }, wait);
  }

  private drop(acts: Act[]): void {
    const gone = new Set(acts.map((act) => act.id));
    this.pending = this.pending.filter((act) => !gone.has(act.id));
    this.save();
  }

  private save(): void {
    this.wiring.shelf.setItem(this.key, JSON.stringify(this.pending));
    this.wiring.onChange();
  }
}

/** What this person's tabs kept, one's own last; a tab that is open still only sends once more what is done once. */
function takeOver(shelf: Shelf, prefix: string, own: string): Act[] {
  const keys = Array.from({ length: shelf.length }, (_, at) => shelf.key(at)).filter(
    (key): key is string => key?.startsWith(prefix) === true,
  );
  const found = new Map<string, Act>();
  for (const key of keys.sort((a, b) => Number(a === own) - Number(b === own))) {
    for (const act of readActs(shelf.getItem(key))) found.set(act.id, act);
    if (key !== own) shelf.removeItem(key);
  }
  return [...found.values()].sort((a, b) => Date.parse(a.at) - Date.parse(b.at));
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
