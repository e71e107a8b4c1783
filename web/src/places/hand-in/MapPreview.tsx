import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";
import { ErrorNotice } from "../../controls/Notice";
import { fixed, fps, ms } from "../../format";

/** What the map makes of the first file: a wrong unit shows at once as an absurd length or rate. */
export function MapPreview({
  file,
  columns,
  problem,
}: {
  file: Schemas["ArrivalOut"];
  columns: Schemas["ColumnMap"] | null;
  problem: string | null;
}) {
  const { data: preview, error } = useQuery({
    queryKey: ["preview", file.id, JSON.stringify(columns)],
    enabled: columns !== null,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () =>
      data(
        client.POST("/api/files/{arrival_id}/preview", {
          params: { path: { arrival_id: file.id } },
          body: { columns: columns ?? { map: [], format: "delimited" } },
        }),
      ),
  });
  return (
    <div className="mt-3" aria-live="polite">
      {problem ? (
        <p className="border-accent border-l-4 bg-mark/40 px-4 py-2 font-semibold">{problem}</p>
      ) : error ? (
        <ErrorNotice error={error} />
      ) : (
        preview && (
          <p className="border-ink border-l-4 bg-paper px-4 py-2">
            By this map the file holds{" "}
            <strong className="figure">{preview.frames.toLocaleString("en-GB")}</strong> frames in{" "}
            <strong className="figure">{fixed(preview.duration_s, 1)} s</strong>: average{" "}
            <strong className="figure">{fps(preview.average_fps)} fps</strong>, 1% low{" "}
            <strong className="figure">{fps(preview.low_1_fps)} fps</strong>, slowest frame{" "}
            <strong className="figure">{ms(preview.slowest_ms)} ms</strong>.
            {implausible(preview) && (
              <span className="block font-semibold text-accent">
                That is hardly a game: look at the columns and units again.
              </span>
            )}
          </p>
        )
      )}
      {file.reasons.length > 0 && !file.saved_as && (
        <p className="mt-1 text-[0.86rem] text-mute">{file.reasons.join(" ")}</p>
      )}
    </div>
  );
}

function implausible(preview: Schemas["Preview"]): boolean {
  return preview.average_fps > 2000 || preview.average_fps < 4 || preview.duration_s < 2;
}
