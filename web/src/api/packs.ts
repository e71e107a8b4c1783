import { Zip, ZipDeflate } from "fflate";
import { client, data, Problem, type Schemas, upload } from "./client";

/** A pack is sent in pieces of this many bytes. */
const PIECE = 16 * 1024 * 1024;
/** Of a folder's files only the fast half of packing is wanted: they are text, and lines are slow. */
const LEVEL = 3;
const TRIES = 5;
const PAUSE_MS = 1_500;

/** The extra field of a zip that tells when a file was written, to the second and by no clock of a place. */
const TIMES = 0x5455;

function writtenAt(ms: number): Uint8Array {
  const field = new DataView(new ArrayBuffer(5));
  field.setUint8(0, 1);
  field.setInt32(1, Math.floor(ms / 1000), true);
  return new Uint8Array(field.buffer);
}

/** Send a zip in pieces; `sent` is told how many bytes of the source are through. */
export async function sendPack(
  study: number,
  name: string,
  pieces: AsyncIterable<Piece>,
  sent: (bytes: number) => void,
): Promise<void> {
  const pack = await data(
    client.POST("/api/studies/{study_id}/packs", {
      params: { path: { study_id: study } },
      // The zip tells times by the clock of whoever packed it: here, most likely.
      body: { name, zone: Intl.DateTimeFormat().resolvedOptions().timeZone ?? "" },
    }),
  );
  const path = { params: { path: { pack_id: pack.id } } };
  await sendPieces(`/api/packs/${pack.id}`, pieces, sent, () =>
    data(client.DELETE("/api/packs/{pack_id}", path)),
  );
  await data(client.POST("/api/packs/{pack_id}/close", path));
}

/** Send a data package that is to be read back as a study, and say which it is. */
export async function sendPackage(file: File, sent: (bytes: number) => void): Promise<Schemas["BroughtOut"]> {
  const begun = await data(client.POST("/api/packages", { body: { name: file.name } }));
  const path = { params: { path: { brought_id: begun.id } } };
  await sendPieces(`/api/packages/${begun.id}`, piecesOf(file), sent, () =>
    data(client.DELETE("/api/packages/{brought_id}", path)),
  );
  return data(client.POST("/api/packages/{brought_id}/close", path));
}

async function sendPieces(
  to: string,
  pieces: AsyncIterable<Piece>,
  sent: (bytes: number) => void,
  drop: () => Promise<unknown>,
): Promise<void> {
  try {
    let position = 0;
    for await (const { bytes, read } of pieces) {
      await sendPiece(`${to}/pieces/${position}`, bytes);
      sent(read);
      position += 1;
    }
  } catch (error) {
    // What was sent of it is of no use. Where the server is away too, the page shows it as broken off.
    await drop().catch(() => undefined);
    throw error;
  }
}

/** A piece may be sent again: the server knows it by its number. */
async function sendPiece(url: string, bytes: Blob): Promise<void> {
  for (let tries = 1; ; tries += 1) {
    try {
      await upload(url, new File([bytes], "piece"), () => undefined);
      return;
    } catch (error) {
      const away = error instanceof Problem && (error.status === 0 || error.status >= 502);
      if (!away || tries === TRIES) throw error;
      await new Promise((resolve) => setTimeout(resolve, PAUSE_MS * tries));
    }
  }
}

/** Bytes of a zip, and how many bytes of its source were read for all of it so far. */
interface Piece {
  bytes: Blob;
  read: number;
}

/** A zip that is there, cut into pieces. */
export async function* piecesOf(file: File): AsyncGenerator<Piece> {
  for (let start = 0; start < file.size; start += PIECE) {
    const end = Math.min(file.size, start + PIECE);
    yield { bytes: file.slice(start, end), read: end };
  }
}

/** A zip made of files while it is sent, so that it never is in memory as a whole. */
export async function* zipOf(files: readonly [string, File][], piece = PIECE): AsyncGenerator<Piece> {
  let made: Uint8Array<ArrayBuffer>[] = [];
  let held = 0;
  let read = 0;
  const zip = new Zip((error, chunk) => {
    if (error) throw error;
    made.push(chunk as Uint8Array<ArrayBuffer>);
    held += chunk.length;
  });
  const take = (): Piece => {
    const bytes = new Blob(made);
    made = [];
    held = 0;
    return { bytes, read };
  };
  for (const [path, file] of files) {
    const entry = new ZipDeflate(path, { level: LEVEL });
    entry.mtime = file.lastModified;
    entry.extra = { [TIMES]: writtenAt(file.lastModified) };
    zip.add(entry);
    const reader = file.stream().getReader();
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      entry.push(value);
      read += value.length;
      if (held >= piece) yield take();
    }
    entry.push(new Uint8Array(), true);
    if (held >= piece) yield take();
  }
  zip.end();
  yield take();
}
