import { Problem } from "./client";

/** What the server says while it does the same for others, or another of one's own. */
const BUSY = "busy";
/** So often it is asked, each time a second later than the time before. */
export const TRIES = 8;

/** Do something, and once more a little later as long as the server is busy. */
export async function patiently<T>(send: () => Promise<T>): Promise<T> {
  for (let tried = 1; ; tried += 1) {
    try {
      return await send();
    } catch (error) {
      if (!(error instanceof Problem) || error.code !== BUSY || tried === TRIES) throw error;
      await new Promise((resolve) => setTimeout(resolve, 1000 * tried));
    }
  }
}
