// Name and values → URL: the inverse of matching.

import { data, FRAGMENT, HOST, OPTIONAL, PAIRS, QUERY, type Param, type Route, type Value } from "./table.js";
import { normalHost } from "./host.js";
import { hasControl, isLonger } from "./percent.js";
import { type Asked, isAny, NO_LIMIT, refusal, ruleAt } from "./rules.js";
import { addressFor } from "./url.js";
import { lookup, methodsOf, routeOf } from "./find.js";
import { isSame, shapeOf, valuesOf } from "./values.js";
import { expand, partsOf } from "./template.js";
import { LinkError } from "./types.js";

/** Texts by the name of their parameter. */
export type Values = ReadonlyMap<string, Value>;

export const RETURN = "return";

/** A text as it is shown in a message. */
function escaped(text: string, quotes: RegExp = /['"\\]/g, odd: RegExp = /(?! )[\p{C}\p{Z}]|^\p{Grapheme_Extend}/gu): string {
  const named: { readonly [one: string]: string } = { "\t": "\\t", "\n": "\\n", "\r": "\\r", "\0": "\\0" };
  const code = (one: string): string => named[one] ?? `\\u{${one.codePointAt(0)!.toString(16)}}`;
  return text.replace(quotes, "\\$&").replace(odd, code);
}

function shown(value: Value | undefined): string {
  if (value === undefined) return "nothing";
  if (typeof value === "string") return `\`${escaped(value)}\``;
  const quoted = (text: string): string => `"${escaped(text, /["\\]/g, /(?! )[\p{C}\p{Z}\p{Grapheme_Extend}]/gu)}"`;
  return `[${value.map((one) => (typeof one === "string" ? quoted(one) : `(${quoted(one[0])}, ${quoted(one[1])})`)).join(", ")}]`;
}

/** The candidate that the fewest slips of the keyboard turn into a word; nothing where that would be a guess. */
function nearest(word: string, candidates: readonly string[]): string {
  let best: readonly [slips: number, candidate: string] | undefined;
  const wanted = Array.from(word);
  for (const candidate of candidates) {
    const known = Array.from(candidate);
    const allowed = Math.max(Math.floor(Math.max(wanted.length, known.length) / 3), 1);
    if (wanted.length > 64 || known.length > 64 || Math.abs(wanted.length - known.length) > allowed) continue;
    // The optimal string alignment distance.
    let before: number[] = [];
    let above = [0, ...known.map((_, at) => at + 1)];
    for (const [row, a] of wanted.entries()) {
      const own = [row + 1];
      for (const [column, b] of known.entries()) {
        let least = Math.min(above[column]! + (a === b ? 0 : 1), above[column + 1]! + 1, own[column]! + 1);
        if (row > 0 && column > 0 && a === known[column - 1] && wanted[row - 1] === b) least = Math.min(least, before[column - 1]! + 1);
        own.push(least);
      }
      [before, above] = [above, own];
    }
    const slips = above[known.length]!;
    if (slips <= allowed && (!best || slips < best[0])) best = [slips, candidate];
  }
  return best ? `; did you mean \`${best[1]}\`?` : "";
}

/** The index of a route to which links can be made. */
export function linkable(name: string): number {
  const id = data.routes.findIndex(([known]) => known === name);
  const route = data.routes[id];
  const quoted = escaped(name);
  if (!route) {
    throw new LinkError("unknown-route", name, `no route is named \`${quoted}\`${nearest(name, data.routes.map(([known]) => known))}`);
  }
  const redirect = route[5]?.redirect;
  if (redirect) {
    const to = typeof redirect[1] === "number" ? `\`${data.routes[redirect[1]]![0]}\`` : "another site";
    throw new LinkError("redirect", name, `\`${quoted}\` only redirects to ${to}; link to that`);
  }
  if (route[3] < 0) {
    throw new LinkError("group", name, `\`${quoted}\` has no page: it only groups other routes; link to one of those`);
  }
  return id;
}

/** A value in the form that its parameter has. */
function inForm(param: Param, value: Value): Value {
  if (typeof value !== "string") return value;
  if (shapeOf(param) === "list") return [value];
  return param[2] === HOST ? normalHost(value) : value;
}

export function givenFor(param: Param, given: Values, inherited: Values): Value | undefined {
  const value = given.get(param[0]) ?? inherited.get(param[0]);
  return value === undefined ? param[6] : inForm(param, value);
}

/** The values that go into the template: all checked, defaults filled in or left out. */
function checked(route: Route, given: Values, inherited: Values, leaveOut: boolean): Map<string, Value> {
  const [name, , path, , params] = route;
  for (const key of given.keys()) {
    if (!params.some(([known]) => known === key)) {
      const near = nearest(key, params.map(([known]) => known));
      throw new LinkError("unknown-param", name, `\`${name}\` has no parameter \`${escaped(key)}\`${near}`, key);
    }
  }
  const all = new Map<string, Value>();
  for (const param of params) {
    const [key, , kind, flags, , , fallback] = param;
    const isOptional = (flags & OPTIONAL) !== 0;
    const mayGo = isOptional && (leaveOut || kind === QUERY);
    const own = given.get(key) ?? inherited.get(key);
    if (own === undefined) {
      if (mayGo || (isOptional && fallback === undefined)) continue;
      if (fallback === undefined) throw new LinkError("missing", name, `a link to \`${name}\` needs a value for \`${key}\``, key);
      all.set(key, fallback);
      continue;
    }
    const value = inForm(param, own);
    if (mayGo && fallback !== undefined && isSame(fallback, value)) continue;
    check(name, param, value);
    all.set(key, value);
  }
  // What is filled from left to right has no gaps: the default of a value before another is written after all.
  for (const part of partsOf(path)) {
    if (typeof part === "string" || (part.operator !== "/" && part.operator !== ".")) continue;
    const names = part.variables.map((variable) => variable.name);
    let last = names.length - 1;
    while (last > 0 && !all.has(names[last]!)) last -= 1;
    for (const key of names.slice(0, Math.max(last, 0))) {
      if (all.has(key)) continue;
      const fallback = params.find(([known]) => known === key)?.[6];
      if (fallback === undefined) {
        throw new LinkError("gap", name, `\`${names[last]}\` of \`${name}\` stands after \`${key}\`, which has no value`, names[last]);
      }
      all.set(key, fallback);
    }
  }
  return all;
}

/** Checks the form of a value, then each text of it. */
function check(route: string, param: Param, value: Value): void {
  const [name, , , , index] = param;
  const many = ruleAt(index)[2];
  const wrong = (expected: string): LinkError =>
    new LinkError("form", route, `expected ${expected} for \`${name}\` of \`${route}\``, name);
  if (!many) {
    if (typeof value !== "string") throw wrong("one value");
    checkText(route, param, index, value);
    return;
  }
  const [first, second, least, most, unique] = many;
  const isPairs = second >= 0;
  if (typeof value === "string" || value.some((item) => (typeof item === "string") === isPairs)) {
    throw wrong(isPairs ? "a list of pairs" : "a list of texts");
  }
  if (value.length < least || value.length > most) {
    const limit = most === NO_LIMIT ? "" : `and at most ${most} `;
    const message = `expected at least ${least} ${limit}items for \`${name}\` of \`${route}\`, found ${value.length}`;
    throw new LinkError("form", route, message, name);
  }
  for (const item of value) {
    checkText(route, param, first, typeof item === "string" ? item : item[0]);
    if (typeof item !== "string") checkText(route, param, second, item[1]);
  }
  const texts = value as readonly string[];
  const twice = unique ? texts.find((item, at) => texts.indexOf(item) < at) : undefined;
  if (twice !== undefined) {
    const all = texts.join(",");
    throw new LinkError("refused", route, `\`${name}\` of \`${route}\` refused \`${escaped(all)}\`: \`${twice}\` is there twice`, name);
  }
}

function checkText(route: string, [name, , kind]: Param, index: number, text: string): void {
  const rule = ruleAt(index);
  const isInQuery = kind === QUERY || kind === PAIRS;
  const isFree = isAny(rule);
  const refused = (message: string): LinkError => new LinkError("refused", route, message, name);
  if ((!isInQuery || !isFree) && hasControl(text)) {
    const found = escaped(/[\0-\x1f\x7f]/.exec(text)![0], /['\\]/g);
    throw refused(`the value for \`${name}\` of \`${route}\` holds the control character '${found}', which no URL may hold`);
  }
  if (isFree && (isInQuery || kind === FRAGMENT)) return;
  if (text === "") throw refused(`expected at least one character for \`${name}\` of \`${route}\`, found none`);
  const reason = refusal(rule, text);
  if (reason !== undefined) throw refused(`\`${name}\` of \`${route}\` refused \`${escaped(text)}\`: ${reason}`);
}

function written([name, , template, , , more]: Route, values: Values): string {
  const value = (key: string): Value | undefined => values.get(key);
  let path = expand(template, value);
  // A path whose only segments are optional expands to nothing at all.
  if (path[0] !== "/") path = "/" + path;
  const dots = path.split(/[?#]/, 1)[0]!.split("/").find((segment) => segment === "." || segment === "..");
  if (dots !== undefined) {
    throw new LinkError("refused", name, `the link to \`${name}\` would have a segment \`${dots}\`, which is removed from every URL`);
  }
  const scheme = data.site.origin.split("://", 1)[0] || "https";
  const url = (more?.host ? `${scheme}://${expand(more.host[0], value)}` : "") + addressFor(path);
  if (isLonger(url, data.site.bytes)) {
    throw new LinkError("long", name, `the link to \`${name}\` would have ${url.length} bytes; a URL may have ${data.site.bytes}`);
  }
  return url;
}

/** Why a URL would not be read as a route with these values, if so. */
function misread(route: Route, values: Values, url: string): LinkError | undefined {
  const [name, , , , params] = route;
  const isOwn = (list: string, value: string) => (param: Param): boolean => {
    const many = ruleAt(param[4])[2];
    const lists = many ? [many[0], many[1]].map((index) => (index < 0 ? 0 : ruleAt(index)[1])) : [ruleAt(param[4])[1]];
    const own = values.get(param[0]);
    const texts = own === undefined ? [] : typeof own === "string" ? [own] : own.flat();
    return lists.includes(list) && texts.includes(value);
  };
  const asked: Asked = { isListed: (list, value) => params.some(isOwn(list, value)), isMet: () => true };
  const found = lookup(url, undefined, methodsOf(route)[0] ?? "GET", asked);
  if (!found || !("reading" in found)) {
    return new LinkError("not-reversible", name, `\`${url}\` would not be read as \`${name}\`: a value holds a character that means something else in a URL`);
  }
  const by = routeOf(found.reading)[0];
  if (by !== name) {
    return new LinkError("captured", name, `\`${url}\` would be answered by \`${by}\`, not by \`${name}\`; link to \`${by}\` instead`);
  }
  const read = valuesOf(found.reading);
  for (const [index, param] of params.entries()) {
    const [key, , kind, , , , fallback] = param;
    const given = values.get(key);
    if (kind === FRAGMENT || isSame(read[index], given) || (given === undefined && isSame(read[index], fallback))) continue;
    const message = `\`${url}\` would be read as \`${name}\` with ${shown(read[index])} for \`${key}\`, not with ${shown(given)}`;
    return new LinkError("not-reversible", name, message, key);
  }
  return undefined;
}

/** The URL of a redirect: whatever answers it. */
export function urlOfAny(id: number, given: Values): string {
  linkable(data.routes[id]![0]);
  return written(data.routes[id]!, checked(data.routes[id]!, given, new Map(), true));
}

/** The URL of a route, with every word about what is wrong with it. */
export function urlOf(id: number, given: Values, inherited: Values = new Map()): string {
  const route = data.routes[id]!;
  const short = checked(route, given, inherited, true);
  const url = written(route, short);
  const error = misread(route, short, url);
  if (!error) return url;
  // Where leaving a default out lets another reading in, it is written.
  const long = checked(route, given, inherited, false);
  const longUrl = written(route, long);
  const isSameValues = isSame([...long.entries()].flat() as string[], [...short.entries()].flat() as string[]);
  if (isSameValues || misread(route, long, longUrl)) throw error;
  return longUrl;
}

/** The values of a call as texts; what is absent or a list without items is none. */
export function textsOf(values: object): Map<string, Value> {
  const text = (one: unknown): string => String(one).replace(/\p{Surrogate}/gu, "\ufffd");
  const all = new Map<string, Value>();
  for (const [name, value] of Object.entries(values) as [string, unknown][]) {
    if (value === undefined || value === null) continue;
    if (typeof value !== "object") {
      all.set(name, text(value));
      continue;
    }
    const items: unknown[] = Array.isArray(value) ? value : Object.entries(value);
    const texts = items.map((item) => (Array.isArray(item) ? ([text(item[0]), text(item[1])] as const) : text(item)));
    if (texts.length > 0) all.set(name, texts as Value);
  }
  return all;
}
