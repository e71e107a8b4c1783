import type { ReactElement } from "react";
import type { Schemas } from "../api/client";
import { words } from "../api/words";
import { FitPicture } from "../charts/kinds/FitPicture";
import type { Drawn } from "../charts/kinds/Frame";
import { PairPicture } from "../charts/kinds/PairPicture";
import { TracesPicture } from "../charts/kinds/TracesPicture";
import { TuningPicture } from "../charts/kinds/TuningPicture";
import { MarginPicture, picturePages } from "../charts/MarginPicture";
import { shortVerdict, testWords } from "../charts/margins";
import { SCREEN, type Theme } from "../charts/marks";
import { SlidePicture } from "../charts/SlidePicture";
import { DataTable, type TableOf } from "../controls/DataTable";
import { count, fixed, fps, interval, ms, signedPercent } from "../format";
import { together } from "../model/sentences";
import type { Shown } from "../places/answers/shown";
import { shownOf } from "../places/answers/views";
import type { Material, ShownBlock } from "./model";
import { Prose, type ShowNumber } from "./Prose";

type Sentence = Schemas["SentenceOut"];
type Study = Schemas["StudyOut"];
const NONE: ReadonlySet<string> = new Set();
/** Blocks with a picture. */
export const PICTURED: ReadonlySet<string> = new Set(["picture", "trace", "log", "fit"]);

/** A block as it is read. In a PDF pictures are drawn once, in the colours of paper. */
export function Block({ block, number, print }: { block: ShownBlock; number: ShowNumber; print?: Theme }) {
  if (block.kind === "prose") return block.doc && <Prose doc={block.doc} number={number} />;
  return block.material && <Looked {...block} material={block.material} {...(print && { print })} />;
}

/** What a block shows that somebody looked at: of a study, or of what the house keeps beside them. */
export function Looked({
  kind,
  material,
  look,
  caption,
  rows = [],
  print,
}: {
  kind: string;
  material: Material;
  look: Record<string, unknown>;
  caption: string;
  /** The rows of a table that are printed; all of them without any. */
  rows?: readonly string[];
  print?: Theme;
}) {
  if (material.house && !PICTURED.has(kind)) return <OfTheHouse shown={material.house} />;
  if (material.eye) return <Eye shown={material.eye} caption={caption} />;
  if (kind === "readers") return <ForReaders material={material} />;
  if (kind === "method") return <Method material={material} />;
  const shown = shownIn(material, look);
  if (!shown) return <p>There is no answer to this yet.</p>;
  if (kind === "answer") return <Claim sentence={shown.sentence} />;
  if (kind === "table")
    return (
      <figure>
        <figcaption>{caption || shown.table.caption}</figcaption>
        <Table of={shown.table} rows={rows} />
      </figure>
    );
  const table = <Table of={shown.table} />;
  const figure = (
    <figure>
      {print ? (
        <div className="drawn">{shown.picture({ theme: print, bare: true, narrow: true })}</div>
      ) : (
        <>
          <div className="drawn wide">{shown.picture({ theme: SCREEN, bare: true })}</div>
          <div className="drawn narrow">{shown.picture({ theme: SCREEN, bare: true, narrow: true })}</div>
        </>
      )}
      <figcaption>{caption || material.house?.title || shown.sentence.text}</figcaption>
      <details>
        <summary>The same in numbers</summary>
        {table}
      </details>
    </figure>
  );
  if (!material.house) return figure;
  return (
    <>
      <Claim sentence={shown.sentence} />
      {figure}
    </>
  );
}

/** What a block is of, as its slides and files are called. */
export const titleOf = ({ study, house }: Material) => house?.title ?? study?.question ?? "";

/** A sum, a scene or a setup: what it says, and all of it. */
function OfTheHouse({ shown }: { shown: Schemas["HouseShownOut"] }) {
  return (
    <figure>
      <figcaption className="claim">{shown.sentences.join(" ")}</figcaption>
      <Table of={tableOf(shown)} />
    </figure>
  );
}

const tableOf = (shown: Schemas["HouseShownOut"]): TableOf => ({
  caption: shown.title,
  heads: shown.heads,
  rows: shown.rows,
});

/** A tuning log or a fit matrix, drawn. */
function houseShown(shown: Schemas["HouseShownOut"]) {
  const { log, matrix, over, of } = shown;
  return {
    sentence: together(shown.sentences),
    table: tableOf(shown),
    picture: (how: Drawn): ReactElement => {
      if (log) return <TuningPicture {...how} log={log} over={over} of={of} />;
      if (matrix) return <FitPicture {...how} matrix={matrix} />;
      return (
        <SlidePicture
          {...how}
          question={shown.title}
          of={{ texts: [{ words: shown.sentences.join(" ") }] }}
        />
      );
    },
  };
}

