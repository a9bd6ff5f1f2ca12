// The table as the matcher uses it: the data with names, in which things refer to each other. What is not asked for is not made.

import { type Automaton, type Data, type Join, type NodeData, type Test, type Value } from "./data.js";

/** Kinds of parameters, by their index in `lookup::ParamKind`. */
export const SEGMENT = 0;
export const ITEMS = 1;
export const REST = 2;
export const QUERY = 3;
export const PAIRS = 4;
export const HOST = 5;
export const FRAGMENT = 6;

/** A keyword of a rule, ready for use. */
export type RuleTest = Test | readonly [format: RegExp, reason: string];

/** A rule: what one text may be, and what is said of items, or of names and values. */
export interface Rule {
  readonly tests: readonly RuleTest[];
  readonly list: string | undefined;
  many: Many | undefined;
  readonly join: Join | undefined;
  readonly automaton: Automaton | undefined;
  /** Does it take every text, or every value of its form? */
  isAny: boolean;
}

export interface Many {
  /** The rule of items, or of names. */
  readonly items: Rule;
  /** The rule of values, for names with values. */
  readonly values: Rule | undefined;
  readonly least: number;
  readonly most: number;
  readonly isUnique: boolean;
}

/** Text and rules of values in turn. */
export interface Pattern {
  readonly id: number;
  readonly pieces: readonly (string | Rule)[];
}

export interface Param {
  readonly name: string;
  readonly level: number;
  readonly kind: number;
  readonly isOptional: boolean;
  readonly isExploded: boolean;
  readonly isNumber: boolean;
  readonly isBoolean: boolean;
  readonly rule: Rule;
  /** The rule of the texts that stand in the path for it. */
  readonly texts: Rule;
  readonly fallback: Value | undefined;
  /** Its name in the query, and whether it must be there. */
  readonly key: string;
  readonly isRequired: boolean;
}

export interface Host {
  readonly template: string;
  readonly pattern: Pattern;
  /** For each piece its parameter. */
  readonly params: readonly number[];
}

export interface RedirectTo {
  readonly status: number;
  /** A template, or the index of a route. */
  readonly to: string | number;
  readonly values: readonly (readonly [name: string, ...pieces: (string | number)[]])[];
}

export interface Route {
  readonly id: number;
  readonly name: string;
  readonly parent: Route | undefined;
  readonly path: string;
  readonly page: string | undefined;
  readonly params: readonly Param[];
  readonly methods: readonly string[];
  readonly host: Host | undefined;
  readonly needs: readonly number[];
  readonly frame: string | undefined;
  /** The page for what is missing here; `null` for none whatever stands above. */
  readonly fallback: string | null | undefined;
  readonly redirect: RedirectTo | undefined;
  readonly literals: readonly (readonly [string, string])[];
  readonly priority: number;
  readonly data: unknown;
  /** An object with the names of the parameters that can be known of a URL; copying one is faster than naming them anew. */
  readonly blank: { readonly [name: string]: unknown };
  /** May a value that is left out have a default? */
  readonly hasDefaults: boolean;
  /** Has the query a say in whether it answers, or what its values are? */
  readonly readsQuery: boolean;
}

export interface Leaf {
  readonly id: number;
  readonly route: Route;
  /** For each value of the segments its parameter; nothing where they stand in their order. */
  readonly captures: readonly number[] | undefined;
  /** For each level the segments that it covers, and the pieces of the last; -1 for all of the path. */
  readonly covers: readonly (number | readonly [segments: number, pieces: number])[];
  readonly tail: readonly [param: number, first: number, oneValue?: number] | undefined;
  readonly spelling: readonly (readonly [segment: number, text: string])[];
}

/** Where a walk stands after some segments. */
export interface Node {
  /** What a literal leads to; the data of a node becomes one when it is first reached. */
  readonly literals: Map<string, Node | NodeData> | undefined;
  readonly edges: readonly { readonly pattern: Pattern; readonly target: Node }[];
  readonly leaves: readonly Leaf[];
  readonly areas: readonly Leaf[];
  readonly isOrdered: boolean;
  readonly isTail: boolean;
}

/** No limit to how many there may be. */
export const NO_LIMIT = 65535;

const GET: readonly string[] = ["GET"];
const NONE: readonly never[] = [];

/** An object with the names of parameters. A name is a property like any other, whatever it is. */
export function blankOf(params: readonly Param[]): { [name: string]: unknown } {
  const blank = {};
  for (const { name } of params) Object.defineProperty(blank, name, { value: undefined, enumerable: true, writable: true, configurable: true });
  return blank;
}

/** The data with names, in which things refer to each other. Most of it is made when it is first asked for. */
export class Table {
  declare readonly data: Data;
  declare readonly patterns: readonly Pattern[];
  declare readonly root: Node;
  declare private readonly rules: readonly Rule[];
  declare private readonly routes: Route[];
  declare private readonly leaves: Leaf[];
  declare private names: Map<string, number> | undefined;
  declare private orders: readonly [ReadonlyMap<string, number>, ReadonlyMap<string, number>] | undefined;

