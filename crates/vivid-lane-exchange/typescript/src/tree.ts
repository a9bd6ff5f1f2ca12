// The lines of a table, and the tree that they grow into. A line is only put below its parent's at first; its part of the tree is made when
// a URL leads there.
//
//     ["nights", "night-list", "/nights"],          root ─ nights ─ {date} ─ report
//     ["nights.night", "night", "/{date}"],                  │         │
//     ["nights.night.report", "report", "/report"],        nights   nights.night

import { numberOf } from "./reading.js";
import { any, type Rule } from "./rules.js";
import { type Table } from "./table.js";
import { ITEMS, REST, type Exact, type Spec } from "./values.js";

/** One route: its name, its page (0 for none), its path below the parent's, and what few routes have. */
export type Line = readonly [name: string, page: string | 0, path: string, more?: More];

/** Where a level ends: after so many segments, and so many pieces of the last; -1 for all of the path. */
export type Cover = number | readonly [segments: number, pieces: number];

/** What few routes have. */
export interface More {
  /** Links are read back before they are handed out, as another route may answer them. */
  readonly check?: 1;
  /** Its ways below the parent's, where its path has optional parts: those that fill more from the left first. */
  readonly ways?: readonly string[];
  /** Its ways from the root, where they do not begin as the parent's; an area is not answered, only covered. */
  readonly paths?: readonly (readonly [way: string, covers: readonly Cover[], isArea?: 1])[];
  /** The template from the root, and the names in it, where they do not follow from the parent's. */
  readonly template?: string;
  readonly names?: readonly string[];
  readonly methods?: readonly string[];
  readonly frame?: string;
  /** The page for what is missing here; `null` for none whatever is above. */
  readonly fallback?: string | null;
  readonly needs?: readonly string[];
  readonly host?: string;
  /** The redirect to another route: its name, the status, and for each parameter texts and, as lists of one, names of parameters. */
  readonly to?: readonly [route: string, status: number, values: Readonly<Record<string, readonly (string | readonly [string])[]>>];
  /** The redirect to another site: a template, and the status. */
  readonly out?: readonly [template: string, status: number];
  /** Pairs that the query must have. */
  readonly query?: readonly Exact[];
  readonly priority?: number;
  readonly data?: unknown;
}

/** A parameter of a route. */
export interface Param extends Spec {
  readonly name: string;
  /** Its name in the query. */
  readonly key: string;
}

const NONE: readonly never[] = [];
const NOTHING: More = {};

