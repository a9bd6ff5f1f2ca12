// Where one URL may have several ways: which of them is the narrowest? Segments are compared from the left, then what ends there.

import { type Reading } from "./reading.js";
import { type Several, type Table } from "./table.js";
import { allows } from "./find.js";
import { keyOf, stepsTo } from "./keys.js";
import { type End, type Node } from "./tree.js";

/** Pairs, the narrower first; with a 1 where both accept the same, with a 2 where neither is narrower. */
type Pairs = readonly (readonly [left: string, right: string, equal?: 1 | 2])[];

const LEFT = -1;
const RIGHT = 1;
const SAME = 0;
const OTHER = 2;

/**
 * The order of ways that may answer the same URL: of pairs of segments where the order of the table does not say it, of segments that
 * accept one text only, and of pairs of ways whose segments say nothing.
 */
export function several(steps: Pairs, single: readonly string[], ends: Pairs): Several {
  const [ofSteps, ofEnds] = [sidesOf(steps), sidesOf(ends)];

  /** Which of two segments that share a text is the narrower; nothing where neither is. */
  function sideOfSteps(table: Table, left: Node, right: Node): number | undefined {
    const side = sideOfKeys(table, left, right);
    return side === OTHER ? (table.rank(left) < table.rank(right) ? LEFT : RIGHT) : side;
  }

  function sideOfKeys(table: Table, { rule: left }: Node, { rule: right }: Node): number | undefined {
    const [one, other] = [keyOf(table, left!), keyOf(table, right!)];
    return one === other ? SAME : ofSteps(one, other);
  }

  const isSole = (table: Table, { rule }: Node): boolean => single.includes(keyOf(table, rule!));

  /** The name of a way: that of its route, with its number where it is not the first. */
  function nameOf(end: End): string {
    const at = end.route.ends!.indexOf(end);
    return end.route.name + (at > 0 ? " " + at : "");
  }

  function beats(table: Table, count: number, left: End, right: End): boolean {
    let side: number | undefined = SAME;
    const [ours, others] = [stepsTo(left.node, count), stepsTo(right.node, count)];
    for (let at = 0; side === SAME && at < count; at += 1) {
      const [one, other] = [ours[at], others[at]];
      if (one === other) continue;
      // A segment that accepts one text only is no wider than a literal.
      side = one && other ? sideOfSteps(table, one, other) : isSole(table, (one ?? other)!) ? SAME : one ? RIGHT : LEFT;
    }
    if (side === SAME) side = ofEnds(nameOf(left), nameOf(right));
    // Two ways through one route: the one that fills more from the left was made first.
    if (side !== LEFT && side !== RIGHT) return left.route === right.route && left.route.ends!.indexOf(left) < left.route.ends!.indexOf(right);
    return side === LEFT;
  }

  return {
    isOrdered(table: Table, { edges, literals }: Node): boolean {
      // Edges are sorted, the narrower first. Listed pairs are the exceptions.
      const isBefore = (one: Node, other: Node): boolean => {
        const side = sideOfKeys(table, one, other);
        return side === LEFT || side === OTHER;
      };
      return edges.every((one, at) => edges.slice(at + 1).every((other) => isBefore(one, other))) && !(literals && edges.some((edge) => isSole(table, edge)));
    },
    narrowest(table: Table, { found, count }: Reading): End[] {
      let left = [...found];
      // Each route has its narrowest way before routes are compared.
      for (const isOwn of [true, false]) {
        const all = left;
        left = all.filter((one) => !all.some((other) => other !== one && (one.route === other.route) === isOwn && beats(table, count, other, one)));
      }
      return left;
    },
    choose(found: readonly End[], method: string): End | undefined {
      let best: End | undefined;
      for (const one of found) {
        if (!allows(one.route, method)) continue;
        const [a, b] = [one.route, best?.route];
        if (!b || ((b.more.priority ?? 0) - (a.more.priority ?? 0) || a.index - b.index || a.ends!.indexOf(one) - b.ends!.indexOf(best!)) < 0) best = one;
      }
      return best;
    },
  };
}

/** Says which side of a pair is the narrower; nothing where neither is, and `OTHER` for a pair that is not known. */
function sidesOf(pairs: Pairs): (left: string, right: string) => number | undefined {
  const sides = new Map<string, number | undefined>();
  for (const [left, right, equal] of pairs) {
    sides.set(left + "\n" + right, equal === 1 ? SAME : equal === 2 ? undefined : LEFT);
    sides.set(right + "\n" + left, equal === 1 ? SAME : equal === 2 ? undefined : RIGHT);
  }
  return (left, right) => {
    const key = left + "\n" + right;
    return sides.has(key) ? sides.get(key) : OTHER;
  };
}
