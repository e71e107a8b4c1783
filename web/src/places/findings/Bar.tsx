import { type ReactNode, useState } from "react";
import type { Schemas } from "../../api/client";
import { client, data } from "../../api/client";
import { useMay, useStudyChange } from "../../api/queries";
import { words } from "../../api/words";
import { ExportMenu } from "../../charts/ExportMenu";
import { MarginPicture, picturePages } from "../../charts/MarginPicture";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { MenuLink } from "../../controls/Menu";
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
  const wanting = wantingOf(study, findings);
  const finish = useStudyChange(study.id, (verb: "finish" | "reopen") =>
    data(client.POST(`/api/studies/{study_id}/${verb}`, { params: { path: { study_id: study.id } } })),
  );
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
          <ExportMenu
            label="Export"
            name={`${study.question} findings`}
            pages={picturePages(findings)}
            draw={({ theme, style = "" }, page) => (
              <MarginPicture findings={findings} theme={theme} style={style} page={page} />
            )}
          >
            <MenuLink href={`/api/studies/${study.id}/findings.csv?${looked}`}>Table as CSV</MenuLink>
            <MenuLink href={`/api/studies/${study.id}/findings.ods?${looked}`}>
              Table as OpenDocument
            </MenuLink>
          </ExportMenu>
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
      {finish.error && (
        <div className="mt-3">
          <ErrorNotice error={finish.error} />
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
