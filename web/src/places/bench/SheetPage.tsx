import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useMay, usePartKinds, useParts, useSetupVersion, useTicks } from "../../api/queries";
import { Button } from "../../controls/Button";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { Tick } from "../../controls/Tick";
import { benchDay, figure, moment } from "../../format";
import { Cautions } from "./Cautions";

/** A setup as a sheet: everything to check against the machine, to tick here or on paper. */
export function SheetPage() {
  const { version } = useParams();
  const { data: setup, error } = useSetupVersion(Number(version));
  const { data: parts = [] } = useParts();
  const { data: kinds = [] } = usePartKinds();
  const tester = useMay("tester");
  const queries = useQueryClient();
  const { data: ticks = [] } = useTicks(Number(version));
  const today = new Date().toLocaleDateString("sv-SE");
  const own = ticks.filter((one) => one.on_day === today);
  const ticked = new Map(own.map((one) => [one.line, `${one.who}, ${moment(one.at).split(", ")[1] ?? ""}`]));
  const save = useMutation({
    mutationFn: (body: Schemas["TickIn"]) =>
      data(
        client.POST("/api/setup-versions/{version_id}/ticks", {
          params: { path: { version_id: Number(version) } },
          body,
        }),
      ),
    onSuccess: (found) => queries.setQueryData(["setup-version", Number(version), "ticks"], found),
  });
  if (error) return <ErrorNotice error={error} />;
  if (!setup) return <Loading what="the sheet" />;
  const known = new Map(parts.map((part) => [part.id, part]));
  const total = setup.parts.length + setup.settings.length;
  const tick = tester
    ? (line: string, done: boolean) => save.mutate({ on_day: today, line, done })
    : () => undefined;
  const earlier = [...new Set(ticks.filter((one) => one.on_day !== today).map((one) => one.on_day))].at(-1);
  const limits = setup.parts.flatMap((used) => {
    const kind = kinds.find((one) => one.kind === used.kind);
    const facts = known.get(used.id)?.facts ?? {};
    return (kind?.facts ?? [])
      .filter((fact) => fact.stated_limit && facts[fact.name] !== undefined)
      .map(
        (fact) =>
          `${used.name}: ${fact.label.toLowerCase()} ${figure(Number(facts[fact.name]))} ${fact.unit}`,
      );
  });
  return (
    <article className="mx-auto max-w-[56rem]">
      <div className="no-print mb-4 flex items-center justify-between gap-4">
        <Link to={`/bench/setups/${setup.id}`}>← to the setup</Link>
        <div className="flex items-center gap-4">
          <span role="status" className="text-soft">
            {ticked.size === total ? "All checked." : `${ticked.size} of ${total} checked`}
          </span>
          <Button kind="main" onClick={() => window.print()}>
            Print
          </Button>
        </div>
      </div>
      <div className="sheet p-6 print:border-0 print:p-0">
        <p className="label">Setup sheet · version {setup.version}</p>
        <h1 className="text-[1.8rem] leading-tight font-bold">{setup.name}</h1>
        {setup.rig && <p className="text-soft">on the rig {setup.rig}</p>}
        <Cautions words={setup.cautions} />
        <h2 className="label mt-5 mb-1">Settings: read each back from a second place</h2>
        <Heads />
        <ul>
          {setup.settings.map((one) => (
            <Row
              key={one.name}
              id={`${one.name}: ${one.value}`}
              label={one.name}
              look={setup.where_settings[one.name] ?? ""}
              ticked={ticked}
              tick={tick}
            >
              <span className="text-[1.1rem] font-bold">{one.value}</span>
            </Row>
          ))}
        </ul>
        <h2 className="label mt-5 mb-1">Parts</h2>
        <ul>
          {setup.parts.map((used) => (
            <PartLine
              key={used.id}
              used={used}
              part={known.get(used.id)}
              kinds={kinds}
              look={setup.where_parts[used.kind] ?? ""}
              ticked={ticked}
              tick={tick}
            />
          ))}
        </ul>
        {limits.length > 0 && (
          <aside className="mt-5 border-l-4 border-accent px-4 py-2">
            <h2 className="font-bold">Stated limits: never beyond</h2>
            <p className="text-[0.93rem] text-soft">{limits.join(" · ")}</p>
            <p className="mt-1 text-[0.86rem] text-mute">
              Power off before a part, dock or cable is changed, unless its maker says otherwise. Supplies are
              never opened. The maker's manual and a qualified person decide.
            </p>
          </aside>
        )}
        <p className="mt-6 grid grid-cols-2 gap-8 border-rule border-t pt-3 text-[0.9rem] text-mute">
          <span>Checked by {[...new Set(own.map((one) => one.who))].join(", ")}</span>
          <span>On {own.length > 0 && benchDay(today)}</span>
        </p>
        <ErrorNotice error={save.error} />
        {earlier && (
          <p className="no-print text-[0.9rem] text-mute">Ticked before, last on {benchDay(earlier)}.</p>
        )}
      </div>
    </article>
  );
}

