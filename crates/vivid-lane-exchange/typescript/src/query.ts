// The query of a URL (WHATWG, URL, section 5.1). It is searched for the names that a route knows, and never makes a URL wrong.

// Every browser and server has it; declared here, as a project need not know the types of either.
declare const URLSearchParams: new (query: string) => { get(name: string): string | null };

/** A name or a value of a query, decoded. */
export function decodeForm(raw: string): string {
  if (!/[+%]/.test(raw)) return raw;
  try {
    return decodeURIComponent(raw.replace(/\+/g, " "));
  } catch {
    // Escapes that are no UTF-8 become U+FFFD. Not every platform is right about those beside characters that are not ASCII.
    return new URLSearchParams("a=" + raw.replace(/[^\0-\x7f]+/g, encodeURIComponent)).get("a")!;
  }
}

/** Calls a function for each pair of a query, with where its name begins and ends, and where its value ends. */
export function eachPair(query: string, found: (from: number, sign: number, to: number) => void): void {
  for (let from = 0; from < query.length; ) {
    let to = query.indexOf("&", from);
    if (to < 0) to = query.length;
    let sign = query.indexOf("=", from);
    if (sign < 0 || sign > to) sign = to;
    if (to > from) found(from, sign, to);
    from = to + 1;
  }
}

export function nameOf(query: string, from: number, sign: number): string {
  return decodeForm(query.slice(from, sign));
}

/** The values of a name, as they were sent. */
export function rawsOf(query: string, key: string): string[] {
  const raws: string[] = [];
  eachPair(query, (from, sign, to) => {
    if (nameOf(query, from, sign) === key) raws.push(query.slice(sign + 1, to));
  });
  return raws;
}

/** The first value of a name, as it was sent. */
export function rawOf(query: string, key: string): string | undefined {
  const { length } = key;
  const hasCodes = /[+%]/.test(query);
  for (let from = 0; from < query.length; ) {
    let to = query.indexOf("&", from);
    if (to < 0) to = query.length;
    let sign = query.indexOf("=", from);
    if (sign < 0 || sign > to) sign = to;
    if (to > from && ((sign - from === length && query.startsWith(key, from)) || (hasCodes && nameOf(query, from, sign) === key))) return query.slice(sign + 1, to);
    from = to + 1;
  }
  return undefined;
}
