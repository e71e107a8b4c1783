import type { Schemas } from "../../api/client";

/** What articles would say otherwise, in numbers and sentences: published ones first, another verdict before all. */
export function WouldSay({ reports }: { reports: readonly Schemas["ChangedReportOut"][] }) {
  if (!reports.length) return null;
  return (
    <section
      aria-label="What reports would say otherwise"
      className="border-l-4 border-rule bg-raised px-3 py-2"
    >
      <h3 className="label mb-1">What reports would say otherwise</h3>
      {reports.map((report) => (
        <div key={report.id} className="mt-1">
          <p className="font-semibold">
            {report.title}
            {report.published && <span className="text-accent"> (published)</span>}
          </p>
          <ul>
            {report.lines.map((line) => (
              <li key={line.key}>
                {line.of}:{" "}
                {line.before !== line.after && (
                  <>
                    <s className="text-mute">{line.before}</s> →{" "}
                  </>
                )}
                <strong>{line.after || "said no more"}</strong>
                {line.flip && <span className="text-accent"> another verdict</span>}
              </li>
            ))}
          </ul>
        </div>
      ))}
    </section>
  );
}
