// A table: its routes as lines, and what holds for the whole site.

import { type Target } from "./address.js";
import { type Reading } from "./reading.js";
import { type Rule } from "./rules.js";
import { Node, Route, type End, type Line, type Piece } from "./tree.js";
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
  /** The segments, the narrower first, where the order of the parameters does not say it; those of tails with a star. */
  readonly order?: readonly string[];
  /** Letter case does not count. */
  readonly fold?: 1;
  /** The address of a page that was found, where the URL spells its path in another way. */
  readonly respelt?: (reading: Reading, end: End, site: Site) => string | undefined;
  /** Segments of several pieces. */
  readonly pieces?: (pieces: readonly Piece[], site: Site) => Rule;
  /** The automata of values by which such a segment is cut. */
  readonly cuts?: ReadonlyMap<Rule, readonly (readonly number[])[]>;
  /** How a segment is read of which one piece is a list. */
  readonly marks?: Marks;
  /** One URL may lead to several routes: which of them is the narrowest? */
  readonly several?: Several;
  /** Routes may ask for a host. */
  readonly host?: (reading: Reading, route: Route) => boolean;
  /** Addresses of pages stand in the fragment. */
  readonly locate?: Locate;
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
  readonly isOrdered: (node: Node) => boolean;
  readonly choose: (table: Table, reading: Reading) => End[];
}

const isSpec = (one: Rule | Spec): one is Spec => "kind" in one;

export class Table {
  declare readonly site: Site;
  declare readonly params: Params;
  declare readonly routes: Map<string, Route>;
  declare readonly root: Node;
  declare private readonly keys: Map<Rule, string>;
  declare private readonly ranks: ReadonlyMap<string, number>;

  constructor(version: string, lines: readonly Line[], params: Params, site: Partial<Site> = {}) {
    if (version !== VERSION) {
      throw new Error(`the table was made for version ${version} of its runtime, which is ${VERSION}; write all modules again with \`vivid-lane convert\``);
    }
    this.site = { slash: 0, bytes: 8192, segments: 128, ...site };
    this.params = params;
    this.keys = new Map();
    this.routes = new Map();
    this.root = new Node(undefined, "", undefined, "", false);
    const waiting: Route[] = [];
    for (const line of lines) {
      const [name] = line;
      const dot = name.lastIndexOf(".");
      const parent = dot < 0 ? undefined : this.routes.get(name.slice(0, dot));
      const route = new Route(this, this.routes.size, line, parent);
      this.routes.set(name, route);
      if (parent) parent.isParent = true;
      if (!parent || route.more.paths) waiting.push(route);
      else if (parent.children) parent.children.push(route);
      else parent.children = [route];
    }
    this.root.waiting = waiting;
    for (const name in params) {
      const { kind, texts } = this.spec(name)!;
      if ((kind === SEGMENT || kind === ITEMS || kind === HOST) && !this.keys.has(texts)) this.keys.set(texts, `{${name}}`);
    }
    const keys = site.order ?? [...this.keys.values()];
    this.ranks = new Map(keys.map((key, rank) => [key, rank]));
  }

  /** The parameter of a key, as it is declared. */
  spec(key: string): Spec | undefined {
    const found = Object.prototype.hasOwnProperty.call(this.params, key) ? this.params[key]! : undefined;
    return found && (isSpec(found) ? found : segment(found));
  }

  /** What a rule is called among the segments: by the first parameter that has it. */
  keyOf(rule: Rule): string {
    return this.keys.get(rule) ?? "{}";
  }

  /** The place of a segment among those of its node: the narrower first. */
  rank(key: string, isTail: boolean = false): number {
    return (isTail ? this.ranks.get(key + "*") : undefined) ?? this.ranks.get(key) ?? this.ranks.get(key + "*") ?? -1;
  }

  /** Makes what goes on from a node. */
  open(node: Node): void {
    const { waiting } = node;
    node.waiting = undefined;
    for (const route of waiting!) route.grow();
  }
}
