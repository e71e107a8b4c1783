import type { Schemas } from "../api/client";

type Sentence = Schemas["SentenceOut"];

/** A sentence beside another that was said: without what lacks in both. */
export function besideText(sentence: Sentence, first: Sentence): string {
  const parts = sentence.lacks.split(/[;:.] /).map((part) => part.replace(/\.$/, ""));
  const known = parts.every((part) => first.lacks.includes(part));
  return sentence.lacks && known ? sentence.text.slice(0, -sentence.lacks.length).trimEnd() : sentence.text;
}
