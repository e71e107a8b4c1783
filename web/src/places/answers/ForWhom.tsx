import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { type Looking, useForReader, useMay, useReaders } from "../../api/queries";
import { ExportMenu } from "../../charts/ExportMenu";
import type { Drawn } from "../../charts/kinds/Frame";
import { ReaderPicture } from "../../charts/kinds/ReaderPicture";
import { PagePicture } from "../../charts/PagePicture";
import { Choice } from "../../controls/Choice";
import { DataTable } from "../../controls/DataTable";
import { Headline } from "../../controls/Headline";
import { LaneName } from "../../controls/LaneMark";
import { ErrorNotice } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { useAddress } from "../../controls/useAddress";
import { count, day, figure, fixed, signedPercent } from "../../format";
import type { Study } from "../../model/study";
import { namesOf } from "./shown";

type Found = Schemas["ForReaderOut"];
type Costs =
  | "price"
  | "watts"
  | "kwh_a_year"
  | "energy_cost_a_year"
  | "cost_owned"
  | "weight_g"
  | "noise_dba";
/** So many readers stand beside each other; more are in a list. */
const BESIDE = 4;

/** What the lanes are to one reader: in sight, and in money. Nobody is asked about until somebody is chosen. */
export function ForWhom({ study, looking }: { study: Study; looking: Looking }) {
  const [search] = useSearchParams();
  const [, set] = useAddress();
  const { data: readers = [] } = useReaders();
  const lead = useMay("lead");
  const chosen = readers.find((one) => String(one.id) === search.get("reader"));
  const { data: found, error } = useForReader(study.id, chosen?.id, looking);
  const options = readers.map((one) => ({ value: String(one.id), label: one.name }));
  const choose = (id: string) => {
    const reader = readers.find((one) => String(one.id) === id);
    // What they play at is looked at, where the study has it.
    const own = study.groups.filter((one) => reader?.resolution && one.words.includes(reader.resolution));
    set({ reader: id, ...(own.length === 1 && own[0] ? { group: own[0].key } : {}) });
  };
  return (
    <section aria-label="For whom" className="mt-10">
      <div className="mb-2 flex flex-wrap items-center gap-x-4 gap-y-2">
        <h2 className="text-xl font-bold">For whom?</h2>
        {readers.length > 0 &&
          (readers.length <= BESIDE ? (
            <Choice label="Reader" value={String(chosen?.id ?? "")} onChange={choose} options={options} />
          ) : (
            <Select
              label="Reader"
              className="w-64!"
              value={String(chosen?.id ?? "")}
              placeholder="choose a reader"
              onChange={choose}
              options={options}
            />
          ))}
        <Link to="/readers" className="text-[0.92rem]">
          {readers.length ? "readers" : lead ? "Describe a reader" : "Nobody has described a reader yet"}
        </Link>
        {found && chosen && <Export study={study} found={found} />}
      </div>
      <ErrorNotice error={error} />
      {!chosen && readers.length > 0 && (
        <p className="text-soft">
          Choose a reader: which tests cross their playable floor, what their display shows of a margin, and
          what it costs them.
        </p>
      )}
      {chosen && found && <Told study={study} found={found} />}
    </section>
  );
}

const toldOf = (study: Study, found: Found) => ({
  question: study.question,
  sentence: found.sentence,
  foot: `brackets: intervals of each lane by itself · figure: ${found.figure === "low_1" ? "1% low" : "average fps"}`,
});

/** The picture of what a study is to a reader, on the page and to take along. */
const drawn = (study: Study, found: Found) => (how: Drawn) => {
  const names = namesOf(study);
  return (
    <ReaderPicture {...how} {...toldOf(study, found)} found={found} tests={names.tests} lanes={names.lanes} />
  );
};

function Export({ study, found }: { study: Study; found: Found }) {
  return (
    <ExportMenu
      label="Export for this reader"
      name={`${study.question} ${found.reader.name}`}
      draw={drawn(study, found)}
    />
  );
}

