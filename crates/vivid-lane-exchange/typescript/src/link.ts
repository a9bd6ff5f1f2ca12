// Name and values → URL: the inverse of matching.

import { encodeUnreserved, prefixOf } from "./address.js";
import { methodsOf, seek, valuesOf } from "./find.js";
import { ALWAYS, giveBack, scan, take, wellFormed, type Asked } from "./reading.js";
import { any, hasControl, type Rule } from "./rules.js";
import { type Table } from "./table.js";
import { namesIn, pathOf, type Param, type Route } from "./tree.js";
import { LinkError } from "./types.js";
import { FRAGMENT, isInQuery, isSame, put, QUERY, REPEATED, typed, type Value } from "./values.js";

/** Texts by the index of their parameter. */
export type Texts = (Value | undefined)[];

/** What only some tables need to make links. */
export interface Tools {
  /** Reads a link back, and makes a longer one where that is read in another way. */
  readonly readBack?: (route: Route, given: Texts, short: Texts, url: string, tools: Tools) => string;
  /** Defaults that are written after all, as a value follows. */
  readonly fillGaps?: (route: Route, parts: readonly Part[], texts: Texts) => void;
  /** Texts of templates that a URL does not hold as they are, and values that are not escaped. */
  readonly raw?: Raw;
  /** Lists and pairs. */
  readonly lists?: Lists;
  /** Values in the host. */
  readonly host?: HostTools;
}

export interface Raw {
  readonly encode: (text: string) => string;
  /** The normal form of a path. */
  readonly normal: (path: string) => string;
}

export interface Lists {
  /** A list or an object as texts. */
  readonly texts: (value: object) => Value;
  readonly check: (route: Route, param: Param, value: Value) => void;
  readonly write: (value: Value, expression: Expression, name: string, isExploded: boolean) => string;
}

export interface HostTools {
  readonly form: (param: Param, host: string) => string;
  /** What a link starts with. */
  readonly write: (route: Route, valueOf: (name: string) => Value | undefined) => string;
}

/** An operator with its variables (RFC 6570, appendix A). */
export interface Expression {
  readonly operator: string;
  readonly isNamed: boolean;
  readonly separator: string;
  readonly encode: (text: string) => string;
  readonly variables: readonly { readonly index: number; readonly name: string; readonly isExploded: boolean }[];
}

/** A part of a template. */
export type Part = string | Expression;

/** The path of each template, and what follows it, ready for values. */
const compiled = /* @__PURE__ */ new WeakMap<Route, readonly [path: readonly Part[], rest: readonly Part[]]>();

/** The parts of a template; variables by their place among some names. */
function partsOf(names: readonly string[], template: string, { raw }: Tools): Part[] {
  const parts = template.split(/\{(.*?)\}/).map((piece, at): Part => {
    if (at % 2 === 0) return raw ? raw.encode(piece) : piece;
    const operator = /^[\w%]/.test(piece) ? "" : piece[0]!;
    const isRaw = operator === "+" || operator === "#";
    const variables = piece.slice(operator.length).split(",").map((one) => {
      const name = one.replace("*", "");
      return { index: names.indexOf(name), name: raw ? raw.encode(name) : name, isExploded: name !== one };
    });
    return {
      operator,
      isNamed: /[;?&]/.test(operator),
      separator: operator === "?" ? "&" : operator === "" || isRaw ? "," : operator,
      encode: isRaw ? raw!.encode : encodeText,
      variables,
    };
  });
  return parts.filter((part) => part !== "");
}

/** Is a text one that a URL holds as it is, wherever it stands? */
function isPlain(text: string): boolean {
  for (let at = 0; at < text.length; at += 1) {
    const code = text.charCodeAt(at);
    // Letters, digits, `-`, `.`, `_`, `~`.
    if (!((code > 96 && code < 123) || (code > 64 && code < 91) || (code > 44 && code < 58 && code !== 47) || code === 95 || code === 126)) return false;
  }
  return text !== "";
}

function encodeText(text: string): string {
  return isPlain(text) ? text : encodeUnreserved(text);
}

function expand(parts: readonly Part[], texts: Texts, { lists }: Tools): string {
  let out = "";
  for (let at = 0; at < parts.length; at += 1) {
    const part = parts[at]!;
    if (typeof part === "string") {
      out += part;
      continue;
    }
    const { operator, isNamed, separator, encode, variables } = part;
    let lead = operator === "+" ? "" : operator;
    for (let index = 0; index < variables.length; index += 1) {
      const { index: place, name, isExploded } = variables[index]!;
      const value = texts[place];
      if (value === undefined) continue;
      out += lead;
      lead = separator;
      if (typeof value !== "string") out += lists!.write(value, part, name, isExploded);
      else out += (isNamed ? name + (value === "" && operator === ";" ? "" : "=") : "") + encode(value);
    }
  }
  return out;
}

