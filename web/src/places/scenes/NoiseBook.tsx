import { scaleLinear } from "d3-scale";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useNoiseBook, useSceneKinds } from "../../api/queries";
import { NothingMatches, useFilter } from "../../controls/Filter";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { PlaceHead } from "../../controls/PlaceHead";
import { Term } from "../../controls/Term";
import { useTitle } from "../../controls/useTitle";
import { count, fixed, percent } from "../../format";

type Book = Schemas["BookOut"];
type Scene = Book["scenes"][number];

const NONE: Scene[] = [];
const TRACK = 230;

/** What all passes taught about repeating: scenes from the one that repeats best, and what makes them scatter. */
export function NoiseBook() {
  const { data: book, error } = useNoiseBook();
  const { data: kinds = [] } = useSceneKinds();
  const { shown, text, setText } = useFilter<Scene>(
    book?.scenes ?? NONE,
    (one) => `${one.game} ${one.scene} ${one.kind}`,
  );
  useTitle("Noise book", "Scenes");
  if (error) return <ErrorNotice error={error} />;
  if (!book) return <Loading what="the noise book" />;
  const label = new Map(kinds.map((kind) => [kind.kind as string, kind.label]));
  const most = Math.max(
    1,
    ...book.scenes.map((one) => Math.min(6, one.percent.low_1 ?? one.percent.average_fps ?? 0)),
  );
  const x = scaleLinear([0, most], [8, TRACK - 8]);
  return (
    <>
      <p className="text-[0.9rem]">
        <Link to="/scenes">All scenes</Link>
      </p>
      <PlaceHead
        title="Noise book"
        says="How well each scene repeats, from the accepted passes of all studies. Plans and checks go by it."
        filters="Filter scenes"
        filter={text}
        setFilter={setText}
      />
      {book.scenes.length === 0 ? (
        <Empty title="Nothing is known yet.">
          <p>A scene is known once a lane has run it twice and both passes were accepted.</p>
        </Empty>
      ) : (
        <>
          {book.replay_words && <p className="mb-4 max-w-[60rem] text-lg">{book.replay_words}</p>}
          <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-8 xl:grid-cols-[minmax(0,1fr)_22rem]">
            <div className="overflow-x-auto">
              <table className="w-full border-collapse">
                <thead>
                  <tr className="label">
                    <th className="pb-1">Scene, from the one that repeats best</th>
                    <th className="pb-1">
                      <Term word="scatter from pass to pass">Scatter from pass to pass</Term>
                    </th>
                    <th className="pb-1">Average</th>
                    <th className="pb-1">1% low</th>
                    <th className="pb-1">0.1% low</th>
                    <th className="pb-1">First pass</th>
                    <th className="pb-1">From</th>
                  </tr>
                </thead>
                <tbody>
                  {shown.map((one) => (
                    <Row key={one.scene_id} one={one} kind={label.get(one.kind) ?? one.kind} x={x} />
                  ))}
                </tbody>
              </table>
              {!shown.length && <NothingMatches text={text} what="scene" />}
            </div>
            <aside className="grid gap-5">
              <Kinds book={book} label={label} />
              <Parts book={book} />
            </aside>
          </div>
        </>
      )}
    </>
  );
}

/** Average as a disc, 1% low as an open lozenge, as in every margin. */
function Row({ one, kind, x }: { one: Scene; kind: string; x: (percent: number) => number }) {
  const average = one.percent.average_fps;
  const low = one.percent.low_1;
  return (
    <tr className="border-rule border-t">
      <th scope="row" className="py-1.5 pr-4 leading-tight">
        <Link to={`/scenes/card/${one.scene_id}`} className="plain font-semibold hover:underline">
          {one.game}
        </Link>
        <span className="block text-[0.84rem] text-mute">
          {one.scene} · {kind}
        </span>
      </th>
      <td className="py-1.5 pr-4">
        <svg width={TRACK} height={26} aria-hidden="true">
          <path d={`M0 13H${TRACK}`} stroke="var(--grid)" />
          {average !== undefined && low !== undefined && (
            <path d={`M${x(average)} 13H${Math.min(TRACK, x(low))}`} stroke="var(--mute)" />
          )}
          {low !== undefined && (
            <path
              d={`M${Math.min(TRACK - 6, x(low))} 6l6 7l-6 7l-6 -7z`}
              fill="var(--paper)"
              stroke="var(--ink)"
              strokeWidth={1.6}
            />
          )}
          {average !== undefined && <circle cx={x(average)} cy={13} r={5} fill="var(--ink)" />}
        </svg>
      </td>
      {(["average_fps", "low_1", "low_0.1"] as const).map((figure) => (
        <td key={figure} className="figure py-1.5 pr-4 whitespace-nowrap">
          {one.percent[figure] === undefined ? "–" : `${fixed(one.percent[figure] ?? 0, 2)}%`}
        </td>
      ))}
      <td className="py-1.5 pr-4" title={one.first?.words}>
        {one.first ? (
          one.first.told ? (
            <span className="font-semibold text-accent">{percent(-one.first.share)}% slower</span>
          ) : (
            <span className="text-mute">no different</span>
          )
        ) : (
          <span className="text-mute">not known</span>
        )}
      </td>
      <td className="py-1.5 text-[0.88rem] text-mute">
        {count(one.passes, "pass", "passes")} in {count(one.studies, "study", "studies")}
        {one.source === "all_scenes" && ", so few that all scenes speak"}
      </td>
    </tr>
  );
}

function Kinds({ book, label }: { book: Book; label: ReadonlyMap<string, string> }) {
  return (
    <section aria-label="Kinds of scene" className="sheet p-4">
      <h2 className="label mb-2">By kind of scene</h2>
      <dl className="grid grid-cols-[1fr_auto] gap-y-1">
        {book.kinds.map((one) => (
          <div key={one.kind} className="contents">
            <dt>
              {label.get(one.kind) ?? one.kind}{" "}
              <span className="text-[0.86rem] text-mute">{count(one.scenes, "scene", "scenes")}</span>
            </dt>
            <dd className="figure">{fixed(one.percent, 2)}%</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

/** How cards and processors scatter beside what is usual in their scenes. */
function Parts({ book }: { book: Book }) {
  if (!book.parts.length) return null;
  return (
    <section aria-label="Cards and processors" className="sheet p-4">
      <h2 className="label mb-1">Cards and processors</h2>
      <p className="mb-2 text-[0.86rem] text-mute">
        How far passes lie apart beside what is usual in the same scenes: 1 is as usual. In brackets where the
        truth lies with 95%.
      </p>
      <dl className="grid grid-cols-[1fr_auto] gap-x-3 gap-y-1">
        {book.parts.map((one) => (
          <div key={`${one.kind} ${one.name}`} className="contents">
            <dt className={one.unlike ? "font-semibold" : ""}>
              {one.name} <span className="text-[0.86rem] text-mute">{one.kind}</span>
            </dt>
            <dd className="figure">
              {fixed(one.factor, 2)}{" "}
              <span className="text-[0.86rem] text-mute">
                ({fixed(one.low, 2)} to {fixed(one.high, 2)})
              </span>
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
