// Where in the table a URL is, and links from there.

import { addressOf } from "./address.js";
import { valueOf, valuesOf, type Values } from "./find.js";
import { givenTo, linkable, textsOf, urlOf, type Tools } from "./link.js";
import { giveBack, nobody, scan, take, type Reading } from "./reading.js";
import { bytesOf } from "./rules.js";
import { type Table } from "./table.js";
import { readOf } from "./match.js";
import { chainOf, namesIn, type Cover, type End, type Param, type Route } from "./tree.js";
import { LinkError, type Change, type Level, type LinkOptions, type Place, type Transition } from "./types.js";
import { FRAGMENT, isInQuery, isSame, put, QUERY, REPEATED, typed, type Value } from "./values.js";

/** A position reads its URL again, for what few ask for. */
function again<T>(at: object, use: (reading: Reading, end: End) => T): T {
  const { end, url, host } = readOf(at);
  const reading = take(nobody, host);
  scan(reading, url, end.route.table.site);
  const result = use(reading, end);
  giveBack(reading);
  return result;
}

/** The address as it was asked: path and query, without scheme and host. */
export function addressAt(at: object): string {
  return again(at, (reading, { route }) => addressOf(reading, route.table.site));
}

/** The frames around what is shown, outermost first: the site's, then those of the levels. */
export function framesIn({ site }: Table, shown: object): readonly string[] {
  const read = readOf(shown) ?? readOf((shown as { readonly position?: object }).position ?? {});
  return [site, ...(read ? chainOf(read.end.route).map(({ more }) => more) : [])].flatMap(({ frame }) => frame ?? []);
}

/** The decision where a page has the URL, and the record that it would show does not exist. */
export function notFoundIn({ site }: Table, at: object | undefined, reason?: string): object {
  const owner = (at ? chainOf(readOf(at).end.route) : []).reverse().find(({ more }) => more.fallback !== undefined);
  return { outcome: "not-found", status: 404, page: owner ? (owner.more.fallback ?? undefined) : site.fallback, position: at, reason };
}

/** The data of a route. */
export function dataIn(table: Table, name: string): unknown {
  return table.routes.get(name)!.more.data ?? {};
}

/** For each level of the chain how much of the path it covers. */
function coversOf({ covers, above, node }: End): readonly Cover[] {
  return covers ?? [...(above ? coversOf(above) : []), node.isTail ? -1 : node.depth];
}

/** The level of a chain that declares a parameter. */
function levelOf(route: Route, param: Param): number {
  return chainOf(route).findIndex(({ path, more }) => namesIn(path + (more.host ?? "")).includes(param.name));
}

/** The chain from the outermost ancestor to the route. */
export function levelsAt(at: object): readonly Level[] {
  return again(at, (reading, end) => {
    const { route } = end;
    const covers = coversOf(end);
    const path = reading.path();
    let start = 0;
    return chainOf(route).map((level, index) => {
      const stop = stopOf(reading, end, covers[index]!, path);
      const covered = path.slice(start, stop);
      start = stop;
      const own: { [name: string]: unknown } = {};
      route.params().forEach((param, place) => {
        const value = levelOf(route, param) === index ? valueOf(reading, end, place) : undefined;
        if (value !== undefined) put(own, param.name, typed(param, value));
      });
      return { route: level.name, path: level.template(), covered, frame: level.more.frame, params: own, data: level.more.data ?? {} };
    });
  });
}

/** Where in a path a level ends. */
function stopOf(reading: Reading, end: End, cover: Cover, path: string): number {
  if (cover === -1) return path.length;
  const [segments, pieces] = typeof cover === "object" ? cover : [cover + 1, 0];
  if (segments === 0) return 0;
  const raws = path.split("/").slice(1);
  let at = raws.slice(0, segments - 1).reduce((sum, raw) => sum + 1 + raw.length, 0);
  if (typeof cover === "number") return at;
  at += 1;
  const { pieces: parts } = end.route.table.site;
  // An escape is one byte.
  const start = at;
  const raw = raws[segments - 1]!;
  const before = (end.way[segments - 1]!.length > 1 ? end.way[segments - 1]!.slice(0, pieces) : []).map((_, piece) => parts!.text(reading, end, segments - 1, piece));
  for (let bytes = bytesOf(before.join("")).length; bytes > 0; bytes -= 1) at += raw[at - start] === "%" ? 3 : 1;
  return at;
}

/** The values of a position, with their parameters. */
function valuesAt(at: object): { readonly params: readonly Param[]; readonly values: Values } {
  return { params: readOf(at).end.route.params(), values: again(at, valuesOf) };
}

function tableOf(at: object): Table {
  return readOf(at).end.route.table;
}

function valueAt(at: object, name: string): Value | undefined {
  const { params, values } = valuesAt(at);
  return values[params.findIndex((param) => param.name === name)];
}

