import { useEffect, useRef, useState } from "react";
import { createPortal } from "react-dom";
import { acts, type Report, type ReportBlock, useAct, useMaterial } from "../../api/reports";
import { ExportMenu } from "../../charts/ExportMenu";
import type { Drawn } from "../../charts/kinds/Frame";
import { SlidePicture, slideOf, slidesFor } from "../../charts/SlidePicture";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd, overtakenBy } from "../../controls/FormEnd";
import { Menu, MenuAction } from "../../controls/Menu";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { OnPaper } from "../../controls/paper";
import { Tick } from "../../controls/Tick";
import { Looked, PICTURED, printed, shownIn, slidesOf, titleOf } from "../../published/Blocks";
import { ProseBlock } from "./ProseBlock";
import { useUndo } from "./undo";
import { KINDS, KINDS_OF_STUDY, kindWords } from "./words";

/** A block in its place: as it will be read, with what changed since it was taken over. */
export function BlockFrame({ report, block, write }: { report: Report; block: ReportBlock; write: boolean }) {
  const frame = useRef<HTMLElement>(null);
  /** Where what can be made of the block stands, beside what can be done about it. */
  const [bar, setBar] = useState<HTMLElement | null>(null);
  const at = report.blocks.findIndex((one) => one.id === block.id);
  const move = useAct<number | null>(report.id, (after) => acts.move(report.id, block.id, after));
  const remove = useAct<string>(report.id, (seen) => acts.remove(report.id, block.id, seen));
  const takeOver = useAct<string>(report.id, (key) => acts.takeOver(report.id, { block_id: block.id, key }));
  const [captioning, setCaptioning] = useState(false);
  const undo = useUndo();
  const name = `${kindWords(block.kind)}, block ${at + 1} of ${report.blocks.length}`;
  /** Behind which block it stands. */
  const before = report.blocks[at - 1]?.id ?? null;
  const up = at > 1 ? report.blocks[at - 2]?.id : null;
  const down = report.blocks[at + 1]?.id;
  const moves = useRef(false);
  const go = (after: number | null | undefined) => {
    if (after === undefined || (after === null && at === 0)) return;
    moves.current = true;
    move.mutate(after, { onSuccess: () => undo.moved(block, before, `Moved ${name.toLowerCase()}`) });
  };
  // Whoever moves a block stays with it.
  // biome-ignore lint/correctness/useExhaustiveDependencies: after its place changed
  useEffect(() => {
    if (moves.current) frame.current?.focus();
    moves.current = false;
  }, [at]);
  return (
    <section
      ref={frame}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: blocks are gone through and moved by keys
      tabIndex={0}
      aria-label={name}
      className="block-frame relative rounded-[3px] border border-transparent px-3 py-1 hover:border-rule focus-within:border-rule"
      onKeyDown={(event) => {
        if (!write || !event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
        event.preventDefault();
        go(event.key === "ArrowUp" ? (at === 1 ? null : up) : down);
      }}
    >
      <div className="block-menu no-print absolute top-0 right-0 z-10 flex gap-1 font-sans">
        <div ref={setBar} />
        {write && (
          <Menu label={kindWords(block.kind)} name={`Act on ${name}`}>
            {at > 0 && <MenuAction onSelect={() => go(at === 1 ? null : up)}>Up (Alt ↑)</MenuAction>}
            {down !== undefined && <MenuAction onSelect={() => go(down)}>Down (Alt ↓)</MenuAction>}
            {(PICTURED.has(block.kind) || block.kind === "table") && (
              <MenuAction onSelect={() => setCaptioning(true)}>
                {block.kind === "table" ? "Caption and rows" : "Caption"}
              </MenuAction>
            )}
            <MenuAction
              onSelect={() =>
                remove.mutate(block.seen, {
                  onSuccess: () => undo.takenOut(block, before, `Took out ${name.toLowerCase()}`),
                })
              }
            >
              Take it out
            </MenuAction>
          </Menu>
        )}
      </div>
      <Changes block={block} takeOver={write ? (key) => takeOver.mutate(key) : null} />
      {block.kind === "prose" ? (
        <>
          <ProseBlock report={report.id} block={block} write={write} />
          {/* What is no longer so is taken over first. */}
          {block.changes.length === 0 && (
            <TextSlide
              bar={bar}
              name={name}
              title={report.title}
              of={() => frame.current?.querySelector<HTMLElement>(".prose-field")}
            />
          )}
        </>
      ) : (
        <Shown report={report.id} block={block} name={name} bar={bar} />
      )}
      <ErrorNotice error={move.error ?? remove.error ?? takeOver.error} />
      {captioning && <Caption report={report.id} block={block} close={() => setCaptioning(false)} />}
    </section>
  );
}

function Shown({
  report,
  block,
  name,
  bar,
}: {
  report: number;
  block: ReportBlock;
  name: string;
  bar: HTMLElement | null;
}) {
  const { data: material, error } = useMaterial(report, block);
  const read = useRef<HTMLDivElement>(null);
  if (error) return <ErrorNotice error={error} />;
  if (!material) return <Loading what="the block" />;
  const drawn = slidesOf(block.kind, material, block.look);
  return (
    <>
      <div ref={read}>
        <OnPaper value={true}>
          <Looked
            kind={block.kind}
            material={material}
            look={block.look}
            caption={block.caption}
            rows={block.rows}
          />
        </OnPaper>
      </div>
      {drawn ? (
        bar &&
        createPortal(<ExportMenu label="As a slide" of={name} name={titleOf(material)} {...drawn} />, bar)
      ) : (
        <TextSlide bar={bar} name={name} title={titleOf(material)} of={() => read.current} />
      )}
    </>
  );
}

/** A block without a picture as a slide, read off the page when it is asked for. */
function TextSlide({
  bar,
  name,
  title,
  of,
}: {
  bar: HTMLElement | null;
  /** The block, as it is called. */
  name: string;
  title: string;
  of: () => HTMLElement | null | undefined;
}) {
  const slides = () => {
    const block = of();
    return block ? slidesFor(slideOf(block)) : [];
  };
  const draw = (how: Drawn, page: number) => (
    <SlidePicture {...how} question={title} of={slides()[page] ?? { texts: [] }} />
  );
  return (
    bar &&
    createPortal(
      <ExportMenu label="As a slide" of={name} name={title} pages={() => slides().length} draw={draw} />,
      bar,
    )
  );
}

/** What is no longer so, old beside new, each to be taken over by itself. */
function Changes({ block, takeOver }: { block: ReportBlock; takeOver: ((key: string) => void) | null }) {
  if (!block.changes.length) return null;
  return (
    <ul
      aria-label="Changed since"
      className="no-print mb-2 grid gap-1.5 border-accent border-l-4 pl-3 font-sans text-[0.92rem]"
    >
      {block.changes.map((one) => (
        <li key={one.key} className="flex flex-wrap items-baseline gap-x-3">
          <span>
            {one.of && `${one.of}: `}
            {one.before === one.after ? (
              "What it shows changed; its sentence did not."
            ) : (
              <>
                <s className="text-mute">{one.before}</s> →{" "}
                <strong>{one.after || "no such number any more"}</strong>
              </>
            )}
          </span>
          {takeOver && one.after && (
            <Button kind="plain" className="py-0.5! text-[0.82rem]!" onClick={() => takeOver(one.key)}>
              Take over
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}

function Caption({ report, block, close }: { report: number; block: ReportBlock; close: () => void }) {
  const [caption, setCaption] = useState(block.caption);
  const { data: material } = useMaterial(report, block);
  const table = block.kind === "table" && material ? shownIn(material, block.look)?.table : undefined;
  const all = table ? printed(table).rows : [];
  const [ticked, setTicked] = useState<ReadonlyMap<string, boolean>>(new Map());
  const shown = (key: string) => ticked.get(key) ?? (block.rows.length === 0 || block.rows.includes(key));
  const some = all.map((row) => row.key).filter(shown);
  const rows = some.length < all.length ? some : [];
  const undo = useUndo();
  const seen = useRef(block.seen);
  const save = useAct<void>(report, () =>
    acts.save(report, block.id, {
      kind: block.kind as "picture",
      study_id: block.study_id,
      look: block.look as never,
      caption,
      rows: all.length ? rows : block.rows,
      seen: seen.current,
    }),
  );
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && close()}
      title={block.kind === "table" ? "Caption and rows" : "Caption"}
    >
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate(undefined, {
            onSuccess: (now) => {
              if (caption !== block.caption || ticked.size) undo.captioned(block, now);
              close();
            },
          });
        }}
      >
        <Field
          label="Says"
          hint={`Without one ${block.kind === "table" ? "what the table holds" : "the sentence of the answer"} stands there.`}
          autoFocus
          maxLength={400}
          value={caption}
          onChange={(event) => setCaption(event.target.value)}
        />
        {all.length > 1 && (
          <fieldset className="-m-1 grid max-h-64 gap-1.5 overflow-auto p-1">
            <legend className="label mb-1">Rows</legend>
            {all.map((row) => (
              <Tick
                key={row.key}
                label={
                  <>
                    {row.cells[0]} · {row.cells[1]}
                  </>
                }
                checked={shown(row.key)}
                onChange={(on) => setTicked(new Map(ticked).set(row.key, on))}
              />
            ))}
          </fieldset>
        )}
        <FormEnd
          error={save.error}
          {...(overtakenBy(save.error) && { seen })}
          leave={close}
          does="Keep"
          disabled={save.isPending || (all.length > 0 && !some.length)}
        />
      </form>
    </Dialog>
  );
}

/** Puts in a block behind another: prose, or something of a study of the report. */
export function AddBlock({ report, after }: { report: Report; after: number | null }) {
  const add = useAct(report.id, (body: Parameters<typeof acts.add>[1]) => acts.add(report.id, body));
  const undo = useUndo();
  const many = report.studies.length > 1;
  const put = (body: Parameters<typeof acts.add>[1]) =>
    add.mutate(body, {
      onSuccess: (now) => undo.added(report, now, `Added ${kindWords(body.kind).toLowerCase()}`),
    });
  return (
    <div className="add-block no-print my-1 flex items-center gap-2 font-sans">
      <Menu label="Add" name={after === null ? "Add at the top" : "Add behind this block"}>
        <MenuAction onSelect={() => put({ kind: "prose", doc: PARAGRAPH, caption: "", rows: [], after })}>
          Prose
        </MenuAction>
        {report.studies.flatMap((study) =>
          KINDS_OF_STUDY.map((kind) => (
            <MenuAction
              key={`${study.id} ${kind}`}
              onSelect={() =>
                put({
                  kind,
                  study_id: study.id,
                  look: { own: true, figure: "", targets: [] },
                  caption: "",
                  rows: [],
                  after,
                })
              }
            >
              {KINDS[kind]}
              {many && <span className="text-mute"> of “{study.question}”</span>}
            </MenuAction>
          )),
        )}
      </Menu>
      <ErrorNotice error={add.error} />
    </div>
  );
}

const PARAGRAPH = { type: "doc", content: [{ type: "paragraph", content: [] }] };