/** What the eye gets: the note with its pictures, which a published page lays under a divider. */
function Eye({ shown, caption }: { shown: Schemas["EyeShown"]; caption: string }) {
  return (
    <figure>
      <div className="sides" {...(alike(shown.sides) && { "data-divider": shown.step })}>
        {shown.sides.map(({ lane, source, width, height }) => (
          <div key={lane}>
            <img
              src={source}
              alt={`${lane}: ${caption || shown.words || "as it looks"}`}
              width={width}
              height={height}
            />
            <span>{lane}</span>
          </div>
        ))}
      </div>
      <figcaption>{caption || shown.text}</figcaption>
    </figure>
  );
}

/** Whether two pictures lie on each other point for point. */
const alike = ([from, to]: readonly Schemas["EyeSide"][]) =>
  from !== undefined && to !== undefined && from.width * to.height === to.width * from.height;

/** A sentence with what it stands on, and with what its mean hides. */
function Claim({ sentence }: { sentence: Sentence }) {
  const more = beside(sentence).join(" ");
  return (
    <div className="claim">
      <p>
        {sentence.before}
        {sentence.answer && <mark>{sentence.answer}</mark>}
        {sentence.after}
      </p>
      {sentence.basis && <p className="basis">{sentence.basis}.</p>}
      {more && <p className="beside">{more}</p>}
    </div>
  );
}

/** What is said beside a claim. */
function beside(sentence: Sentence): string[] {
  return [sentence.but, sentence.otherwise, sentence.lacks].filter((one) => one !== "");
}

/** A table, or some of its rows: then it says of how many. */
function Table({ of, rows = [] }: { of: TableOf; rows?: readonly string[] }) {
  const { caption, heads, rows: all } = printed(of);
  const some = rows.length ? all.filter((row) => rows.includes(row.key)) : all;
  if (rows.length && !some.length) return <p>None of the rows that were chosen is there any more.</p>;
  return (
    <>
      <div className="scrolls">
        <DataTable caption={caption} heads={heads} rows={some} />
      </div>
      {some.length < all.length && (
        <p className="basis">
          {some.length} of {all.length} rows.
        </p>
      )}
    </>
  );
}

/** A table as it is printed: what is chosen on a page of work is not chosen there. */
export function printed({ caption, heads, rows }: TableOf): TableOf {
  const kept = heads.map((head) => head !== "In front");
  return {
    caption,
    heads: heads.filter((_, i) => kept[i]),
    rows: rows.map((row) => ({ ...row, cells: row.cells.filter((_, i) => kept[i]) })),
  };
}

/** What is drawn, tabled and said of a study, as it is looked at; null where there is no answer to draw. */
export function shownIn(
  material: Material,
  look: Record<string, unknown>,
): Pick<Shown, "sentence" | "picture" | "table"> | null {
  const { answer, findings, study, trace, house } = material;
  if (house) return houseShown(house);
  if (!study) return null;
  if (trace) return tracesShown(study, trace);
  if (answer) {
    const wanted = {
      figure: String(look.figure || "average_fps"),
      group: String(look.group ?? answer[answer.kind as "ladder"][0]?.group ?? ""),
    };
    return shownOf(study, answer, wanted, NONE);
  }
  return findings && pairShown(findings);
}

/** The picture of a block on slides, on so many as it needs; null where it has none. */
export function slidesOf(
  kind: string,
  material: Material,
  look: Record<string, unknown>,
): { pages: number; draw: (how: Drawn, page: number) => ReactElement } | null {
  const shown = PICTURED.has(kind) ? shownIn(material, look) : null;
  const { findings } = material;
  if (shown && findings)
    return {
      pages: picturePages(findings),
      draw: ({ theme, style = "" }, page) => (
        <MarginPicture findings={findings} theme={theme} style={style} page={page} />
      ),
    };
  return shown && { pages: 1, draw: (how) => shown.picture(how) };
}

function pairShown(findings: Schemas["FindingsOut"]) {
  const leading = findings.method.leading === "average_fps" ? findings.average : findings.low_1;
  const cell = (margin: Schemas["MarginOut"]) =>
    margin.b_over_a == null
      ? "–"
      : `${signedPercent(margin.b_over_a)}% (${interval(margin.low, margin.high)})`;
  const table: TableOf = {
    caption: `Margins of ${findings.other.name} over ${findings.baseline.name}, the baseline, test by test`,
    heads: ["Test", "Average fps", "1% low", "Verdict on the average", "Verdict on the 1% low"],
    rows: findings.tests.map((test) => ({
      key: String(test.test_id),
      cells: [
        testWords(test, findings.tests),
        cell(test.average),
        cell(test.low_1),
        shortVerdict(test.average),
        shortVerdict(test.low_1),
      ],
    })),
  };
  return {
    sentence: leading.sentence,
    picture: (how: Drawn): ReactElement => <PairPicture findings={findings} {...how} />,
    table,
  };
}

