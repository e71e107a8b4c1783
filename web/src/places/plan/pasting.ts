/** Lists that stand somewhere already: their lines, and names with prices behind them. Pure. */

/** The lines of a pasted text; null where it is one line, which is typed like any other. */
export function linesOf(text: string): string[] | null {
  const lines = text
    .split(/\r?\n/)
    .map((line) => line.trim())
    .filter(Boolean);
  return lines.length > 1 ? lines : null;
}

export interface Priced {
  name: string;
  /** As the server takes it; null where none is told. */
  price: string | null;
  currency: string;
}

const SIGNS: Record<string, string> = { "€": "EUR", "£": "GBP", $: "USD" };
const MONEY = "[A-Za-z]{3}|[€£$]";
// A comma parts name and price only with the currency told: names may hold commas and numbers.
const TOLD = new RegExp(
  `^(.*?\\S)\\s*(?:[\\t;]\\s*(?:(${MONEY})\\s*)?(\\d[\\d.,' ]*?)\\s*(${MONEY})?|,\\s+(?:(${MONEY})\\s*(\\d[\\d.,' ]*?)|(\\d[\\d.,' ]*?)\\s*(${MONEY})))\\s*$`,
);

/** A name with its price behind a tab, a semicolon or a comma: “Corv 20; 299 EUR”. */
export function priced(text: string): Priced {
  const [, name, before, figure, after, commaBefore, first, second, commaAfter] = TOLD.exec(text) ?? [];
  const number = figure ?? first ?? second;
  if (!name || !number) return { name: text.trim(), price: null, currency: "" };
  const money = before ?? after ?? commaBefore ?? commaAfter ?? "";
  return { name: name.trim(), price: plainPrice(number), currency: SIGNS[money] ?? money.toUpperCase() };
}

/** A price without what groups its thousands; the last sign before one or two digits parts its cents. */
function plainPrice(text: string): string {
  const [, whole = text, cents] = /^(.*)[.,](\d{1,2})$/.exec(text) ?? [];
  return whole.replace(/[^\d]/g, "") + (cents ? `.${cents}` : "");
}
