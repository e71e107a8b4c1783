/** An id of chance. A page of the bench's own network may be no secure context, where browsers have no shorter way. */
export function newId(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  const hex = Array.from(bytes, (byte) => byte.toString(16).padStart(2, "0")).join("");
  return [8, 12, 16, 20, 32].map((end, at, ends) => hex.slice(ends[at - 1] ?? 0, end)).join("-");
}
