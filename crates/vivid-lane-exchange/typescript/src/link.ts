// Name and values → URL: the inverse of matching.

import { type Value } from "./data.js";
import { FRAGMENT, HOST, NO_LIMIT, PAIRS, QUERY, type Param, type Route, type Rule } from "./model.js";
import { HOSTS, table } from "./table.js";
import { normalHost } from "./host.js";
import { hasControl, isLonger } from "./percent.js";
import { type Asked, refusal } from "./rules.js";
import { addressFor } from "./url.js";
import { lookup } from "./find.js";
import { isSame, valuesOf } from "./values.js";
import { expand, partsOf } from "./template.js";
import { LinkError } from "./types.js";

/** Texts by the name of their parameter. */
export type Texts = ReadonlyMap<string, Value>;

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

/** The route to which a link leads. */
export function linkable(name: string): Route {
  const id = table.idOf(name);
  const quoted = `\`${escaped(name)}\``;
  if (id < 0) {
    throw new LinkError("unknown-route", name, `no route is named ${quoted}${nearest(name, table.data.routes.map(([known]) => known))}`);
  }
  const route = table.route(id);
  const { redirect, page } = route;
  if (redirect) {
    const to = typeof redirect.to === "number" ? `\`${table.route(redirect.to).name}\`` : "another site";
    throw new LinkError("redirect", name, `${quoted} only redirects to ${to}; link to that`);
  }
  if (page === undefined) throw new LinkError("group", name, `${quoted} has no page: it only groups other routes; link to one of those`);
  return route;
}

/** A value in the form that its parameter has. */
function inForm({ rule, kind }: Param, value: Value): Value {
  if (typeof value !== "string") return value;
  if (rule.many) return rule.many.values ? value : [value];
  return HOSTS && kind === HOST ? normalHost(value) : value;
}

export function givenFor(param: Param, given: Texts): Value | undefined {
  const value = given.get(param.name);
  return value === undefined ? param.fallback : inForm(param, value);
}

/** The values that go into the template: all checked, defaults filled in or left out. */
function checked({ name, path, params }: Route, given: Texts, inherited: Texts, leaveOut: boolean): Map<string, Value> {
  for (const key of given.keys()) {
    if (params.some((param) => param.name === key)) continue;
    const near = nearest(key, params.map((param) => param.name));
    throw new LinkError("unknown-param", name, `\`${name}\` has no parameter \`${escaped(key)}\`${near}`, key);
  }
  const all = new Map<string, Value>();
  for (const param of params) {
    const { name: key, kind, isOptional, fallback } = param;
    const mayGo = isOptional && (leaveOut || kind === QUERY);
    const own = given.get(key) ?? inherited.get(key);
    if (own !== undefined) {
      const value = inForm(param, own);
      if (mayGo && isSame(fallback, value)) continue;
      check(name, param, value);
      all.set(key, value);
    } else if (!mayGo && fallback !== undefined) {
      all.set(key, fallback);
    } else if (!isOptional) {
      throw new LinkError("missing", name, `a link to \`${name}\` needs a value for \`${key}\``, key);
    }
  }
  // What is filled from left to right has no gaps: the default of a value before another is written after all.
  for (const part of partsOf(path)) {
    if (typeof part === "string" || (part.operator !== "/" && part.operator !== ".")) continue;
    const names = part.variables.map((variable) => variable.name);
    const last = names.filter((key) => all.has(key)).pop();
    for (const key of last === undefined ? [] : names.slice(0, names.indexOf(last))) {
      if (all.has(key)) continue;
      const fallback = params.find((param) => param.name === key)?.fallback;
      if (fallback === undefined) {
        throw new LinkError("gap", name, `\`${last}\` of \`${name}\` stands after \`${key}\`, which has no value`, last);
      }
      all.set(key, fallback);
    }
  }
  return all;
}

/** Checks the form of a value, then each text of it. */
function check(route: string, param: Param, value: Value): void {
  const { name, rule } = param;
  const { many } = rule;
  const wrong = (expected: string, found = ""): LinkError =>
    new LinkError("form", route, `expected ${expected} for \`${name}\` of \`${route}\`${found}`, name);
  if (!many) {
    if (typeof value !== "string") throw wrong("one value");
    checkText(route, param, rule, value);
    return;
  }
  const { items, values, least, most, isUnique } = many;
  if (typeof value === "string" || value.some((item) => (typeof item === "string") === (values !== undefined))) {
    throw wrong(values ? "a list of pairs" : "a list of texts");
  }
  if (value.length < least || value.length > most) {
    throw wrong(`at least ${least} ${most === NO_LIMIT ? "" : `and at most ${most} `}items`, `, found ${value.length}`);
  }
  for (const item of value) {
    const [first, second] = typeof item === "string" ? [item] : item;
    checkText(route, param, items, first!);
    if (values) checkText(route, param, values, second!);
  }
  const twice = value.find((item, at) => isUnique && (value as readonly unknown[]).indexOf(item) < at);
  if (twice !== undefined) refuse(route, name, value.join(","), `\`${twice}\` is there twice`);
}

