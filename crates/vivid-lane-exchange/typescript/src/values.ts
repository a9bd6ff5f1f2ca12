// The values that a URL holds, as a route reads them.

import {
  BOOLEAN, data, EXPLODED, FRAGMENT, HOST, ITEMS, NUMBER, OPTIONAL, PAIRS, QUERY, REST, SEGMENT,
  type Param, type Value,
} from "./table.js";
import { normalHost } from "./host.js";
import { decodeForm } from "./percent.js";
import { itemsOf, isMarked, marked, plain, ruleAt, split } from "./rules.js";
import { countsAsAbsent, leafAt, places, queryItems, queryValue, readsName, restOfQuery, routeAt, routeOf, type Place, type Reading } from "./find.js";

/** One text, a list, or pairs? */
export function shapeOf([, , , , rule]: Param): "one" | "list" | "pairs" {
  const many = ruleAt(rule)[2];
  return !many ? "one" : many[1] < 0 ? "list" : "pairs";
}

function paired(items: readonly string[]): [string, string][] {
  return items.flatMap((item, at): [string, string][] => (at % 2 === 1 ? [[items[at - 1]!, item]] : []));
}

export function isSame(left: Value | undefined, right: Value | undefined): boolean {
  return JSON.stringify(left) === JSON.stringify(right);
}

/** The segments that the tail takes, as they were sent. */
function tailOf({ leaf, parts }: Reading): readonly string[] | undefined {
  const tail = leafAt(leaf)[3];
  return tail ? parts.raws.slice(tail[1]) : undefined;
}

/** Does the URL say anything of a parameter? Lists of the query, pairs of it and hosts always count. */
function isThere(reading: Reading, index: number, param: Param, found: ReadonlyMap<number, Place>): boolean {
  switch (param[2]) {
    case SEGMENT:
      return found.has(index);
    case ITEMS:
    case REST:
      return tailOf(reading) !== undefined;
    case QUERY: {
      if (param[3] & EXPLODED) return true;
      const raw = queryValue(routeOf(reading), index, param, reading.parts);
      return raw !== undefined && !countsAsAbsent(routeOf(reading), index, param, raw);
    }
    default:
      return param[2] !== FRAGMENT;
  }
}

/** The texts that the URL has for a parameter: one, items, or names and values in turn; nothing where it is absent. */
function sent(reading: Reading, index: number, param: Param, found: ReadonlyMap<number, Place>): readonly string[] | undefined {
  const [, , kind, flags, , texts] = param;
  const { parts } = reading;
  const route = routeOf(reading);
  const join = ruleAt(texts)[3];
  const isPairs = shapeOf(param) === "pairs";
  const joined = (text: string): readonly string[] => (join ? (itemsOf(join, isPairs, text) ?? []) : [text]);
  switch (kind) {
    case SEGMENT: {
      const text = found.get(index)?.text;
      return text === undefined ? undefined : shapeOf(param) === "one" ? [plain(text)] : joined(text);
    }
    case ITEMS: {
      const raws = tailOf(reading);
      return raws && (isPairs ? raws.flatMap((raw) => joined(marked(raw))) : raws.map((raw) => decodeURIComponent(raw)));
    }
    case REST: {
      const raws = tailOf(reading);
      return raws && (join ? joined(marked(raws.join("/"))) : [decodeURIComponent(raws.join("/"))]);
    }
    case QUERY: {
      if (flags & EXPLODED) return queryItems(route, index, param, parts);
      const raw = queryValue(route, index, param, parts);
      if (raw === undefined || countsAsAbsent(route, index, param, raw)) return undefined;
      return shapeOf(param) === "one" ? [decodeForm(raw)] : raw.split(",").map(decodeForm);
    }
    case PAIRS:
      return restOfQuery(route, parts).flat();
    case HOST: {
      const [, pattern, params] = route[5]!.host!;
      const text = split(pattern, normalHost(parts.host ?? ""))?.texts[params.indexOf(index)];
      return text === undefined ? undefined : [text];
    }
    default:
      return undefined;
  }
}

/** The value of each parameter, by its index; of an absent one the default of its rule. */
export function valuesOf(reading: Reading, found: ReadonlyMap<number, Place> = places(reading)): readonly (Value | undefined)[] {
  return routeOf(reading)[4].map((param, index) => {
    const fallback = param[6];
    const texts = sent(reading, index, param, found);
    const shape = shapeOf(param);
    if (shape === "one") return texts ? texts[0] : param[2] === HOST ? undefined : fallback;
    if (!texts || texts.length === 0) return fallback;
    return shape === "list" ? texts : paired(texts);
  });
}

