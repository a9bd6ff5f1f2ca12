// The walk through the tree, and the choice of the narrowest route.

import { data, EXPLODED, OPTIONAL, QUERY, PAIRS, type Leaf, type Node, type Param, type Route } from "./table.js";
import { normalHost } from "./host.js";
import { decodeForm, encodeSegment } from "./percent.js";
import { type Asked, fits, fitsNumber, isAny, isAnyOfItsForm, isMarked, marked, ruleAt, split, takes, takesItems, takesPiece } from "./rules.js";
import { addressFor, isBad, parse, type Bad, type Parts } from "./url.js";

/** A leaf that a URL leads to, with the pattern of each of its segments; -1 for a literal. */
export interface Reached {
  readonly leaf: number;
  readonly steps: readonly number[];
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

export function leafAt(index: number): Leaf {
  return data.leaves[index]!;
}

export function routeAt(index: number): Route {
  return data.routes[index]!;
}

export function routeOf({ leaf }: Reached): Route {
  return routeAt(leafAt(leaf)[0]);
}

export function methodsOf(route: Route): readonly string[] {
  return route[5]?.methods ?? ["GET"];
}

/** Does a route answer a method? `GET` brings `HEAD` (RFC 9110, section 9.3.2). */
export function allows(route: Route, method: string): boolean {
  const methods = methodsOf(route);
  return methods.includes(method) || (method === "HEAD" && methods.includes("GET"));
}

const literals = new WeakMap<Node, Map<string, Node>>();

/** The node that a literal leads to. The map of a node is made when it is first asked. */
function literalAfter(node: Node, text: string): Node | undefined {
  if (!node[0]) return undefined;
  let map = literals.get(node);
  if (!map) {
    map = new Map();
    for (let at = 0; at < node[0].length; at += 2) map.set(node[0][at] as string, node[0][at + 1] as Node);
    literals.set(node, map);
  }
  return map.get(data.site.folds ? text.toLowerCase() : text);
}

function fitsSegment(index: number, parts: Parts, at: number, asked: Asked): boolean {
  const pattern = data.patterns[index]!;
  return fits(pattern, isMarked(pattern) ? marked(parts.raws[at]!) : parts.texts[at]!, asked);
}

/** The name of a parameter in the query. */
export function queryName({ 5: more }: Route, index: number, [name]: Param): string {
  return more?.names?.[index] ?? (name.includes("%") ? decodeURIComponent(name) : name);
}

/** Does the query name a parameter that must be there? */
function isRequired(route: Route, index: number, [, , , flags]: Param): boolean {
  return !(flags & OPTIONAL) || route[5]?.names?.[index] !== undefined;
}

/** Does an empty value count as if it were not there, as a form sends the fields that nobody filled in? */
export function countsAsAbsent(route: Route, index: number, param: Param, raw: string): boolean {
  if (raw !== "") return false;
  const rule = ruleAt(param[4]);
  const takesEmpty = rule[2] ? rule[2][1] < 0 && isAny(ruleAt(rule[2][0])) : isAny(rule);
  return !takesEmpty && (!isRequired(route, index, param) || (param[3] & EXPLODED) !== 0);
}

/** The value of a name in the query, as it was sent; the first counts. */
export function queryValue(route: Route, index: number, param: Param, { pairs }: Parts): string | undefined {
  const wanted = queryName(route, index, param);
  return pairs.find(([name]) => name === wanted)?.[1];
}

/** Each item of a name in the query. */
export function queryItems(route: Route, index: number, param: Param, { pairs }: Parts): string[] {
  const wanted = queryName(route, index, param);
  return pairs
    .filter(([name, raw]) => name === wanted && !countsAsAbsent(route, index, param, raw))
    .map(([, raw]) => decodeForm(raw));
}

/** Is a name in the query one that the route reads for itself? */
export function readsName(route: Route, wanted: string): boolean {
  return (
    (route[5]?.query ?? []).some(([name]) => name === wanted) ||
    route[4].some((param, index) => param[2] === QUERY && queryName(route, index, param) === wanted)
  );
}

/** The pairs of the query that no other parameter takes. */
export function restOfQuery(route: Route, { pairs }: Parts): [string, string][] {
  return pairs.filter(([name]) => !readsName(route, name)).map(([name, raw]): [string, string] => [name, decodeForm(raw)]);
}

function takesQuery(route: Route, parts: Parts, asked: Asked): boolean {
  const { pairs } = parts;
  const hasLiterals = (route[5]?.query ?? []).every(([name, value]) =>
    pairs.some(([known, raw]) => known === name && decodeForm(raw) === value),
  );
  // Single values before lists, as questions to live lists have an order.
  const all = (isWanted: (param: Param) => boolean): boolean =>
    route[4].every((param, index) => !isWanted(param) || takesValue(route, index, param, parts, asked));
  return (
    hasLiterals &&
    all(([, , kind, flags]) => kind === QUERY && !(flags & EXPLODED)) &&
    all(([, , kind, flags]) => kind === QUERY && (flags & EXPLODED) !== 0) &&
    all(([, , kind]) => kind === PAIRS)
  );
}

function takesValue(route: Route, index: number, param: Param, parts: Parts, asked: Asked): boolean {
  const rule = ruleAt(param[4]);
  if (param[2] === PAIRS) {
    if (param[3] & OPTIONAL && isAnyOfItsForm(rule)) return true;
    const items = restOfQuery(route, parts).flat();
    return items.length === 0 ? (param[3] & OPTIONAL) !== 0 : takesItems(rule, items, asked);
  }
  const raw = queryValue(route, index, param, parts);
  if (raw === undefined) return !isRequired(route, index, param);
  if (param[3] & EXPLODED) {
    const items = queryItems(route, index, param, parts);
    return items.length === 0 ? !isRequired(route, index, param) : takesItems(rule, items, asked);
  }
  if (countsAsAbsent(route, index, param, raw)) return true;
  if (!rule[2]) return takes(rule, decodeForm(raw), asked);
  return takesItems(rule, raw.split(",").map(decodeForm), asked);
}

function takesHost(route: Route, { host }: Parts, asked: Asked): boolean {
  const own = route[5]?.host;
  return !own || (host !== undefined && fits(own[1], normalHost(host), asked));
}

/** Can a link write a tail of this value? Nothing else is accepted, so that no tail leads out of a folder. */
function isWritable(value: string): boolean {
  return !/[?#]|%[0-9A-Fa-f]{2}/.test(value) && value.split("/").every((one) => one !== "" && one !== "." && one !== "..");
}

function takesTail(leaf: Leaf, route: Route, parts: Parts, asked: Asked): boolean {
  const tail = leaf[3];
  if (!tail) return true;
  const [index, first, isOneValue] = tail;
  const [, , , , rule, texts] = route[4][index]!;
  const items = parts.texts.slice(first);
  if (!isOneValue) {
    const many = ruleAt(rule)[2];
    if (!many) return true;
    const [one, , least, most, unique] = many;
    return fitsNumber([one, -1, least, most, unique ?? 0], items);
  }
  const value = items.join("/");
  if (parts.isEscaped && !isWritable(value)) return false;
  return takesPiece(ruleAt(texts), value, asked);
}

/** The leaves that answer a URL, each no wider than any other that accepts it. */
export function find(parts: Parts, asked: Asked): Reached[] {
  const accepted: Reached[] = [];
  const steps: number[] = [];
  const walk = (node: Node, at: number): void => {
    if (at === parts.texts.length) {
      for (const index of node[2] || []) {
        const leaf = leafAt(index);
        const route = routeAt(leaf[0]);
        if (takesHost(route, parts, asked) && takesQuery(route, parts, asked) && takesTail(leaf, route, parts, asked)) {
          accepted.push({ leaf: index, steps: steps.slice(0, at) });
        }
      }
      return;
    }
    const before = accepted.length;
    const target = literalAfter(node, parts.texts[at]!);
    if (target) {
      steps[at] = -1;
      walk(target, at + 1);
    }
    const edges = node[1] || [];
    for (let edge = 0; edge < edges.length; edge += 2) {
      if (!node[4] && accepted.length > before) return;
      const pattern = edges[edge] as number;
      if (fitsSegment(pattern, parts, at, asked)) {
        steps[at] = pattern;
        walk((edges[edge + 1] as Node | 0) || node, at + 1);
      }
    }
  };
  walk(data.tree, 0);
  return accepted.length > 1 ? narrowest(accepted) : accepted;
}

let orders: readonly [Map<number, number>, Map<number, number>] | undefined;

/** Which of two is the narrower: 0 the left, 1 the right, 2 both accept the same, nothing where neither is. */
function ordered(which: 0 | 1, left: number, right: number): number | undefined {
  const map = (pairs: typeof data.order): Map<number, number> => new Map(pairs.map(([a, b, side]) => [a * 4294967296 + b, side]));
  orders ??= [map(data.order), map(data.leafOrder)];
  const side = orders[which].get(Math.min(left, right) * 4294967296 + Math.max(left, right));
  return side === undefined || side === 2 || left <= right ? side : 1 - side;
}

function beats(left: Reached, right: Reached): boolean {
  for (let at = 0; at < left.steps.length; at += 1) {
    const [one, other] = [left.steps[at]!, right.steps[at]!];
    if (one === other) continue;
    const single = (pattern: number): boolean => data.singles.includes(pattern);
    const side =
      one < 0 ? (single(other) ? 2 : 0)
      : other < 0 ? (single(one) ? 2 : 1)
      : ordered(0, one, other);
    if (side === 2) continue;
    return side === 0 || (side === undefined && isOfOneRoute(left, right) && left.leaf < right.leaf);
  }
  const side = ordered(1, left.leaf, right.leaf);
  if (side === 0 || side === 1) return side === 0;
  // Two ways through one route: the one that fills more from the left was made first.
  return isOfOneRoute(left, right) && left.leaf < right.leaf;
}

function isOfOneRoute(left: Reached, right: Reached): boolean {
  return leafAt(left.leaf)[0] === leafAt(right.leaf)[0];
}

/** Each route has its narrowest leaf before routes are compared. */
function narrowest(accepted: readonly Reached[]): Reached[] {
  let left = accepted.slice();
  for (const isOwn of [true, false]) {
    const all = left;
    left = all.filter((one) => !all.some((other) => other !== one && isOfOneRoute(one, other) === isOwn && beats(other, one)));
  }
  return left;
}

/** Of leaves none of which is the narrower, the one that answers a method: that of the highest priority, else the first. */
export function choose(accepted: readonly Reached[], method: string): Reached | undefined {
  let best: Reached | undefined;
  for (const one of accepted) {
    if (!allows(routeOf(one), method)) continue;
    const rank = ({ leaf }: Reached): number[] => [-(routeAt(leafAt(leaf)[0])[5]?.priority ?? 0), leafAt(leaf)[0], leaf];
    const [own, known] = [rank(one), best && rank(best)];
    const differs = known ? own.findIndex((part, at) => part !== known[at]) : 0;
    if (!known || (differs >= 0 && own[differs]! < known[differs]!)) best = one;
  }
  return best;
}

/** Of the wanted routes that cover the path, seen from the root, the one that covers the most of it. */
export function covering(parts: Parts, method: string, asked: Asked, isWanted: (route: number) => boolean): Reached | undefined {
  let best: readonly [at: number, fits: boolean, reached: Reached] | undefined;
  const steps: number[] = [];
  const walk = (node: Node, at: number): void => {
    for (const leaf of [...(node[2] || []), ...(node[3] || [])]) {
      const id = leafAt(leaf)[0];
      const route = routeAt(id);
      // A page at the root covers the root alone, unless something is declared below it.
      const isArea = at > 0 || route[5]?.fallback !== undefined || data.routes.some(([, parent]) => parent === id);
      if (!isArea || !takesHost(route, parts, asked) || !isWanted(id)) continue;
      const isFit = allows(route, method) && takesQuery(route, parts, asked);
      if (!best || at > best[0] || (at === best[0] && isFit && !best[1])) best = [at, isFit, { leaf, steps: steps.slice(0, at) }];
    }
    if (at === parts.texts.length) return;
    const target = literalAfter(node, parts.texts[at]!);
    if (target) {
      steps[at] = -1;
      walk(target, at + 1);
    }
    const edges = node[1] || [];
    for (let edge = 0; edge < edges.length; edge += 2) {
      const next = edges[edge + 1] as Node | 0;
      // Only the node of a tail leads to itself.
      const isTail = !next || (next[1] || []).some((target, index) => index % 2 === 1 && target === 0);
      if (!isTail && fitsSegment(edges[edge] as number, parts, at, asked)) {
        steps[at] = edges[edge] as number;
        walk(next, at + 1);
      }
    }
  };
  walk(data.tree, 0);
  return best?.[2];
}

/** Looks a URL up. */
export function lookup(url: string, host: string | undefined, method: string, asked: Asked): Lookup {
  const parts = parse(url, host);
  if (parts === undefined) return undefined;
  if (typeof parts === "string") return { address: parts };
  if (isBad(parts)) return { bad: parts };
  const accepted = find(parts, asked);
  if (accepted.length === 0) return undefined;
  const chosen = choose(accepted, method);
  if (!chosen) return { others: accepted };
  const path = respelt(chosen, parts) ?? withSlashes(chosen, parts);
  return path === undefined ? { reading: { ...chosen, parts } } : { address: addressFor(path, parts.query) };
}

/** The path with its literals as the route declares them, where that is another letter case. */
function respelt({ leaf, steps }: Reached, { texts, raws }: Parts): string | undefined {
  if (!data.site.folds) return undefined;
  const spelling = new Map(leafAt(leaf)[4] ?? []);
  const wanted = texts.map((text, at) => (steps[at]! < 0 ? (spelling.get(at) ?? text.toLowerCase()) : undefined));
  if (!wanted.some((text, at) => text !== undefined && text !== texts[at])) return undefined;
  return wanted.map((text, at) => "/" + (text === undefined ? raws[at]! : encodeSegment(text))).join("");
}

/** The path with its tail as a link writes it, where a slash in it is escaped. */
function withSlashes({ leaf }: Reached, { raws }: Parts): string | undefined {
  const tail = leafAt(leaf)[3];
  if (!tail || !tail[2] || !raws.slice(tail[1]).some((raw) => raw.includes("%2F"))) return undefined;
  return "/" + raws.map((raw, at) => (at < tail[1] ? raw : raw.replace(/%2F/g, "/"))).join("/");
}

/** Where a value of a segment stands. */
export interface Place {
  readonly segment: number;
  readonly piece: number;
  /** The text, with marks where the pattern tells delimiters from text. */
  readonly text: string;
}

/** Where the values of the segments stand, by their parameter. */
export function places({ leaf, steps, parts }: Reading): ReadonlyMap<number, Place> {
  const [, captures, , tail] = leafAt(leaf);
  const found = new Map<number, Place>();
  let count = 0;
  for (let segment = 0; segment < (tail ? tail[1] : steps.length); segment += 1) {
    const pattern = steps[segment]! < 0 ? [] : data.patterns[steps[segment]!]!;
    const text = isMarked(pattern) ? marked(parts.raws[segment]!) : parts.texts[segment]!;
    const texts = pattern.length > 1 ? split(pattern, text)?.texts : [text];
    for (const [piece, one] of pattern.entries()) {
      if (typeof one === "string") continue;
      const param = captures ? captures[count]! : count;
      count += 1;
      if (param >= 0 && !found.has(param)) found.set(param, { segment, piece, text: texts?.[piece] ?? text });
    }
  }
  return found;
}