  constructor(data: Data) {
    this.data = data;
    const rules = data.rules.map(([tests, list, , join, automaton]): Rule => ({
      tests: (tests || NONE).map((test) => (test[0] === "/" ? [new RegExp(test[1]), test[2]] : test)),
      list: list || undefined,
      many: undefined,
      join: join || undefined,
      automaton: automaton === undefined ? undefined : data.automata[automaton],
      isAny: !tests && !list,
    }));
    for (const [at, [, , many]] of data.rules.entries()) {
      if (!many) continue;
      const [items, values, least, most, unique] = many;
      const rule = rules[at]!;
      rule.many = { items: rules[items]!, values: rules[values], least, most, isUnique: unique === 1 };
      rule.isAny = least <= 1 && most === NO_LIMIT && !unique && rules[items]!.isAny && rules[values]?.isAny !== false;
    }
    this.rules = rules;
    this.patterns = data.patterns.map((pieces, id) => this.pattern(pieces, id));
    this.routes = [];
    this.leaves = [];
    this.names = undefined;
    this.orders = undefined;
    this.root = this.node(data.tree);
  }

  private pattern(pieces: readonly (string | number)[], id: number): Pattern {
    return { id, pieces: pieces.map((piece) => (typeof piece === "number" ? this.rules[piece]! : piece)) };
  }

  /** The index of the route of a name; -1 for none. */
  idOf(name: string): number {
    this.names ??= new Map(this.data.routes.map(([known], id) => [known, id]));
    return this.names.get(name) ?? -1;
  }

  route(id: number): Route {
    return (this.routes[id] ??= this.routeOf(id));
  }

  private routeOf(id: number): Route {
    const { pages, routes } = this.data;
    const [name, parent, path, page, params, more = {}] = routes[id]!;
    const { methods = GET, host, needs = NONE, frame, fallback, redirect, query = NONE, names, priority = 0, data = {} } = more;
    const own = params.map(([key, level, kind, flags, rule, texts, standard], index): Param => {
      const isOptional = (flags & 1) !== 0;
      return {
        name: key,
        level,
        kind,
        isOptional,
        isExploded: (flags & 2) !== 0,
        isNumber: (flags & 4) !== 0,
        isBoolean: (flags & 8) !== 0,
        rule: this.rules[rule]!,
        texts: this.rules[texts]!,
        fallback: standard,
        key: names?.[index] ?? decodeURIComponent(key),
        isRequired: names?.[index] !== undefined || !isOptional,
      };
    });
    return {
      id,
      name,
      parent: parent < 0 ? undefined : this.route(parent),
      path,
      page: pages[page],
      params: own,
      methods,
      host: host && { template: host[0], pattern: this.pattern(host[1], -1), params: host[2] },
      needs,
      frame,
      fallback: fallback === -1 ? null : pages[fallback!],
      redirect: redirect && { status: redirect[0], to: redirect[1], values: redirect[2] ?? NONE },
      literals: query,
      priority,
      data,
      // A fragment is never sent, so all that can be known of it is a default.
      blank: blankOf(own.filter((param) => param.kind !== FRAGMENT || param.fallback !== undefined)),
      hasDefaults: own.some((param) => param.isOptional && param.fallback !== undefined),
      readsQuery: query.length > 0 || own.some(({ kind }) => kind === QUERY || kind === PAIRS),
    };
  }

  private leaf(id: number): Leaf {
    const [route, captures, covers, tail, spelling = NONE] = this.data.leaves[id]!;
    const made = { id, route: this.route(route), captures: captures || undefined, covers, tail: tail || undefined, spelling };
    return (this.leaves[id] ??= made);
  }

  private node([literals, edges, leaves, areas, unordered]: NodeData): Node {
    const pairs = <T>(all: readonly (T | NodeData)[]): [T, NodeData][] =>
      all.flatMap((one, at): [T, NodeData][] => (at % 2 === 0 ? [[one as T, all[at + 1] as NodeData]] : []));
    const ends = (all: readonly number[] | 0 | undefined): readonly Leaf[] => (all ? all.map((leaf) => this.leaf(leaf)) : NONE);
    const ways: { pattern: Pattern; target: Node }[] = [];
    const node: Node = {
      literals: literals ? new Map(pairs<string>(literals)) : undefined,
      edges: edges ? ways : NONE,
      leaves: ends(leaves),
      areas: ends(areas),
      isOrdered: !unordered,
      // Only the node of a tail leads to itself.
      isTail: !!edges && edges.some((target, at) => at % 2 === 1 && target === 0),
    };
    for (const [pattern, target] of pairs<number>((edges || NONE) as readonly (number | NodeData)[])) {
      ways.push({ pattern: this.patterns[pattern]!, target: target ? this.node(target) : node });
    }
    return node;
  }

  /** The node that a literal leads to. */
  after({ literals }: Node, text: string): Node | undefined {
    const found = literals?.get(text);
    if (!Array.isArray(found)) return found as Node | undefined;
    const node = this.node(found as unknown as NodeData);
    literals!.set(text, node);
    return node;
  }

  /** Which of two patterns (0) or two leaves (1) is the narrower: 0 the left, 1 the right, 2 both accept the same; nothing where neither is. */
  sideOf(which: 0 | 1, left: number, right: number): number | undefined {
    const map = (pairs: Data["order"]): Map<string, number> => new Map(pairs.map(([a, b, side]) => [`${a} ${b}`, side]));
    this.orders ??= [map(this.data.order), map(this.data.leafOrder)];
    const side = this.orders[which].get(left < right ? `${left} ${right}` : `${right} ${left}`);
    return side === undefined || side === 2 || left < right ? side : 1 - side;
  }
}
