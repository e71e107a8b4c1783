/** The prose editor: which nodes there are, live numbers among them, and what is marked in the text. */

import { Extension, mergeAttributes, Node } from "@tiptap/core";
import { Blockquote } from "@tiptap/extension-blockquote";
import { ListItem } from "@tiptap/extension-list";
import { Plugin, PluginKey } from "@tiptap/pm/state";
import { Decoration, DecorationSet } from "@tiptap/pm/view";
import StarterKit from "@tiptap/starter-kit";

/** What is marked in prose: live numbers that changed, by key with what is so now; bare numbers as they stand. */
export interface Marks {
  changed: ReadonlyMap<string, string>;
  bare: readonly string[];
}

/** Where a link may lead. */
export const WEB = /^https?:\/\/\S+$/;
// Soft hyphens, joiners and marks of direction: nobody sees them, and nothing that is kept has them.
const UNSEEN = /[\u00ad\u061c\u200b-\u200f\u202a-\u202e\u2060-\u2064\u2066-\u206f\ufeff]/g;
/** What is pasted, as it is seen. */
export const seenOnly = (text: string) => text.replace(UNSEEN, "");

/** The character that asks for a live number. */
export const ASKS = "#";
const marks = new PluginKey<Marks>("marks");

const LiveNumber = Node.create({
  name: "number",
  group: "inline",
  inline: true,
  atom: true,
  addAttributes() {
    return Object.fromEntries(["study", "key", "of", "text"].map((name) => [name, { default: null }]));
  },
  renderHTML({ node, HTMLAttributes }) {
    const { of, text } = node.attrs;
    return [
      "span",
      mergeAttributes({ class: "number", title: of }, { "data-key": HTMLAttributes.key }),
      text,
    ];
  },
  renderText({ node }) {
    return node.attrs.text;
  },
});

/** Marks what changed and what is bare; asks for a number where its character is typed. */
const Marking = (ask: () => void) =>
  Extension.create({
    name: "marking",
    addProseMirrorPlugins() {
      return [
        new Plugin<Marks>({
          key: marks,
          state: {
            init: () => ({ changed: new Map(), bare: [] }),
            apply: (transaction, now) => transaction.getMeta(marks) ?? now,
          },
          props: {
            handleTextInput: (_, __, ___, text) => {
              if (text !== ASKS) return false;
              ask();
              return true;
            },
            decorations(state) {
              const { changed, bare } = marks.getState(state) ?? { changed: new Map(), bare: [] };
              const found: Decoration[] = [];
              state.doc.descendants((node, at) => {
                if (node.type.name === "number") {
                  const now = changed.get(`${node.attrs.study}:${node.attrs.key}`);
                  if (now !== undefined)
                    found.push(
                      Decoration.node(at, at + node.nodeSize, {
                        class: "changed",
                        title: now ? `is ${now} now` : "is no number of the study any more",
                      }),
                    );
                }
                for (const one of node.isText ? new Set(bare) : []) {
                  for (
                    let from = node.text?.indexOf(one) ?? -1;
                    from >= 0;
                    from = node.text?.indexOf(one, from + 1) ?? -1
                  )
                    found.push(Decoration.inline(at + from, at + from + one.length, { class: "bare" }));
                }
              });
              return DecorationSet.create(state.doc, found);
            },
          },
        }),
      ];
    },
  });

/** Have other things marked: to be dispatched with a transaction of the editor. */
export const remark = (told: Marks): [PluginKey<Marks>, Marks] => [marks, told];

/** The nodes that the server keeps, and no others. */
export const extensions = (ask: () => void) => [
  StarterKit.configure({
    code: false,
    codeBlock: false,
    horizontalRule: false,
    strike: false,
    underline: false,
    trailingNode: false,
    heading: { levels: [2, 3] },
    link: { openOnClick: false, autolink: true, isAllowedUri: (address) => WEB.test(address) },
    listItem: false,
    blockquote: false,
  }),
  // Lists in lists and quotes in quotes are no prose of an article.
  ListItem.extend({ content: "paragraph+" }),
  Blockquote.extend({ content: "paragraph+" }),
  LiveNumber,
  Marking(ask),
];
