import { Fragment, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useParams } from "react-router";
import { acts, type Report as ReportOf, useAct, useReport } from "../../api/reports";
import { Button } from "../../controls/Button";
import { overtakenBy } from "../../controls/FormEnd";
import { useKeysOf } from "../../controls/Keys";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { AddBlock, BlockFrame } from "./BlockFrame";
import { BeforeItGoesOut, Editions } from "./OutOfHouse";
import { UndoLine, UndoOf, useUndo } from "./undo";
import { STATES } from "./words";
import "../../published/page.css";
import "./editor.css";

const SIDES = ["Shelf", "Before it goes out", "Editions"] as const;
const KEYS = [
  { key: "1", does: "shelf" },
  { key: "2", does: "before it goes out" },
  { key: "3", does: "editions" },
  { key: "Alt ↑, Alt ↓", does: "move the block that has the focus" },
  { key: "u", does: "undo what was done to blocks" },
  { key: "#", does: "in prose: a live number" },
];

/** An article where it is written: the page as it will be read, and beside it what goes into it and out of the house. */
export default function Report() {
  const { data: report, error } = useReport(Number(useParams().report));
  const [side, setSide] = useState<(typeof SIDES)[number]>("Shelf");
  useTitle(report?.title ?? "Report", "Reports");
  useHotkeys("1,2,3", (event) => setSide(SIDES[Number(event.key) - 1] ?? "Shelf"));
  useKeysOf("Report", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!report) return <Loading what="the report" />;
  const write = report.state !== "withdrawn";
  const changed = report.blocks.reduce((sum, one) => sum + one.changes.length, 0);
  const open = report.points.filter((one) => !one.why).length;
  return (
    <UndoOf key={report.id} report={report}>
      <p className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-1 text-soft">
        <Link to="/reports">Reports</Link>
        <span className="font-semibold text-ink">{STATES[report.state] ?? report.state}</span>
        {report.editions.length > 0 && (
          <a
            href={report.editions.at(-1)?.open ? report.address : report.early}
            target="_blank"
            rel="noreferrer"
          >
            As it is read
          </a>
        )}
      </p>
      <div className="grid items-start gap-8 lg:grid-cols-[minmax(0,1fr)_23rem]">
        <article className="article editor" aria-label="The article">
          <Title key={report.title_seen} report={report} write={write} />
          {changed > 0 && write && <TakeOverAll report={report} count={changed} />}
          {write && <UndoLine />}
          {write && <AddBlock report={report} after={null} />}
          {report.blocks.map((block) => (
            <Fragment key={block.id}>
              <BlockFrame report={report} block={block} write={write} />
              {write && <AddBlock report={report} after={block.id} />}
            </Fragment>
          ))}
        </article>
        <aside className="no-print lg:sticky lg:top-4 lg:max-h-[92vh] lg:overflow-auto">
          <div role="tablist" aria-label="Beside the article" className="mb-3 flex gap-1 border-ink border-b">
            {SIDES.map((one, at) => (
              <button
                key={one}
                type="button"
                role="tab"
                id={`side-${at}`}
                aria-selected={one === side}
                aria-controls="side"
                onClick={() => setSide(one)}
                className={`cursor-pointer rounded-t-[3px] px-2 py-1 text-[0.92rem] ${one === side ? "bg-ink font-semibold text-paper" : "hover:bg-band"}`}
              >
                <kbd className={`key ${one === side ? "border-paper/60! text-paper!" : ""}`}>{at + 1}</kbd>{" "}
                {one}
                {one === "Before it goes out" && open > 0 && <span className="figure"> {open}</span>}
              </button>
            ))}
          </div>
          {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by keys */}
          <div id="side" role="tabpanel" aria-labelledby={`side-${SIDES.indexOf(side)}`} tabIndex={0}>
            {side === "Shelf" && <Shelf report={report} write={write} />}
            {side === "Before it goes out" && <BeforeItGoesOut report={report} />}
            {side === "Editions" && <Editions report={report} />}
          </div>
        </aside>
      </div>
    </UndoOf>
  );
}

/** The title, saved when it is left. */
function Title({ report, write }: { report: ReportOf; write: boolean }) {
  const [title, setTitle] = useState(report.title);
  const seen = useRef(report.title_seen);
  const save = useAct<void>(report.id, () => acts.rename(report.id, title, seen.current));
  const overtaken = overtakenBy(save.error);
  if (!write) return <h1>{report.title}</h1>;
  return (
    <>
      <h1 className="sr-only">{report.title}</h1>
      <textarea
        className="title-field"
        aria-label="Title"
        rows={1}
        maxLength={160}
        value={title}
        onChange={(event) => setTitle(event.target.value.replace(/\n/g, " "))}
        onBlur={() => title.trim() && title !== report.title && save.mutate()}
      />
      <ErrorNotice error={save.error}>
        {overtaken && (
          <Button
            onClick={() => {
              seen.current = overtaken;
              save.mutate();
            }}
          >
            Save mine over it
          </Button>
        )}
      </ErrorNotice>
    </>
  );
}

function TakeOverAll({ report, count }: { report: ReportOf; count: number }) {
  const all = useAct<void>(report.id, () => acts.takeOver(report.id, { block_id: null, key: "" }));
  return (
    <div className="my-3 flex flex-wrap items-center gap-3 border-accent border-l-4 bg-mark/30 px-3 py-2 font-sans text-[0.95rem]">
      <p className="m-0!">
        {count === 1 ? "One number or block says" : `${count} numbers and blocks say`} what is no longer so.
      </p>
      <Button onClick={() => all.mutate()}>Take over all</Button>
      <ErrorNotice error={all.error} />
    </div>
  );
}

/** What was kept while reading: put in at the end, or looked at where it came from. */
function Shelf({ report, write }: { report: ReportOf; write: boolean }) {
  const add = useAct(report.id, (body: Parameters<typeof acts.add>[1]) => acts.add(report.id, body));
  const undo = useUndo();
  const off = useAct<number>(report.id, (kept) => acts.takeOff(report.id, kept));
  if (!report.shelf.length)
    return (
      <p className="text-soft">
        Nothing is kept yet: press k in the findings of a study, at a tuning log, a scene or a setup.
      </p>
    );
  return (
    <>
      <ul className="border-rule border-b">
        {report.shelf.map((one) => (
          <li key={one.id} className="border-rule border-t py-2">
            <p className="font-semibold leading-tight">{one.label}</p>
            <p className="mt-1.5 flex flex-wrap items-center gap-2 text-[0.9rem]">
              {write && (
                <Button
                  className="py-0.5! text-[0.85rem]!"
                  aria-label={`Put in ${one.label}`}
                  onClick={() =>
                    add.mutate(
                      {
                        kind: one.kind as "picture",
                        study_id: one.study_id,
                        look: one.look as never,
                        caption: "",
                        rows: [],
                        after: report.blocks.at(-1)?.id ?? null,
                      },
                      { onSuccess: (now) => undo.added(report, now, `Put in ${one.label}`) },
                    )
                  }
                >
                  Put in
                </Button>
              )}
              <Link to={one.way}>Where it was</Link>
              {write && (
                <button
                  type="button"
                  className="cursor-pointer text-mute underline"
                  aria-label={`take off ${one.label}`}
                  onClick={() => off.mutate(one.id)}
                >
                  take off
                </button>
              )}
            </p>
          </li>
        ))}
      </ul>
      <ErrorNotice error={add.error ?? off.error} />
    </>
  );
}
