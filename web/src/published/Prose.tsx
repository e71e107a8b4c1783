import { Fragment, type ReactNode } from "react";
import type { Node } from "./model";

/** How a live number is shown: its text, and what stands beside it. */
export type ShowNumber = (key: string, text: string, of: string) => ReactNode;

/** Prose as it is read. Every text of it is text, whatever it holds. */
export function Prose({ doc, number }: { doc: Node; number: ShowNumber }) {
  return <Nodes of={doc} number={number} />;
}

function Nodes({ of, number }: { of: Node; number: ShowNumber }) {
  return (of.content ?? []).map((node, i) => (
    // biome-ignore lint/suspicious/noArrayIndexKey: what is read does not move
    <One key={i} node={node} number={number} />
  ));
}

function One({ node, number }: { node: Node; number: ShowNumber }) {
  const below = <Nodes of={node} number={number} />;
  switch (node.type) {
    case "heading":
      return node.attrs?.level === 3 ? <h3>{below}</h3> : <h2>{below}</h2>;
    case "bulletList":
      return <ul>{below}</ul>;
    case "orderedList":
      return <ol>{below}</ol>;
    case "listItem":
      return <li>{below}</li>;
    case "blockquote":
      return <blockquote>{below}</blockquote>;
    case "hardBreak":
      return <br />;
    case "number":
      return number(`${node.attrs?.study}:${node.attrs?.key}`, node.attrs?.text ?? "", node.attrs?.of ?? "");
    case "text":
      return (node.marks ?? []).reduce<ReactNode>((inside, mark) => marked(mark, inside), node.text);
    default:
      return node.content?.length ? <p>{below}</p> : <Fragment />;
  }
}

function marked(mark: NonNullable<Node["marks"]>[number], inside: ReactNode): ReactNode {
  if (mark.type === "bold") return <strong>{inside}</strong>;
  if (mark.type === "italic") return <em>{inside}</em>;
  return (
    <a href={mark.attrs?.href} rel="noopener noreferrer">
      {inside}
    </a>
  );
}