/** The variables in the parts with which both templates begin. */
function commonBeginning(own: string, target: string): string[] {
  const cutUp = (template: string): string[] => template.split(/(\{.*?\})/).filter((part) => part !== "");
  const [left, right] = [cutUp(own), cutUp(target)];
  const plain = (part: string | undefined): string | undefined => part?.replace(/\*/g, "");
  const differs = right.findIndex((part, at) => plain(part) !== plain(left[at]));
  const same = differs < 0 ? right : right.slice(0, differs);
  return same.filter((part) => part[0] === "{").flatMap((part) => namesIn(part));
}

/** What a link inherits from a position: what the two addresses share, and what the target cannot do without. */
function inheritedFrom(at: object, target: Route): (Value | undefined)[] {
  const own = readOf(at).end.route;
  const { params, values } = valuesAt(at);
  const shared = commonBeginning(own.template(), target.template());
  const [ownNames, names] = [own.name.split("."), target.name.split(".")];
  const differs = ownNames.findIndex((name, index) => name !== names[index]);
  const common = differs < 0 ? ownNames.length : differs;
  const isOfQuery = (kind: number | undefined): boolean => kind === QUERY || kind === REPEATED;
  return target.params().map((param) => {
    const { name, kind, isOptional, fallback } = param;
    const index = params.findIndex((one) => one.name === name);
    const isNeeded = !isOptional && fallback === undefined;
    const isOfAncestor = !isOfQuery(kind) && levelOf(target, param) < common;
    return !isOfQuery(params[index]?.kind) && (isNeeded || shared.includes(name) || isOfAncestor) ? values[index] : undefined;
  });
}

export const RETURN = "return";

/** The URL of a route, with values that it shares with a position. A value that is set to nothing takes back what is inherited. */
export function linkFromIn(tools: Tools, from: object, name: string, values: object = {}, { back }: LinkOptions = {}): string {
  const route = linkable(tableOf(from), name);
  const address = back === "here" ? addressAt(from) : back === "carry" ? valueAt(from, RETURN) : undefined;
  const given = address === undefined ? values : { ...values, [RETURN]: address };
  const inherited = inheritedFrom(from, route);
  const own = givenTo(route, given, tools);
  const isSet = (name: string): boolean => Object.prototype.hasOwnProperty.call(given, name);
  const texts = route.params().map(({ name: key }, index) => own[index] ?? (isSet(key) && !isEmptyList(given, key) ? undefined : inherited[index]));
  return urlOf(route, texts, tools);
}

/** An empty list is not given, but takes nothing back. */
function isEmptyList(given: object, key: string): boolean {
  const value = (given as { readonly [name: string]: unknown })[key];
  return typeof value === "object" && value !== null;
}

/** A link with scheme and host. */
export function absoluteIn(table: Table, url: string): string {
  const { origin } = table.site;
  if (url[0] !== "/") return url;
  if (origin === undefined) throw new LinkError("no-origin", url);
  return origin + url;
}

/** Whether a link leads to the page that is shown (`page`), or to an ancestor of it (`true`): a value for `aria-current`. */
export function activityIn(tools: Tools, at: object, name: string, given: object = {}): "page" | "true" | undefined {
  const shown = readOf(at).end.route;
  const route = chainOf(shown).find((one) => one.name === name);
  if (!route) return undefined;
  const values = valuesAt(at);
  const texts = textsOf(route, given, tools);
  const isSameValue = (param: Param, index: number): boolean => {
    const { name: key, kind, fallback } = param;
    const isOfQuery = isInQuery(param);
    if (kind === FRAGMENT || (isOfQuery && texts[index] === undefined)) return true;
    // The query of an ancestor is not in the URL of its descendants.
    return (!isOfQuery || route === shown) && isSame(texts[index] ?? fallback, values.values[values.params.findIndex((param) => param.name === key)]);
  };
  return route.params().every(isSameValue) ? (route === shown ? "page" : "true") : undefined;
}

/** The URL of the nearest ancestor with a page, with the same values. */
export function upIn(tools: Tools, at: object): string | undefined {
  for (let { parent } = readOf(at).end.route; parent; { parent } = parent) {
    if (parent.page === undefined) continue;
    try {
      return linkFromIn(tools, at, parent.name);
    } catch {
      // The next one may have a link.
    }
  }
  return undefined;
}

/** What changes when one page takes the place of another, or is the first. */
export function transitionIn(from: object | undefined, to: object): Transition {
  const [old, next] = [from ? levelsAt(from) : [], levelsAt(to)];
  const differs = next.findIndex(({ route }, level) => route !== old[level]?.route);
  const same = differs < 0 ? next.length : differs;
  const changed = next.slice(0, same).flatMap((after, level): Change[] => {
    const before = old[level]!;
    const names = new Set(Object.keys({ ...before.params, ...after.params }));
    const changes = [...names].map((name) => ({ name, route: after.route, before: before.params[name], after: after.params[name] }));
    return changes.filter((change) => !isSame(change.before, change.after));
  });
  const names = (levels: readonly Level[]): string[] => levels.map(({ route }) => route);
  return { kept: names(next.slice(0, same)), left: names(old.slice(same)).reverse(), entered: names(next.slice(same)), changed };
}

export function placeIn({ site: { origin = "", base = "", locate } }: Table): Place {
  return { origin, base: locate ? locate.base : base, isInFragment: locate !== undefined };
}