/** What stands in the columns of a sheet; on paper, what was seen is written down. */
const COLUMNS = "grid grid-cols-[2rem_9rem_1fr_14rem_6rem] gap-x-3 max-sm:grid-cols-[2rem_1fr_1fr]";

function Heads() {
  return (
    <p className={`${COLUMNS} label pb-1 max-sm:hidden`} aria-hidden="true">
      <span className="col-start-3">It should be</span>
      <span>Where to look</span>
      <span>Seen</span>
    </p>
  );
}

interface RowProps {
  id: string;
  label: string;
  look: string;
  ticked: ReadonlyMap<string, string>;
  tick: (key: string, on: boolean) => void;
  children: React.ReactNode;
}

function Row({ id, label, look, ticked, tick, children }: RowProps) {
  return (
    <li className={`${COLUMNS} items-baseline border-rule border-t py-1.5 print:py-0.5`}>
      <span className="translate-y-0.5 self-start">
        <Tick
          label={`${label} checked`}
          quietLabel
          checked={ticked.has(id)}
          onChange={(on) => tick(id, on)}
        />
      </span>
      <span className="text-mute">{label}</span>
      <span>{children}</span>
      <span className="text-[0.82rem] text-mute leading-snug max-sm:col-span-2 max-sm:col-start-2">
        {look}
      </span>
      <span className="min-h-5 self-end border-mute border-b border-dotted text-[0.82rem] text-mute max-sm:hidden">
        {ticked.get(id) ?? ""}
      </span>
    </li>
  );
}

function PartLine({
  used,
  part,
  kinds,
  look,
  ticked,
  tick,
}: {
  used: Schemas["PartUsed"];
  part: Schemas["PartOut"] | undefined;
  kinds: Schemas["KindOut"][];
  look: string;
  ticked: ReadonlyMap<string, string>;
  tick: (key: string, on: boolean) => void;
}) {
  const kind = kinds.find((one) => one.kind === used.kind);
  const words = part?.words ?? [];
  const follows = (part?.derived ?? []).map(
    (one) => `${one.label.toLowerCase()} ${figure(one.value)} ${one.unit}`,
  );
  return (
    <Row
      id={`${kind?.label ?? used.kind}: ${used.name}`}
      label={kind?.label ?? used.kind}
      look={look}
      ticked={ticked}
      tick={tick}
    >
      <span className="font-bold">{used.name}</span>{" "}
      {used.swapped && <span className="ml-2 bg-mark px-1.5 text-[0.82rem] font-semibold">swapped</span>}
      {(words.length > 0 || follows.length > 0) && (
        <span className="block text-[0.88rem] text-soft">{[...words, ...follows].join(", ")}</span>
      )}
    </Row>
  );
}
