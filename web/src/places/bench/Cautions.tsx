/** Settings beyond what a maker says must not be crossed. */
export function Cautions({ words }: { words: string[] }) {
  if (!words.length) return null;
  return (
    <div role="note" className="mt-3 border-l-4 border-accent bg-mark/40 px-4 py-2">
      {words.map((one) => (
        <p key={one} className="font-semibold">
          {one}.
        </p>
      ))}
      <p className="text-[0.9rem] text-soft">
        Beyond a stated limit a machine can crash, data be corrupted, a part's life be shortened and its
        warranty be void. Back data up, and let the maker's manual and a qualified person decide.
      </p>
    </div>
  );
}
