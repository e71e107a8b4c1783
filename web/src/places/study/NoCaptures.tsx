import { client, data, type Schemas } from "../../api/client";
import { useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { count, size } from "../../format";
import type { Study } from "./study";

/** Files that no column map can read: each with what is wrong with it. */
export function NoCaptures({ study, files }: { study: Study; files: Schemas["ArrivalOut"][] }) {
  const aside = useStudyChange(study.id, (id: number) =>
    data(client.POST("/api/files/{arrival_id}/set-aside", { params: { path: { arrival_id: id } } })),
  );
  if (!files.length) return null;
  return (
    <section className="mb-8">
      <h2 className="mb-2 text-xl font-bold">
        {count(files.length, "file is no capture", "files are no captures")}
      </h2>
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
            <Button onClick={() => aside.mutate(file.id)} aria-label={`Set aside ${file.name}`}>
              Set aside
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}
