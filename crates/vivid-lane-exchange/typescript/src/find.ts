// URL → route: one walk from the root, the narrowest way first.

import { type Reading } from "./reading.js";
import { type Table } from "./table.js";
import { type End, type Node, type Param, type Route } from "./tree.js";
import { FRAGMENT, put, typed, type Value } from "./values.js";

/** Do the query of a URL, and the end of its path where that is a list, let a way answer it? */
export function takesQuery(reading: Reading, end: End): boolean {
  const judges = end.route.judges();
  for (let at = 0; at < judges.length; at += 1) {
    const one = judges[at] as Param;
    if (!one.judge!(reading, one, end)) return false;
  }
  return true;
}

/**
 * Goes on from a node with a segment. Every node but that of a tail is reached in one way only, so a walk meets it once at most. It
 * ends with the first way that answers, or looks at all of them where one URL may have several.
 */
export function walk(table: Table, reading: Reading, start: Node, first: number): boolean {
  const { text, starts, ends, count, visit } = reading;
  const { several, host } = table.site;
  let node = start;
  let at = first;
  for (;;) {
    while (node.waiting.length > 0) table.open(node);
    if (visit) visit(node, at);
    if (at === count) {
      let isFound = false;
      if (visit) return false;
      for (const end of several ? [...node.ends].sort(inOrder) : node.ends) {
        if ((host && !host(reading, end.route)) || !takesQuery(reading, end)) continue;
        reading.end = end;
        if (!several) return true;
        reading.found.push(end);
        isFound = true;
      }
      return isFound;
    }
    const from = starts[at]!;
    const to = ends[at]!;
    const next = literalAt(table, reading, node, at);
    const { edges } = node;
    if (next && edges.length === 0) {
      node = next;
      at += 1;
      continue;
    }
    let isFound = next !== undefined && walk(table, reading, next, at + 1);
    // Where the first way is not always the right one, all are tried.
    if (isFound && (!several || isOrdered(table, node))) return true;
    for (let index = 0; index < edges.length; index += 1) {
      const edge = edges[index]!;
      if (visit && edge.isTail) continue;
      if (edge.rule!.takes(text, from, to, reading, at) && walk(table, reading, edge, at + 1)) {
        if (!several || isOrdered(table, node)) return true;
        isFound = true;
      }
    }
    return isFound;
  }
}

/** The node of a literal segment. */
export function literalAt(table: Table, { text, starts, ends, numbers }: Reading, node: Node, at: number): Node | undefined {
  const { fold } = table.site;
  const from = starts[at]!;
  const to = ends[at]!;
  let next = node.literals && node.literals.get(numbers[at]!);
  while (next && !(fold ? next.text === fold(text.slice(from, to)) : next.text.length === to - from && text.startsWith(next.text, from))) next = next.next;
  return next;
}

/** Ways in the order of their lines. */
export function inOrder(one: End, other: End): number {
  return one.route.index - other.route.index;
}

function isOrdered(table: Table, node: Node): boolean {
  return (node.isOrdered ??= table.site.several!.isOrdered(table, node));
}

const GET: readonly string[] = ["GET"];

export function methodsOf({ more }: Route): readonly string[] {
  return more.methods ?? GET;
}

/** Does a route answer a method? `GET` brings `HEAD` (RFC 9110, section 9.3.2). */
export function allows(route: Route, method: string): boolean {
  const { methods } = route.more;
  if (!methods) return method === "GET" || method === "HEAD";
  return methods.includes(method) || (method === "HEAD" && methods.includes("GET"));
}

/** The ways that answer a URL which was read, each no wider than any other that does. */
export function find(table: Table, reading: Reading): readonly End[] {
  const { several } = table.site;
  if (several) reading.found.length = 0;
  if (!walk(table, reading, table.root, 0)) return [];
  return several ? several.narrowest(table, reading) : [reading.end!];
}

/** Of ways none of which is the narrower, the one that answers a method. */
export function choose({ site: { several } }: Table, found: readonly End[], method: string): End | undefined {
  const [first] = found;
  return several ? several.choose(found, method) : first && allows(first.route, method) ? first : undefined;
}

/** The way that answers a URL which was read. */
export function seek(table: Table, reading: Reading, method: string): End | undefined {
  if (table.site.several) return choose(table, find(table, reading), method);
  return walk(table, reading, table.root, 0) && allows(reading.end!.route, method) ? reading.end : undefined;
}

/** The text of a value in the path, as it is judged; nothing where this way has none. */
export function textOf(reading: Reading, end: End, index: number): string | undefined {
  const { segment, piece } = end.spots()[index]!;
  return segment < 0 ? undefined : piece < 0 ? reading.segment(segment) : end.route.table.site.pieces!.text(reading, end, segment, piece);
}

/** What the URL has for a parameter; nothing where it is absent. */
export function sent(reading: Reading, end: End, index: number): Value | undefined {
  const param = end.route.params()[index]!;
  return param.find ? param.find(reading, param, end) : textOf(reading, end, index);
}

/** For each parameter its value; of an absent one the default of its rule. */
export type Values = readonly (Value | undefined)[];

/** The value of a URL, or its default. */
export function valueOf(reading: Reading, end: End, index: number): Value | undefined {
  return sent(reading, end, index) ?? end.route.params()[index]!.fallback;
}

/** The values of a URL, in the order of the parameters. */
export function valuesOf(reading: Reading, end: End): Values {
  return end.route.params().map((_, index) => valueOf(reading, end, index));
}

/** How many values a URL spells out that it could leave out. */
export function countNeedless(reading: Reading, end: End): number {
  const params = end.route.params();
  let count = 0;
  for (let index = 0; index < params.length; index += 1) {
    const param = params[index]!;
    if (param.isNeedless && param.isNeedless(reading, param, end, index)) count += 1;
  }
  return count;
}

/** The values by name, typed by their rules. A fragment is never sent, so all that can be known of it is a default. */
export function typedParams(reading: Reading, end: End): { [name: string]: unknown } {
  const params = end.route.params();
  const spots = end.spots();
  const all: { [name: string]: unknown } = {};
  for (let index = 0; index < params.length; index += 1) {
    const param = params[index]!;
    const { segment, piece } = spots[index]!;
    const { name, kind } = param;
    if (segment >= 0 && piece < 0 && !param.find) {
      const { read } = param.rule;
      const { text } = reading;
      const from = reading.starts[segment]!;
      const to = reading.ends[segment]!;
      put(all, name, read ? read(text, from, to) : text.slice(from, to));
    } else if (kind !== FRAGMENT || param.fallback !== undefined) {
      put(all, name, typed(param, valueOf(reading, end, index)));
    }
  }
  return all;
}
