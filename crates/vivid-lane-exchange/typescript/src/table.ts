// A table: its routes as lines, and what holds for the whole site.

import { type Target } from "./address.js";
import { type Reading } from "./reading.js";
import { type Automaton, type Rule } from "./rules.js";
import { Node, Route, type End, type Line, type Param, type Piece } from "./tree.js";
import { HOST, ITEMS, segment, SEGMENT, type Spec } from "./values.js";

/** The version of the runtime. A table that was made for another one says so when it is loaded. */
export const VERSION = "0.1.0";

/** Parameters by name, or by the name of a route, a dot and the name where the same name is another parameter elsewhere. A rule alone is a segment. */
export type Params = Readonly<Record<string, Rule | Spec>>;

/** What holds for the whole site. */
export interface Site {
  /** Scheme and host. */
  readonly origin?: string;
  /** The path under which the site is mounted, without a slash at its end. */
  readonly base?: string;
  /** Whether paths end with a slash: 0 never, 1 always, 2 either. */
  readonly slash: number;
  /** How long a URL may be, and how many segments its path may have. */
  readonly bytes: number;
  readonly segments: number;
  readonly frame?: string;
  /** The page for what is missing. */
  readonly fallback?: string;
  /** Each need with the route to which a visitor is sent who does not meet it. */
  readonly needs?: Readonly<Record<string, string | undefined>>;
  /** The place of an edge among those of its node, where the order of the parameters does not say it. */
  readonly rank?: (table: Table, edge: Node) => number;
  /** The form in which letters are compared, where case does not count. */
  readonly fold?: (text: string) => string;
  /** The address of a page that was found, where the URL spells its path in another way. */
  readonly respelt?: (reading: Reading, end: End, site: Site) => string | undefined;
  readonly pieces?: Pieces;
  /** The automata of values by which such a segment is cut. */
  readonly cuts?: ReadonlyMap<Rule, Automaton>;
  /** How a segment is read of which one piece is a list. */
  readonly marks?: Marks;
  /** One URL may lead to several routes. */
  readonly several?: Several;
  /** Has a URL the host that a route asks for, if it does? */
  readonly host?: (reading: Reading, route: Route) => boolean;
  /** Where addresses are, if they are in the fragment. */
  readonly locate?: Locate;
}

/** Segments of several pieces. */
export interface Pieces {
  readonly grow: (table: Table, node: Node, pieces: readonly Piece[], segment: string) => Node;
  /** The text of a piece. */
  readonly text: (reading: Reading, end: End, segment: number, piece: number) => string;
}

/** Where the address of a page is in a URL. */
export interface Locate {
  /** The path of the document, and what addresses start with. */
  readonly base: string;
  readonly prefix: string;
  readonly scan: (reading: Reading, url: string, site: Site) => boolean;
  readonly target: (url: string) => Target;
  readonly isInside: (url: string) => boolean;
}

/** Text in which delimiters are marks. */
export interface Marks {
  readonly marked: (raw: string) => string;
  readonly plain: (text: string) => string;
}

/** How to choose between routes that answer the same URL. */
export interface Several {
  readonly isOrdered: (table: Table, node: Node) => boolean;
  /** Of all that were found those that are no wider than another. */
  readonly narrowest: (table: Table, reading: Reading) => End[];
  /** Of these the one that answers a method: that of the highest priority, else the first. */
  readonly choose: (found: readonly End[], method: string) => End | undefined;
}

export class Table {
  declare readonly site: Site;
  declare readonly params: Params;
  declare readonly routes: Map<string, Route>;
  declare readonly root: Node;
  /** The rules of segments in the order of the parameters, each with the name of its first. */
  declare readonly rules: Map<Rule, readonly [rank: number, name: string]>;

  declare private readonly known: Map<string, Param>;

  constructor(version: string, lines: readonly Line[], params: Params, site: Partial<Site>) {
    if (version !== VERSION) throw new Error(`this table is for version ${version} of the runtime, not ${VERSION}: write both with \`vivid-lane convert\``);
    this.site = { slash: 0, bytes: 8192, segments: 128, ...site };
    this.params = params;
    this.routes = new Map();
    this.root = new Node(undefined, "");
    this.rules = new Map();
    this.known = new Map();
    const waiting: Route[] = [];
    for (const line of lines) {
      const [name] = line;
      const parent = this.routes.get(name.slice(0, Math.max(name.lastIndexOf("."), 0)));
      const route = new Route(this, this.routes.size, line, parent);
      this.routes.set(name, route);
      if (parent) parent.isParent = true;
      if (!parent || route.more.paths) waiting.push(route);
      else if (parent.children.length > 0) (parent.children as Route[]).push(route);
      else parent.children = [route];
    }
    this.root.waiting = waiting;
    for (const name in params) {
      const found = params[name]!;
      const { kind, texts } = "kind" in found ? found : segment(found);
      if ((kind === SEGMENT || kind === ITEMS || kind === HOST) && !this.rules.has(texts)) this.rules.set(texts, [this.rules.size, name]);
    }
  }

  /** The parameter of a key; many routes share it. */
  param(key: string, name: string): Param | undefined {
    let param = this.known.get(key);
    if (!param && Object.prototype.hasOwnProperty.call(this.params, key)) {
      const found = this.params[key]!;
      const spec = "kind" in found ? found : segment(found);
      param = { ...spec, name, key: spec.key ?? decodeURIComponent(name) };
      this.known.set(key, param);
    }
    return param;
  }

  /** The place of an edge among those of its node. */
  rank(edge: Node): number {
    const { rank } = this.site;
    return rank ? rank(this, edge) : (this.rules.get(edge.rule!)?.[0] ?? -1);
  }

  /** Makes what goes on from a node. */
  open(node: Node): void {
    const { waiting } = node;
    node.waiting = [];
    for (const route of waiting) route.grow();
  }
}