/** The part of a template before its query. */
export function pathOf(template: string): string {
  return /^(?:[^?{]|\{[^?&#}][^}]*\})*/.exec(template)![0];
}

/** The names of the variables of a template. */
export function namesIn(template: string): string[] {
  return (template.match(/\{.*?\}/g) ?? []).flatMap((one) => one.replace(/^\{[+#./;?&]?|[*}]/g, "").split(","));
}

/** Does a route answer URLs, by a page or a redirect? */
export function isAnswering({ page, more }: Route): boolean {
  return page !== undefined || more.to !== undefined || more.out !== undefined;
}

export class Route {
  declare readonly table: Table;
  declare readonly index: number;
  declare readonly name: string;
  declare readonly page: string | undefined;
  declare readonly path: string;
  declare readonly parent: Route | undefined;
  declare readonly more: More;
  declare readonly exact: readonly Exact[];
  /** The routes below it that go on from where its ways end, and whether there are any others. */
  declare children: Route[] | undefined;
  declare isParent: boolean;
  /** Where its ways end, once they are in the tree. */
  declare ends: readonly End[] | undefined;
  declare private own: readonly Param[] | undefined;
  declare private judging: readonly Param[] | undefined;
  declare private whole: string | undefined;

  constructor(table: Table, index: number, [name, page, path, more = NOTHING]: Line, parent: Route | undefined) {
    this.table = table;
    this.index = index;
    this.name = name;
    this.page = page === 0 ? undefined : page;
    this.path = path;
    this.parent = parent;
    this.more = more;
    this.exact = more.query ?? NONE;
    this.children = undefined;
    this.isParent = false;
    this.ends = undefined;
    this.own = undefined;
    this.judging = undefined;
    this.whole = undefined;
  }

  /** The route with its ancestors, the outermost first. */
  chain(): Route[] {
    return this.parent ? [...this.parent.chain(), this] : [this];
  }

  /** The template from the root. */
  template(): string {
    return (this.whole ??= this.more.template ?? ((this.parent ? pathOf(this.parent.template()).replace(/^\/$/, "") : "") + this.path || "/"));
  }

  /** The parameters, in the order in which they are declared. */
  params(): readonly Param[] {
    return (this.own ??= (this.more.names ?? namesIn(this.template())).map((name) => this.param(name)));
  }

  /** Those that have a say in whether a URL is answered. */
  judges(): readonly Param[] {
    return (this.judging ??= this.params().filter(({ judge }) => judge).sort((one, other) => one.kind - other.kind));
  }

  private param(name: string): Param {
    // The nearest route that has a rule of its own for the name decides.
    let spec: Spec | undefined;
    for (let route: Route | undefined = this; route && !spec; route = route.parent) spec = this.table.spec(route.name + "." + name);
    spec ??= this.table.spec(name)!;
    return { ...spec, name, key: spec.key ?? decodeURIComponent(name) };
  }

  /** Puts its ways into the tree. */
  grow(): void {
    if (this.ends) return;
    const { table, parent, more, children } = this;
    const root: Above = { node: table.root, way: NONE, covers: NONE };
    const ends: End[] = [];
    for (const [way, covers, isArea] of more.paths ?? NONE) ends.push(this.end(way, { ...root, covers }, isArea === 1));
    if (!more.paths) {
      const ways = more.ways ?? [pathOf(this.path)];
      for (const end of parent ? parent.ends! : [root]) for (const way of ways) ends.push(this.end(way, end, !isAnswering(this)));
    }
    this.ends = ends;
    if (children) for (const { node } of ends) node.waiting = node.waiting ? [...node.waiting, ...children] : children;
  }

  /** Where one of its ways ends, and what was above it. A way from the root brings its covers. */
  private end(text: string, above: Above, isArea: boolean): End {
    const { table, more } = this;
    const way = [...above.way];
    let { node } = above;
    let isTail = false;
    for (const segment of text.length > 1 ? text.slice(1).split("/") : NONE) {
      const raws = segment.split(/(\{.*?\})/).filter((piece) => piece !== "");
      const pieces = raws.map((raw) => this.piece(raw));
      const [first] = pieces;
      way.push(pieces);
      if (pieces.every((piece) => typeof piece === "string")) {
        const word = pieces.join("");
        node = node.literal(table.site.fold ? word.toLowerCase() : word);
        continue;
      }
      const value = pieces.length === 1 && (first as Param);
      const rule = value && (value.kind === REST ? any : value.texts);
      isTail = value && (value.kind === ITEMS || value.kind === REST);
      const key = rule ? table.keyOf(rule) : pieces.map((piece, at) => (typeof piece === "string" ? raws[at]! : table.keyOf(piece.texts))).join("");
      node = node.edge(table, key, () => rule || table.site.pieces!(pieces, table.site), isTail);
    }
    const end = new End(this, node, way, more.paths ? above.covers : [...above.covers, isTail ? -1 : node.depth], isTail);
    // Lines are opened as URLs lead to them, which is not their order.
    const inOrder = (all: readonly End[]): End[] => [...all, end].sort((one, other) => one.route.index - other.route.index);
    if (isArea) node.areas = inOrder(node.areas);
    else node.ends = inOrder(node.ends);
    return end;
  }

  private piece(raw: string): Piece {
    if (raw[0] === "{") return this.params().find(({ name }) => name === raw.slice(1, -1))!;
    return raw.includes("%") ? decodeURIComponent(raw) : raw;
  }
}

/** What a way goes on from. */
type Above = Pick<End, "node" | "way" | "covers">;

/** A part of a segment: a text, or a value. */
export type Piece = string | Param;

/** Where a walk is after some segments. */
export class Node {
  declare readonly above: Node | undefined;
  /** The literal that leads here. */
  declare readonly text: string;
  /** The rule that leads here, and what it is called among the segments of the table. */
  declare readonly rule: Rule | undefined;
  declare readonly key: string;
  declare readonly depth: number;
  /** Does it lead to itself, as every segment of a tail does? */
  declare readonly isTail: boolean;
  declare literals: Map<number, Node> | undefined;
  /** The next literal with the same number. */
  declare next: Node | undefined;
  declare edges: readonly Node[];
  /** Where routes end that answer, and those that only cover. */
  declare ends: readonly End[];
  declare areas: readonly End[];
  /** The lines that go on from here, and were not looked at. */
  declare waiting: readonly Route[] | undefined;
  /** Is the first way that leads to an end always the right one? */
  declare isOrdered: boolean | undefined;

  constructor(above: Node | undefined, text: string, rule: Rule | undefined, key: string, isTail: boolean) {
    this.above = above;
    this.text = text;
    this.rule = rule;
    this.key = key;
    this.depth = above ? above.depth + 1 : 0;
    this.isTail = isTail;
    this.literals = undefined;
    this.next = undefined;
    this.edges = isTail ? [this] : NONE;
    this.ends = NONE;
    this.areas = NONE;
    this.waiting = undefined;
    this.isOrdered = undefined;
  }

  literal(text: string): Node {
    const number = numberOf(text);
    const literals = (this.literals ??= new Map());
    const first = literals.get(number);
    for (let one = first; one; one = one.next) if (one.text === text) return one;
    const made = new Node(this, text, undefined, "", false);
    made.next = first;
    literals.set(number, made);
    this.isOrdered = undefined;
    return made;
  }

  edge(table: Table, key: string, rule: () => Rule, isTail: boolean): Node {
    const known = this.edges.find((one) => one.isTail === isTail && one.key === key);
    if (known) return known;
    const made = new Node(this, "", rule(), key, isTail);
    this.isOrdered = undefined;
    this.edges = [...this.edges, made].sort((one, other) => table.rank(one.key, one.isTail) - table.rank(other.key, other.isTail));
    return made;
  }
}

/** Where the value of a parameter is: in which segment, and which of its pieces; -1 for nowhere, and for all of it. */
export interface Spot {
  readonly segment: number;
  readonly piece: number;
}

/** One way through a route, from the root to its last segment. */
export class End {
  declare readonly route: Route;
  declare readonly node: Node;
  declare readonly covers: readonly Cover[];
  /** Do segments go on to the end of the path? */
  declare readonly tail: boolean;
  /** How many segments there are; a tail has one or more from the last one on. */
  declare readonly depth: number;
  /** The segments as the table declares them. */
  declare readonly way: readonly (readonly Piece[])[];
  declare private places: readonly Spot[] | undefined;

  constructor(route: Route, node: Node, way: readonly (readonly Piece[])[], covers: readonly Cover[], tail: boolean) {
    this.route = route;
    this.node = node;
    this.covers = covers;
    this.tail = tail;
    this.depth = node.depth;
    this.way = way;
    this.places = undefined;
  }

  /** For each parameter of the route where its value is. */
  spots(): readonly Spot[] {
    return (this.places ??= this.route.params().map(({ name }) => {
      const isIt = (piece: Piece): boolean => typeof piece === "object" && piece.name === name;
      const segment = this.way.findIndex((pieces) => pieces.some(isIt));
      const pieces = this.way[segment];
      return { segment, piece: pieces && pieces.length > 1 ? pieces.findIndex(isIt) : -1 };
    }));
  }
}

/** The nodes by which a path of so many segments comes to an end; nothing for a literal. Those of a tail are its last one again and again. */
export function stepsTo({ node: last }: End, count: number): (Node | undefined)[] {
  const steps: (Node | undefined)[] = [];
  for (let node = last; node.above; node = node.above) steps[node.depth - 1] = node.rule ? node : undefined;
  while (steps.length < count) steps.push(last);
  return steps;
}
