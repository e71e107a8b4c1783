import { type Editor, EditorContent, type JSONContent, useEditor, useEditorState } from "@tiptap/react";
import { useEffect, useRef, useState } from "react";
import { acts, type ReportBlock, useAct } from "../../api/reports";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd, overtakenBy } from "../../controls/FormEnd";
import { ErrorNotice } from "../../controls/Notice";
import { NumberDialog } from "./NumberDialog";
import { ASKS, extensions, remark, seenOnly, WEB } from "./prose";

/** What was typed is saved when the hand rests so long. */
const REST_MS = 700;
const EMPTY = { type: "doc", content: [{ type: "paragraph" }] };

/** Prose that is written where it stands: saved by itself, and never over somebody else's words. */
export function ProseBlock({ report, block, write }: { report: number; block: ReportBlock; write: boolean }) {
  const [asking, setAsking] = useState(false);
  const [linking, setLinking] = useState(false);
  const seen = useRef(block.seen);
  const waits = useRef<ReturnType<typeof setTimeout> | null>(null);
  /** What was typed and is not saved. */
  const typed = useRef<JSONContent | null>(null);
  const [dirty, setDirty] = useState(false);
  const save = useAct<JSONContent>(report, async (doc) => {
    const now = await acts.save(report, block.id, {
      kind: "prose",
      doc,
      caption: "",
      rows: [],
      seen: seen.current,
    });
    seen.current = now.blocks.find((one) => one.id === block.id)?.seen ?? seen.current;
    // What was typed while this was saved is still to be saved.
    if (typed.current === doc) {
      typed.current = null;
      setDirty(false);
    }
    return now;
  });
  const keep = () => {
    if (waits.current) clearTimeout(waits.current);
    waits.current = null;
    if (typed.current) save.mutate(typed.current);
  };
  const keepNow = useRef(keep);
  keepNow.current = keep;
  const [nodes] = useState(() => extensions(() => setAsking(true)));
  const editor = useEditor({
    extensions: nodes,
    content: block.doc ?? EMPTY,
    editable: write,
    immediatelyRender: true,
    editorProps: {
      attributes: { role: "textbox", "aria-multiline": "true", "aria-label": "Prose", class: "prose-field" },
      transformPastedText: seenOnly,
      transformPastedHTML: seenOnly,
    },
    onUpdate: ({ editor: now, transaction }) => {
      if (!transaction.docChanged) return;
      typed.current = now.getJSON();
      setDirty(true);
      if (waits.current) clearTimeout(waits.current);
      waits.current = setTimeout(() => keepNow.current(), REST_MS);
    },
    onBlur: () => waits.current && keepNow.current(),
  });
  // Whoever leaves the place before the hand has rested loses nothing of it.
  useEffect(() => () => void (waits.current && keepNow.current()), []);
  useEffect(() => {
    if (!dirty) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [dirty]);
  // What others wrote, or what was taken over, takes the place of what stands here unless it is being written.
  useEffect(() => {
    if (!editor || dirty || block.seen === seen.current) return;
    seen.current = block.seen;
    editor.commands.setContent((block.doc ?? EMPTY) as object, { emitUpdate: false });
  }, [editor, dirty, block]);
  useEffect(() => {
    if (!editor) return;
    const told = {
      changed: new Map(block.changes.map((one) => [one.key, one.after])),
      bare: block.bare.map((one) => one.text),
    };
    editor.view.dispatch(editor.state.tr.setMeta(...remark(told)));
  }, [editor, block.changes, block.bare]);
  useEffect(() => editor?.setEditable(write), [editor, write]);
  const overtaken = overtakenBy(save.error);
  if (!editor) return null;
  return (
    <>
      {write && <Tools editor={editor} ask={() => setAsking(true)} link={() => setLinking(true)} />}
      <EditorContent editor={editor} />
      <ErrorNotice error={save.error}>
        {overtaken ? (
          <>
            <Button
              onClick={() => {
                seen.current = overtaken;
                keep();
              }}
            >
              Save mine over it
            </Button>
            <Button
              onClick={() => {
                save.reset();
                typed.current = null;
                setDirty(false);
              }}
            >
              Keep theirs
            </Button>
          </>
        ) : (
          <Button onClick={() => keep()}>Save again</Button>
        )}
      </ErrorNotice>
      <p role="status" className="prose-status no-print m-0! text-[0.8rem] text-mute">
        {dirty ? "Not saved yet …" : ""}
      </p>
      {block.bare.length > 0 && (
        <ul className="mt-1 text-[0.9rem]">
          {block.bare.map((one, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the same words may stand twice
            <li key={at} className="border-accent border-l-4 pl-2">
              <span className="figure">{one.text}</span> is tied to nothing that was measured.{" "}
              {one.guesses.length > 0 && (
                <span className="text-soft">
                  It might be: {one.guesses.map((guess) => guess.of).join("; ")}. Type {ASKS} in its place.
                </span>
              )}
            </li>
          ))}
        </ul>
      )}
      {asking && (
        <NumberDialog
          report={report}
          close={() => {
            setAsking(false);
            editor.commands.focus();
          }}
          take={({ study_id, key, of, text }) => {
            setAsking(false);
            editor
              .chain()
              .focus()
              .insertContent({ type: "number", attrs: { study: study_id, key, of, text } })
              .run();
          }}
        />
      )}
      {linking && <LinkDialog editor={editor} close={() => setLinking(false)} />}
    </>
  );
}

function Tools({ editor, ask, link }: { editor: Editor; ask: () => void; link: () => void }) {
  const on = useEditorState({
    editor,
    selector: ({ editor: now }) => ({
      bold: now.isActive("bold"),
      italic: now.isActive("italic"),
      title: now.isActive("heading", { level: 2 }),
      part: now.isActive("heading", { level: 3 }),
      list: now.isActive("bulletList"),
      ordered: now.isActive("orderedList"),
      quote: now.isActive("blockquote"),
      link: now.isActive("link"),
    }),
  });
  const run = () => editor.chain().focus();
  const tools: [string, boolean | undefined, () => void][] = [
    ["Heading", on.title, () => run().toggleHeading({ level: 2 }).run()],
    ["Part", on.part, () => run().toggleHeading({ level: 3 }).run()],
    ["Bold", on.bold, () => run().toggleBold().run()],
    ["Italic", on.italic, () => run().toggleItalic().run()],
    ["List", on.list, () => run().toggleBulletList().run()],
    ["Numbered", on.ordered, () => run().toggleOrderedList().run()],
    ["Quote", on.quote, () => run().toggleBlockquote().run()],
    ["Link", on.link, link],
    [`Number ${ASKS}`, undefined, ask],
  ];
  return (
    <div className="prose-tools no-print flex flex-wrap gap-1 font-sans" role="toolbar" aria-label="Prose">
      {tools.map(([name, pressed, act]) => (
        <button
          key={name}
          type="button"
          aria-pressed={pressed}
          onClick={act}
          className={`cursor-pointer rounded-[3px] border px-1.5 py-0.5 text-[0.8rem] ${pressed ? "border-ink bg-ink text-paper" : "border-rule bg-raised text-soft hover:border-ink"}`}
        >
          {name}
        </button>
      ))}
    </div>
  );
}

function LinkDialog({ editor, close }: { editor: Editor; close: () => void }) {
  const [href, setHref] = useState(String(editor.getAttributes("link").href ?? "https://"));
  const wrong = href !== "" && !WEB.test(href);
  return (
    <Dialog open onOpenChange={(open) => !open && close()} title="Link">
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          if (wrong) return;
          if (href) editor.chain().focus().extendMarkRange("link").setLink({ href }).run();
          else editor.chain().focus().extendMarkRange("link").unsetLink().run();
          close();
        }}
      >
        <Field
          label="Leads to"
          hint="Empty takes the link away."
          autoFocus
          value={href}
          error={wrong ? "Links begin with https:// or http://." : undefined}
          onChange={(event) => setHref(event.target.value.trim())}
        />
        <FormEnd leave={close} does="Link" disabled={wrong} />
      </form>
    </Dialog>
  );
}
