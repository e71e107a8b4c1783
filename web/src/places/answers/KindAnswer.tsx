import type { Schemas } from "../../api/client";
import { ExportMenu } from "../../charts/ExportMenu";
import { PagePicture } from "../../charts/PagePicture";
import { Choice } from "../../controls/Choice";
import { DataTable } from "../../controls/DataTable";
import { Headline } from "../../controls/Headline";
import { MenuLink } from "../../controls/Menu";
import { Select } from "../../controls/Select";
import { useAddress } from "../../controls/useAddress";
import type { Study } from "../../model/study";
import { useFront } from "./LanesInFront";
import { shownOf } from "./views";

type Answer = Schemas["AnswerOut"];

/** Which figure and which group of an answer are looked at, and what is shown of them. */
function useShown(study: Study, answer: Answer) {
  const [search, set] = useAddress();
  const { front } = useFront();
  const blocks = answer[answer.kind as "ladder"] as Schemas["LadderAnswer"][];
  const figures = [...new Set(blocks.map((one) => one.figure ?? "average_fps"))];
  const groups = [...new Map(blocks.map((one) => [one.group ?? "", one.group_words]))];
  const figure = figures.find((one) => one === search.get("figure")) ?? figures[0] ?? "";
  const group = groups.find(([key]) => key === search.get("group"))?.[0] ?? groups[0]?.[0] ?? "";
  const shown = shownOf(study, answer, { figure: figure || "average_fps", group }, front);
  return { shown, figures, groups, figure, group, set };
}

/** The answer of a study's own kind: its sentence, what it does not say in one, and its picture. */
export function KindAnswer({ study, answer }: { study: Study; answer: Answer }) {
  const { shown, figures, groups, figure, group, set } = useShown(study, answer);
  if (!shown) return null;
  return (
    <section aria-label="Answer">
      <Headline sentence={shown.sentence} as="h1" size="first" />
      {shown.also.map((line) => (
        <p key={line} className="mt-1.5 text-[1.05rem] text-soft">
          {line}
        </p>
      ))}
      <div className="my-4 flex flex-wrap items-center gap-x-6 gap-y-2">
        {figures.length > 1 && (
          <Choice
            label="Figure"
            value={figure}
            onChange={(one) => set({ figure: one === figures[0] ? "" : one })}
            options={figures.map((one) => ({ value: one, label: FIGURE_WORDS[one] ?? one }))}
          />
        )}
        {groups.length > 1 && (
          <Select
            label="Group of tests"
            className="w-60!"
            value={group}
            onChange={(one) => set({ group: one })}
            options={groups.map(([value, label]) => ({ value, label }))}
          />
        )}
        {shown.asks}
        <ExportMenu label="Export the answer" name={study.question} draw={(how) => shown.picture(how)}>
          <MenuLink href={`/api/studies/${study.id}/answer.csv`}>Table as CSV</MenuLink>
          <MenuLink href={`/api/studies/${study.id}/answer.ods`}>Table as OpenDocument</MenuLink>
        </ExportMenu>
      </div>
      <PagePicture draw={(how) => shown.picture(how)} />
    </section>
  );
}

/** The same in numbers, with what is left out of it. */
export function KindNumbers({ study, answer }: { study: Study; answer: Answer }) {
  const { shown } = useShown(study, answer);
  if (!shown) return null;
  return (
    <section aria-label="Numbers">
      <div className="relative mt-6 overflow-x-auto">
        <DataTable {...shown.table} />
      </div>
      {shown.below}
      {shown.leftOut.length > 0 && (
        <>
          <h2 className="mt-6 mb-1 text-lg font-bold">Left out here</h2>
          <ul className="text-soft">
            {shown.leftOut.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

const FIGURE_WORDS: Record<string, string> = { average_fps: "Average fps", low_1: "1% low" };
