// Name and values → URL: the inverse of matching.

import { addressFor, encodeReserved, encodeUnreserved, normalSegment, prefixOf } from "./address.js";
import { find, choose, methodsOf, valuesOf } from "./find.js";
import { ALWAYS, giveBack, scan, take, wellFormed, type Asked } from "./reading.js";
import { any, hasControl, type Rule } from "./rules.js";
import { type Table } from "./table.js";
import { namesIn, pathOf, type Param, type Route } from "./tree.js";
import { LinkError } from "./types.js";
import { FRAGMENT, HOST, isSame, PAIRS, QUERY, type Value } from "./values.js";

/** Texts by the index of their parameter. */
export type Texts = (Value | undefined)[];

/** What only some tables need to make links. */
export interface Tools {
  /** Reads a link back, and says what is wrong with it. */
  readonly readBack?: (route: Route, texts: Texts, url: string) => LinkError | undefined;
  /** Lists and pairs. */
  readonly lists?: Lists;
  /** Values in the host: their form, and what a link starts with. */
  readonly host?: HostTools;
}

export interface Lists {
  /** A list or an object as texts. */
  readonly texts: (value: object) => Value;
  readonly check: (route: Route, param: Param, value: Value) => void;
  readonly write: (value: Value, writing: Writing, name: string, isExploded: boolean) => string;
}

export interface HostTools {
  readonly form: (host: string) => string;
  readonly write: (route: Route, valueOf: (name: string) => Value | undefined) => string;
}

/** How an operator writes its values (RFC 6570, appendix A). */
export interface Writing {
  readonly operator: string;
  readonly isNamed: boolean;
  readonly separator: string;
  readonly encode: (text: string) => string;
}

interface Expression extends Writing {
  readonly variables: readonly { readonly index: number; readonly name: string; readonly isExploded: boolean }[];
}

/** A template, ready for values: path, then query and fragment. */
interface Compiled {
  readonly path: readonly (string | Expression)[];
  readonly rest: readonly (string | Expression)[];
  /** Can a value hold slashes, or stand where it changes the form of the path? */
  readonly isRaw: boolean;
}

const compiled = /* @__PURE__ */ new WeakMap<Route, Compiled>();

