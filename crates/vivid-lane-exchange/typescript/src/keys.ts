// What segments are called, where the order of the parameters does not say which is the narrower: by the parameters in them.

import { type Rule } from "./rules.js";
import { type Site, type Table } from "./table.js";
import { type Node } from "./tree.js";

/** What a rule is called: by the first parameter that has it. A segment of several pieces brings its name. */
export function keyOf(table: Table, rule: Rule): string {
  return (rule.facts?.["key"] as string | undefined) ?? `{${table.rules.get(rule)?.[1] ?? ""}}`;
}

/** Segments in their order, the narrower first; those of tails with a star. */
export function ranked(...keys: readonly string[]): NonNullable<Site["rank"]> {
  const ranks = new Map(keys.map((key, rank) => [key, rank]));
  return (table, edge) => rankOf(ranks, keyOf(table, edge.rule!), edge.isTail);
}

function rankOf(ranks: ReadonlyMap<string, number>, key: string, isTail: boolean): number {
  return (isTail ? ranks.get(key + "*") : undefined) ?? ranks.get(key) ?? ranks.get(key + "*") ?? -1;
}

/** The nodes by which a path of so many segments comes to an end; nothing for a literal. Those of a tail are its last one again and again. */
export function stepsTo(last: Node, count: number): (Node | undefined)[] {
  const steps: (Node | undefined)[] = [];
  for (let node = last; node.above; node = node.above) steps[node.depth - 1] = node.rule ? node : undefined;
  while (steps.length < count) steps.push(last);
  return steps;
}
