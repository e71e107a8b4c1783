import type { Schemas } from "../api/client";

type Sentence = Schemas["SentenceOut"];

/** A sentence beside another that was said: without what lacks in both. */
export function besideText(sentence: Sentence, first: Sentence): string {
  const parts = sentence.lacks.split(/[;:.] /).map((part) => part.replace(/\.$/, ""));
  const known = parts.every((part) => first.lacks.includes(part));
  return sentence.lacks && known ? sentence.text.slice(0, -sentence.lacks.length).trimEnd() : sentence.text;
}

/** What is known in several sentences as one: the first leads, the others stand beside it. */
export function together([first = "", ...more]: readonly string[], basis = ""): Sentence {
  return {
    text: [first, ...more].join(" "),
    before: first,
    answer: "",
    after: "",
    basis,
    but: more[0] ?? "",
    otherwise: more.slice(1).join(" "),
    lacks: "",
    empty: false,
  };
}
