// The lines of a table, and the tree that they grow into. A line is only put below its parent's at first; its part of the tree is made when
// a URL leads there.
//
//     ["nights", "night-list", "/nights"],          root ─ nights ─ {date} ─ report
//     ["nights.night", "night", "/{date}"],                  │         │
//     ["nights.night.report", "report", "/report"],        nights   nights.night

import { numberOf, type Reading } from "./reading.js";
import { type Rule } from "./rules.js";
import { type Table } from "./table.js";
import { type Spec } from "./values.js";

/** One route: its name, its page (0 for none), its path below the parent's, and what few routes have. */
export type Line = readonly [name: string, page: string | 0, path: string, more?: More];

/** Where a level ends: after so many segments, and so many pieces of the last; -1 for all of the path. */
export type Cover = number | readonly [segments: number, pieces: number];

/** A pair that the query must have. */
export interface Exact {
  readonly name: string;
  readonly value: string;
  readonly judge: (reading: Reading) => boolean;
}

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

/** The part of a template before its query. */
export function pathOf(template: string): string {
  return /^(?:[^?{]|\{[^?&#}][^}]*\})*/.exec(template)![0];
}

/** The names of the variables of a template. */
export function namesIn(template: string): string[] {
  return (template.match(/\{.*?\}/g) ?? []).flatMap((one) => one.replace(/^\{[+#./;?&]?|[*}]/g, "").split(","));
}

/** The route with its ancestors, the outermost first. */
export function chainOf(route: Route): Route[] {
  return route.parent ? [...chainOf(route.parent), route] : [route];
}

export class Route {
  declare readonly table: Table;
  declare readonly index: number;
  declare readonly name: string;
  declare readonly page: string | undefined;
  declare readonly path: string;
  declare readonly parent: Route | undefined;
  declare readonly more: More;
  /** The routes below it that go on from where its ways end, and whether there are any others. */
  declare children: readonly Route[];
  declare isParent: boolean;
  /** Where its ways end, once they are in the tree. */
  declare ends: readonly End[] | undefined;
  declare private own: readonly Param[] | undefined;
  declare private judging: readonly (Exact | Param)[] | undefined;
  declare private whole: string | undefined;

  constructor(table: Table, index: number, [name, page, path, more = {}]: Line, parent: Route | undefined) {
    this.table = table;
    this.index = index;
    this.name = name;
    this.page = page === 0 ? undefined : page;
    this.path = path;
    this.parent = parent;
    this.more = more;
    this.children = NONE;
    this.isParent = false;
    this.ends = undefined;
    this.own = undefined;
    this.judging = undefined;
    this.whole = undefined;
  }

  /** Does it answer URLs, by a page or a redirect? */
  get isAnswering(): boolean {
    const { to, out } = this.more;
    return this.page !== undefined || !!(to || out);
  }

  /** The template from the root. */
  template(): string {
    return (this.whole ??= this.more.template ?? (((this.parent ? pathOf(this.parent.template()).replace(/^\/$/, "") : "") + this.path) || "/"));
  }

  /** The parameters, in the order in which they are declared. */
  params(): readonly Param[] {
    return (this.own ??= (this.more.names ?? namesIn(this.template())).map((name) => {
      // The nearest route that has a rule of its own for the name decides.
      let param: Param | undefined;
      for (let route: Route | undefined = this; route && !param; route = route.parent) param = this.table.param(route.name + "." + name, name);
      return param ?? this.table.param(name, name)!;
    }));
  }

  /** What has a say in whether a URL is answered. */
  judges(): readonly (Exact | Param)[] {
    const { query = NONE } = this.more;
    return (this.judging ??= [...query, ...this.params().filter(({ judge }) => judge).sort((one, other) => one.kind - other.kind)]);
  }

  /** Puts its ways into the tree. */
  grow(): void {
    if (this.ends) return;
    const { parent, more, path, isAnswering } = this;
    const { paths, ways = [pathOf(path)] } = more;
    const ends: End[] = [];
    if (paths) for (const [way, covers, isArea] of paths) ends.push(this.end(way, undefined, isArea === 1, covers));
    else for (const above of parent ? parent.ends! : [undefined]) for (const way of ways) ends.push(this.end(way, above, !isAnswering));
    this.ends = ends;
    for (const { node } of ends) node.waiting = [...node.waiting, ...this.children];
  }

  /** Where one of its ways ends, which goes on from an end of the parent's or from the root. */
  private end(text: string, above: End | undefined, isArea: boolean, covers?: readonly Cover[]): End {
    const { site, root } = this.table;
    const way = above ? [...above.way] : [];
    let node = above ? above.node : root;
    for (const segment of text.length > 1 ? text.slice(1).split("/") : NONE) {
      const pieces = segment.split(/(\{.*?\})/).filter((piece) => piece !== "").map((raw): Piece => {
        if (raw[0] === "{") return this.params().find(({ name }) => name === raw.slice(1, -1))!;
        return raw.includes("%") ? decodeURIComponent(raw) : raw;
      });
      const [first] = pieces;
      way.push(pieces);
      if (pieces.length > 1) node = site.pieces!.grow(this.table, node, pieces, segment);
      else if (typeof first === "object") node = node.edge(this.table, first.texts, first.isTail);
      else node = node.literal(site.fold ? site.fold(first ?? "") : first ?? "");
    }
    const end = new End(this, node, way, above, covers);
    if (isArea) node.areas = [...node.areas, end];
    else node.ends = [...node.ends, end];
    return end;
  }
}

/** A part of a segment: a text, or a value. */
export type Piece = string | Param;

/** Where a walk is after some segments. */
export class Node {
  declare readonly above: Node | undefined;
  /** The literal or the rule that leads here. */
  declare readonly text: string;
  declare readonly rule: Rule | undefined;
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
  declare waiting: readonly Route[];
  /** Is the first way that leads to an end always the right one? */
  declare isOrdered: boolean | undefined;

  constructor(above: Node | undefined, text: string, rule?: Rule, isTail: boolean = false) {
    this.above = above;
    this.text = text;
    this.rule = rule;
    this.depth = above ? above.depth + 1 : 0;
    this.isTail = isTail;
    this.literals = undefined;
    this.next = undefined;
    this.edges = isTail ? [this] : NONE;
    this.ends = NONE;
    this.areas = NONE;
    this.waiting = NONE;
    this.isOrdered = undefined;
  }

  literal(text: string): Node {
    const number = numberOf(text);
    const literals = (this.literals ??= new Map());
    const first = literals.get(number);
    for (let one = first; one; one = one.next) if (one.text === text) return one;
    const made = new Node(this, text);
    made.next = first;
    literals.set(number, made);
    this.isOrdered = undefined;
    return made;
  }

  edge(table: Table, rule: Rule, isTail: boolean): Node {
    const known = this.edges.find((one) => one.rule === rule && one.isTail === isTail);
    if (known) return known;
    const made = new Node(this, "", rule, isTail);
    // The narrower first.
    this.edges = [...this.edges, made].sort((one, other) => table.rank(one) - table.rank(other));
    this.isOrdered = undefined;
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
  /** Its last segment; that of a tail is the first of one or more. */
  declare readonly node: Node;
  /** The segments as the table declares them. */
  declare readonly way: readonly (readonly Piece[])[];
  /** The end of the parent's way from which it goes on; else it brings what each level covers. */
  declare readonly above: End | undefined;
  declare readonly covers: readonly Cover[] | undefined;
  declare private places: readonly Spot[] | undefined;

  constructor(route: Route, node: Node, way: End["way"], above: End | undefined, covers: End["covers"]) {
    this.route = route;
    this.node = node;
    this.way = way;
    this.above = above;
    this.covers = covers;
    this.places = undefined;
  }

  /** For each parameter of the route where its value is. */
  spots(): readonly Spot[] {
    return (this.places ??= this.route.params().map(({ name }) => {
      const isIt = (piece: Piece): boolean => (piece as Param).name === name;
      const segment = this.way.findIndex((pieces) => pieces.some(isIt));
      const pieces = this.way[segment] ?? NONE;
      return { segment, piece: pieces.length > 1 ? pieces.findIndex(isIt) : -1 };
    }));
  }
}
