import { client, data, type Schemas } from "../../api/client";
import { useFiles, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";
import { count, size } from "../../format";
import type { Study } from "../../model/study";

/** Files that no column map can read: each with what is wrong with it. */
export function NoCaptures({ study, files }: { study: Study; files: Schemas["ArrivalOut"][] }) {
  const aside = useStudyChange(study.id, (ids: number[]) =>
    data(
      client.POST("/api/studies/{study_id}/files/set-aside", {
        params: { path: { study_id: study.id } },
        body: { arrival_ids: ids },
      }),
    ),
  );
  if (!files.length) return null;
  return (
    <section className="mb-8">
      <div className="mb-2 flex items-baseline justify-between gap-4">
        <h2 className="text-xl font-bold">
          {count(files.length, "file is no capture", "files are no captures")}
        </h2>
        {files.length > 1 && (
          <Button onClick={() => aside.mutate(files.map((file) => file.id))}>Set all of them aside</Button>
        )}
      </div>
      <ul>
        {files.map((file) => (
          <li key={file.id} className="flex items-start justify-between gap-6 border-rule border-t py-2">
            <div>
              <p>
                <span className="font-semibold">{file.name}</span>{" "}
                <span className="text-mute">{size(file.size)}</span>
              </p>
              {file.refusal && (
                <p>
                  {file.refusal.row && `Row ${file.refusal.row} (line ${file.refusal.line}): `}
                  {file.refusal.message}
                  <span className="block text-soft">{file.refusal.hint}</span>
                </p>
              )}
            </div>
            <Button onClick={() => aside.mutate([file.id])} aria-label={`Set aside ${file.name}`}>
              Set aside
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Files that were set aside: they have a list, and come back. */
export function SetAside({ study }: { study: Study }) {
  const { data: files = [] } = useFiles(study.id, "set_aside");
  const back = useStudyChange(study.id, (ids: number[]) =>
    data(
      client.POST("/api/studies/{study_id}/files/bring-back", {
        params: { path: { study_id: study.id } },
        body: { arrival_ids: ids },
      }),
    ),
  );
  if (!files.length) return null;
  return (
    <details className="mb-8 border-rule border-t pt-3">
      <summary className="cursor-pointer font-semibold">
        {count(files.length, "file was", "files were")} set aside
      </summary>
      <ErrorNotice error={back.error} />
      {files.length > 1 && (
        <Button className="mt-2" onClick={() => back.mutate(files.map((file) => file.id))}>
          Bring all of them back
        </Button>
      )}
      <ul className="mt-2">
        {files.slice(0, MOST_SHOWN).map((file) => (
          <li key={file.id} className="flex items-center justify-between gap-6 border-rule border-t py-1">
            <span>
              {file.name} <span className="text-mute">{size(file.size)}</span>
            </span>
            <Button
              kind="quiet"
              onClick={() => back.mutate([file.id])}
              aria-label={`Bring back ${file.name}`}
            >
              Bring back
            </Button>
          </li>
        ))}
      </ul>
      {files.length > MOST_SHOWN && <p className="text-mute">and {files.length - MOST_SHOWN} more</p>}
    </details>
  );
}

/** More than so many are brought back together. */
const MOST_SHOWN = 100;
