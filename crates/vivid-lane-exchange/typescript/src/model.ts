// The table as the matcher uses it: the data with names, in which things refer to each other. Made once, as the module is loaded.

import { type Automaton, type Data, type Join, type NodeData, type ParamData, type Test, type Value } from "./data.js";

/** Kinds of parameters, by their index in `lookup::ParamKind`. */
export const SEGMENT = 0;
export const ITEMS = 1;
export const REST = 2;
export const QUERY = 3;
export const PAIRS = 4;
export const HOST = 5;
export const FRAGMENT = 6;

/** A rule: what one text may be, and what is said of items, or of names and values. */
export interface Rule {
  readonly tests: readonly Test[];
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

export interface Redirect {
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
  readonly redirect: Redirect | undefined;
  readonly literals: readonly (readonly [string, string])[];
  readonly priority: number;
  readonly data: unknown;
  isParent: boolean;
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
  readonly literals: Map<string, Node>;
  readonly edges: (readonly [Pattern, Node])[];
  readonly leaves: readonly Leaf[];
  readonly areas: readonly Leaf[];
  readonly isOrdered: boolean;
  isTail: boolean;
}

export interface Table {
  readonly site: Data["site"];
  readonly pages: readonly string[];
  readonly needs: Data["needs"];
  readonly automata: readonly Automaton[];
  readonly routes: readonly Route[];
  readonly singles: readonly number[];
  /** Which of two patterns, or of two leaves, is the narrower, by their indices. */
  readonly order: ReadonlyMap<string, number>;
  readonly leafOrder: ReadonlyMap<string, number>;
  readonly root: Node;
}

/** No limit to how many there may be. */
export const NO_LIMIT = 65535;

/** Gives the data its names. */
export function thaw(data: Data): Table {
  const rules = data.rules.map(([tests, list, , join, automaton]): Rule => ({
    tests: tests || [],
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
  const pattern = (pieces: readonly (string | number)[], id: number): Pattern => ({
    id,
    pieces: pieces.map((piece) => (typeof piece === "number" ? rules[piece]! : piece)),
  });
  const patterns = data.patterns.map(pattern);
  const routes: Route[] = [];
  for (const [id, [name, parent, path, page, params, more = {}]] of data.routes.entries()) {
    const [template, pieces, ofPieces] = more.host ?? [];
    const { fallback, redirect, query = [] } = more;
    const above = routes[parent];
    if (above) above.isParent = true;
    const own = params.map((param, index) => named(param, more.names?.[index]));
    routes.push({
      id,
      name,
      parent: above,
      path,
      page: data.pages[page],
      params: own,
      methods: more.methods ?? ["GET"],
      host: template === undefined ? undefined : { template, pattern: pattern(pieces!, -1), params: ofPieces! },
      needs: more.needs ?? [],
      frame: more.frame,
      fallback: fallback === -1 ? null : data.pages[fallback!],
      redirect: redirect && { status: redirect[0], to: redirect[1], values: redirect[2] ?? [] },
      literals: query,
      priority: more.priority ?? 0,
      data: more.data ?? {},
      isParent: false,
      readsQuery: query.length > 0 || own.some(({ kind }) => kind === QUERY || kind === PAIRS),
    });
  }

  function named([name, level, kind, flags, rule, texts, fallback]: ParamData, key?: string): Param {
    const isOptional = (flags & 1) !== 0;
    return {
      name,
      level,
      kind,
      isOptional,
      isExploded: (flags & 2) !== 0,
      isNumber: (flags & 4) !== 0,
      isBoolean: (flags & 8) !== 0,
      rule: rules[rule]!,
      texts: rules[texts]!,
      fallback,
      key: key ?? decodeURIComponent(name),
      isRequired: key !== undefined || !isOptional,
    };
  }

  const leaves = data.leaves.map(([route, captures, covers, tail, spelling], id): Leaf => ({
    id,
    route: routes[route]!,
    captures: captures || undefined,
    covers,
    tail: tail || undefined,
    spelling: spelling ?? [],
  }));
  const node = ([literals, edges, own, areas, unordered]: NodeData): Node => {
    const at = (all: readonly number[] | 0 | undefined): Leaf[] => (all || []).map((leaf) => leaves[leaf]!);
    const made: Node = { literals: new Map(), edges: [], leaves: at(own), areas: at(areas), isOrdered: !unordered, isTail: false };
    for (let index = 0; literals && index < literals.length; index += 2) {
      made.literals.set(literals[index] as string, node(literals[index + 1] as NodeData));
    }
    for (let index = 0; edges && index < edges.length; index += 2) {
      const target = edges[index + 1] as NodeData | 0;
      if (!target) made.isTail = true;
      made.edges.push([patterns[edges[index] as number]!, target ? node(target) : made]);
    }
    return made;
  };
  const order = (pairs: Data["order"]): Map<string, number> => new Map(pairs.map(([left, right, side]) => [`${left} ${right}`, side]));
  const { site, pages, needs, automata, singles } = data;
  return { site, pages, needs, automata, routes, singles, order: order(data.order), leafOrder: order(data.leafOrder), root: node(data.tree) };
}