/** Expands a template whose variables have these values. */
export function expandTemplate(template: string, valueOf: (name: string) => Value | undefined, tools: Tools): string {
  const names = namesIn(template);
  return expand(partsOf(names, template, tools), names.map(valueOf), tools);
}

/** The route to which a link leads. */
export function linkable(table: Table, name: string): Route {
  const route = table.routes.get(name);
  if (route?.page === undefined) {
    const { to, out } = route?.more ?? {};
    throw new LinkError(route ? (to || out ? "redirect" : "group") : "unknown-route", name, undefined, { table, to: to?.[0] });
  }
  return route;
}

const hasOwn = Object.prototype.hasOwnProperty;

/** Is a value none: nothing, or a list without items? */
function isNone(value: unknown): boolean {
  return value === undefined || value === null || (typeof value === "object" && Object.keys(value).length === 0);
}

/** A text in the form that its parameter has. */
export function formOf(param: Param, text: string, { host }: Tools): Value {
  const { many } = param;
  return many ? (many.values ? text : [text]) : host ? host.form(param, text) : text;
}

/** The values of a call as texts. */
export function textsOf(route: Route, given: object, tools: Tools): Texts {
  return route.params().map((param): Value | undefined => {
    const value = hasOwn.call(given, param.name) ? (given as { readonly [name: string]: unknown })[param.name] : undefined;
    if (typeof value === "string") return formOf(param, wellFormed(value), tools);
    if (isNone(value)) return undefined;
    return typeof value !== "object" ? formOf(param, String(value), tools) : tools.lists ? tools.lists.texts(value!) : [];
  });
}

/** The same, where each value must have a parameter. */
export function givenTo(route: Route, given: object, tools: Tools): Texts {
  const params = route.params();
  for (const key in given) {
    if (params.some(({ name }) => name === key) || isNone((given as { readonly [name: string]: unknown })[key])) continue;
    throw new LinkError("unknown-param", route.name, key, { names: params.map(({ name }) => name) });
  }
  return textsOf(route, given, tools);
}

/** The texts that go into the template: all checked, defaults filled in or left out. */
export function checked(route: Route, given: Texts, leaveOut: boolean, { lists }: Tools): Texts {
  return route.params().map((param, index): Value | undefined => {
    const { name, kind, isOptional, fallback, many } = param;
    const mayGo = isOptional && (leaveOut || kind === QUERY || kind === REPEATED);
    const value = given[index];
    if (value === undefined) {
      if (!isOptional && fallback === undefined) throw new LinkError("missing", route.name, name);
      return mayGo ? undefined : fallback;
    }
    if (mayGo && fallback !== undefined && isSame(fallback, value)) return undefined;
    if (typeof value === "string" && !many) checkText(route, param, param.rule, value);
    else if (lists) lists.check(route, param, value);
    else throw new LinkError("form", route.name, name, { expected: "one value" });
    return value;
  });
}

/** Checks one text of a value. */
export function checkText(route: Route, param: Param, rule: Rule, text: string): void {
  const isAny = rule === any;
  const takes = isAny || rule.takes(text, 0, text.length);
  if ((takes && isPlain(text)) || (isAny && isInQuery(param))) return;
  if (!takes || hasControl(text) || (text === "" && !(isAny && param.kind === FRAGMENT))) throw new LinkError("refused", route.name, param.name, { value: text, rule });
}

