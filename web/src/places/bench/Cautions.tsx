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
        This can crash a machine, corrupt data or shorten a part's life, and may void a warranty. Go in small
        steps with a stability test after each, and by the maker's manual.
      </p>
    </div>
  );
}