/** How many values the URL spells out that it could leave out: defaults, and what is empty and counts as absent. */
export function needless(reading: Reading): number {
  const route = routeOf(reading);
  const hasEmpty = reading.parts.pairs.some(([, raw]) => raw === "");
  const hasDefaults = route[4].some(([, , , flags, , , fallback]) => flags & OPTIONAL && fallback !== undefined);
  if (!hasEmpty && !hasDefaults) return 0;
  const found = places(reading);
  const values = valuesOf(reading, found);
  return route[4].filter((param, index) => {
    const isSpelt =
      param[3] & OPTIONAL && param[6] !== undefined && isThere(reading, index, param, found) && isSame(values[index], param[6]);
    if (isSpelt || !hasEmpty || param[2] !== QUERY) return isSpelt;
    if (!(param[3] & EXPLODED)) {
      const raw = queryValue(route, index, param, reading.parts);
      return raw !== undefined && countsAsAbsent(route, index, param, raw);
    }
    const all = queryItems(route, index, [...param.slice(0, 3), 0, ...param.slice(4)] as unknown as Param, reading.parts);
    return all.length > queryItems(route, index, param, reading.parts).length;
  }).length;
}

/** The pairs of the query that the route does not know, as they were sent. */
export function unknownPairs(reading: Reading): string[] {
  const route = routeOf(reading);
  if (route[4].some(([, , kind]) => kind === PAIRS)) return [];
  const sentPairs = (reading.parts.query ?? "").split("&").filter((pair) => pair !== "");
  return sentPairs.filter((pair) => !readsName(route, decodeForm(pair.split("=", 1)[0]!)));
}

/** A value as its rule types it: numbers, true and false, lists of these. */
export function typed([, , , flags]: Param, value: Value | undefined): unknown {
  const one = (text: string): unknown => {
    if (flags & NUMBER && /^-?(0|[1-9][0-9]*)(\.[0-9]*[1-9])?$/.test(text)) return Number(text);
    return flags & BOOLEAN && (text === "true" || text === "false") ? text === "true" : text;
  };
  if (value === undefined || typeof value === "string") return value && one(value);
  return value.map((item) => (typeof item === "string" ? one(item) : [item[0], one(item[1])]));
}

/** One level of the chain of a match. */
export interface LevelData {
  readonly route: string;
  /** The template of the path from the root. */
  readonly path: string;
  /** The part of the path that the route's own template stands for, as it was sent. */
  readonly covered: string;
  readonly frame: string | undefined;
  /** The parameters that the route itself declares. */
  readonly params: { readonly [name: string]: unknown };
  readonly data: unknown;
}

/** The offset in the sent form of a segment of one in its bytes. */
function rawOffset(raw: string, bytes: number): number {
  let at = 0;
  for (let count = 0; count < bytes; count += 1) at += raw[at] === "%" ? 3 : 1;
  return at;
}

/** The chain from the outermost ancestor to the route. */
export function levelsOf(reading: Reading, values: readonly (Value | undefined)[]): readonly LevelData[] {
  const { leaf, parts, steps } = reading;
  const [id, , covers] = leafAt(leaf);
  const chain: number[] = [];
  for (let at = id; at >= 0; at = routeAt(at)[1]) chain.unshift(at);
  const endOf = (segments: number): number => parts.raws.slice(0, segments).reduce((sum, raw) => sum + 1 + raw.length, 0);
  let start = 0;
  return covers.map((cover, level) => {
    let end = parts.path.length;
    if (typeof cover === "object") {
      const [segments, pieces] = cover;
      const last = segments - 1;
      const pattern = steps[last]! < 0 ? undefined : data.patterns[steps[last]!];
      if (segments === 0) end = 0;
      else if (!pattern || pattern.length === 1) end = endOf(last) + 1;
      else {
        const text = isMarked(pattern) ? marked(parts.raws[last]!) : parts.texts[last]!;
        end = endOf(last) + 1 + rawOffset(parts.raws[last]!, split(pattern, text)?.starts[pieces] ?? 0);
      }
    } else if (cover >= 0) {
      end = endOf(cover);
    }
    const [name, , path, , , more] = routeAt(chain[level]!);
    const own = routeAt(id)[4].map((param, index) => [param, values[index]] as const);
    const params: { [name: string]: unknown } = {};
    for (const [param, value] of own) {
      if (param[1] === level && value !== undefined) setOwn(params, param[0], typed(param, value));
    }
    const covered = parts.path.slice(start, end);
    start = end;
    return { route: name, path, covered, frame: more?.frame, params, data: more?.data ?? {} };
  });
}

/** Sets a property, whatever its name. */
export function setOwn(object: object, name: string, value: unknown): void {
  Object.defineProperty(object, name, { value, enumerable: true, configurable: true, writable: true });
}