function Told({ study, found }: { study: Study; found: Found }) {
  return (
    <>
      <Headline sentence={found.sentence} />
      {found.cheapest_words && <p className="mt-2 font-semibold">{found.cheapest_words}</p>}
      {found.money_words && <p className="mt-2 text-soft">{found.money_words}</p>}
      <div className="my-4">
        <PagePicture draw={drawn(study, found)} />
      </div>
      <Lanes study={study} found={found} />
      <Prices found={found} names={namesOf(study)} />
    </>
  );
}

/** All lanes to this reader: what they hold, and what they cost over the years. */
function Lanes({ study, found }: { study: Study; found: Found }) {
  const names = namesOf(study);
  const money = (value: number | null, places = 0) =>
    value == null ? "–" : `${fixed(value, places)} ${found.reader.currency}`;
  /** How far a lane lies from the baseline, beneath its own value. */
  const beside = (more: number | undefined) =>
    more == null ? null : <span className="block text-[0.82rem] text-mute">{signedPercent(more)}%</span>;
  const of =
    (unit: string, places = 0) =>
    (value: number | null) =>
      value == null ? "–" : `${fixed(value, places)} ${unit}`;
  const years = figure(found.reader.years);
  const parts: [Costs, string, (value: number | null) => string][] = [
    ["price", "Price", money],
    ["watts", "Drawn", of("W")],
    ["kwh_a_year", "Energy a year", of("kWh")],
    ["energy_cost_a_year", "Its price a year", (value) => money(value, 2)],
    ["cost_owned", `Owned ${years} years`, money],
    ["weight_g", "Weight", of("g")],
    ["noise_dba", "Noise", of("dB(A)", 1)],
  ];
  const known = parts.filter(([name]) => found.lanes.some((one) => one[name] != null));
  return (
    <div className="relative overflow-x-auto">
      <DataTable
        caption="Every lane for this reader"
        heads={[
          "Lane",
          "Holds the floor in",
          ...known.map(([, head]) => head),
          <span key="words" className="sr-only">
            In words
          </span>,
        ]}
        rows={found.lanes.map((one) => ({
          key: one.lane,
          cells: [
            <LaneName
              key="lane"
              lane={names.lanes.get(one.lane)?.position ?? 0}
              name={names.lane(one.lane)}
            />,
            <span key="holds">
              {one.above} of {one.tests}
              {one.edge > 0 && <span className="text-mute">, {one.edge} on the edge</span>}
            </span>,
            ...known.map(([name, , say]) => (
              <span key={name} className="figure">
                {say(one[name])}
                {beside(one.over_baseline[name])}
              </span>
            )),
            <span key="words" className="block max-w-[19rem] text-[0.92rem] text-soft">
              {one.words}
            </span>,
          ],
        }))}
      />
    </div>
  );
}

/** Where prices come from, and of which day. */
function Prices({ found, names }: { found: Found; names: ReturnType<typeof namesOf> }) {
  if (!found.prices.length) return null;
  return (
    <details className="mt-2 text-[0.9rem] text-soft">
      <summary className="cursor-pointer">
        {count(found.prices.length, "price")}, with where {found.prices.length === 1 ? "it was" : "they were"}{" "}
        seen
      </summary>
      <ul className="mt-1 grid gap-x-6 md:grid-cols-2">
        {found.prices.map((one) => {
          const where = [one.price_from, one.price_day && day(one.price_day)].filter(Boolean).join(", ");
          return (
            <li key={`${one.lane_id} ${one.part}`}>
              {names.lane(String(one.lane_id))}: {one.part}{" "}
              <span className="figure">
                {fixed(one.price, 0)} {one.currency}
              </span>
              , {where || "no source given"}
            </li>
          );
        })}
      </ul>
    </details>
  );
}
