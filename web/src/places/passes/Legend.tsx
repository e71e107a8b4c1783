import { Button } from "../../controls/Button";
import { MARK_LOOK, MARKS, markPath } from "./marks";
import { type Mark, markWords } from "./matrix";

/** What each mark means and how many there are; pressed, it shows those alone. */
export function Legend({ counts, filter }: { counts: Record<Mark, number>; filter: (text: string) => void }) {
  return (
    <ul aria-label="Marks" className="flex flex-wrap gap-x-1 gap-y-1">
      {MARKS.filter((mark) => counts[mark] > 0).map((mark) => (
        <li key={mark}>
          <Button
            kind="quiet"
            onClick={() => filter(markWords(mark).split(",")[0] ?? "")}
            className="px-1.5! py-0.5!"
          >
            <svg width={16} height={22} viewBox="0 0 16 24" aria-hidden="true">
              <path
                d={markPath(mark, 8)}
                fill={MARK_LOOK[mark].fill}
                stroke={MARK_LOOK[mark].stroke}
                strokeWidth={MARK_LOOK[mark].width}
                strokeDasharray={MARK_LOOK[mark].dash}
              />
            </svg>
            <span className="font-medium">
              {markWords(mark)} <span className="figure">{counts[mark]}</span>
            </span>
          </Button>
        </li>
      ))}
    </ul>
  );
}
