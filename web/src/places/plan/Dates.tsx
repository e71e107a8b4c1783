import type { Schemas } from "../../api/client";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { Select } from "../../controls/Select";
import { day } from "../../format";
import type { Study } from "../../model/study";

export type PlanDate = Schemas["PlanDate"];
type Kind = PlanDate["kind"];

const KINDS: Record<Kind, string> = {
  off: "nobody is at the bench",
  back: "a part goes back",
  patch: "a game is patched",
};

/** What a date is about, by its kind: a lane, a game, or nothing. */
function choices(study: Study, kind: Kind): { value: string; label: string }[] {
  if (kind === "back") return study.lanes_full.map((lane) => ({ value: String(lane.id), label: lane.name }));
  const games = new Map(study.tests_full.map((test) => [String(test.game_id), test.game]));
  return kind === "patch" ? [...games].map(([value, label]) => ({ value, label })) : [];
}

/** A date in words, for the line above the plan. */
export function dateWords(study: Study, date: PlanDate): string {
  const on = day(date.on);
  if (date.kind === "off") return `nobody at the bench on ${on}`;
  const about = choices(study, date.kind).find(
    (one) => one.value === String(date.lane_id ?? date.game_id),
  )?.label;
  return date.kind === "back" ? `a part of ${about} goes back on ${on}` : `${about} is patched on ${on}`;
}

/** Days that change what can be run: rows of a day, what it is, and of what. */
export function Dates({
  study,
  dates,
  change,
}: {
  study: Study;
  dates: PlanDate[];
  change: (dates: PlanDate[]) => void;
}) {
  const put = (at: number, date: PlanDate) => change(dates.map((one, index) => (index === at ? date : one)));
  const named = (on: string, kind: Kind, about: string | undefined): PlanDate => ({
    kind,
    on,
    lane_id: kind === "back" ? Number(about) : null,
    game_id: kind === "patch" ? Number(about) : null,
  });
  return (
    <fieldset className="sheet p-4">
      <legend className="label px-1">Days that are unlike the others</legend>
      <div className="grid gap-2">
        {dates.map((date, at) => {
          const found = choices(study, date.kind);
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows have no other name, and none keeps a state
            <div key={at} className="flex flex-wrap items-end gap-3">
              <Field
                label={`Day ${at + 1}`}
                type="date"
                required
                value={date.on}
                onChange={(event) => put(at, { ...date, on: event.target.value })}
              />
              <Select
                label={`What day ${at + 1} is`}
                className="w-56"
                value={date.kind}
                options={Object.entries(KINDS).map(([value, label]) => ({ value, label }))}
                onChange={(kind) =>
                  put(at, named(date.on, kind as Kind, choices(study, kind as Kind)[0]?.value))
                }
              />
              {found.length > 0 && (
                <Select
                  label={`Which ${date.kind === "back" ? "lane" : "game"} on day ${at + 1}`}
                  className="w-64"
                  value={String(date.lane_id ?? date.game_id)}
                  options={found}
                  onChange={(about) => put(at, named(date.on, date.kind, about))}
                />
              )}
              <Button onClick={() => change(dates.filter((_, index) => index !== at))}>
                Strike day {at + 1}
              </Button>
            </div>
          );
        })}
      </div>
      <Button
        className={dates.length ? "mt-3" : ""}
        onClick={() => change([...dates, named("", "off", undefined)])}
      >
        One more day
      </Button>
      <p className="mt-2 text-[0.86rem] text-mute">
        A part goes back and a game is patched in the morning. A lane whose part goes back and a game that is
        patched are run first where the order allows; what would be run too late, or half before a patch and
        half after it, is left out of all lanes. Freeze a game’s updates, and it is not patched.
      </p>
    </fieldset>
  );
}
