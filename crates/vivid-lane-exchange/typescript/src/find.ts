// The walk through the tree, and the choice of the narrowest route.

import { PAIRS, QUERY, type Leaf, type Node, type Param, type Pattern, type Route } from "./model.js";
import { FOLDS, HOSTS, PAIRS_OF_QUERY, SEVERAL, table, TAILS } from "./table.js";
import { normalHost } from "./host.js";
import { decodeForm, encodeSegment } from "./percent.js";
import { type Asked, fits, fitsNumber, readable, split, takes, takesItems, takesPiece } from "./rules.js";
import { addressFor, isBad, parse, type Bad, type Parts } from "./url.js";

/** A leaf that a URL leads to, with the pattern of each of its segments; none for a literal. */
export interface Reached {
  readonly leaf: Leaf;
  readonly steps: readonly (Pattern | undefined)[];
}

/** A URL as a route reads it. */
export interface Reading extends Reached {
  readonly parts: Parts;
}

/** What a URL comes to: a route, another address, routes for other methods, why it is none, or nothing. */
export type Lookup =
  | { readonly reading: Reading }
  | { readonly address: string }
  | { readonly others: readonly Reached[] }
  | { readonly bad: Bad }
  | undefined;

/** Does a route answer a method? `GET` brings `HEAD` (RFC 9110, section 9.3.2). */
function allows({ methods }: Route, method: string): boolean {
  return methods.includes(method) || (method === "HEAD" && methods.includes("GET"));
}

/** The values of a parameter in the query, as they were sent: the first one, or each that is an item. */
export function rawsOf(param: Param, { pairs }: Parts): string[] {
  const raws = pairs.filter(([name]) => name === param.key).map(([, raw]) => raw);
  return param.isExploded ? raws : raws.slice(0, 1);
}

/** Does an empty value count as if it were not there, as a form sends the fields that nobody filled in? */
export function isUnfilled({ rule, isRequired, isExploded }: Param, raw: string): boolean {
  const { many } = rule;
  return raw === "" && !(many ? !many.values && many.items.isAny : rule.isAny) && (!isRequired || isExploded);
}

/** Is a name in the query one that the route reads for itself? */
export function readsName(route: Route, wanted: string): boolean {
  return route.literals.some(([name]) => name === wanted) || route.params.some(({ kind, key }) => kind === QUERY && key === wanted);
}

/** The texts that the query has for a parameter: one, items, or names and values in turn; nothing where it is absent. */
export function inQuery(route: Route, param: Param, parts: Parts): readonly string[] | undefined {
  if (PAIRS_OF_QUERY && param.kind === PAIRS) {
    return parts.pairs.filter(([name]) => !readsName(route, name)).flatMap(([name, raw]) => [name, decodeForm(raw)]);
  }
  const raws = rawsOf(param, parts).filter((raw) => !isUnfilled(param, raw));
  if (param.isExploded) return raws.map(decodeForm);
  const [raw] = raws;
  return raw === undefined ? undefined : (param.rule.many ? raw.split(",") : [raw]).map(decodeForm);
}

function takesValue(route: Route, param: Param, parts: Parts, asked: Asked): boolean {
  const { rule, isOptional, isRequired } = param;
  const items = inQuery(route, param, parts);
  // What counts as absent is no value that is missing.
  if (!items) return !isRequired || rawsOf(param, parts).length > 0;
  if (items.length === 0) return param.kind === PAIRS ? isOptional : !isRequired;
  return rule.many ? takesItems(rule, items, asked) : takes(rule, items[0]!, asked);
}

function takesQuery(route: Route, parts: Parts, asked: Asked): boolean {
  if (!route.readsQuery) return true;
  // Single values before lists, as questions to live lists have an order.
  const takesAll = (isWanted: (param: Param) => boolean): boolean =>
    route.params.every((param) => !isWanted(param) || takesValue(route, param, parts, asked));
  return (
    route.literals.every(([name, value]) => parts.pairs.some(([known, raw]) => known === name && decodeForm(raw) === value)) &&
    takesAll(({ kind, isExploded }) => kind === QUERY && !isExploded) &&
    takesAll(({ kind, isExploded }) => kind === QUERY && isExploded) &&
    takesAll(({ kind }) => kind === PAIRS)
  );
}