function refuse(route: string, name: string, value: string, reason: string): never {
  throw new LinkError("refused", route, `\`${name}\` of \`${route}\` refused \`${escaped(value)}\`: ${reason}`, name);
}

function checkText(route: string, { name, kind }: Param, rule: Rule, text: string): void {
  const isInQuery = kind === QUERY || kind === PAIRS;
  const of = `\`${name}\` of \`${route}\``;
  if ((!isInQuery || !rule.isAny) && hasControl(text)) {
    const found = escaped(/[\0-\x1f\x7f]/.exec(text)![0]);
    throw new LinkError("refused", route, `the value for ${of} holds the control character '${found}', which no URL may hold`, name);
  }
  if (rule.isAny && (isInQuery || kind === FRAGMENT)) return;
  if (text === "") throw new LinkError("refused", route, `expected at least one character for ${of}, found none`, name);
  const reason = refusal(rule, text);
  if (reason !== undefined) refuse(route, name, text, reason);
}

function written({ name, path, host }: Route, values: Texts): string {
  const value = (key: string): Value | undefined => values.get(key);
  const { origin, bytes } = table.data.site;
  // A path whose only segments are optional expands to nothing at all.
  const expanded = expand(path, value).replace(/^(?!\/)/, "/");
  const dots = /\/(\.\.?)(?![^/?#])/.exec(expanded.split(/[?#]/, 1)[0]!);
  if (dots) {
    throw new LinkError("refused", name, `the link to \`${name}\` would have a segment \`${dots[1]}\`, which is removed from every URL`);
  }
  const url = (HOSTS && host ? `${origin.split("://", 1)[0] || "https"}://${expand(host.template, value)}` : "") + addressFor(expanded);
  if (isLonger(url, bytes)) {
    throw new LinkError("long", name, `the link to \`${name}\` would have ${url.length} bytes; a URL may have ${bytes}`);
  }
  return url;
}

/** The live lists that a rule, or the rules of its items, name. */
function listsOf({ list, many }: Rule): readonly unknown[] {
  return many ? [many.items.list, many.values?.list] : [list];
}

/** Why a URL would not be read as a route with these values, if so. */
function misread({ name, params, methods }: Route, values: Texts, url: string): LinkError | undefined {
  // A link's own values are in the lists that they are said to be in.
  const isOwn = (list: string, value: string): boolean =>
    params.some((param) => listsOf(param.rule).includes(list) && [values.get(param.name)].flat(2).includes(value));
  const asked: Asked = { isListed: isOwn, isMet: () => true };
  const found = lookup(url, undefined, methods[0] ?? "GET", asked);
  const wrong = (message: string, param?: string): LinkError =>
    new LinkError("not-reversible", name, `\`${url}\` would ${message}`, param);
  if (!found || !("reading" in found)) {
    return wrong(`not be read as \`${name}\`: a value holds a character that means something else in a URL`);
  }
  const by = found.reading.leaf.route.name;
  if (by !== name) {
    return new LinkError("captured", name, `\`${url}\` would be answered by \`${by}\`, not by \`${name}\`; link to \`${by}\` instead`);
  }
  const read = valuesOf(found.reading);
  const at = params.findIndex(({ kind, name: key, fallback }, index) => kind !== FRAGMENT && !isSame(read[index], values.get(key) ?? fallback));
  if (at < 0) return undefined;
  const key = params[at]!.name;
  return wrong(`be read as \`${name}\` with ${shown(read[at])} for \`${key}\`, not with ${shown(values.get(key))}`, key);
}

/** The URL of a redirect: whatever answers it. */
export function urlOfAny(route: Route, given: Texts): string {
  return written(linkable(route.name), checked(route, given, new Map(), true));
}

/** The URL of a route, with every word about what is wrong with it. */
export function urlOf(route: Route, given: Texts, inherited: Texts = new Map()): string {
  const short = checked(route, given, inherited, true);
  const url = written(route, short);
  const error = misread(route, short, url);
  if (!error) return url;
  // Where leaving a default out lets another reading in, it is written.
  const long = checked(route, given, inherited, false);
  const longUrl = written(route, long);
  if (isSame([...long], [...short]) || misread(route, long, longUrl)) throw error;
  return longUrl;
}

/** The values of a call as texts; what is absent or a list without items is none. */
export function textsOf(values: object): Map<string, Value> {
  const text = (one: unknown): string => String(one).replace(/\p{Surrogate}/gu, "\ufffd");
  const all = new Map<string, Value>();
  for (const [name, value] of Object.entries(values) as [string, unknown][]) {
    if (value === undefined || value === null) continue;
    const items: unknown[] = Array.isArray(value) ? value : typeof value === "object" ? Object.entries(value) : [];
    const texts = items.map((item) => (Array.isArray(item) ? ([text(item[0]), text(item[1])] as const) : text(item)));
    if (typeof value !== "object") all.set(name, text(value));
    else if (texts.length > 0) all.set(name, texts as Value);
  }
  return all;
}
