import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, Problem, type Schemas } from "../../api/client";
import { useSums } from "../../api/tuning";
import { Button } from "../../controls/Button";
import { FilterField, useFilter } from "../../controls/Filter";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { useTitle } from "../../controls/useTitle";
import { figure, readNumber } from "../../format";
import { Keep, ofTheHouse } from "../reports/Keep";

type Sum = Schemas["SumOut"];

/** Sums of the trade, each with its formula and the numbers in it. */
export function Sums() {
  const { data: sums, error } = useSums();
  const { shown, text, setText } = useFilter(sums ?? [], (one) => `${one.name} ${one.words}`);
  useTitle("Sums", "Tuning");
  if (error) return <ErrorNotice error={error} />;
  if (!sums) return <Loading what="the sums" />;
  return (
    <>
      <div className="mb-4 flex flex-wrap items-end justify-between gap-x-8 gap-y-2">
        <FilterField label="Sums by name" text={text} setText={setText} />
        <p className="max-w-xl text-soft">
          Pages to be filmed, without sign-in: <a href="/film/stopwatch">a stopwatch</a> for the camera’s
          rate, and <a href="/film/screen">a screen that turns white at a press</a>.
        </p>
      </div>
      <div className="grid items-start gap-4 lg:grid-cols-2">
        {shown.map((one) => (
          <OneSum key={one.name} sum={one} />
        ))}
      </div>
    </>
  );
}

const empty = (sum: Sum): Record<string, string> =>
  Object.fromEntries(sum.of.map((one) => [one.name, one.usual === null ? "" : figure(one.usual)]));

/** What was typed, as numbers. */
const numbersOf = (sum: Sum, beside: Record<string, string>[]) =>
  beside.map((own) =>
    Object.fromEntries(sum.of.map((one) => [one.name, readNumber(own[one.name] ?? "") ?? Number.NaN])),
  );

function OneSum({ sum }: { sum: Sum }) {
  const [beside, setBeside] = useState([empty(sum)]);
  const work = useMutation({
    mutationFn: (of: Record<string, number>[]) =>
      data(client.POST("/api/sums/{name}", { params: { path: { name: sum.name } }, body: { of } })),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    work.mutate(numbersOf(sum, beside));
  };
  const put = (at: number, name: string, text: string) => {
    work.reset();
    setBeside((now) => now.map((own, i) => (i === at ? { ...own, [name]: text } : own)));
  };
  const problem = work.error instanceof Problem ? work.error : null;
  const [first] = work.data ?? [];
  return (
    <section aria-label={sum.words} className="sheet p-4">
      <h2 className="text-lg leading-tight font-bold first-letter:uppercase">{sum.words}</h2>
      <form onSubmit={submit} className="mt-3 grid gap-3">
        <div
          className="grid gap-3"
          style={{ gridTemplateColumns: `repeat(${beside.length}, minmax(0, 1fr))` }}
        >
          {beside.map((own, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: what stands beside each other has no other name
            <div key={at} className="grid content-start gap-2">
              {sum.of.map((one) => (
                <NumberField
                  key={one.name}
                  label={beside.length > 1 ? `${one.words} (${at + 1})` : one.words}
                  required
                  whole={one.whole}
                  value={own[one.name] ?? ""}
                  error={problem?.field === `of.${at}.${one.name}` ? problem.message : undefined}
                  onChange={(text) => put(at, one.name, text)}
                />
              ))}
            </div>
          ))}
        </div>
        <div className="flex flex-wrap gap-2">
          <Button kind="main" type="submit" disabled={work.isPending}>
            Work it out
          </Button>
          {beside.length < 4 && (
            <Button kind="quiet" onClick={() => setBeside((now) => [...now, empty(sum)])}>
              Another beside it
            </Button>
          )}
        </div>
      </form>
      {problem && !problem.field?.startsWith("of.") && <ErrorNotice error={problem} />}
      {first && (
        <table className="mt-3 w-full border-collapse" aria-live="polite">
          <caption className="sr-only">{sum.words}, worked out</caption>
          <tbody>
            {first.map((line, row) => (
              <tr key={line.words} className="border-rule border-t align-top">
                <th scope="row" className="py-1.5 pr-3 text-left font-semibold first-letter:uppercase">
                  {line.words}
                </th>
                {work.data?.map((lines, at) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: as they stand beside each other above
                  <td key={at} className="py-1.5 pr-3">
                    <b className="figure">{lines[row]?.shown}</b>
                    <span className="figure block text-[0.82rem] text-mute">{lines[row]?.how}</span>
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {/* Beside the form, not in it: its dialog has one of its own. */}
      {work.data && (
        <Keep
          name={`For a report: ${sum.words}`}
          offer={() =>
            ofTheHouse(sum.words, [
              {
                kind: "sum",
                label: "This sum",
                look: { sum: { name: sum.name, of: numbersOf(sum, beside) } },
              },
            ])
          }
        />
      )}
    </section>
  );
}