function compiledOf(route: Route): Compiled {
  let known = compiled.get(route);
  if (!known) {
    const template = route.template();
    const path = pathOf(template);
    const isRaw = /\{\+/.test(path);
    const names = route.params().map(({ name }) => name);
    known = { path: partsOf(names, path, !isRaw), rest: partsOf(names, template.slice(path.length), false), isRaw };
    compiled.set(route, known);
  }
  return known;
}

/** Texts, and expressions between them; variables by their place among some names. */
function partsOf(names: readonly string[], template: string, isPath: boolean): (string | Expression)[] {
  const parts = template.split(/\{(.*?)\}/).map((piece, at): string | Expression => {
    if (at % 2 === 0) return isPath ? encodeReserved(piece).split("/").map(normalSegment).join("/") : encodeReserved(piece);
    const operator = /^[\w%]/.test(piece) ? "" : piece[0]!;
    const isReserved = operator === "+" || operator === "#";
    const variables = piece.slice(operator.length).split(",").map((one) => {
      const name = one.replace("*", "");
      return { index: names.indexOf(name), name, isExploded: one.endsWith("*") };
    });
    return {
      operator,
      isNamed: /[;?&]/.test(operator),
      separator: operator === "?" ? "&" : operator === "" || isReserved ? "," : operator,
      encode: isReserved ? encodeReserved : encodeText,
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

function expand(parts: readonly (string | Expression)[], texts: Texts, { lists }: Tools): string {
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
      const variable = variables[index]!;
      const value = texts[variable.index];
      if (value === undefined) continue;
      out += lead;
      lead = separator;
      if (typeof value !== "string") out += lists!.write(value, part, variable.name, variable.isExploded);
      else if (!isNamed) out += encode(value);
      else out += encodeReserved(variable.name) + (value === "" && operator === ";" ? "" : "=") + encode(value);
    }
  }
  return out;
}

/** Expands a template whose variables have these values. */
export function expandTemplate(template: string, valueOf: (name: string) => Value | undefined, tools: Tools): string {
  const names = namesIn(template);
  return expand(partsOf(names, template, false), names.map(valueOf), tools);
}

/** The route to which a link leads. */
export function linkable(table: Table, name: string): Route {
  const route = table.routes.get(name);
  if (!route) throw new LinkError("unknown-route", name, undefined, { table });
  const { to, out } = route.more;
  if (to || out) throw new LinkError("redirect", name, undefined, { to: to?.[0] });
  if (route.page === undefined) throw new LinkError("group", name);
  return route;
}

const hasOwn = Object.prototype.hasOwnProperty;

/** A text in the form that its parameter has. */
export function formOf({ many, kind }: Param, text: string, { host }: Tools): Value {
  if (many) return many.values ? text : [text];
  return host && kind === HOST ? host.form(text) : text;
}

/** The values of a call as texts; what is absent or a list without items is none. */
export function textsOf(route: Route, given: object, tools: Tools): Texts {
  const params = route.params();
  const values = given as { readonly [name: string]: unknown };
  const texts: Texts = [];
  for (let index = 0; index < params.length; index += 1) {
    const param = params[index]!;
    const { name } = param;
    const value = hasOwn.call(values, name) ? values[name] : undefined;
    if (value === undefined || value === null) {
      texts.push(undefined);
    } else if (typeof value === "object") {
      const isEmpty = Object.keys(value).length === 0;
      texts.push(isEmpty ? undefined : tools.lists ? tools.lists.texts(value) : []);
    } else {
      texts.push(formOf(param, wellFormed(String(value)), tools));
    }
  }
  return texts;
}

/** Refuses a value for which there is no parameter. */
function refuseUnknown(route: Route, given: object): void {
  const values = given as { readonly [name: string]: unknown };
  const params = route.params();
  for (const key in values) {
    let at = 0;
    while (at < params.length && params[at]!.name !== key) at += 1;
    const value = at < params.length ? undefined : values[key];
    if (value === undefined || value === null || (typeof value === "object" && Object.keys(value).length === 0)) continue;
    throw new LinkError("unknown-param", route.name, key, { names: params.map(({ name }) => name) });
  }
}

/** What a call gives, as texts. */
export function givenTo(route: Route, given: object, tools: Tools): Texts {
  refuseUnknown(route, given);
  return textsOf(route, given, tools);
}

/** The texts that go into the template: all checked, defaults filled in or left out. */
function checked(route: Route, given: Texts, leaveOut: boolean, { lists }: Tools): Texts {
  const params = route.params();
  const texts: Texts = [];
  for (let index = 0; index < params.length; index += 1) {
    const param = params[index]!;
    const { name, kind, isOptional, fallback, many } = param;
    const mayGo = isOptional && (leaveOut || kind === QUERY);
    const value = given[index];
    let own: Value | undefined;
    if (value !== undefined) {
      if (!mayGo || fallback === undefined || !isSame(fallback, value)) {
        own = value;
        if (typeof value === "string" && !many) checkText(route, param, param.rule, value);
        else if (lists) lists.check(route, param, value);
        else throw new LinkError("form", route.name, name, { expected: "one value" });
      }
    } else if (!mayGo && fallback !== undefined) {
      own = fallback;
    } else if (!isOptional) {
      throw new LinkError("missing", route.name, name);
    }
    texts.push(own);
  }
  return texts;
}

/** What is filled from left to right has no gaps: the default of a value before another is written after all. */
function fillGaps(route: Route, parts: readonly (string | Expression)[], texts: Texts): void {
  for (const part of parts) {
    if (typeof part === "string" || part.variables.length < 2 || (part.operator !== "/" && part.operator !== ".")) continue;
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

/** Checks one text of a value. */
export function checkText(route: Route, { name, kind }: Param, rule: Rule, text: string): void {
  if (isPlain(text) && (rule === any || rule.takes(text, 0, text.length))) return;
  const isInQuery = kind === QUERY || kind === PAIRS;
  if ((!isInQuery || rule !== any) && hasControl(text)) throw new LinkError("refused", route.name, name, { control: text });
  if (rule === any && (isInQuery || kind === FRAGMENT)) return;
  if (text === "") throw new LinkError("refused", route.name, name, { isEmpty: true });
  if (!rule.takes(text, 0, text.length)) throw new LinkError("refused", route.name, name, { value: text, rule });
}

function written(route: Route, texts: Texts, tools: Tools): string {
  const { site } = route.table;
  const { path, rest, isRaw } = compiledOf(route);
  fillGaps(route, path, texts);
  let expanded = expand(path, texts, tools);
  // A path whose only segments are optional expands to nothing at all.
  if (expanded.charCodeAt(0) !== 47) expanded = "/" + expanded;
  const dots = expanded.includes("/.") ? /\/(\.\.?)(?![^/?#])/.exec(expanded.split(/[?#]/, 1)[0]!) : null;
  if (dots) throw new LinkError("refused", route.name, undefined, { dots: dots[1] });
  const more = expand(rest, texts, tools);
  let url: string;
  if (isRaw) url = addressFor(expanded + more, site);
  else if (expanded === "/") url = addressFor("/" + more, site);
  else url = prefixOf(site) + (site.slash === ALWAYS ? expanded + "/" : expanded) + more;
  if (tools.host && route.host() !== undefined) {
    const value = (name: string): Value | undefined => texts[route.params().findIndex((param) => param.name === name)];
    url = tools.host.write(route, value) + url;
  }
  if (url.length > site.bytes) throw new LinkError("long", route.name, undefined, { length: url.length, bytes: site.bytes });
  return url;
}

/** The URL of a redirect: whatever answers it. */
export function urlOfAny(route: Route, given: Texts, tools: Tools): string {
  linkable(route.table, route.name);
  return written(route, checked(route, given, true, tools), tools);
}

/** The URL of a route for texts. */
export function urlOf(route: Route, given: Texts, tools: Tools): string {
  const short = checked(route, given, true, tools);
  const url = written(route, short, tools);
  if (!route.more.check) return url;
  const error = tools.readBack!(route, short, url);
  if (!error) return url;
  // Where leaving a default out lets another reading in, it is written.
  const long = checked(route, given, false, tools);
  const longUrl = written(route, long, tools);
  if (isSame(long, short) || tools.readBack!(route, long, longUrl)) throw error;
  return longUrl;
}

/** The live lists that a rule, or the rules of its items, name. */
function listsOf({ rule, many }: Param): readonly unknown[] {
  return (many ? [many.items, many.values] : [rule]).map((one) => one?.facts?.["list"]);
}

/** Why a URL would not be read as a route with these values, if so. */
export function readBack(route: Route, texts: Texts, url: string): LinkError | undefined {
  const { table, name } = route;
  const params = route.params();
  // A link's own values are in the lists that they are said to be in.
  const isOwn = (list: string, value: string): boolean =>
    params.some((param, index) => listsOf(param).includes(list) && [texts[index]].flat(2).includes(value));
  const asked: Asked = { isListed: isOwn, isMet: () => true };
  const reading = take(asked, undefined);
  const wrong = (details: { readonly [name: string]: unknown }, param?: string): LinkError => new LinkError("not-reversible", name, param, { url, ...details });
  let error: LinkError | undefined;
  const end = scan(reading, url, table.site) ? choose(find(table, reading), methodsOf(route)[0] ?? "GET") : undefined;
  if (!end || table.site.respelt?.(reading, end, table.site) !== undefined) {
    error = wrong({});
  } else if (end.route !== route) {
    error = new LinkError("captured", name, undefined, { url, by: end.route.name });
  } else {
    const read = valuesOf(reading, end);
    const at = params.findIndex(({ kind, fallback }, index) => kind !== FRAGMENT && !isSame(read[index], texts[index] ?? fallback));
    if (at >= 0) error = wrong({ read: read[at], given: texts[at], name: params[at]!.name }, params[at]!.name);
  }
  giveBack(reading);
  return error;
}

/** The URL of a route. */
export function linkIn(table: Table, tools: Tools, name: string, values: object = {}): string {
  const route = linkable(table, name);
  return urlOf(route, givenTo(route, values, tools), tools);
}
