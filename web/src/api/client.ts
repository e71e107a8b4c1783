import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** An error of the API: what happened, where, and what to do. */
export class Problem extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly status: number,
    readonly field?: string,
    readonly row?: number,
    readonly line?: number,
    readonly hint?: string,
    /** Of a page that was overtaken: the mark of the state there is now. */
    readonly now?: string,
  ) {
    super(message);
  }
}

let csrfToken = "";

export function keepToken(token: string): void {
  csrfToken = token;
}

export function token(): string {
  return csrfToken;
}

let database = "";

/** Which database this page is of: the one that its first answer came from (the server's `one_database`). */
export function databaseMark(): string {
  return database;
}

const DATABASE = "X-Database";

export const client = createClient<paths>({ baseUrl: "/" });

client.use({
  onRequest({ request }) {
    if (request.method !== "GET") {
      request.headers.set("X-CSRFToken", csrfToken);
      if (database) request.headers.set(DATABASE, database);
    }
    return request;
  },
  onResponse({ response }) {
    database ||= response.headers.get(DATABASE) ?? "";
  },
});

/** The data of an answer, or its error thrown as a Problem. */
export async function data<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer: { data?: T; error?: unknown; response: Response };
  try {
    answer = await call;
  } catch {
    throw new Problem(
      "offline",
      "The server does not answer.",
      0,
      undefined,
      undefined,
      undefined,
      OFFLINE_HINT,
    );
  }
  if (answer.response.ok) return answer.data as T;
  throw problemOf(answer.error, answer.response.status);
}

const OFFLINE_HINT = "Nothing was lost here. It comes up again by itself; then try once more.";

export function problemOf(body: unknown, status: number): Problem {
  const facts = (typeof body === "object" && body !== null ? body : {}) as Record<string, unknown>;
  const text = (name: string) => (typeof facts[name] === "string" ? (facts[name] as string) : undefined);
  const number = (name: string) => (typeof facts[name] === "number" ? (facts[name] as number) : undefined);
  const message = text("message") ?? `The server answered with ${status}.`;
  return new Problem(
    text("code") ?? "unknown",
    message,
    status,
    text("field"),
    number("row"),
    number("line"),
    text("hint"),
    text("now"),
  );
}

/** Send one file with progress; fetch cannot tell how far an upload has come. */
export function upload(
  url: string,
  file: File,
  onProgress: (share: number) => void,
  more: Record<string, string> = {},
): Promise<unknown> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", url);
    request.setRequestHeader("X-CSRFToken", csrfToken);
    if (database) request.setRequestHeader(DATABASE, database);
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) onProgress(event.loaded / event.total);
    };
    request.onerror = () =>
      reject(
        new Problem("offline", "The connection broke off.", 0, undefined, undefined, undefined, OFFLINE_HINT),
      );
    request.onload = () => {
      let body: unknown = null;
      try {
        body = JSON.parse(request.responseText);
      } catch {
        // A proxy's page instead of ours: the status says enough.
      }
      if (request.status >= 200 && request.status < 300) resolve(body);
      else reject(problemOf(body, request.status));
    };
    const form = new FormData();
    for (const [name, value] of Object.entries(more)) form.append(name, value);
    form.append("file", file);
    request.send(form);
  });
}