/** Frame times of passes with what they come to. */
function tracesShown(study: Study, trace: Schemas["TracesPrinted"]) {
  const where = `${fixed(trace.from_s, 1)} to ${fixed(trace.to_s, 1)} s`;
  const sentence: Sentence = {
    text: trace.text,
    before: `Frame times in ${trace.test}, ${where}`,
    answer: "",
    after: "",
    basis: "",
    but: "",
    otherwise: "",
    lacks: "",
    empty: false,
  };
  const table: TableOf = {
    caption: `Frame times in ${trace.test}, ${where}`,
    heads: [
      "Pass",
      "Average fps",
      "Longest frame, ms",
      `Frames over ${ms(trace.budget_ms)} ms`,
      "Frames",
      "Capture",
    ],
    rows: trace.passes.map((one) => ({
      key: String(one.pass_id),
      cells: [
        one.said,
        one.average_fps == null ? "–" : fps(one.average_fps),
        one.longest_ms == null ? "–" : ms(one.longest_ms),
        String(one.over_budget),
        String(one.frames),
        <>
          {one.file} <code>{one.sha256}</code>
        </>,
      ],
    })),
  };
  return {
    sentence,
    picture: (how: Drawn): ReactElement => (
      <TracesPicture trace={trace} question={study.question} sentence={sentence} foot="" {...how} />
    ),
    table,
  };
}

function ForReaders({ material }: { material: Material }) {
  return (
    <section aria-label="For whom">
      <h2>For whom</h2>
      {material.readers.length === 0 && <p>The magazine keeps no reader.</p>}
      <dl data-readers>
        {material.readers.map(({ name, for_reader: found }) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd>
              <mark>{found.sentence.answer}</mark>
              {`${found.sentence.after}. `}
              {[...beside(found.sentence), found.cheapest_words, found.money_words].filter(Boolean).join(" ")}
              {found.sentence.basis && <span className="basis"> {found.sentence.basis}.</span>}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

/** How it was measured, written by the record itself. */
function Method({ material: { study, findings } }: { material: Material }) {
  if (!findings || !study) return null;
  const { schools } = words();
  const method = study.method;
  const held = study.lanes_full.map((lane) => [
    ...lane.setup.parts.map((part) => part.name),
    ...lane.setup.settings.map((setting) => `${setting.name} ${setting.value}`),
  ]);
  const alike = (held[0] ?? []).filter((one) => held.every((other) => other.includes(one)));
  const out = [...new Map(findings.rejected.map((one) => [one.pass_id, one])).values()];
  return (
    <section aria-label="How it was measured">
      <h2>How it was measured</h2>
      <p>
        {study.question} {count(study.lanes_full.length, "lane")} of {study.factor}, each in{" "}
        {count(study.tests_full.length, "test")},{" "}
        {count(findings.accepted_passes, "accepted pass", "accepted passes")}. Level of a lane in a test:{" "}
        {schools[method.cell_school] ?? method.cell_school}. 1% low:{" "}
        {schools[method.low_school] ?? method.low_school}. Over tests:{" "}
        {schools[method.suite_school] ?? method.suite_school}. Brackets: {findings.interval_words}.{" "}
        {findings.level_sentence} {findings.bench_drift.words}
      </p>
      <h3>Setups</h3>
      <ul>
        {alike.length > 0 && (
          <li>
            <strong>All lanes</strong>: {alike.join("; ")}
          </li>
        )}
        {study.lanes_full.map((lane, at) => (
          <li key={lane.id}>
            <strong>{lane.name}</strong>: {lane.setup.name}, version {lane.setup.version}.{" "}
            {held[at]?.filter((one) => !alike.includes(one)).join("; ")}
          </li>
        ))}
      </ul>
      <h3>Tests</h3>
      <ul>
        {study.tests_full.map((test) => (
          <li key={test.id}>
            {test.game}: {test.scene}, {test.condition}, {count(test.passes_wanted, "pass", "passes")} a lane
            planned
          </li>
        ))}
      </ul>
      {findings.caveats.length > 0 && (
        <>
          <h3>Caveats</h3>
          <ul>
            {findings.caveats.map((one) => (
              <li key={`${one.label} ${one.about}`}>
                {one.accepted ? "Accepted" : "Not accepted"}: {one.label} ({one.about}): {one.reason}
              </li>
            ))}
          </ul>
        </>
      )}
      {findings.missing.length > 0 && (
        <p>
          Fewer passes than planned:{" "}
          {findings.missing
            .map((one) => `${one.test}, ${one.lane} (${one.accepted} of ${one.passes_wanted})`)
            .join("; ")}
          .
        </p>
      )}
      {out.length > 0 && (
        <>
          <h3>What does not count</h3>
          <ul>
            {out.map((one) => (
              <li key={one.pass_id}>
                {one.test}, {one.lane}, pass {one.number}: {one.reason}
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
