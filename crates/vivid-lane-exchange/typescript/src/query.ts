// The query of a URL (WHATWG, URL, section 5.1). Nothing in it makes a URL wrong.

import { type Reading } from "./reading.js";

// Every browser and server has it; declared here, as a project need not know the types of either.
declare const URLSearchParams: new (query: string) => { get(name: string): string | null };

/** A name or a value of a query, decoded. */
export function decodeForm(raw: string): string {
  if (!raw.includes("%") && !raw.includes("+")) return raw;
  try {
    return decodeURIComponent(raw.replace(/\+/g, " "));
  } catch {
    // Escapes that are no UTF-8 become U+FFFD. Not every platform is right about those beside characters that are not ASCII.
    return new URLSearchParams("a=" + raw.replace(/[^\0-\x7f]+/g, encodeURIComponent)).get("a")!;
  }
}

/** The pairs of a query: names, decoded, and values, as they were sent, in turn. They are read when they are first needed, and once. */
export function pairsOf(reading: Reading): readonly string[] {
  if (!reading.pairs) {
    const pairs: string[] = [];
    const { query } = reading;
    for (let at = 0; at < query.length; ) {
      const next = query.indexOf("&", at);
      const end = next < 0 ? query.length : next;
      const pair = query.slice(at, end);
      const sign = pair.indexOf("=");
      if (pair !== "") pairs.push(decodeForm(sign < 0 ? pair : pair.slice(0, sign)), sign < 0 ? "" : pair.slice(sign + 1));
      at = end + 1;
    }
    reading.pairs = pairs;
  }
  return reading.pairs;
}

/** The values of a name, as they were sent. */
export function rawsOf(reading: Reading, key: string): string[] {
  return pairsOf(reading).filter((_, at, pairs) => at % 2 === 1 && pairs[at - 1] === key);
}

/** The first value of a name, as it was sent. */
export function rawOf(reading: Reading, key: string): string | undefined {
  const pairs = pairsOf(reading);
  for (let at = 0; at < pairs.length; at += 2) if (pairs[at] === key) return pairs[at + 1];
  return undefined;
}
