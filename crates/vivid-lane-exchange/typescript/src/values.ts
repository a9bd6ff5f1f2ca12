// The values that a URL holds, as a route reads them.

import { type Value } from "./data.js";
import { blankOf, FRAGMENT, HOST, ITEMS, PAIRS, QUERY, REST, SEGMENT, type Param, type Route } from "./model.js";
import { HOSTS, JOINS, PAIRS_OF_QUERY, TAILS } from "./table.js";
import { normalHost } from "./host.js";
import { decodeForm } from "./percent.js";
import { itemsOf, marked, plain, readable, split } from "./rules.js";
import { captured, inQuery, isUnfilled, rawsOf, readsName, type Reading } from "./find.js";

function paired(items: readonly string[]): [string, string][] {
  return items.flatMap((item, at): [string, string][] => (at % 2 === 1 ? [[items[at - 1]!, item]] : []));
}

export function isSame(left: unknown, right: unknown): boolean {
  return JSON.stringify(left) === JSON.stringify(right);
}

/** The texts that the URL has for a parameter: one, items, or names and values in turn; nothing where it is absent. */
function sent({ leaf, parts }: Reading, param: Param, text: string | undefined): readonly string[] | undefined {
  const { kind, texts } = param;
  const { tail, route } = leaf;
  const raws = tail && parts.raws.slice(tail[1]);
  const isPairs = param.rule.many?.values !== undefined;
  const items = (own: string): readonly string[] => (JOINS && texts.join ? (itemsOf(texts.join, isPairs, own) ?? []) : [plain(own)]);
  switch (kind) {
    case SEGMENT:
      return text === undefined ? undefined : items(text);
    case ITEMS:
      return raws?.flatMap((raw) => (JOINS && isPairs ? items(marked(raw)) : [decodeURIComponent(raw)]));
    case REST:
      return TAILS ? raws && items(JOINS && texts.join ? marked(raws.join("/")) : decodeURIComponent(raws.join("/"))) : undefined;
    case HOST:
      if (HOSTS) {
        const { pattern, params } = route.host!;
        const own = split(pattern, normalHost(parts.host ?? ""))?.texts[params.indexOf(route.params.indexOf(param))];
        return own === undefined ? undefined : [own];
      }
      return undefined;
    default:
      return kind === FRAGMENT ? undefined : inQuery(route, param, parts);
  }
}

/** For each parameter its value; of an absent one the default of its rule. */
export type Values = readonly (Value | undefined)[];

/** The values of a URL, in the order of the parameters. */
export function valuesOf(reading: Reading): Values {
  const { params } = reading.leaf.route;
  const texts = captured(reading);
  const all: (Value | undefined)[] = [];
  for (let index = 0; index < params.length; index += 1) {
    const param = params[index]!;
    const { rule, kind, fallback } = param;
    const { many } = rule;
    // Most values are a segment as it is.
    if (kind === SEGMENT && !many) {
      const text = texts[index];
      all.push(text === undefined ? fallback : plain(text));
      continue;
    }
    const found = sent(reading, param, texts[index]);
    const value = found && (many ? (many.values ? paired(found) : found) : found[0]);
    all.push(value === undefined || (many && value.length === 0) ? (kind === HOST ? undefined : fallback) : value);
  }
  return all;
}

/** How many values the URL spells out that it could leave out: defaults, and what is empty and counts as absent. */
export function needless(reading: Reading, values: Values): number {
  const { parts, leaf } = reading;
  if (!leaf.route.hasDefaults && parts.pairs.length === 0) return 0;
  const texts = captured(reading);
  const hasEmpty = parts.pairs.some(([, raw]) => raw === "");
  const isNeedless = (param: Param, index: number): boolean => {
    const { isOptional, fallback, kind } = param;
    // Lists of the query, pairs of it and hosts always count as there.
    const isThere = (): boolean => kind === HOST || sent(reading, param, texts[index]) !== undefined;
    const isSpelt = isOptional && fallback !== undefined && isSame(values[index], fallback) && isThere();
    return isSpelt || (hasEmpty && kind === QUERY && rawsOf(param, parts).some((raw) => isUnfilled(param, raw)));
  };
  return leaf.route.params.filter(isNeedless).length;
}

/** The pairs of the query that the route does not know, as they were sent. */
export function unknownPairs({ leaf, parts }: Reading): string[] {
  const { route } = leaf;
  if (PAIRS_OF_QUERY && route.params.some(({ kind }) => kind === PAIRS)) return [];
  const pairs = (parts.query ?? "").split("&").filter((pair) => pair !== "");
  return pairs.filter((pair) => !readsName(route, decodeForm(pair.split("=", 1)[0]!)));
}

/** A value as its rule types it: numbers, true and false, lists of these. */
export function typed({ isNumber, isBoolean }: Param, value: Value | undefined): unknown {
  if (!isNumber && !isBoolean) return value;
  const one = (text: string): unknown => {
    if (isNumber && /^-?(0|[1-9][0-9]*)(\.[0-9]*[1-9])?$/.test(text)) return Number(text);
    return isBoolean && (text === "true" || text === "false") ? text === "true" : text;
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

/** The route with its ancestors, the outermost first. */
export function chainOf(route: Route | undefined): Route[] {
  return route ? [...chainOf(route.parent), route] : [];
}

/** The chain from the outermost ancestor to the route. */
export function levelsOf({ leaf, parts, steps }: Reading, values: Values): readonly LevelData[] {
  const { path, raws, texts } = parts;
  /** Where so many segments end. */
  const endOf = (segments: number): number => raws.slice(0, segments).reduce((sum, raw) => sum + 1 + raw.length, 0);
  /** Where a piece of a segment begins: an escape is one byte. */
  const startOf = (at: number, piece: number): number => {
    const pattern = steps[at];
    const raw = raws[at]!;
    let bytes = pattern && pattern.pieces.length > 1 ? split(pattern, readable(pattern, raw, texts[at]!))!.starts[piece]! : 0;
    let place = endOf(at) + 1;
    for (const start = place; bytes > 0; bytes -= 1) place += raw[place - start] === "%" ? 3 : 1;
    return place;
  };
  let start = 0;
  const chain = chainOf(leaf.route);
  return leaf.covers.map((cover, level) => {
    const end =
      typeof cover === "object" ? (cover[0] === 0 ? 0 : startOf(cover[0] - 1, cover[1]))
      : cover < 0 ? path.length
      : endOf(cover);
    const covered = path.slice(start, end);
    start = end;
    const own = leaf.route.params.filter((param, index) => param.level === level && values[index] !== undefined);
    const params = blankOf(own);
    for (const param of own) params[param.name] = typed(param, values[leaf.route.params.indexOf(param)]);
    const { name: route, path: template, frame, data } = chain[level]!;
    return { route, path: template, covered, frame, params, data };
  });
}