function takesHost({ host }: Route, parts: Parts, asked: Asked): boolean {
  return !HOSTS || !host || (parts.host !== undefined && fits(host.pattern, normalHost(parts.host), asked));
}

/** Can a link write a tail of this value? Nothing else is accepted, so that no tail leads out of a folder. */
function isWritable(value: string): boolean {
  return !/[?#]|%[0-9A-Fa-f]{2}/.test(value) && value.split("/").every((one) => one !== "" && one !== "." && one !== "..");
}

function takesTail({ tail, route }: Leaf, { texts, isEscaped }: Parts, asked: Asked): boolean {
  if (!tail) return true;
  const [index, first, isOneValue] = tail;
  const param = route.params[index]!;
  const items = texts.slice(first);
  if (TAILS && isOneValue) {
    const value = items.join("/");
    return (!isEscaped || isWritable(value)) && takesPiece(param.texts, value, asked);
  }
  return fitsNumber(param.rule.many!, items.length, items);
}

/** A search through the tree: for what answers a path, or for all that covers it. */
interface Search {
  readonly parts: Parts;
  readonly asked: Asked;
  /** The pattern of each segment on the way. */
  readonly steps: (Pattern | undefined)[];
  readonly found: Reached[];
  readonly isForCovers: boolean;
}

function reach({ found, steps }: Search, leaf: Leaf, at: number): void {
  found.push({ leaf, steps: steps.slice(0, at) });
}

function walk(search: Search, node: Node, at: number): void {
  const { parts, asked, steps, found, isForCovers } = search;
  const isEnd = at === parts.texts.length;
  if (isEnd || isForCovers) {
    for (const leaf of node.leaves) {
      const { route } = leaf;
      if (isForCovers || (takesHost(route, parts, asked) && takesQuery(route, parts, asked) && takesTail(leaf, parts, asked))) reach(search, leaf, at);
    }
    if (isForCovers) for (const leaf of node.areas) reach(search, leaf, at);
    if (isEnd) return;
  }
  const before = found.length;
  const text = parts.texts[at]!;
  const next = table.after(node, FOLDS ? text.toLowerCase() : text);
  if (next) {
    steps[at] = undefined;
    walk(search, next, at + 1);
  }
  for (const { pattern, target } of node.edges) {
    if (isForCovers ? target.isTail : node.isOrdered && found.length > before) continue;
    if (fits(pattern, readable(pattern, parts.raws[at]!, text), asked)) {
      steps[at] = pattern;
      walk(search, target, at + 1);
    }
  }
}

/** The leaves that answer a URL, each no wider than any other that accepts it. */
export function find(parts: Parts, asked: Asked): readonly Reached[] {
  const found: Reached[] = [];
  walk({ parts, asked, steps: [], found, isForCovers: false }, table.root, 0);
  return SEVERAL && found.length > 1 ? narrowest(found) : found;
}

function beats(left: Reached, right: Reached): boolean {
  const isSingle = (pattern: Pattern): boolean => table.data.singles.includes(pattern.id);
  let side: number | undefined = 2;
  for (let at = 0; side === 2 && at < left.steps.length; at += 1) {
    const [one, other] = [left.steps[at], right.steps[at]];
    // A pattern that accepts one text only is no wider than a literal.
    if (one !== other) side = one && other ? table.sideOf(0, one.id, other.id) : isSingle((one ?? other)!) ? 2 : one ? 1 : 0;
  }
  if (side === 2) side = table.sideOf(1, left.leaf.id, right.leaf.id);
  // Two ways through one route: the one that fills more from the left was made first.
  return side === undefined || side === 2 ? left.leaf.route === right.leaf.route && left.leaf.id < right.leaf.id : side === 0;
}

/** Each route has its narrowest leaf before routes are compared. */
function narrowest(found: readonly Reached[]): readonly Reached[] {
  let left = found;
  for (const isOwn of [true, false]) {
    const all = left;
    left = all.filter((one) => !all.some((other) => other !== one && (one.leaf.route === other.leaf.route) === isOwn && beats(other, one)));
  }
  return left;
}

/** Of leaves none of which is the narrower, the one that answers a method: that of the highest priority, else the first. */
export function choose(found: readonly Reached[], method: string): Reached | undefined {
  let best: Reached | undefined;
  for (const one of found) {
    const [a, b] = [one.leaf, best?.leaf];
    const isAble = allows(a.route, method);
    if (isAble && (!b || (b.route.priority - a.route.priority || a.route.id - b.route.id || a.id - b.id) < 0)) best = one;
  }
  return best;
}

/** Of the wanted routes that cover the path, seen from the root, the one that covers the most of it. */
export function covering(parts: Parts, method: string, asked: Asked, isWanted: (route: Route) => boolean): Reached | undefined {
  const found: Reached[] = [];
  walk({ parts, asked, steps: [], found, isForCovers: true }, table.root, 0);
  let best: readonly [rank: number, reached: Reached] | undefined;
  for (const reached of found) {
    const { route } = reached.leaf;
    const at = reached.steps.length;
    // A page at the root covers the root alone, unless something is declared below it.
    const isArea = at > 0 || route.fallback !== undefined || table.data.routes.some(([, parent]) => parent === route.id);
    if (!isArea || !takesHost(route, parts, asked) || !isWanted(route)) continue;
    const rank = 2 * at + (allows(route, method) && takesQuery(route, parts, asked) ? 1 : 0);
    if (!best || rank > best[0]) best = [rank, reached];
  }
  return best?.[1];
}

/** Looks a URL up. */
export function lookup(url: string, host: string | undefined, method: string, asked: Asked): Lookup {
  const parts = parse(url, host);
  if (parts === undefined) return undefined;
  if (typeof parts === "string") return { address: parts };
  if (isBad(parts)) return { bad: parts };
  const found = find(parts, asked);
  if (found.length === 0) return undefined;
  const chosen = choose(found, method);
  if (!chosen) return { others: found };
  const { leaf, steps } = chosen;
  const path = respelt(chosen, parts) ?? withSlashes(leaf, parts);
  return path === undefined ? { reading: { leaf, steps, parts } } : { address: addressFor(path, parts.query) };
}

/** The path with its literals as the route declares them, where that is another letter case. */
function respelt({ leaf, steps }: Reached, { texts, raws }: Parts): string | undefined {
  if (FOLDS) {
    const spelling = new Map(leaf.spelling);
    const wanted = texts.map((text, at) => (steps[at] ? undefined : (spelling.get(at) ?? text.toLowerCase())));
    if (wanted.some((text, at) => text !== undefined && text !== texts[at])) {
      return wanted.map((text, at) => "/" + (text === undefined ? raws[at]! : encodeSegment(text))).join("");
    }
  }
  return undefined;
}

/** The path with its tail as a link writes it, where a slash in it is escaped. */
function withSlashes({ tail }: Leaf, { raws }: Parts): string | undefined {
  if (TAILS && tail?.[2] && raws.slice(tail[1]).some((raw) => raw.includes("%2F"))) {
    return "/" + raws.map((raw, at) => (at < tail[1] ? raw : raw.replace(/%2F/g, "/"))).join("/");
  }
  return undefined;
}

/** The texts of the segments' values, by their parameter; with marks where a pattern tells delimiters from text. */
export function captured({ leaf, steps, parts }: Reading): readonly (string | undefined)[] {
  const { captures, tail } = leaf;
  const found: (string | undefined)[] = [];
  let count = 0;
  for (let at = 0; at < (tail ? tail[1] : steps.length); at += 1) {
    const pattern = steps[at];
    if (!pattern) continue;
    const text = readable(pattern, parts.raws[at]!, parts.texts[at]!);
    // Most segments are one value.
    if (pattern.pieces.length === 1 && !captures) {
      found[count] = text;
      count += 1;
      continue;
    }
    const { texts } = split(pattern, text)!;
    for (let piece = 0; piece < texts.length; piece += 1) {
      if (typeof pattern.pieces[piece] === "string") continue;
      const param = captures ? captures[count]! : count;
      count += 1;
      if (param >= 0) found[param] ??= texts[piece];
    }
  }
  return found;
}

