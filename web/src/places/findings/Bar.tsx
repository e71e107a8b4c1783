import { type ReactNode, useState } from "react";
import type { Schemas } from "../../api/client";
import { client, data } from "../../api/client";
import { useMay, useStudyChange } from "../../api/queries";
import { words } from "../../api/words";
import { fileName, savePicture } from "../../charts/export";
import { MarginPicture, PICTURE, picturePages } from "../../charts/MarginPicture";
import { DARK_PICTURE, LIGHT_PICTURE, type Theme } from "../../charts/marks";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Menu, MenuAction, MenuLink } from "../../controls/Menu";
import { ErrorNotice } from "../../controls/Notice";
import { count, percent } from "../../format";
import type { Study } from "../../model/study";
import { MethodDialog } from "../new-study/MethodDialog";

/** By which method findings are told, and what can be done with them; `children` say what is looked at. */
export function Bar({
  study,
  findings,
  openMethod,
  keep,
  children,
}: {
  study: Study;
  findings: Schemas["FindingsOut"];
  /** Show what every other way of computing it says. */
  openMethod: () => void;
  /** Keeps what is looked at for a report. */
  keep: ReactNode;
  children?: ReactNode;
}) {
  const lead = useMay("lead");
  const [method, setMethod] = useState(false);
  const [asked, setAsked] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const wanting = wantingOf(study, findings);
  const finish = useStudyChange(study.id, (verb: "finish" | "reopen") =>
    data(client.POST(`/api/studies/{study_id}/${verb}`, { params: { path: { study_id: study.id } } })),
  );
  const name = `${fileName(study.question)}-findings`;
  const exportAs = async (kind: "svg" | 1 | 2, theme: Theme) => {
    setError(null);
    try {
      const pages = picturePages(findings);
      for (let page = 0; page < pages; page++) {
        await savePicture(
          (style) => <MarginPicture findings={findings} theme={theme} style={style} page={page} />,
          pages > 1 ? `${name}-${page + 1}-of-${pages}` : name,
          kind,
          PICTURE,
        );
      }
    } catch (problem) {
      setError(problem);
    }
  };
  const looked = `baseline=${findings.baseline.id}&other=${findings.other.id}&group=${encodeURIComponent(findings.group)}`;
  const flips = [findings.average, findings.low_1].filter((suite) => suite.depends_on_method);
  return (
    <div className="mb-4">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
        {children}
        <p className="text-[0.92rem] text-soft">
          <span className="label">Method</span> {words().schools[findings.method.suite_school]} over tests ·{" "}
          {words().schools[findings.method.low_school]} lows · even within{" "}
          {percent(findings.method.equal_band)}%{" "}
          <button
            type="button"
            className="cursor-pointer underline underline-offset-3"
            onClick={() => setMethod(true)}
          >
            {lead && study.state === "open" ? "change" : "read more"}
          </button>
        </p>
        {flips.length > 0 && (
          <button
            type="button"
            onClick={openMethod}
            className="cursor-pointer rounded-[3px] border border-accent bg-mark/50 px-2 py-0.5 text-[0.88rem] font-bold text-ink"
          >
            Depends on the method:{" "}
            {flips.map((suite) => (suite === findings.average ? "average" : "1% low")).join(" and ")}
          </button>
        )}
        <div className="no-print ml-auto flex flex-wrap items-center gap-2">
          {keep}
          <Menu label="Export">
            <MenuAction onSelect={() => exportAs("svg", LIGHT_PICTURE)}>Chart as SVG</MenuAction>
            <MenuAction onSelect={() => exportAs(1, LIGHT_PICTURE)}>Chart as PNG, 1920 × 1080</MenuAction>
            <MenuAction onSelect={() => exportAs(2, LIGHT_PICTURE)}>Chart as PNG, 3840 × 2160</MenuAction>
            <MenuAction onSelect={() => exportAs(1, DARK_PICTURE)}>Chart as PNG, dark</MenuAction>
            <MenuLink href={`/api/studies/${study.id}/findings.csv?${looked}`}>Table as CSV</MenuLink>
            <MenuLink href={`/api/studies/${study.id}/findings.ods?${looked}`}>
              Table as OpenDocument
            </MenuLink>
          </Menu>
          {lead && (
            <Button
              kind={study.state === "open" ? "main" : "plain"}
              disabled={finish.isPending}
              onClick={() => {
                if (study.state !== "open") finish.mutate("reopen");
                else if (wanting.length) setAsked(true);
                else finish.mutate("finish");
              }}
            >
              {study.state === "open" ? "Finish study" : "Open again"}
            </Button>
          )}
        </div>
      </div>
      {(error || finish.error) && (
        <div className="mt-3">
          <ErrorNotice error={error ?? finish.error} />
        </div>
      )}
      <Dialog
        open={asked}
        onOpenChange={setAsked}
        title="Finish it as it stands?"
        description="A finished study changes no more, until a lead opens it again. This prints with it:"
      >
        <ul className="mb-4 list-disc pl-5">
          {wanting.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
        <div className="flex justify-end gap-2">
          <Button onClick={() => setAsked(false)}>Not yet</Button>
          <Button
            kind="main"
            onClick={() => {
              setAsked(false);
              finish.mutate("finish");
            }}
          >
            Finish it as it stands
          </Button>
        </div>
      </Dialog>
      <MethodDialog study={study} open={method} onOpenChange={setMethod} />
    </div>
  );
}

/** What is not in order with a study that is to be finished: not ready, not accepted by anybody, not all run. */
export function wantingOf(study: Study, findings: Schemas["FindingsOut"]): string[] {
  const open = findings.caveats.filter((one) => !one.accepted);
  return [
    ...(study.ready_at ? [] : ["Nobody has called its plan ready."]),
    ...open.map((one) => `${one.label}: ${one.about}. Nobody has accepted it.`),
    ...(findings.missing.length
      ? [
          `${count(findings.missing.length, "cell lacks", "cells lack")} accepted passes in the tests that are looked at.`,
        ]
      : []),
  ];
}
