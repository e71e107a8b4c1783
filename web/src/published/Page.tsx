import type { ReactNode } from "react";
import type { Theme } from "../charts/marks";
import { SlidePicture } from "../charts/SlidePicture";
import { count, size } from "../format";
import { Block, slidesOf } from "./Blocks";
import type { Correction, PageOf } from "./model";
import type { ShowNumber } from "./Prose";

/** An edition as it is read: a whole document that needs no server and no script. */
export function Page({
  page,
  css,
  print,
  script,
}: {
  page: PageOf;
  css: string;
  print?: Theme;
  script?: string;
}) {
  const number: ShowNumber = (key, text, of) => (
    <LiveNumber text={text} of={of} place={page.places[key]} before={page.before[key]} print={!!print} />
  );
  return (
    <Document
      title={page.title}
      summary={page.summary}
      css={css}
      preview={`${page.address}${page.number}/preview.png`}
      script={script}
    >
      {/* Said at the time of reading, where something became of it since. */}
      <Standing />
      <header>
        <h1>{page.title}</h1>
        <p className="by">
          By {page.author}, {longDay(page.at)}
          {page.number > 1 && `, edition ${page.number}`}.{" "}
          {page.checked_by ? `Checked by ${page.checked_by}.` : "Published without a second person’s check."}
        </p>
      </header>
      {page.number > 1 && <Erratum page={page} print={!!print} />}
      {page.blocks.map((block) => (
        <Block key={block.id} block={block} number={number} {...(print && { print })} />
      ))}
      {page.cautions.length > 0 && (
        <section className="cautions">
          <h2>Before you do so at home</h2>
          <ul>
            {page.cautions.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </section>
      )}
      <Accepted page={page} />
      <Data page={page} print={!!print} />
    </Document>
  );
}

/** What this edition says otherwise than the one before: flips first. */
function Erratum({ page, print }: { page: PageOf; print: boolean }) {
  return (
    <aside className="erratum" aria-label="Correction">
      <h2>Corrected on {longDay(page.at)}</h2>
      <p>
        {page.why.replace(/\.?$/, ".")} Corrected by {page.by}.{" "}
        {print ? "The edition before" : <a href={`${page.address}${page.number - 1}/`}>The edition before</a>}{" "}
        can still be read.
      </p>
      {page.erratum.length > 0 ? (
        <table>
          <caption>What is said otherwise</caption>
          <thead>
            <tr>
              <th scope="col">What</th>
              <th scope="col">Was</th>
              <th scope="col">Is</th>
            </tr>
          </thead>
          <tbody>
            {page.erratum.map((one) => (
              <Line key={one.key} one={one} />
            ))}
          </tbody>
        </table>
      ) : (
        <p>No number of it changed.</p>
      )}
    </aside>
  );
}

function Line({ one }: { one: Correction }) {
  return (
    <tr>
      <th scope="row">
        {one.of}
        {one.flip && <strong> (another verdict)</strong>}
      </th>
      <td>{one.before}</td>
      <td>
        <strong>{one.after || "said no more"}</strong>
      </td>
    </tr>
  );
}

function LiveNumber({
  text,
  of,
  place,
  before,
  print,
}: {
  text: string;
  of: string;
  place: number | undefined;
  before: string | undefined;
  print: boolean;
}) {
  const shown =
    place && !print ? (
      <a className="number" href={`numbers.html#n${place}`} title={of}>
        {text}
      </a>
    ) : (
      <span className="number">{text}</span>
    );
  if (before === undefined) return shown;
  return (
    <>
      {shown} <small className="was">(corrected, was {before})</small>
    </>
  );
}

function Accepted({ page }: { page: PageOf }) {
  const told = page.accepted.filter((one) => one.why);
  const open = page.accepted.filter((one) => !one.why);
  if (!page.accepted.length) return null;
  return (
    <section>
      <h2>What it goes out with</h2>
      <ul>
        {told.map((one) => (
          <li key={one.words}>
            {one.words} {one.why.replace(/\.?$/, ".")}
          </li>
        ))}
        {open.map((one) => (
          <li key={one.words}>{one.words} Nobody gave a reason.</li>
        ))}
      </ul>
    </section>
  );
}

function Data({ page, print }: { page: PageOf; print: boolean }) {
  return (
    <section>
      <h2>Data</h2>
      {page.files.length > 0 ? (
        <>
          <p>
            Whoever has a data package computes every number of it again: <code>rennbahn verify</code> reads
            it and needs nothing else.
          </p>
          <ul className="files">
            {page.files.map((one) => (
              <li key={one.name}>
                {print ? one.name : <a href={one.name}>{one.name}</a>}, {size(one.size)}, SHA-256{" "}
                <code>{one.sha256}</code>
              </li>
            ))}
          </ul>
        </>
      ) : (
        <p>The data are not published.</p>
      )}
      {!print && (
        <p>
          {page.numbers.length > 0 && (
            <>
              <a href="numbers.html">Every number of this page, down to its captures</a> ·{" "}
            </>
          )}
          <a href="article.pdf">As PDF</a> · <a href="article.odt">As OpenDocument text</a> ·{" "}
          <a href="script.txt">As a script to be spoken</a>
        </p>
      )}
    </section>
  );
}

/** The picture of links to an edition: the first that stands in it, else its title and first sentence. */
export function Preview({ page, css, theme }: { page: PageOf; css: string; theme: Theme }) {
  const drawn = page.blocks.flatMap(
    ({ kind, material, look }) => (material && slidesOf(kind, material, look)) ?? [],
  )[0];
  const texts = [{ words: page.title, strong: true }, { words: page.summary }];
  return (
    <html lang="en">
      <head>
        <title>{page.title}</title>
        {/* biome-ignore lint/security/noDangerouslySetInnerHtml: our own style sheet */}
        <style dangerouslySetInnerHTML={{ __html: css }} />
      </head>
      <body>{drawn?.draw({ theme }, 0) ?? <SlidePicture theme={theme} question="" of={{ texts }} />}</body>
    </html>
  );
}

/** What stands behind every live number: passes, windows, hashes. */
export function Numbers({ page, css }: { page: PageOf; css: string }) {
  return (
    <Document title={`Numbers: ${page.title}`} summary={page.summary} css={css}>
      <header>
        <h1>Numbers of “{page.title}”</h1>
        <p className="by">
          Edition {page.number}, {longDay(page.at)}. <a href="index.html">Back to the article</a>
        </p>
      </header>
      {page.numbers.map((one, at) => (
        <section key={one.key} id={`n${at + 1}`}>
          <h2>
            {one.text} <span className="of">{one.of}</span>
          </h2>
          <p>
            {one.interval && `Interval: ${one.interval}. `}
            As computed: <code>{String(one.value)}</code>. From “{one.study}”; in its data package (
            <code>{one.package}</code>) it stands in <code>findings.csv</code> as <code>{one.name}</code>.
          </p>
          <details>
            <summary>
              {count(one.passes.length, "accepted pass", "accepted passes")} of its lanes in its tests
            </summary>
            <div className="scrolls">
              <table>
                <caption>Passes behind {one.of}</caption>
                <thead>
                  <tr>
                    <th scope="col">Lane</th>
                    <th scope="col">Test</th>
                    <th scope="col">Pass</th>
                    <th scope="col">Windows, s</th>
                    <th scope="col">Capture</th>
                  </tr>
                </thead>
                <tbody>
                  {one.passes.map((pass) => (
                    <tr key={`${pass.lane} ${pass.test} ${pass.number}`}>
                      <th scope="row">{pass.lane}</th>
                      <td>{pass.test}</td>
                      <td>{pass.number}</td>
                      <td>{pass.windows.map(([from, to]) => `${from} to ${to}`).join(", ")}</td>
                      <td>
                        {pass.file || "typed in, without frames"} <code>{pass.sha256}</code>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </details>
        </section>
      ))}
    </Document>
  );
}

function Document({
  title,
  summary,
  css,
  preview,
  script,
  children,
}: {
  title: string;
  summary: string;
  css: string;
  /** What moves on it. */
  script?: string | undefined;
  /** Where the picture of links to it stands. */
  preview?: string;
  children: ReactNode;
}) {
  return (
    <html lang="en">
      <head>
        <meta charSet="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        {/* Whoever shows a link wants the whole address: the server says where it stands. */}
        {preview && <meta property="og:image" content={`@origin@${preview}`} />}
        <title>{title}</title>
        <meta name="description" content={summary} />
        <meta property="og:title" content={title} />
        <meta property="og:description" content={summary} />
        <meta property="og:type" content="article" />
        {/* biome-ignore lint/security/noDangerouslySetInnerHtml: our own style sheet */}
        <style dangerouslySetInnerHTML={{ __html: css }} />
      </head>
      <body className="article alone">
        <main>{children}</main>
        {/* biome-ignore lint/security/noDangerouslySetInnerHtml: our own, by its hash the only one that runs */}
        {script && <script dangerouslySetInnerHTML={{ __html: script }} />}
      </body>
    </html>
  );
}

/** The place of what the server says when it is read. */
function Standing() {
  // biome-ignore lint/security/noDangerouslySetInnerHtml: a comment of ours
  return <div dangerouslySetInnerHTML={{ __html: "<!--standing-->" }} />;
}

const longDay = (iso: string) =>
  new Date(iso).toLocaleDateString("en-GB", {
    day: "numeric",
    month: "long",
    year: "numeric",
    timeZone: "UTC",
  });
