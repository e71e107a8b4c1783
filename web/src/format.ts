/**
 * Figures as they are shown: the same rules as the core's `display`, to the letter. Rounding works on the shortest
 * decimal that reads back as the double, half away from zero.
 */

/** The digits of `value` as a whole number and the power of ten it is to be divided by. */
function exact(value: number): { digits: bigint; places: number } {
  const [mantissa = "0", exponent = "0"] = String(value).split("e");
  const [whole = "0", part = ""] = mantissa.split(".");
  const places = part.length - Number(exponent);
  const digits = BigInt(whole + part);
  return places < 0 ? { digits: digits * 10n ** BigInt(-places), places: 0 } : { digits, places };
}

function rounded(digits: bigint, places: number, wanted: number): string {
  const negative = digits < 0n;
  let size = negative ? -digits : digits;
  if (places > wanted) {
    const unit = 10n ** BigInt(places - wanted);
    size = (size * 2n + unit) / (unit * 2n);
  } else {
    size *= 10n ** BigInt(wanted - places);
  }
  const text = size.toString().padStart(wanted + 1, "0");
  const shown = wanted === 0 ? text : `${text.slice(0, -wanted)}.${text.slice(-wanted)}`;
  return negative && size !== 0n ? `-${shown}` : shown;
}

/** `value` with a fixed number of decimals; no sign on what rounds to zero. */
export function fixed(value: number, places: number): string {
  const { digits, places: has } = exact(value);
  // -0 and numbers under 1 keep their sign outside the digits.
  return rounded(value < 0 && digits > 0n ? -digits : digits, has, places);
}

/** A rate: one decimal, none from 100 on. */
export function fps(value: number): string {
  const text = fixed(value, 1);
  return Number(text) >= 100 ? fixed(value, 0) : text;
}

/** A margin given as a share, in percent with one decimal. */
export function percent(share: number): string {
  const { digits, places } = exact(share);
  const signed = share < 0 && digits > 0n ? -digits : digits;
  return places >= 2 ? rounded(signed, places - 2, 1) : rounded(signed * 10n ** BigInt(2 - places), 0, 1);
}

/** A margin with its sign, as typeset: a true minus, a plus where it has one. */
export function signedPercent(share: number): string {
  const text = percent(share);
  if (text.startsWith("-")) return `−${text.slice(1)}`;
  return Number(text) === 0 ? text : `+${text}`;
}

/** A time in ms with two decimals. */
export function ms(value: number): string {
  return fixed(value, 2);
}

/** Both ends of an interval of margins. */
export function interval(low: number | null | undefined, high: number | null | undefined): string {
  return low == null || high == null
    ? "no interval yet"
    : `${signedPercent(low)}% to ${signedPercent(high)}%`;
}

/**
 * A number as people write it, with a decimal comma or a decimal point: the one way to read numbers. Nothing written is
 * null, and what is no number is NaN.
 */
export function readNumber(text: string): number | null {
  const trimmed = text.trim();
  if (!trimmed) return null;
  return /^[+-]?(\d+([.,]\d*)?|[.,]\d+)$/.test(trimmed) ? Number(trimmed.replace(",", ".")) : Number.NaN;
}

/** A plain figure: as many decimals as it has, at most two. */
export function figure(value: number): string {
  return fixed(value, 2).replace(/\.?0+$/, "");
}

/** A stretch of time as people plan it: 45 min, 3 h 20 min. */
export function hours(seconds: number): string {
  const minutes = Math.round(seconds / 60);
  if (minutes < 60) return `${minutes} min`;
  const rest = minutes % 60;
  return `${Math.floor(minutes / 60).toLocaleString("en-GB")} h${rest ? ` ${rest} min` : ""}`;
}

/** A moment at the bench, which has no time zone: Mon 11 Jan, 14:05. */
export function benchMoment(iso: string): string {
  const [date = "", time = ""] = iso.split("T");
  return `${benchDay(date)}, ${time.slice(0, 5)}`;
}

/** A day at the bench: Mon 11 Jan. */
export function benchDay(date: string): string {
  return new Date(`${date}T12:00:00Z`).toLocaleDateString("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "short",
    timeZone: "UTC",
  });
}

/** `1 pass`, `3 passes`. */
export function count(n: number, one: string, many = `${one}s`): string {
  return `${n.toLocaleString("en-GB")} ${n === 1 ? one : many}`;
}

/** A date as it is read: 12 Sep 2026, 14:05. */
export function moment(iso: string): string {
  return new Date(iso).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}

/** A day as it is read: 12 Sep 2026. */
export function day(iso: string): string {
  return new Date(`${iso}T12:00:00Z`).toLocaleDateString("en-GB", { dateStyle: "medium", timeZone: "UTC" });
}

/** A file size. */
export function size(bytes: number): string {
  if (bytes < 1024) return `${bytes} B`;
  const kb = bytes / 1024;
  return kb < 1024 ? `${fixed(kb, 0)} KB` : `${fixed(kb / 1024, 1).replace(/\.0$/, "")} MB`;
}
