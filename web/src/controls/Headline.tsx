import type { Schemas } from "../api/client";

type Sentence = Schemas["SentenceOut"];

const SIZES = {
  first: ["text-[2.25rem] leading-[1.1]", "text-[1.15rem]"],
  second: ["text-[1.6rem] leading-[1.1]", "text-[1.05rem]"],
  third: ["text-[1.25rem] leading-tight", "text-[1rem]"],
} as const;

/**
 * A sentence in its parts: what answers set off, what it stands on smaller beneath; then what its mean hides, what other
 * groups of tests say, and what is not in it.
 */
export function Headline({
  sentence,
  as: Tag = "p",
  size = "second",
}: {
  sentence: Sentence;
  as?: "h1" | "h2" | "p";
  size?: keyof typeof SIZES;
}) {
  const { before, answer, after, basis } = sentence;
  const [large, small] = SIZES[size];
  return (
    <>
      <Tag className={`max-w-5xl font-semibold ${large}`} style={{ fontStretch: "82%" }}>
        {before}
        {answer && <span className="answer">{answer}</span>}
        {after}
        {basis && (
          <>
            <span className="sr-only"> (</span>
            <span className={`mt-1 block font-medium text-soft ${small}`} style={{ fontStretch: "90%" }}>
              {basis}
            </span>
            <span className="sr-only">).</span>
          </>
        )}
      </Tag>
      <BesideIt sentence={sentence} />
    </>
  );
}

/** What goes with a sentence: what its mean hides, what other groups say, what lacks. */
function BesideIt({ sentence }: { sentence: Sentence }) {
  const lines = [sentence.but, sentence.otherwise].filter(Boolean);
  return (
    <>
      {lines.length > 0 && <p className="mt-1.5 max-w-5xl text-[1.05rem] font-semibold">{lines.join(" ")}</p>}
      {sentence.lacks && (
        <p className="mt-1.5 border-accent border-l-4 pl-3 text-[1.05rem]">{sentence.lacks}</p>
      )}
    </>
  );
}