export function written(route: Route, texts: Texts, tools: Tools): string {
  const { site } = route.table;
  const { fillGaps, raw, host } = tools;
  let parts = compiled.get(route);
  if (!parts) {
    const template = route.template();
    const path = pathOf(template);
    const names = route.params().map(({ name }) => name);
    parts = [partsOf(names, path, tools), partsOf(names, template.slice(path.length), tools)];
    compiled.set(route, parts);
  }
  fillGaps?.(route, parts[0], texts);
  let path = expand(parts[0], texts, tools);
  let rest = expand(parts[1], texts, tools);
  // A path whose only segments are optional expands to nothing at all.
  if (path.charCodeAt(0) !== 47) path = "/" + path;
  if (raw) {
    // A value that is not escaped may begin a query.
    const end = path.search(/[?#]|$/);
    [path, rest] = [path.slice(0, end), path.slice(end) + rest];
  }
  const dots = path.includes("/.") && /\/(\.\.?)(?![^/])/.exec(path);
  if (raw) path = raw.normal(path);
  if (dots) throw new LinkError("refused", route.name, undefined, { dots: dots[1] });
  if (path !== "/") path += site.slash === ALWAYS ? "/" : "";
  else if (site.base) path = site.slash === ALWAYS ? "/" : "";
  let url = prefixOf(site) + path + rest;
  if (host) url = host.write(route, (name) => texts[route.params().findIndex((param) => param.name === name)]) + url;
  if (url.length > site.bytes) throw new LinkError("long", route.name, undefined, { length: url.length, bytes: site.bytes });
  return url;
}

/** The values of a route, from the fields of a form or of JSON: judged by its rules, of the types that these have. Other fields are left alone. */
export function valuesOfFields(table: Table, tools: Tools, name: string, fields: Iterable<readonly [string, unknown]>): { [name: string]: unknown } {
  const route = linkable(table, name);
  const params = route.params();
  const given: { [name: string]: unknown } = {};
  for (const [key, value] of fields) {
    const param = params.find((one) => one.name === key);
    // A form sends the fields that nobody filled in.
    if (!param || value === undefined || value === null || (value === "" && (param.isOptional || param.fallback !== undefined))) continue;
    const isList = param.many !== undefined && !param.many.values && !Array.isArray(value);
    put(given, key, isList ? [...((given[key] as readonly unknown[] | undefined) ?? []), value] : value);
  }
  const texts = checked(route, textsOf(route, given, tools), false, tools);
  const values: { [name: string]: unknown } = {};
  params.forEach((param, index) => {
    const value = typed(param, texts[index] ?? param.fallback);
    if (value !== undefined) put(values, param.name, value);
  });
  return values;
}

/** The URL of a redirect: whatever answers it. */
export function urlOfAny(route: Route, given: Texts, tools: Tools): string {
  linkable(route.table, route.name);
  return written(route, checked(route, given, true, tools), tools);
}

/** The URL of a route for texts. */
export function urlOf(route: Route, given: Texts, tools: Tools): string {
  const texts = checked(route, given, true, tools);
  const url = written(route, texts, tools);
  return route.more.check ? tools.readBack!(route, given, texts, url, tools) : url;
}

/** The URL of a route. */
export function linkIn(table: Table, tools: Tools, name: string, values: object = {}): string {
  const route = linkable(table, name);
  return urlOf(route, givenTo(route, values, tools), tools);
}

/** Defaults are written after all where a value follows: what is filled from left to right has no gaps. */
export function fillGaps(route: Route, parts: readonly Part[], texts: Texts): void {
  for (const part of parts) {
    if (typeof part === "string" || (part.operator !== "/" && part.operator !== ".")) continue;
    const { variables } = part;
    let last = variables.length - 1;
    while (last >= 0 && texts[variables[last]!.index] === undefined) last -= 1;
    for (const { index, name } of variables.slice(0, Math.max(last, 0))) {
      if (texts[index] !== undefined) continue;
      const { fallback } = route.params()[index]!;
      if (fallback === undefined) throw new LinkError("gap", route.name, variables[last]!.name, { before: name });
      texts[index] = fallback;
    }
  }
}

/** Hands a link out once it is known to be read as this route with these values. */
export function readBack(route: Route, given: Texts, short: Texts, url: string, tools: Tools): string {
  const error = misread(route, short, url);
  if (!error) return url;
  // Where leaving a default out lets another reading in, it is written.
  const long = checked(route, given, false, tools);
  const longUrl = written(route, long, tools);
  if (isSame(long, short) || misread(route, long, longUrl)) throw error;
  return longUrl;
}

/** The live lists that a rule, or the rules of its items, name. */
function listsOf({ rule, many }: Param): readonly unknown[] {
  return (many ? [many.items, many.values] : [rule]).map((one) => one?.facts?.["list"]);
}

/** Why a URL would not be read as a route with these values, if so. */
function misread(route: Route, texts: Texts, url: string): LinkError | undefined {
  const { table, name } = route;
  const { site } = table;
  const params = route.params();
  // A link's own values are in the lists that they are said to be in.
  const isOwn = (list: string, value: string): boolean =>
    params.some((param, index) => listsOf(param).includes(list) && [texts[index]].flat(2).includes(value));
  const asked: Asked = { isListed: isOwn, isMet: () => true };
  const reading = take(asked, undefined);
  let error: LinkError | undefined;
  const end = scan(reading, url, site) ? seek(table, reading, methodsOf(route)[0] ?? "GET") : undefined;
  if (!end || site.respelt?.(reading, end, site) !== undefined) {
    error = new LinkError("not-reversible", name, undefined, { url });
  } else if (end.route !== route) {
    error = new LinkError("captured", name, undefined, { url, by: end.route.name });
  } else {
    const read = valuesOf(reading, end);
    const at = params.findIndex(({ kind, fallback }, index) => kind !== FRAGMENT && !isSame(read[index], texts[index] ?? fallback));
    if (at >= 0) error = new LinkError("not-reversible", name, params[at]!.name, { url, read: read[at], given: texts[at] });
  }
  giveBack(reading);
  return error;
}
