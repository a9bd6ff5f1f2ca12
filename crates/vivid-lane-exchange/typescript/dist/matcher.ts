// What the module hands out, whatever the table.

/** What kept a link from being made. */
export type LinkErrorKind =
  | "unknown-route"
  | "group"
  | "redirect"
  | "no-origin"
  | "gap"
  | "unknown-param"
  | "missing"
  | "form"
  | "refused"
  | "long"
  | "captured"
  | "not-reversible";

/** A link that could not be made; the message says why and how to mend it. */
export class LinkError extends Error {
  declare readonly kind: LinkErrorKind;
  /** The name of the route that was asked for. */
  declare readonly route: string;
  /** The parameter that is to blame, where one is. */
  declare readonly param: string | undefined;

  constructor(kind: LinkErrorKind, route: string, message: string, param?: string) {
    super(message);
    this.name = "LinkError";
    this.kind = kind;
    this.route = route;
    this.param = param;
  }
}

/** Yes, no, or that it cannot be told now, with the seconds after which it is worth asking again. */
export type Answer = boolean | undefined | { readonly retryAfter?: number };

/** What a decision hangs on. */
export type Question =
  | { readonly list: string; readonly value: string }
  | { readonly need: string };

// The functions of the module, with the types of the table.

/** The name of a route that shows a page. */
export type RouteName = keyof Links & string;

/** The name of any route, also of one that groups others or redirects. */
export type LevelName = keyof AllParams & string;

/** What the URL of a route holds. */
export type Params<Name extends LevelName> = AllParams[Name];

/** The name of a page, also of one for what is missing. */
export type PageName = Pages[RouteName] | FallbackName;

/** One level of the chain of a match, from the outermost ancestor to the route itself. */
export interface Level {
  readonly route: LevelName;
  /** The template of the path, from the root. */
  readonly path: string;
  /** The part of the path that the level's own template stands for, as it was sent. */
  readonly covered: string;
  readonly frame: FrameName | undefined;
  /** The values of the parameters that the level itself declares. */
  readonly params: { readonly [name: string]: unknown };
  readonly data: Datas[LevelName];
}

/** Where in the table a URL stands. */
interface Standing<Name extends LevelName> {
  readonly route: Name;
  readonly params: Params<Name>;
  /** The address as it was asked: path and query, without scheme and host. */
  readonly address: string;
  readonly levels: readonly Level[];
  /** The frames around the page, outermost first. */
  readonly frames: readonly FrameName[];
  readonly data: Datas[Name];
}

/** The deepest route that covers a URL; told apart by `route`. */
export type Position = { [Name in LevelName]: Standing<Name> }[LevelName];

/** A URL that shows the page of a route. */
export interface Found<Name extends RouteName> extends Standing<Name> {
  readonly outcome: "page";
  readonly status: 200;
  readonly page: Pages[Name];
}

/** A URL that shows a page; told apart by `page` or by `route`. */
export type Match = { [Name in RouteName]: Found<Name> }[RouteName];

/** Send the visitor on, in one step. */
export interface Redirect {
  readonly outcome: "redirect";
  readonly status: number;
  readonly location: string;
  /** The route that redirects; nothing where the address only was not in its canonical form. */
  readonly route: LevelName | undefined;
  /** Does it lead to another site? */
  readonly isExternal: boolean;
}

/** The visitor does not meet a need: send them to sign in, or refuse them. */
export interface Unmet {
  readonly outcome: "unmet";
  readonly status: 303 | 403;
  readonly need: NeedName;
  readonly location: string | undefined;
  readonly position: Position | undefined;
}

/** Nothing has that URL. */
export interface NotFound {
  readonly outcome: "not-found";
  readonly status: 404;
  /** The page for what is missing here. */
  readonly page: FallbackName | undefined;
  readonly frames: readonly FrameName[];
  readonly position: Position | undefined;
  /** Why a redirect of the table leads nowhere, where one would have had the URL. */
  readonly reason: string | undefined;
}

/** The URL has a page, but not for that method. */
export interface WrongMethod {
  readonly outcome: "wrong-method";
  readonly status: 405;
  readonly allow: readonly string[];
  readonly position: Position | undefined;
}

/** The request asks which methods the URL has. */
export interface Options {
  readonly outcome: "options";
  readonly status: 204;
  readonly allow: readonly string[];
}

/** What was sent is no URL of any site. */
export interface BadRequest {
  readonly outcome: "bad-request";
  readonly status: 400 | 414;
  readonly reason: string;
}

/** The decision hangs on a list or a need that cannot be asked now. */
export interface Unavailable {
  readonly outcome: "unavailable";
  readonly status: 503;
  readonly question: Question;
  /** After how many seconds it is worth asking again. */
  readonly retryAfter: number | undefined;
}

/** What to do with a request; told apart by `outcome`. */
export type Decision = Match | Redirect | Unmet | NotFound | WrongMethod | Options | BadRequest | Unavailable;

/** What a list is asked through: a set, or a function. */
type Asking<Reply> = ReadonlySet<string> | ((value: string) => Reply);

/** What is asked beside the URL. */
export interface Asks<Reply = Answer> {
  /** `GET` by default. */
  readonly method?: string | undefined;
  /** The host of the request, where the URL has none. */
  readonly host?: string | undefined;
  /** Which needs the visitor meets; none by default. */
  readonly meets?: ReadonlySet<NeedName> | ((need: NeedName) => Reply) | undefined;
  /** The live lists; empty by default. */
  readonly lists?: { readonly [Name in ListName]?: Asking<Reply> | undefined } | undefined;
}

function asker<Reply>({ meets, lists }: Asks<Reply>): (question: Question) => Reply | boolean {
  const put = (whom: Asking<Reply> | undefined, value: string): Reply | boolean =>
    whom === undefined ? false : typeof whom === "function" ? whom(value) : whom.has(value);
  return (question) => {
    if ("need" in question) return put(meets as Asking<Reply> | undefined, question.need);
    const own: { readonly [name: string]: Asking<Reply> | undefined } = lists ?? {};
    return put(Object.prototype.hasOwnProperty.call(own, question.list) ? own[question.list] : undefined, question.value);
  };
}

/** The page that a URL shows, and the values in it; nothing where a `GET` comes to anything else. Every need counts as met, and no value as listed. */
export function match(url: string, { host }: { readonly host?: string | undefined } = {}): Match | undefined {
  return matched(url, host) as Match | undefined;
}

/** Decides what to do with a request. Each question is asked once, where the decision hangs on it. */
export function decide(url: string, asks: Asks = {}): Decision {
  const { method, host } = asks;
  return decided(url, { method, host, ask: asker(asks) }) as Decision;
}

/** The same, where lists and needs are asked over a network. An answer that fails makes the decision `unavailable`. */
export function decideAsync(url: string, asks: Asks<Answer | Promise<Answer>> = {}): Promise<Decision> {
  return decidedInSteps(url, asks, asker(asks)) as Promise<Decision>;
}

/** How a link is made. */
export interface LinkOptions {
  /** The page that the link stands on; the link inherits what the two addresses share. */
  readonly from?: Position | undefined;
  /** With scheme and host. */
  readonly absolute?: boolean | undefined;
  /** `here` makes the linked page lead back to this one; `carry` hands on to it where this one leads back to. */
  readonly back?: "carry" | "here" | undefined;
}

/** The values of a link: all may be left out that it inherits. */
type Given<Name extends RouteName> = {} extends Links[Name]
  ? [values?: Links[Name] | undefined, options?: LinkOptions | undefined]
  : [values: Links[Name], options?: LinkOptions | undefined] | [values: Partial<Links[Name]>, options: LinkOptions & { readonly from: Position }];

/** The URL of a route. Throws a `LinkError` for what its rules refuse, and where another route would answer. */
export function link<Name extends RouteName>(name: Name, ...[values, options]: Given<Name>): string {
  return linkOf(name, values, options as unknown as { from?: At });
}

/** Whether a link leads to the page that is shown (`"page"`), or to an ancestor of it (`"true"`): the value of `aria-current`. */
export function isActive<Name extends RouteName>(position: Position, name: Name, values: Partial<Links[Name]> = {}): "page" | "true" | undefined {
  return activity(name, values, position as unknown as At);
}

/** The URL of the nearest ancestor with a page, with the same values. */
export function up(position: Position): string | undefined {
  return above(position as unknown as At);
}

/** A parameter of a level that stays, and whose value differs. */
export interface Change {
  readonly name: string;
  /** The route that declares it. */
  readonly route: LevelName;
  readonly before: unknown;
  readonly after: unknown;
}

/** What changes when one page takes the place of another. */
export interface Transition {
  /** The routes that stay, outermost first. */
  readonly kept: readonly LevelName[];
  /** The routes that are left, innermost first. */
  readonly left: readonly LevelName[];
  /** The routes that are entered, outermost first. */
  readonly entered: readonly LevelName[];
  /** The parameters of routes that stay whose values differ: the same page with another value is a change too. */
  readonly changed: readonly Change[];
}

/** What changes when `to` takes the place of `from`, or is the first page. */
export function transition(from: Position | undefined, to: Position): Transition {
  return changeBetween(from as unknown as At | undefined, to as unknown as At) as Transition;
}

/** The address to go back to after signing in, if it is one of this table that shows a page to this visitor; else the other one. */
export function returnAddress(wanted: string | null | undefined, otherwise: string, asks: Asks = {}): string {
  return isAddress(wanted) && decide(wanted, { ...asks, method: "GET" }).outcome === "page" ? wanted : otherwise;
}

/** The same, where lists and needs are asked over a network. */
export async function returnAddressAsync(
  wanted: string | null | undefined,
  otherwise: string,
  asks: Asks<Answer | Promise<Answer>> = {},
): Promise<string> {
  return isAddress(wanted) && (await decideAsync(wanted, { ...asks, method: "GET" })).outcome === "page" ? wanted : otherwise;
}

/** The data of a route. */
export function dataOf<Name extends LevelName>(name: Name): Datas[Name] {
  return table.route(table.idOf(name)).data as Datas[Name];
}

/** How the site is reached. */
export interface Place {
  /** Scheme and host; empty where the table declares none. */
  readonly origin: string;
  /** The path under which the site is mounted, without a slash at its end; for a site in the fragment, the path of its document. */
  readonly base: string;
  /** Do the addresses of pages stand in the fragment? */
  readonly isInFragment: boolean;
}

/** How the site is reached, as the table says. */
export function place(): Place {
  const { origin, base } = table.data.site;
  return { origin, base, isInFragment: IN_FRAGMENT };
}

// The table as data. `convert` writes it from the frozen table; things refer to each other by their index.
//
// Tuples keep the data small: their names are in the types alone. What stands at the end of a tuple is left out where it has nothing to say.

/** A value as text: one, a list, or names with values. */
type Value = string | readonly string[] | readonly (readonly [string, string])[];

/** A keyword of a rule: a regular expression or an automaton, and why it refuses a text; words; or a sign and its number. */
type Test =
  | readonly [slash: "/", format: string, reason: string]
  | readonly [automaton: number, reason: string]
  | readonly [words: readonly string[]]
  | readonly [sign: ">=" | "<=" | ">" | "<" | "%" | "min" | "max", limit: string];

/** The rules of items, or of names (`items`) and values; how many there may be, and whether each may be there once only. */
type ManyData = readonly [items: number, values: number, least: number, most: number, unique?: number];

/** What parts items in one text, whether an equals sign stands between a name and its value, and the name before each item. */
type Join = readonly [separator: string, named?: number, name?: string];

type RuleData = readonly [tests?: readonly Test[] | 0, list?: string | 0, many?: ManyData | 0, join?: Join | 0, automaton?: number];

/** For each state whether it accepts, and the ranges of bytes that lead on: from, to, state. The first state is the start. */
type Automaton = readonly (readonly number[])[];

/** Text and rules of values in turn. */
type PatternData = readonly (string | number)[];

type ParamData = readonly [
  name: string,
  level: number,
  kind: number,
  flags: number,
  rule: number,
  texts: number,
  fallback?: Value,
];

/** What few routes have. */
interface More {
  readonly methods?: readonly string[];
  /** The template, the pattern, and for each of its pieces the parameter. */
  readonly host?: readonly [template: string, pattern: PatternData, params: readonly number[]];
  readonly needs?: readonly number[];
  readonly frame?: string;
  /** A page, or -1 for none whatever stands above. */
  readonly fallback?: number;
  /** The status, then the template of another site, or a route and what its parameters are given: texts and parameters in turn. */
  readonly redirect?: readonly [
    status: number,
    to: string | number,
    values?: readonly (readonly [name: string, ...pieces: (string | number)[]])[],
  ];
  /** Pairs that the query must have. */
  readonly query?: readonly (readonly [string, string])[];
  /** Parameters with another name in the query. */
  readonly names?: { readonly [param: number]: string };
  readonly priority?: number;
  readonly data?: unknown;
}

type RouteData = readonly [
  name: string,
  parent: number,
  path: string,
  page: number,
  params: readonly ParamData[],
  more?: More,
];

type LeafData = readonly [
  route: number,
  /** For each value of the segments its parameter; 0 where they stand in their order. */
  captures: readonly number[] | 0,
  /** For each level the segments that it covers, and the pieces of the last; -1 for all of the path. */
  covers: readonly (number | readonly [segments: number, pieces: number])[],
  tail?: readonly [param: number, first: number, oneValue?: number] | 0,
  /** Literals in the letter case of the table. */
  spelling?: readonly (readonly [segment: number, text: string])[],
];

/** Literals and patterns, each before the node that it leads to; 0 is the node itself, which is that of a tail. */
type NodeData = readonly [
  literals: readonly (string | NodeData)[] | 0,
  edges?: readonly (number | NodeData)[] | 0,
  leaves?: readonly number[] | 0,
  areas?: readonly number[] | 0,
  unordered?: number,
];

/** Which of two is the narrower: 0 the first, 1 the second, 2 neither, as both accept the same. */
type Pairs = readonly (readonly [number, number, number])[];

interface Data {
  readonly site: {
    readonly origin: string;
    readonly base: string;
    /** 0 never, 1 always, 2 either. */
    readonly slash: number;
    readonly bytes: number;
    readonly segments: number;
    readonly frame?: string;
    readonly fallback?: number;
  };
  readonly pages: readonly string[];
  readonly needs: readonly (readonly [name: string, otherwise?: number])[];
  readonly rules: readonly RuleData[];
  readonly automata: readonly Automaton[];
  readonly patterns: readonly PatternData[];
  readonly singles: readonly number[];
  readonly order: Pairs;
  readonly leafOrder: Pairs;
  readonly routes: readonly RouteData[];
  readonly leaves: readonly LeafData[];
  readonly tree: NodeData;
}

// The table as the matcher uses it: the data with names, in which things refer to each other. What is not asked for is not made.

/** Kinds of parameters, by their index in `lookup::ParamKind`. */
const SEGMENT = 0;
const ITEMS = 1;
const REST = 2;
const QUERY = 3;
const PAIRS = 4;
const HOST = 5;
const FRAGMENT = 6;

/** A keyword of a rule, ready for use. */
type RuleTest = Test | readonly [format: RegExp, reason: string];

/** A rule: what one text may be, and what is said of items, or of names and values. */
interface Rule {
  readonly tests: readonly RuleTest[];
  readonly list: string | undefined;
  many: Many | undefined;
  readonly join: Join | undefined;
  readonly automaton: Automaton | undefined;
  /** Does it take every text, or every value of its form? */
  isAny: boolean;
}

interface Many {
  /** The rule of items, or of names. */
  readonly items: Rule;
  /** The rule of values, for names with values. */
  readonly values: Rule | undefined;
  readonly least: number;
  readonly most: number;
  readonly isUnique: boolean;
}

/** Text and rules of values in turn. */
interface Pattern {
  readonly id: number;
  readonly pieces: readonly (string | Rule)[];
}

interface Param {
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

interface Host {
  readonly template: string;
  readonly pattern: Pattern;
  /** For each piece its parameter. */
  readonly params: readonly number[];
}

interface RedirectTo {
  readonly status: number;
  /** A template, or the index of a route. */
  readonly to: string | number;
  readonly values: readonly (readonly [name: string, ...pieces: (string | number)[]])[];
}

interface Route {
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

interface Leaf {
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
interface Node {
  /** What a literal leads to; the data of a node becomes one when it is first reached. */
  readonly literals: Map<string, Node | NodeData> | undefined;
  readonly edges: readonly { readonly pattern: Pattern; readonly target: Node }[];
  readonly leaves: readonly Leaf[];
  readonly areas: readonly Leaf[];
  readonly isOrdered: boolean;
  readonly isTail: boolean;
}

/** No limit to how many there may be. */
const NO_LIMIT = 65535;

const GET: readonly string[] = ["GET"];
const NONE: readonly never[] = [];

/** An object with the names of parameters. A name is a property like any other, whatever it is. */
function blankOf(params: readonly Param[]): { [name: string]: unknown } {
  const blank = {};
  for (const { name } of params) Object.defineProperty(blank, name, { value: undefined, enumerable: true, writable: true, configurable: true });
  return blank;
}

/** The data with names, in which things refer to each other. Most of it is made when it is first asked for. */
class Table {
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

// Percent-encoding (RFC 3986, section 2.1). Texts are well-formed: lone surrogates were replaced when the URL came in.

/** Escapes all but unreserved characters. */
function encodeUnreserved(text: string): string {
  return encodeURIComponent(text).replace(/[!'()*]/g, (one) => "%" + one.charCodeAt(0).toString(16).toUpperCase());
}

/** Escapes what is neither unreserved, nor reserved, nor an escape (RFC 6570, section 3.2.1). */
function encodeReserved(text: string): string {
  return text.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:/?#[\]@!$&'()*+,;=]/gu, (one, escape?: string) => escape ?? encodeURIComponent(one));
}

/** Escapes what may not stand in a segment. */
function encodeSegment(text: string): string {
  return text.replace(/[^\w\-.~:[\]@!$&'()*+,;=]/gu, encodeURIComponent);
}

/** A segment in its normal form (RFC 3986, section 6.2.2). */
function normalSegment(raw: string): string {
  return raw.replace(/%([0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=]/gu, (one, digits?: string) => {
    if (digits === undefined) return encodeURIComponent(one);
    const character = String.fromCharCode(parseInt(digits, 16));
    return /[\w\-.~]/.test(character) ? character : one.toUpperCase();
  });
}

/** A query in which nothing stands that a URL cannot hold. */
function cleanQuery(raw: string): string {
  return raw.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=/?]/gu, (one, escape?: string) => escape ?? encodeURIComponent(one));
}

function hasControl(text: string): boolean {
  return /[\0-\x1f\x7f]/.test(text);
}

/** A segment without its escapes; a number says why it has no such form: 0 escape, 1 UTF-8, 2 control character. */
function decode(raw: string): string | number {
  if (/%(?![0-9A-Fa-f]{2})/.test(raw)) return 0;
  try {
    const text = decodeURIComponent(raw);
    return hasControl(text) ? 2 : text;
  } catch {
    return 1;
  }
}

/** A name or value of a query (WHATWG, URL, section 5.1); nothing in it is wrong. */
function decodeForm(raw: string): string {
  return raw.replace(/\+/g, " ").replace(/(?:%[0-9A-Fa-f]{2})+/g, (escapes) => {
    try {
      return decodeURIComponent(escapes);
    } catch {
      return lossy(escapes);
    }
  });
}

/** Escapes of bytes that are not all UTF-8: each part that cannot be read becomes U+FFFD (WHATWG, Encoding, section 8.1.1). */
function lossy(escapes: string): string {
  const byte = (at: number): number => parseInt(escapes.slice(3 * at + 1, 3 * at + 3), 16);
  let out = "";
  for (let at = 0; at < escapes.length / 3; ) {
    const first = byte(at);
    const more = first < 0x80 ? 0 : first < 0xc2 || first > 0xf4 ? -1 : first < 0xe0 ? 1 : first < 0xf0 ? 2 : 3;
    let low = first === 0xe0 ? 0xa0 : first === 0xf0 ? 0x90 : 0x80;
    let high = first === 0xed ? 0x9f : first === 0xf4 ? 0x8f : 0xbf;
    let end = at + 1;
    while (end - at <= more && byte(end) >= low && byte(end) <= high) {
      end += 1;
      low = 0x80;
      high = 0xbf;
    }
    out += end - at === more + 1 ? decodeURIComponent(escapes.slice(3 * at, 3 * end)) : "\ufffd";
    at = end;
  }
  return out;
}

/** The bytes of a text in UTF-8. */
function bytesOf(text: string): number[] {
  const bytes: number[] = [];
  for (const one of text) {
    const code = one.codePointAt(0)!;
    if (code < 0x80) bytes.push(code);
    else if (code < 0x800) bytes.push(0xc0 | (code >> 6), 0x80 | (code & 63));
    else if (code < 0x10000) bytes.push(0xe0 | (code >> 12), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63));
    else bytes.push(0xf0 | (code >> 18), 0x80 | ((code >> 12) & 63), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63));
  }
  return bytes;
}

/** How many bytes a text has, if it may have more than a limit. */
function isLonger(text: string, limit: number): boolean {
  return text.length > limit || (text.length * 3 > limit && bytesOf(text).length > limit);
}

// What a value may be. Rules are automata and plain code, linear in the length of the value.

/** Who answers what only the caller knows. */
interface Asked {
  isListed(list: string, value: string): boolean;
  isMet(need: string): boolean;
}

// A delimiter that was not escaped is a mark: a control character, which no segment holds otherwise.
const MARKS = ",=;";

/** A segment as it was sent, decoded, with its delimiters as marks. It was decoded before, so it can be. */
function marked(raw: string): string {
  return decodeURIComponent(raw.replace(/[,=;]/g, (one) => String.fromCharCode(MARKS.indexOf(one) + 1)));
}

/** Marked text as plain text. */
function plain(text: string): string {
  return JOINS ? text.replace(/[\x01-\x03]/g, (one) => MARKS[one.charCodeAt(0) - 1]!) : text;
}

function stepped(state: readonly number[], byte: number): number {
  for (let at = 1; at < state.length; at += 3) {
    if (byte >= state[at]! && byte <= state[at + 1]!) return state[at + 2]!;
  }
  return -1;
}

function contains(automaton: Automaton, text: string): boolean {
  let state = 0;
  for (const byte of bytesOf(text)) {
    state = stepped(automaton[state]!, byte);
    if (state < 0) return false;
  }
  return automaton[state]![0] === 1;
}

/** Sign, digits before and after the point of a decimal number in its one spelling. */
function decimal(text: string): RegExpExecArray | null {
  return text === "-0" ? null : /^(-?)(0|[1-9][0-9]*)(?:\.([0-9]*[1-9]))?$/.exec(text);
}

function compare(left: RegExpExecArray, right: RegExpExecArray): number {
  if (left[1] !== right[1]) return left[1] ? -1 : 1;
  const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
  const magnitude =
    left[2]!.length - right[2]!.length || order(left[2]!, right[2]!) || order(left[3] ?? "", right[3] ?? "");
  return left[1] ? -magnitude : magnitude;
}

function isMultiple(number: RegExpExecArray, step: RegExpExecArray): boolean {
  const places = (step[3] ?? "").length;
  const fraction = number[3] ?? "";
  const units = Number(step[2]! + (step[3] ?? ""));
  let rest = 0;
  for (const digit of number[2]! + fraction.padEnd(places, "0")) rest = (rest * 10 + Number(digit)) % units;
  return fraction.length <= places && rest === 0;
}

/** Why a keyword refuses a text. */
function refusalOfTest(test: RuleTest, text: string): string | undefined {
  const [kind, words] = test;
  if (kind instanceof RegExp) return kind.test(text) ? undefined : words;
  if (typeof kind === "number") return contains(table.data.automata[kind]!, text) ? undefined : words;
  if (typeof kind === "object") {
    if (kind.includes(text) && !hasControl(text)) return undefined;
    const shown = kind.slice(0, 8).map((word) => `\`${word}\``);
    const more = kind.length > 8 ? ` or ${kind.length - 8} others` : "";
    return `expected ${kind.length === 1 ? "" : "one of "}${shown.join(", ")}${more}`;
  }
  if (LENGTHS && (kind === "min" || kind === "max")) {
    const [found, count] = [Array.from(text).length, Number(words)];
    const isWrong = hasControl(text) || (kind === "min" ? found < count : found > count);
    return isWrong ? `${kind === "min" ? "shorter" : "longer"} than ${count} character${count === 1 ? "" : "s"}` : undefined;
  }
  const [number, limit] = [decimal(text), decimal(words!)];
  // What is no number is refused by the type.
  if (!number || !limit) return undefined;
  if (MULTIPLES && kind === "%") return isMultiple(number, limit) ? undefined : `not a multiple of ${words}`;
  const order = compare(number, limit);
  const [isRight, reason] =
    kind === ">=" ? [order >= 0, "below the minimum"]
    : kind === "<=" ? [order <= 0, "above the maximum"]
    : kind === ">" ? [order > 0, "not above"]
    : [order < 0, "not below"];
  return isRight ? undefined : `${reason} ${words}`;
}

/** Why a rule refuses one text, as far as the rule alone can tell. */
function refusal({ tests }: Rule, text: string): string | undefined {
  for (const test of tests) {
    const reason = refusalOfTest(test, text);
    if (reason !== undefined) return reason;
  }
  return undefined;
}

/** Does a rule take one text? It is a set of texts without control characters, none of them empty. */
function takes(rule: Rule, text: string, asked: Asked): boolean {
  if (rule.isAny) return true;
  if (text === "" || refusal(rule, text) !== undefined) return false;
  return rule.list === undefined || (!hasControl(text) && asked.isListed(rule.list, text));
}

/** Are there as many items as there may be, and is none there twice that must not be? */
function fitsNumber({ least, most, isUnique }: Many, count: number, items: readonly string[]): boolean {
  return count >= least && count <= most && !(isUnique && new Set(items).size < items.length);
}

/** Does a rule take a list, or names and values in turn? */
function takesItems({ many }: Rule, items: readonly string[], asked: Asked): boolean {
  if (!many) return true;
  const { items: first, values } = many;
  return (
    (!values || items.length % 2 === 0) &&
    items.every((item, at) => takes(values && at % 2 === 1 ? values : first, item, asked)) &&
    fitsNumber(many, values ? items.length / 2 : items.length, items)
  );
}

/** The items of a marked text, plain; names and values in turn. Nothing where it cannot be cut. */
function itemsOf([separator, named, name]: Join, isPairs: boolean, text: string): string[] | undefined {
  let items: string[] =
    separator === "" ? [text]
    : separator === "," ? text.split("\x01")
    : separator === "+" ? text.split(/[\x01,]/)
    : separator === ";" ? text.split("\x03")
    : text.split(".");
  if (name !== undefined) {
    // The first item has its name before it already.
    const start = name + "\x02";
    if (items.some((item, at) => at > 0 && !item.startsWith(start))) return undefined;
    items = items.map((item, at) => (at > 0 ? item.slice(start.length) : item));
  }
  if (isPairs && named) {
    // An item without a sign has an empty value, which is none.
    const sign = separator === "+" ? /[\x02=]/ : /\x02/;
    items = items.flatMap((item) => [item.split(sign, 1)[0]!, item.slice(item.search(sign) + 1 || item.length)]);
  }
  items = items.map(plain);
  return items.includes("") || (isPairs && items.length % 2 === 1) ? undefined : items;
}

/** Does a rule take what stands for it in a segment, which may hold marks? */
function takesPiece(rule: Rule, text: string, asked: Asked): boolean {
  if (JOINS && rule.join) {
    const items = itemsOf(rule.join, rule.many!.values !== undefined, text);
    return items !== undefined && takesItems(rule, items, asked);
  }
  return text !== "" && takes(rule, plain(text), asked);
}

/** A segment as a pattern reads it: with marks where one of its values has items. */
function readable({ pieces }: Pattern, raw: string, text: string): string {
  return JOINS && pieces.some((piece) => typeof piece === "object" && piece.join) ? marked(raw) : text;
}

/** The pieces of a segment: their texts, and where they start, in bytes. */
interface Split {
  readonly texts: readonly string[];
  readonly starts: readonly number[];
}

/**
 * Reads a segment: of all ways in which every piece fits, the one whose first value is the shortest, then the second, and so on. From
 * the right it finds where the pieces that follow can begin, then it goes from the left; linear for each state of the rules.
 */
function split({ pieces }: Pattern, text: string): Split | undefined {
  const [first, second] = pieces;
  if (pieces.length === 1) return { texts: [text], starts: [0] };
  const cutAt = (cut: number): Split => {
    return { texts: [text.slice(0, cut), text.slice(cut)], starts: [0, bytesOf(text.slice(0, cut)).length] };
  };
  if (pieces.length === 2 && typeof first === "string") {
    return plain(text).startsWith(first) && text.length > first.length ? cutAt(first.length) : undefined;
  }
  if (pieces.length === 2 && typeof second === "string") {
    return plain(text).endsWith(second) && text.length > second.length ? cutAt(text.length - second.length) : undefined;
  }
  // Characters, not bytes: no piece begins within one. An automaton reads the bytes of each.
  const chars = Array.from(text);
  const bytes = chars.map(bytesOf);
  // For each piece where the text can be cut so that it and all that follow fit.
  const ends: boolean[][] = [];
  let good = [...chars.map(() => false), true];
  for (let at = pieces.length - 1; at >= 0; at -= 1) {
    ends[at] = good;
    good = startsOf(pieces[at]!, chars, bytes, good);
  }
  if (!good[0]) return undefined;
  const cuts = [0];
  for (const [at, piece] of pieces.entries()) cuts.push(shortest(piece, bytes, cuts[at]!, ends[at]!));
  const texts = pieces.map((_, at) => chars.slice(cuts[at], cuts[at + 1]).join(""));
  return { texts, starts: texts.map((_, at) => bytes.slice(0, cuts[at]).flat().length) };
}

/** Where a piece can start so that it ends at a good place. */
function startsOf(piece: string | Rule, chars: readonly string[], bytes: readonly number[][], good: readonly boolean[]): boolean[] {
  if (typeof piece === "string") {
    const wanted = Array.from(piece);
    return good.map((_, at) => good[at + wanted.length] === true && wanted.every((one, index) => plain(chars[at + index]!) === one));
  }
  const starts: boolean[] = [];
  let isGoodAfter = false;
  let alive: boolean[] = [];
  for (let at = chars.length; at >= 0; at -= 1) {
    if (CUTS && piece.automaton) {
      const before = alive;
      const read = (from: number): number => bytes[at]?.reduce((state, byte) => (state < 0 ? state : stepped(piece.automaton![state]!, byte)), from) ?? -1;
      alive = piece.automaton.map((state, from) => (good[at]! && state[0] === 1) || before[read(from)] === true);
      starts[at] = alive[0]!;
    } else {
      starts[at] = isGoodAfter;
      isGoodAfter ||= good[at]!;
    }
  }
  return starts;
}

/** The first good place where a piece can end. */
function shortest(piece: string | Rule, bytes: readonly number[][], start: number, good: readonly boolean[]): number {
  if (typeof piece === "string") return start + Array.from(piece).length;
  let state = 0;
  for (let at = start; at < bytes.length; at += 1) {
    if (CUTS && piece.automaton) state = bytes[at]!.reduce((from, byte) => stepped(piece.automaton![from]!, byte), state);
    if (good[at + 1] && (!CUTS || !piece.automaton || piece.automaton[state]![0] === 1)) return at + 1;
  }
  return bytes.length;
}

/** Does a segment, which is decoded and marked where the pattern wants it, fit? */
function fits(pattern: Pattern, text: string, asked: Asked): boolean {
  const [first] = pattern.pieces;
  if (pattern.pieces.length === 1) {
    // Only the pattern of a host may be one text.
    return typeof first === "string" ? text === first : takesPiece(first!, text, asked);
  }
  const found = split(pattern, text);
  return found !== undefined && pattern.pieces.every((piece, at) => typeof piece === "string" || takesPiece(piece, found.texts[at]!, asked));
}

// The one spelling of a host (RFC 3986, section 3.2; RFC 5890, section 2.3.2.1; RFC 3492).

/** The host that an authority names: without user and port. */
function hostOf(authority: string): string {
  return authority.slice(authority.lastIndexOf("@") + 1).replace(/:[0-9]*$/, "");
}

/** Small letters, without the dot at the end, labels that are not ASCII encoded. */
function normalHost(host: string): string {
  let name = host.replace(/\.$/, "");
  if (!/%(?![0-9A-Fa-f]{2})/.test(name)) {
    try {
      const decoded = decodeURIComponent(name);
      if (!/[\0-\x1f\x7f]/.test(decoded)) name = decoded;
    } catch {
      // It stays as it is.
    }
  }
  const isAscii = (text: string): boolean => !/[^\0-\x7f]/.test(text);
  if (isAscii(name)) return name.replace(/[A-Z]/g, (one) => one.toLowerCase());
  return name
    .split(/[.\u3002\uff0e\uff61]/)
    .map((label) => label.toLowerCase())
    .map((label) => (isAscii(label) || Array.from(label).length > 63 ? label : "xn--" + punycode(label)))
    .join(".");
}

function punycode(label: string): string {
  const points = Array.from(label, (one) => one.codePointAt(0)!);
  const digit = (value: number): string => value.toString(36);
  const basic = points.filter((point) => point < 128);
  let out = String.fromCharCode(...basic) + (basic.length > 0 ? "-" : "");
  let [code, delta, bias, handled] = [128, 0, 72, basic.length];
  while (handled < points.length) {
    const next = Math.min(...points.filter((point) => point >= code));
    delta += (next - code) * (handled + 1);
    code = next;
    for (const point of points) {
      if (point < code) delta += 1;
      if (point !== code) continue;
      let rest = delta;
      for (let base = 36; ; base += 36) {
        const least = base <= bias ? 1 : base >= bias + 26 ? 26 : base - bias;
        if (rest < least) break;
        out += digits(least + ((rest - least) % (36 - least)));
        rest = Math.floor((rest - least) / (36 - least));
      }
      out += digits(rest);
      let scaled = Math.floor(delta / (handled === basic.length ? 700 : 2));
      scaled += Math.floor(scaled / (handled + 1));
      let steps = 0;
      for (; scaled > 455; steps += 36) scaled = Math.floor(scaled / 35);
      bias = steps + Math.floor((36 * scaled) / (scaled + 38));
      delta = 0;
      handled += 1;
    }
    delta += 1;
    code += 1;
  }
  return out;

  /** a to z are 0 to 25, 0 to 9 are 26 to 35. */
  function digits(value: number): string {
    return value < 26 ? String.fromCharCode(97 + value) : digit(value - 26);
  }
}

// A URL in its parts (RFC 3986, section 3), and its normal form (section 6.2.2).

/** Why a URL is no URL of any site. */
interface Bad {
  readonly status: 400 | 414;
  readonly reason: string;
}

/** A URL, cut at its delimiters. */
interface Target {
  readonly host: string | undefined;
  /** The whole path as it was sent. */
  readonly sent: string;
  readonly query: string | undefined;
}

/** A URL in its normal form, taken apart. */
interface Parts extends Target {
  /** The path below the base of the site, without a slash at its end. */
  readonly path: string;
  /** The segments as they were sent, and decoded. */
  readonly raws: readonly string[];
  readonly texts: readonly string[];
  readonly isEscaped: boolean;
  /** Names, decoded, and values, as they were sent. */
  readonly pairs: readonly (readonly [name: string, raw: string])[];
}

/** The parts of a URL, the address where it is not in its normal form, why it is none, or nothing for one outside of the site. */
type Parsed = Parts | string | Bad | undefined;

function isBad(parsed: Parsed): parsed is Bad {
  return typeof parsed === "object" && "reason" in parsed;
}

function cut(url: string): readonly [before: string, query: string | undefined] {
  const end = url.search(/[?#]/);
  if (end < 0) return [url, undefined];
  return [url.slice(0, end), url[end] === "?" ? url.slice(end + 1).split("#", 1)[0] : undefined];
}

/** Cuts a path with an optional query, or an absolute URL. */
function targetOf(url: string, inFragment: boolean): Target {
  if (IN_FRAGMENT && inFragment) {
    const hash = url.indexOf("#");
    const [sent, query] = cut(hash < 0 ? "" : url.slice(hash + 1).split("#", 1)[0]!);
    return { host: targetOf(hash < 0 ? url : url.slice(0, hash), false).host, sent, query };
  }
  const [before, query] = cut(url);
  if (before[0] === "/") return { host: undefined, sent: before, query };
  const absolute = /^https?:\/\/([^/]*)(.*)$/is.exec(before);
  if (!absolute) return { host: undefined, sent: before, query };
  return { host: hostOf(absolute[1]!), sent: absolute[2] || "/", query };
}

const NEVER = 0;
const ALWAYS = 1;
const EITHER = 2;

/** The part of a path below the base. */
function inside(path: string): string | undefined {
  const { base } = table.data.site;
  if (!path.startsWith(base)) return undefined;
  const rest = path.slice(base.length);
  return rest === "" || rest[0] === "/" ? rest : undefined;
}

/** Does the URL name the document that the site is, before its fragment? A fragment alone does. */
function isDocument(url: string): boolean {
  const before = url.split("#", 1)[0]!;
  const trimmed = (path: string): string => path.replace(/\/+$/, "");
  return before === "" || trimmed(targetOf(before, false).sent) === trimmed(table.data.site.base);
}

const UNDECODABLE = [
  "expected two hexadecimal digits after `%`",
  "the URL is not UTF-8",
  "the URL holds a control character",
];

/** Segments in their normal form, without escapes. */
const USUAL = /^(?:\/(?!\.\.?(?:\/|$))[\w\-.~:[\]@!$&'()*+,;=]+)+$/;

/** Takes a URL apart; the host is one that was asked beside it. */
function parse(url: string, host?: string): Parsed {
  const { base, bytes, segments, slash } = table.data.site;
  // Most URLs are a path in its normal form.
  if (!IN_FRAGMENT && base === "" && slash !== ALWAYS && url.length <= bytes && USUAL.test(url)) {
    const raws = segmentsOf(url);
    if (raws.length <= segments) return { host, sent: url, query: undefined, path: url, raws, texts: raws, isEscaped: false, pairs: [] };
  }
  const target = targetOf(url, IN_FRAGMENT);
  const below = IN_FRAGMENT ? (isDocument(url) ? target.sent : undefined) : inside(target.sent);
  const bad = (reason: string, status: 400 | 414 = 400): Bad => ({ status, reason });
  if (!IN_FRAGMENT && target.sent[0] !== "/") return bad(NO_SLASH);
  let path = below ?? target.sent;
  if (isLonger(path, bytes)) return bad(tooLong(), 414);
  let isNormal = true;
  let raws: readonly string[] = [];
  let texts: readonly string[] = raws;
  if (path.length > 1) {
    if (path[0] !== "/") return bad(NO_SLASH);
    const hasSlash = path.endsWith("/");
    isNormal = slash === NEVER ? !hasSlash : slash !== ALWAYS || hasSlash;
    if (hasSlash) path = path.slice(0, -1);
    raws = texts = segmentsOf(path);
    if (raws.length > segments) return bad(`the path has more than ${segments} segments`, 414);
    if (!USUAL.test(path)) {
      if (hasControl(path)) return bad(UNDECODABLE[2]!);
      const decoded: string[] = [];
      for (const raw of raws) {
        const text = decode(raw);
        if (typeof text === "number") return bad(UNDECODABLE[text]!);
        decoded.push(text);
        isNormal &&= normalSegment(raw) === raw && text !== "" && text !== "." && text !== "..";
      }
      texts = decoded;
    }
  } else if (path !== "" && path !== "/") {
    return bad(NO_SLASH);
  } else {
    path = "";
    isNormal = base === "" ? below === "/" || IN_FRAGMENT : IN_FRAGMENT || slash === EITHER || (slash === NEVER) === (below === "");
  }
  const { sent, query } = target;
  if (below === undefined || !isNormal || (query !== undefined && isVacant(query))) {
    return IN_FRAGMENT && below === undefined ? undefined : normalAddress(target);
  }
  const pairs = query === undefined ? [] : query.split("&").filter((pair) => pair !== "").map(pairOf);
  return { host: target.host ?? host, sent, query, path, raws, texts, isEscaped: path.includes("%"), pairs };
}

/** The segments of a path. Splitting at a string takes three times as long. */
function segmentsOf(path: string): string[] {
  const segments: string[] = [];
  let start = 1;
  for (let end = path.indexOf("/", start); end >= 0; end = path.indexOf("/", start)) {
    segments.push(path.slice(start, end));
    start = end + 1;
  }
  segments.push(path.slice(start));
  return segments;
}

function pairOf(pair: string): readonly [string, string] {
  const sign = pair.indexOf("=");
  return sign < 0 ? [decodeForm(pair), ""] : [decodeForm(pair.slice(0, sign)), pair.slice(sign + 1)];
}

function isVacant(query: string): boolean {
  return /^&*$/.test(query);
}

const NO_SLASH = "expected a path that starts with `/`";

function tooLong(): string {
  return `the URL is longer than ${table.data.site.bytes} bytes`;
}

/** The address of a URL that is not in its normal form; nothing for one outside of the site. */
function normalAddress({ sent, query }: Target): string | undefined {
  const kept: string[] = [];
  let endsWithSlash = false;
  for (const raw of sent.replace(/^\//, "").split("/")) {
    const decoded = decode(raw);
    const text = typeof decoded === "number" ? raw : decoded;
    endsWithSlash = text === "" || text === "." || text === "..";
    if (text === "..") kept.pop();
    else if (text !== ".") kept.push(raw);
  }
  const path = kept.filter((raw) => raw !== "").map((raw) => "/" + normalSegment(raw)).join("");
  const below = IN_FRAGMENT ? path : inside(path);
  return below === undefined ? undefined : prefix() + withSlash(below, endsWithSlash) + queryOf(query);
}

/** What an address starts with before the path of the page. */
function prefix(): string {
  const { base } = table.data.site;
  return IN_FRAGMENT ? (base || "/") + "#" : base;
}

/** A path in its normal form, with a slash at its end as the site has it. */
function withSlash(path: string, hadSlash: boolean): string {
  const { base, slash } = table.data.site;
  const trimmed = path.replace(/\/+$/, "");
  const isBareRoot = trimmed === "" && (base === "" || IN_FRAGMENT);
  return trimmed + (isBareRoot || slash === ALWAYS || (slash !== NEVER && hadSlash) ? "/" : "");
}

/** A query with its mark, as far as a URL can hold it; nothing for one that says nothing. */
function queryOf(query: string | undefined): string {
  return query === undefined || isVacant(query) ? "" : "?" + cleanQuery(query);
}

/** The address of a page whose template expanded to this, or whose path this is. */
function addressFor(expanded: string, query?: string): string {
  const end = expanded.search(/[?#]/);
  const path = end < 0 ? expanded : expanded.slice(0, end);
  const normal = path.split("/").slice(1).map((raw) => "/" + normalSegment(raw)).join("");
  return prefix() + withSlash(normal, false) + (end < 0 ? "" : expanded.slice(end)) + queryOf(query);
}

/** The address that a URL was asked under: without scheme, host and fragment. */
function addressOf({ sent, query }: Target): string {
  return (IN_FRAGMENT ? prefix() : "") + (sent || "/") + queryOf(query);
}

// The walk through the tree, and the choice of the narrowest route.

/** A leaf that a URL leads to, with the pattern of each of its segments; none for a literal. */
interface Reached {
  readonly leaf: Leaf;
  readonly steps: readonly (Pattern | undefined)[];
}

/** A URL as a route reads it. */
interface Reading extends Reached {
  readonly parts: Parts;
}

/** What a URL comes to: a route, another address, routes for other methods, why it is none, or nothing. */
type Lookup =
  | { readonly reading: Reading }
  | { readonly address: string }
  | { readonly others: readonly Reached[] }
  | { readonly bad: Bad }
  | undefined;

/** Does a route answer a method? `GET` brings `HEAD` (RFC 9110, section 9.3.2). */
function allows({ methods }: Route, method: string): boolean {
  return methods.includes(method) || (method === "HEAD" && methods.includes("GET"));
}

/** The values of a parameter in the query, as they were sent: the first one, or each that is an item. */
function rawsOf(param: Param, { pairs }: Parts): string[] {
  const raws = pairs.filter(([name]) => name === param.key).map(([, raw]) => raw);
  return param.isExploded ? raws : raws.slice(0, 1);
}

/** Does an empty value count as if it were not there, as a form sends the fields that nobody filled in? */
function isUnfilled({ rule, isRequired, isExploded }: Param, raw: string): boolean {
  const { many } = rule;
  return raw === "" && !(many ? !many.values && many.items.isAny : rule.isAny) && (!isRequired || isExploded);
}

/** Is a name in the query one that the route reads for itself? */
function readsName(route: Route, wanted: string): boolean {
  return route.literals.some(([name]) => name === wanted) || route.params.some(({ kind, key }) => kind === QUERY && key === wanted);
}

/** The texts that the query has for a parameter: one, items, or names and values in turn; nothing where it is absent. */
function inQuery(route: Route, param: Param, parts: Parts): readonly string[] | undefined {
  if (PAIRS_OF_QUERY && param.kind === PAIRS) {
    return parts.pairs.filter(([name]) => !readsName(route, name)).flatMap(([name, raw]) => [name, decodeForm(raw)]);
  }
  const raws = rawsOf(param, parts).filter((raw) => !isUnfilled(param, raw));
  if (param.isExploded) return raws.map(decodeForm);
  const [raw] = raws;
  return raw === undefined ? undefined : (param.rule.many ? raw.split(",") : [raw]).map(decodeForm);
}

function takesValue(route: Route, param: Param, parts: Parts, asked: Asked): boolean {
  const { rule, isOptional, isRequired } = param;
  const items = inQuery(route, param, parts);
  // What counts as absent is no value that is missing.
  if (!items) return !isRequired || rawsOf(param, parts).length > 0;
  if (items.length === 0) return param.kind === PAIRS ? isOptional : !isRequired;
  return rule.many ? takesItems(rule, items, asked) : takes(rule, items[0]!, asked);
}

function takesQuery(route: Route, parts: Parts, asked: Asked): boolean {
  if (!route.readsQuery) return true;
  // Single values before lists, as questions to live lists have an order.
  const takesAll = (isWanted: (param: Param) => boolean): boolean =>
    route.params.every((param) => !isWanted(param) || takesValue(route, param, parts, asked));
  return (
    route.literals.every(([name, value]) => parts.pairs.some(([known, raw]) => known === name && decodeForm(raw) === value)) &&
    takesAll(({ kind, isExploded }) => kind === QUERY && !isExploded) &&
    takesAll(({ kind, isExploded }) => kind === QUERY && isExploded) &&
    takesAll(({ kind }) => kind === PAIRS)
  );
}

function takesHost({ host }: Route, parts: Parts, asked: Asked): boolean {
  return !HOSTS || !host || (parts.host !== undefined && fits(host.pattern, normalHost(parts.host), asked));
}

/** Can a link write a tail of this value? Nothing else is accepted, so that no tail leads out of a folder. */
function isWritable(value: string): boolean {
  return !/[?#]|%[0-9A-Fa-f]{2}/.test(value) && value.split("/").every((one) => one !== "" && one !== "." && one !== "..");
}

function takesTail({ tail, route }: Leaf, { texts, isEscaped }: Parts, asked: Asked): boolean {
  if (!tail) return true;
  const [index, first, isOneValue] = tail;
  const param = route.params[index]!;
  const items = texts.slice(first);
  if (TAILS && isOneValue) {
    const value = items.join("/");
    return (!isEscaped || isWritable(value)) && takesPiece(param.texts, value, asked);
  }
  return fitsNumber(param.rule.many!, items.length, items);
}

/** A search through the tree: for what answers a path, or for all that covers it. */
interface Search {
  readonly parts: Parts;
  readonly asked: Asked;
  /** The pattern of each segment on the way. */
  readonly steps: (Pattern | undefined)[];
  readonly found: Reached[];
  readonly isForCovers: boolean;
}

function reach({ found, steps }: Search, leaf: Leaf, at: number): void {
  found.push({ leaf, steps: steps.slice(0, at) });
}

function walk(search: Search, node: Node, at: number): void {
  const { parts, asked, steps, found, isForCovers } = search;
  const isEnd = at === parts.texts.length;
  if (isEnd || isForCovers) {
    for (const leaf of node.leaves) {
      const { route } = leaf;
      if (isForCovers || (takesHost(route, parts, asked) && takesQuery(route, parts, asked) && takesTail(leaf, parts, asked))) reach(search, leaf, at);
    }
    if (isForCovers) for (const leaf of node.areas) reach(search, leaf, at);
    if (isEnd) return;
  }
  const before = found.length;
  const text = parts.texts[at]!;
  const next = table.after(node, FOLDS ? text.toLowerCase() : text);
  if (next) {
    steps[at] = undefined;
    walk(search, next, at + 1);
  }
  for (const { pattern, target } of node.edges) {
    if (isForCovers ? target.isTail : node.isOrdered && found.length > before) continue;
    if (fits(pattern, readable(pattern, parts.raws[at]!, text), asked)) {
      steps[at] = pattern;
      walk(search, target, at + 1);
    }
  }
}

/** The leaves that answer a URL, each no wider than any other that accepts it. */
function find(parts: Parts, asked: Asked): readonly Reached[] {
  const found: Reached[] = [];
  walk({ parts, asked, steps: [], found, isForCovers: false }, table.root, 0);
  return SEVERAL && found.length > 1 ? narrowest(found) : found;
}

function beats(left: Reached, right: Reached): boolean {
  const isSingle = (pattern: Pattern): boolean => table.data.singles.includes(pattern.id);
  let side: number | undefined = 2;
  for (let at = 0; side === 2 && at < left.steps.length; at += 1) {
    const [one, other] = [left.steps[at], right.steps[at]];
    // A pattern that accepts one text only is no wider than a literal.
    if (one !== other) side = one && other ? table.sideOf(0, one.id, other.id) : isSingle((one ?? other)!) ? 2 : one ? 1 : 0;
  }
  if (side === 2) side = table.sideOf(1, left.leaf.id, right.leaf.id);
  // Two ways through one route: the one that fills more from the left was made first.
  return side === undefined || side === 2 ? left.leaf.route === right.leaf.route && left.leaf.id < right.leaf.id : side === 0;
}

/** Each route has its narrowest leaf before routes are compared. */
function narrowest(found: readonly Reached[]): readonly Reached[] {
  let left = found;
  for (const isOwn of [true, false]) {
    const all = left;
    left = all.filter((one) => !all.some((other) => other !== one && (one.leaf.route === other.leaf.route) === isOwn && beats(other, one)));
  }
  return left;
}

/** Of leaves none of which is the narrower, the one that answers a method: that of the highest priority, else the first. */
function choose(found: readonly Reached[], method: string): Reached | undefined {
  let best: Reached | undefined;
  for (const one of found) {
    const [a, b] = [one.leaf, best?.leaf];
    const isAble = allows(a.route, method);
    if (isAble && (!b || (b.route.priority - a.route.priority || a.route.id - b.route.id || a.id - b.id) < 0)) best = one;
  }
  return best;
}

/** Of the wanted routes that cover the path, seen from the root, the one that covers the most of it. */
function covering(parts: Parts, method: string, asked: Asked, isWanted: (route: Route) => boolean): Reached | undefined {
  const found: Reached[] = [];
  walk({ parts, asked, steps: [], found, isForCovers: true }, table.root, 0);
  let best: readonly [rank: number, reached: Reached] | undefined;
  for (const reached of found) {
    const { route } = reached.leaf;
    const at = reached.steps.length;
    // A page at the root covers the root alone, unless something is declared below it.
    const isArea = at > 0 || route.fallback !== undefined || table.data.routes.some(([, parent]) => parent === route.id);
    if (!isArea || !takesHost(route, parts, asked) || !isWanted(route)) continue;
    const rank = 2 * at + (allows(route, method) && takesQuery(route, parts, asked) ? 1 : 0);
    if (!best || rank > best[0]) best = [rank, reached];
  }
  return best?.[1];
}

/** Looks a URL up. */
function lookup(url: string, host: string | undefined, method: string, asked: Asked): Lookup {
  const parts = parse(url, host);
  if (parts === undefined) return undefined;
  if (typeof parts === "string") return { address: parts };
  if (isBad(parts)) return { bad: parts };
  const found = find(parts, asked);
  if (found.length === 0) return undefined;
  const chosen = choose(found, method);
  if (!chosen) return { others: found };
  const { leaf, steps } = chosen;
  const path = respelt(chosen, parts) ?? withSlashes(leaf, parts);
  return path === undefined ? { reading: { leaf, steps, parts } } : { address: addressFor(path, parts.query) };
}

/** The path with its literals as the route declares them, where that is another letter case. */
function respelt({ leaf, steps }: Reached, { texts, raws }: Parts): string | undefined {
  if (FOLDS) {
    const spelling = new Map(leaf.spelling);
    const wanted = texts.map((text, at) => (steps[at] ? undefined : (spelling.get(at) ?? text.toLowerCase())));
    if (wanted.some((text, at) => text !== undefined && text !== texts[at])) {
      return wanted.map((text, at) => "/" + (text === undefined ? raws[at]! : encodeSegment(text))).join("");
    }
  }
  return undefined;
}

/** The path with its tail as a link writes it, where a slash in it is escaped. */
function withSlashes({ tail }: Leaf, { raws }: Parts): string | undefined {
  if (TAILS && tail?.[2] && raws.slice(tail[1]).some((raw) => raw.includes("%2F"))) {
    return "/" + raws.map((raw, at) => (at < tail[1] ? raw : raw.replace(/%2F/g, "/"))).join("/");
  }
  return undefined;
}

/** The texts of the segments' values, by their parameter; with marks where a pattern tells delimiters from text. */
function captured({ leaf, steps, parts }: Reading): readonly (string | undefined)[] {
  const { captures, tail } = leaf;
  const found: (string | undefined)[] = [];
  let count = 0;
  for (let at = 0; at < (tail ? tail[1] : steps.length); at += 1) {
    const pattern = steps[at];
    if (!pattern) continue;
    const text = readable(pattern, parts.raws[at]!, parts.texts[at]!);
    // Most segments are one value.
    if (pattern.pieces.length === 1 && !captures) {
      found[count] = text;
      count += 1;
      continue;
    }
    const { texts } = split(pattern, text)!;
    for (let piece = 0; piece < texts.length; piece += 1) {
      if (typeof pattern.pieces[piece] === "string") continue;
      const param = captures ? captures[count]! : count;
      count += 1;
      if (param >= 0) found[param] ??= texts[piece];
    }
  }
  return found;
}

// Templates (RFC 6570).

/** Text, or an operator with its variables. */
type Part = string | { readonly operator: string; readonly variables: readonly Variable[] };

interface Variable {
  readonly name: string;
  readonly isExploded: boolean;
}

const parsed = new Map<string, readonly Part[]>();

function partsOf(template: string): readonly Part[] {
  let parts = parsed.get(template);
  if (!parts) {
    parts = template.split(/\{(.*?)\}/).map((piece, at): Part => {
      if (at % 2 === 0) return piece;
      const operator = /^\w|^%/.test(piece) ? "" : piece[0]!;
      const names = piece.slice(operator.length).split(",");
      return { operator, variables: names.map((name) => ({ name: name.replace("*", ""), isExploded: name.endsWith("*") })) };
    });
    parts = parts.filter((part) => part !== "");
    parsed.set(template, parts);
  }
  return parts;
}

/** Expands a template (RFC 6570, section 3.2.1 and appendix A). */
function expand(template: string, value: (name: string) => Value | undefined): string {
  let out = "";
  for (const part of partsOf(template)) {
    if (typeof part === "string") {
      out += encodeReserved(part);
      continue;
    }
    const { operator, variables } = part;
    const separator = operator === "?" ? "&" : operator === "" || operator === "+" || operator === "#" ? "," : operator;
    const isNamed = operator === ";" || operator === "?" || operator === "&";
    const encode = operator === "+" || operator === "#" ? encodeReserved : encodeUnreserved;
    const named = (name: string, text: string): string =>
      !isNamed ? text : encodeReserved(name) + (text === "" && operator === ";" ? "" : "=") + text;
    let lead = operator === "+" ? "" : operator;
    for (const { name, isExploded } of variables) {
      const given = value(name);
      if (given === undefined) continue;
      out += lead;
      lead = separator;
      if (typeof given === "string") {
        out += named(name, encode(given));
      } else if (!isExploded) {
        const items = given.map((item) => (typeof item === "string" ? encode(item) : `${encode(item[0])},${encode(item[1])}`));
        out += (isNamed ? encodeReserved(name) + "=" : "") + items.join(",");
      } else {
        const items = given.map((item) => {
          if (typeof item === "string") return named(name, encode(item));
          return encode(item[0]) + (operator === ";" && item[1] === "" ? "" : "=") + encode(item[1]);
        });
        out += items.join(separator);
      }
    }
  }
  return out;
}

// The values that a URL holds, as a route reads them.

function paired(items: readonly string[]): [string, string][] {
  return items.flatMap((item, at): [string, string][] => (at % 2 === 1 ? [[items[at - 1]!, item]] : []));
}

function isSame(left: unknown, right: unknown): boolean {
  return JSON.stringify(left) === JSON.stringify(right);
}

/** The texts that the URL has for a parameter: one, items, or names and values in turn; nothing where it is absent. */
function sent({ leaf, parts }: Reading, param: Param, text: string | undefined): readonly string[] | undefined {
  const { kind, texts } = param;
  const { tail, route } = leaf;
  const raws = tail && parts.raws.slice(tail[1]);
  const isPairs = param.rule.many?.values !== undefined;
  const items = (own: string): readonly string[] => (JOINS && texts.join ? (itemsOf(texts.join, isPairs, own) ?? []) : [plain(own)]);
  switch (kind) {
    case SEGMENT:
      return text === undefined ? undefined : items(text);
    case ITEMS:
      return raws?.flatMap((raw) => (JOINS && isPairs ? items(marked(raw)) : [decodeURIComponent(raw)]));
    case REST:
      return TAILS ? raws && items(JOINS && texts.join ? marked(raws.join("/")) : decodeURIComponent(raws.join("/"))) : undefined;
    case HOST:
      if (HOSTS) {
        const { pattern, params } = route.host!;
        const own = split(pattern, normalHost(parts.host ?? ""))?.texts[params.indexOf(route.params.indexOf(param))];
        return own === undefined ? undefined : [own];
      }
      return undefined;
    default:
      return kind === FRAGMENT ? undefined : inQuery(route, param, parts);
  }
}

/** For each parameter its value; of an absent one the default of its rule. */
type Values = readonly (Value | undefined)[];

/** The values of a URL, in the order of the parameters. */
function valuesOf(reading: Reading): Values {
  const { params } = reading.leaf.route;
  const texts = captured(reading);
  const all: (Value | undefined)[] = [];
  for (let index = 0; index < params.length; index += 1) {
    const param = params[index]!;
    const { rule, kind, fallback } = param;
    const { many } = rule;
    // Most values are a segment as it is.
    if (kind === SEGMENT && !many) {
      const text = texts[index];
      all.push(text === undefined ? fallback : plain(text));
      continue;
    }
    const found = sent(reading, param, texts[index]);
    const value = found && (many ? (many.values ? paired(found) : found) : found[0]);
    all.push(value === undefined || (many && value.length === 0) ? (kind === HOST ? undefined : fallback) : value);
  }
  return all;
}

/** How many values the URL spells out that it could leave out: defaults, and what is empty and counts as absent. */
function needless(reading: Reading, values: Values): number {
  const { parts, leaf } = reading;
  if (!leaf.route.hasDefaults && parts.pairs.length === 0) return 0;
  const texts = captured(reading);
  const hasEmpty = parts.pairs.some(([, raw]) => raw === "");
  const isNeedless = (param: Param, index: number): boolean => {
    const { isOptional, fallback, kind } = param;
    // Lists of the query, pairs of it and hosts always count as there.
    const isThere = (): boolean => kind === HOST || sent(reading, param, texts[index]) !== undefined;
    const isSpelt = isOptional && fallback !== undefined && isSame(values[index], fallback) && isThere();
    return isSpelt || (hasEmpty && kind === QUERY && rawsOf(param, parts).some((raw) => isUnfilled(param, raw)));
  };
  return leaf.route.params.filter(isNeedless).length;
}

/** The pairs of the query that the route does not know, as they were sent. */
function unknownPairs({ leaf, parts }: Reading): string[] {
  const { route } = leaf;
  if (PAIRS_OF_QUERY && route.params.some(({ kind }) => kind === PAIRS)) return [];
  const pairs = (parts.query ?? "").split("&").filter((pair) => pair !== "");
  return pairs.filter((pair) => !readsName(route, decodeForm(pair.split("=", 1)[0]!)));
}

/** A value as its rule types it: numbers, true and false, lists of these. */
function typed({ isNumber, isBoolean }: Param, value: Value | undefined): unknown {
  if (!isNumber && !isBoolean) return value;
  const one = (text: string): unknown => {
    if (isNumber && /^-?(0|[1-9][0-9]*)(\.[0-9]*[1-9])?$/.test(text)) return Number(text);
    return isBoolean && (text === "true" || text === "false") ? text === "true" : text;
  };
  if (value === undefined || typeof value === "string") return value && one(value);
  return value.map((item) => (typeof item === "string" ? one(item) : [item[0], one(item[1])]));
}

/** One level of the chain of a match. */
interface LevelData {
  readonly route: string;
  /** The template of the path from the root. */
  readonly path: string;
  /** The part of the path that the route's own template stands for, as it was sent. */
  readonly covered: string;
  readonly frame: string | undefined;
  /** The parameters that the route itself declares. */
  readonly params: { readonly [name: string]: unknown };
  readonly data: unknown;
}

/** The route with its ancestors, the outermost first. */
function chainOf(route: Route | undefined): Route[] {
  return route ? [...chainOf(route.parent), route] : [];
}

/** The chain from the outermost ancestor to the route. */
function levelsOf({ leaf, parts, steps }: Reading, values: Values): readonly LevelData[] {
  const { path, raws, texts } = parts;
  /** Where so many segments end. */
  const endOf = (segments: number): number => raws.slice(0, segments).reduce((sum, raw) => sum + 1 + raw.length, 0);
  /** Where a piece of a segment begins: an escape is one byte. */
  const startOf = (at: number, piece: number): number => {
    const pattern = steps[at];
    const raw = raws[at]!;
    let bytes = pattern && pattern.pieces.length > 1 ? split(pattern, readable(pattern, raw, texts[at]!))!.starts[piece]! : 0;
    let place = endOf(at) + 1;
    for (const start = place; bytes > 0; bytes -= 1) place += raw[place - start] === "%" ? 3 : 1;
    return place;
  };
  let start = 0;
  const chain = chainOf(leaf.route);
  return leaf.covers.map((cover, level) => {
    const end =
      typeof cover === "object" ? (cover[0] === 0 ? 0 : startOf(cover[0] - 1, cover[1]))
      : cover < 0 ? path.length
      : endOf(cover);
    const covered = path.slice(start, end);
    start = end;
    const own = leaf.route.params.filter((param, index) => param.level === level && values[index] !== undefined);
    const params = blankOf(own);
    for (const param of own) params[param.name] = typed(param, values[leaf.route.params.indexOf(param)]);
    const { name: route, path: template, frame, data } = chain[level]!;
    return { route, path: template, covered, frame, params, data };
  });
}

// Name and values → URL: the inverse of matching.

/** Texts by the name of their parameter. */
type Texts = ReadonlyMap<string, Value>;

const RETURN = "return";

/** A text as it is shown in a message. */
function escaped(text: string, quotes: RegExp = /['"\\]/g, odd: RegExp = /(?! )[\p{C}\p{Z}]|^\p{Grapheme_Extend}/gu): string {
  const named: { readonly [one: string]: string } = { "\t": "\\t", "\n": "\\n", "\r": "\\r", "\0": "\\0" };
  const code = (one: string): string => named[one] ?? `\\u{${one.codePointAt(0)!.toString(16)}}`;
  return text.replace(quotes, "\\$&").replace(odd, code);
}

function shown(value: Value | undefined): string {
  if (value === undefined) return "nothing";
  if (typeof value === "string") return `\`${escaped(value)}\``;
  const quoted = (text: string): string => `"${escaped(text, /["\\]/g, /(?! )[\p{C}\p{Z}\p{Grapheme_Extend}]/gu)}"`;
  return `[${value.map((one) => (typeof one === "string" ? quoted(one) : `(${quoted(one[0])}, ${quoted(one[1])})`)).join(", ")}]`;
}

/** The candidate that the fewest slips of the keyboard turn into a word; nothing where that would be a guess. */
function nearest(word: string, candidates: readonly string[]): string {
  let best: readonly [slips: number, candidate: string] | undefined;
  const wanted = Array.from(word);
  for (const candidate of candidates) {
    const known = Array.from(candidate);
    const allowed = Math.max(Math.floor(Math.max(wanted.length, known.length) / 3), 1);
    if (wanted.length > 64 || known.length > 64 || Math.abs(wanted.length - known.length) > allowed) continue;
    // The optimal string alignment distance.
    let before: number[] = [];
    let above = [0, ...known.map((_, at) => at + 1)];
    for (const [row, a] of wanted.entries()) {
      const own = [row + 1];
      for (const [column, b] of known.entries()) {
        let least = Math.min(above[column]! + (a === b ? 0 : 1), above[column + 1]! + 1, own[column]! + 1);
        if (row > 0 && column > 0 && a === known[column - 1] && wanted[row - 1] === b) least = Math.min(least, before[column - 1]! + 1);
        own.push(least);
      }
      [before, above] = [above, own];
    }
    const slips = above[known.length]!;
    if (slips <= allowed && (!best || slips < best[0])) best = [slips, candidate];
  }
  return best ? `; did you mean \`${best[1]}\`?` : "";
}

/** The route to which a link leads. */
function linkable(name: string): Route {
  const id = table.idOf(name);
  const quoted = `\`${escaped(name)}\``;
  if (id < 0) {
    throw new LinkError("unknown-route", name, `no route is named ${quoted}${nearest(name, table.data.routes.map(([known]) => known))}`);
  }
  const route = table.route(id);
  const { redirect, page } = route;
  if (redirect) {
    const to = typeof redirect.to === "number" ? `\`${table.route(redirect.to).name}\`` : "another site";
    throw new LinkError("redirect", name, `${quoted} only redirects to ${to}; link to that`);
  }
  if (page === undefined) throw new LinkError("group", name, `${quoted} has no page: it only groups other routes; link to one of those`);
  return route;
}

/** A value in the form that its parameter has. */
function inForm({ rule, kind }: Param, value: Value): Value {
  if (typeof value !== "string") return value;
  if (rule.many) return rule.many.values ? value : [value];
  return HOSTS && kind === HOST ? normalHost(value) : value;
}

function givenFor(param: Param, given: Texts): Value | undefined {
  const value = given.get(param.name);
  return value === undefined ? param.fallback : inForm(param, value);
}

/** The values that go into the template: all checked, defaults filled in or left out. */
function checked({ name, path, params }: Route, given: Texts, inherited: Texts, leaveOut: boolean): Map<string, Value> {
  for (const key of given.keys()) {
    if (params.some((param) => param.name === key)) continue;
    const near = nearest(key, params.map((param) => param.name));
    throw new LinkError("unknown-param", name, `\`${name}\` has no parameter \`${escaped(key)}\`${near}`, key);
  }
  const all = new Map<string, Value>();
  for (const param of params) {
    const { name: key, kind, isOptional, fallback } = param;
    const mayGo = isOptional && (leaveOut || kind === QUERY);
    const own = given.get(key) ?? inherited.get(key);
    if (own !== undefined) {
      const value = inForm(param, own);
      if (mayGo && isSame(fallback, value)) continue;
      check(name, param, value);
      all.set(key, value);
    } else if (!mayGo && fallback !== undefined) {
      all.set(key, fallback);
    } else if (!isOptional) {
      throw new LinkError("missing", name, `a link to \`${name}\` needs a value for \`${key}\``, key);
    }
  }
  // What is filled from left to right has no gaps: the default of a value before another is written after all.
  for (const part of partsOf(path)) {
    if (typeof part === "string" || (part.operator !== "/" && part.operator !== ".")) continue;
    const names = part.variables.map((variable) => variable.name);
    const last = names.filter((key) => all.has(key)).pop();
    for (const key of last === undefined ? [] : names.slice(0, names.indexOf(last))) {
      if (all.has(key)) continue;
      const fallback = params.find((param) => param.name === key)?.fallback;
      if (fallback === undefined) {
        throw new LinkError("gap", name, `\`${last}\` of \`${name}\` stands after \`${key}\`, which has no value`, last);
      }
      all.set(key, fallback);
    }
  }
  return all;
}

/** Checks the form of a value, then each text of it. */
function check(route: string, param: Param, value: Value): void {
  const { name, rule } = param;
  const { many } = rule;
  const wrong = (expected: string, found = ""): LinkError =>
    new LinkError("form", route, `expected ${expected} for \`${name}\` of \`${route}\`${found}`, name);
  if (!many) {
    if (typeof value !== "string") throw wrong("one value");
    checkText(route, param, rule, value);
    return;
  }
  const { items, values, least, most, isUnique } = many;
  if (typeof value === "string" || value.some((item) => (typeof item === "string") === (values !== undefined))) {
    throw wrong(values ? "a list of pairs" : "a list of texts");
  }
  if (value.length < least || value.length > most) {
    throw wrong(`at least ${least} ${most === NO_LIMIT ? "" : `and at most ${most} `}items`, `, found ${value.length}`);
  }
  for (const item of value) {
    const [first, second] = typeof item === "string" ? [item] : item;
    checkText(route, param, items, first!);
    if (values) checkText(route, param, values, second!);
  }
  const twice = value.find((item, at) => isUnique && (value as readonly unknown[]).indexOf(item) < at);
  if (twice !== undefined) refuse(route, name, value.join(","), `\`${twice}\` is there twice`);
}

function refuse(route: string, name: string, value: string, reason: string): never {
  throw new LinkError("refused", route, `\`${name}\` of \`${route}\` refused \`${escaped(value)}\`: ${reason}`, name);
}

function checkText(route: string, { name, kind }: Param, rule: Rule, text: string): void {
  const isInQuery = kind === QUERY || kind === PAIRS;
  const of = `\`${name}\` of \`${route}\``;
  if ((!isInQuery || !rule.isAny) && hasControl(text)) {
    const found = escaped(/[\0-\x1f\x7f]/.exec(text)![0]);
    throw new LinkError("refused", route, `the value for ${of} holds the control character '${found}', which no URL may hold`, name);
  }
  if (rule.isAny && (isInQuery || kind === FRAGMENT)) return;
  if (text === "") throw new LinkError("refused", route, `expected at least one character for ${of}, found none`, name);
  const reason = refusal(rule, text);
  if (reason !== undefined) refuse(route, name, text, reason);
}

function written({ name, path, host }: Route, values: Texts): string {
  const value = (key: string): Value | undefined => values.get(key);
  const { origin, bytes } = table.data.site;
  // A path whose only segments are optional expands to nothing at all.
  const expanded = expand(path, value).replace(/^(?!\/)/, "/");
  const dots = /\/(\.\.?)(?![^/?#])/.exec(expanded.split(/[?#]/, 1)[0]!);
  if (dots) {
    throw new LinkError("refused", name, `the link to \`${name}\` would have a segment \`${dots[1]}\`, which is removed from every URL`);
  }
  const url = (HOSTS && host ? `${origin.split("://", 1)[0] || "https"}://${expand(host.template, value)}` : "") + addressFor(expanded);
  if (isLonger(url, bytes)) {
    throw new LinkError("long", name, `the link to \`${name}\` would have ${url.length} bytes; a URL may have ${bytes}`);
  }
  return url;
}

/** The live lists that a rule, or the rules of its items, name. */
function listsOf({ list, many }: Rule): readonly unknown[] {
  return many ? [many.items.list, many.values?.list] : [list];
}

/** Why a URL would not be read as a route with these values, if so. */
function misread({ name, params, methods }: Route, values: Texts, url: string): LinkError | undefined {
  // A link's own values are in the lists that they are said to be in.
  const isOwn = (list: string, value: string): boolean =>
    params.some((param) => listsOf(param.rule).includes(list) && [values.get(param.name)].flat(2).includes(value));
  const asked: Asked = { isListed: isOwn, isMet: () => true };
  const found = lookup(url, undefined, methods[0] ?? "GET", asked);
  const wrong = (message: string, param?: string): LinkError =>
    new LinkError("not-reversible", name, `\`${url}\` would ${message}`, param);
  if (!found || !("reading" in found)) {
    return wrong(`not be read as \`${name}\`: a value holds a character that means something else in a URL`);
  }
  const by = found.reading.leaf.route.name;
  if (by !== name) {
    return new LinkError("captured", name, `\`${url}\` would be answered by \`${by}\`, not by \`${name}\`; link to \`${by}\` instead`);
  }
  const read = valuesOf(found.reading);
  const at = params.findIndex(({ kind, name: key, fallback }, index) => kind !== FRAGMENT && !isSame(read[index], values.get(key) ?? fallback));
  if (at < 0) return undefined;
  const key = params[at]!.name;
  return wrong(`be read as \`${name}\` with ${shown(read[at])} for \`${key}\`, not with ${shown(values.get(key))}`, key);
}

/** The URL of a redirect: whatever answers it. */
function urlOfAny(route: Route, given: Texts): string {
  return written(linkable(route.name), checked(route, given, new Map(), true));
}

/** The URL of a route, with every word about what is wrong with it. */
function urlOf(route: Route, given: Texts, inherited: Texts = new Map()): string {
  const short = checked(route, given, inherited, true);
  const url = written(route, short);
  const error = misread(route, short, url);
  if (!error) return url;
  // Where leaving a default out lets another reading in, it is written.
  const long = checked(route, given, inherited, false);
  const longUrl = written(route, long);
  if (isSame([...long], [...short]) || misread(route, long, longUrl)) throw error;
  return longUrl;
}

/** The values of a call as texts; what is absent or a list without items is none. */
function textsOf(values: object): Map<string, Value> {
  const text = (one: unknown): string => String(one).replace(/\p{Surrogate}/gu, "\ufffd");
  const all = new Map<string, Value>();
  for (const [name, value] of Object.entries(values) as [string, unknown][]) {
    if (value === undefined || value === null) continue;
    const items: unknown[] = Array.isArray(value) ? value : typeof value === "object" ? Object.entries(value) : [];
    const texts = items.map((item) => (Array.isArray(item) ? ([text(item[0]), text(item[1])] as const) : text(item)));
    if (typeof value !== "object") all.set(name, text(value));
    else if (texts.length > 0) all.set(name, texts as Value);
  }
  return all;
}

// Where in the table a URL stands, and links from there.

const READ: unique symbol = /* @__PURE__ */ Symbol("read");

/**
 * The deepest route that covers a URL, the routes above it, their frames, and the values that were read on the way. What few readers ask
 * for is worked out when they do.
 */
class At {
  declare readonly route: string;
  declare readonly params: { readonly [name: string]: unknown };
  // Only the functions of this module have a use for it; what has a symbol for a name is neither copied nor written as JSON.
  declare readonly [READ]: Read;

  constructor(reading: Reading, values: Values) {
    const { route } = reading.leaf;
    const params: { [name: string]: unknown } = { ...route.blank };
    for (let index = 0; index < route.params.length; index += 1) {
      const param = route.params[index]!;
      if (param.kind !== FRAGMENT || param.fallback !== undefined) params[param.name] = typed(param, values[index]);
    }
    this.route = route.name;
    this.params = params;
    this[READ] = { reading, values };
  }

  /** The address as it was asked: path and query, without scheme and host. */
  get address(): string {
    return addressOf(this[READ].reading.parts);
  }

  get levels(): readonly LevelData[] {
    const { reading, values } = this[READ];
    return levelsOf(reading, values);
  }

  get frames(): readonly string[] {
    return framesOf(routeOf(this));
  }

  get data(): unknown {
    return routeOf(this).data;
  }
}

class Page extends At {
  declare readonly outcome: "page";
  declare readonly status: 200;
  declare readonly page: string;

  constructor(reading: Reading, values: readonly (Value | undefined)[], page: string) {
    super(reading, values);
    this.outcome = "page";
    this.status = 200;
    this.page = page;
  }
}

interface Read {
  readonly reading: Reading;
  readonly values: Values;
}

function routeOf(at: At): Route {
  return at[READ].reading.leaf.route;
}

/** The value of a parameter, by its name. */
function valueOf(at: At, name: string): Value | undefined {
  const { reading, values } = at[READ];
  return values[reading.leaf.route.params.findIndex((param) => param.name === name)];
}

/** The frames around a route, outermost first: the site's, then those of the levels. */
function framesOf(route: Route | undefined): readonly string[] {
  return [table.data.site, ...chainOf(route)].flatMap(({ frame }) => frame ?? []);
}

/** The variables in the parts with which both templates begin. */
function commonBeginning(own: string, target: string): string[] {
  const shown = (part: Part | undefined): string => JSON.stringify(part, ["operator", "variables", "name"]);
  const [left, right] = [partsOf(own), partsOf(target)];
  const differs = right.findIndex((part, at) => shown(part) !== shown(left[at]));
  const same = differs < 0 ? right : right.slice(0, differs);
  return same.flatMap((part) => (typeof part === "string" ? [] : part.variables.map(({ name }) => name)));
}

/** What a link inherits from a position: what the two addresses share, and what the target cannot do without. */
function inheritedFrom(at: At, target: Route): Map<string, Value> {
  const own = routeOf(at);
  const shared = commonBeginning(own.path, target.path);
  const [ownNames, names] = [own.name.split("."), target.name.split(".")];
  const differs = ownNames.findIndex((name, index) => name !== names[index]);
  const common = differs < 0 ? ownNames.length : differs;
  const inherited = new Map<string, Value>();
  for (const { name, level, kind, isOptional, fallback } of target.params) {
    const isNeeded = !isOptional && fallback === undefined;
    const isOfAncestor = level < common && kind !== QUERY;
    const value = valueOf(at, name);
    const isInQuery = own.params.some((param) => param.name === name && param.kind === QUERY);
    if (value !== undefined && !isInQuery && (isNeeded || shared.includes(name) || isOfAncestor)) inherited.set(name, value);
  }
  return inherited;
}

/** How a link is made. */
interface LinkFrom {
  readonly from?: At | undefined;
  readonly absolute?: boolean | undefined;
  readonly back?: "carry" | "here" | undefined;
}

function linkOf(name: string, given: object = {}, { from, absolute, back }: LinkFrom = {}): string {
  const route = linkable(name);
  const texts = textsOf(given);
  const inherited = from ? inheritedFrom(from, route) : new Map<string, Value>();
  // A value that is set to nothing takes back what is inherited.
  for (const [key, value] of Object.entries(given)) if (value === undefined || value === null) inherited.delete(key);
  const address = from && (back === "here" ? from.address : back === "carry" ? valueOf(from, RETURN) : undefined);
  if (address !== undefined) texts.set(RETURN, address);
  const url = urlOf(route, texts, inherited);
  if (!absolute || url[0] !== "/") return url;
  if (table.data.site.origin !== "") return table.data.site.origin + url;
  const mend = 'set `origin = "https://…"` under `[site]`';
  throw new LinkError("no-origin", name, `an absolute link to \`${name}\` needs the origin of the site; ${mend}`);
}

/** Whether a link leads to the page that is shown (`page`), or to an ancestor of it (`true`): a value for `aria-current`. */
function activity(name: string, given: object, at: At): "page" | "true" | undefined {
  const shown = routeOf(at);
  const route = chainOf(shown).find((one) => one.name === name);
  const texts: Texts = textsOf(given);
  const isSameValue = (param: Param): boolean => {
    const isOfQuery = param.kind === QUERY || param.kind === PAIRS;
    if (param.kind === FRAGMENT || (isOfQuery && !texts.has(param.name))) return true;
    // The query of an ancestor is not in the URL of its descendants.
    return (!isOfQuery || route === shown) && isSame(givenFor(param, texts), valueOf(at, param.name));
  };
  if (!route || !route.params.every(isSameValue)) return undefined;
  return route === shown ? "page" : "true";
}

/** The URL of the nearest ancestor with a page, with the same values. */
function above(at: At): string | undefined {
  for (let { parent } = routeOf(at); parent; { parent } = parent) {
    if (parent.page === undefined) continue;
    try {
      return linkOf(parent.name, {}, { from: at });
    } catch {
      // The next one may have a link.
    }
  }
  return undefined;
}

/** A parameter of a level that stays, and whose value differs. */
interface ChangeData {
  readonly name: string;
  readonly route: string;
  readonly before: unknown;
  readonly after: unknown;
}

interface TransitionData {
  readonly kept: readonly string[];
  readonly left: readonly string[];
  readonly entered: readonly string[];
  readonly changed: readonly ChangeData[];
}

/** What changes when one page takes the place of another, or is the first. */
function changeBetween(from: At | undefined, to: At): TransitionData {
  const [old, next] = [from?.levels ?? [], to.levels];
  const differs = next.findIndex(({ route }, level) => route !== old[level]?.route);
  const same = differs < 0 ? next.length : differs;
  const changed = next.slice(0, same).flatMap((after, level): ChangeData[] => {
    const before = old[level]!;
    const names = new Set(Object.keys({ ...before.params, ...after.params }));
    const changes = [...names].map((name) => ({ name, route: after.route, before: before.params[name], after: after.params[name] }));
    return changes.filter((change) => !isSame(change.before, change.after));
  });
  const names = (levels: readonly LevelData[]): string[] => levels.map(({ route }) => route);
  return { kept: names(next.slice(0, same)), left: names(old.slice(same)).reverse(), entered: names(next.slice(same)), changed };
}

// From a request to a decision.

interface Request {
  readonly method?: string | undefined;
  readonly host?: string | undefined;
  readonly ask?: (question: Question) => Answer;
}

type DecisionData =
  | Page
  | { readonly outcome: "redirect"; readonly status: number; readonly location: string; readonly route: string | undefined; readonly isExternal: boolean }
  | { readonly outcome: "unmet"; readonly status: 303 | 403; readonly need: string; readonly location: string | undefined; readonly position: At | undefined }
  | {
      readonly outcome: "not-found";
      readonly status: 404;
      readonly page: string | undefined;
      readonly frames: readonly string[];
      readonly position: At | undefined;
      readonly reason: string | undefined;
    }
  | { readonly outcome: "wrong-method"; readonly status: 405; readonly allow: readonly string[]; readonly position: At | undefined }
  | { readonly outcome: "options"; readonly status: 204; readonly allow: readonly string[] }
  | { readonly outcome: "bad-request"; readonly status: 400 | 414; readonly reason: string }
  | { readonly outcome: "unavailable"; readonly status: 503; readonly question: Question; readonly retryAfter: number | undefined };

/** The answers to the questions of one request. Each question is asked once. */
class Answers implements Asked {
  declare readonly known: Map<string, Answer>;
  /** The first question without an answer. */
  declare stopped: Question | undefined;
  declare private readonly ask: (question: Question, key: string) => Answer;

  constructor(ask: (question: Question, key: string) => Answer) {
    this.known = new Map();
    this.stopped = undefined;
    this.ask = ask;
  }

  isListed(list: string, value: string): boolean {
    return this.isSo({ list, value });
  }

  isMet(need: string): boolean {
    return this.isSo({ need });
  }

  private isSo(question: Question): boolean {
    const key = JSON.stringify(question);
    if (!this.known.has(key)) this.known.set(key, this.ask(question, key));
    const answer = this.known.get(key);
    if (typeof answer !== "boolean") this.stopped ??= question;
    return answer === true;
  }
}

/** No value is in a list, and every need is met. */
const nobody: Asked = { isListed: () => false, isMet: () => true };

interface Step {
  readonly status: number;
  readonly location: string;
  readonly route: Route | undefined;
  readonly isExternal: boolean;
}

/** What one look at the table comes to. */
type Outcome =
  | { readonly found: Page }
  | { readonly step: Step }
  | { readonly need: string; readonly location: string | undefined }
  | { readonly missing: readonly [to: Route, reason: string] | undefined }
  | { readonly others: readonly Reached[] }
  | { readonly bad: Bad };

interface Look {
  readonly method: string;
  readonly host: string | undefined;
  readonly asked: Asked;
}

const MOST_STEPS = 8;

function canonical(location: string): Outcome {
  return { step: { status: 308, location, route: undefined, isExternal: false } };
}

/** What a function gives; nothing for a link that cannot be made. */
function linked(make: () => string | undefined): string | undefined {
  try {
    return make();
  } catch (error) {
    if (error instanceof LinkError) return undefined;
    throw error;
  }
}

/** One look at the table. */
function look(url: string, request: Look): Outcome {
  const { method, host, asked } = request;
  const found = lookup(url, host, method, asked);
  if (!found) return { missing: undefined };
  if ("address" in found) return canonical(found.address);
  if (!("reading" in found)) return found;
  const { reading } = found;
  const { redirect, needs, page } = reading.leaf.route;
  const values = valuesOf(reading);
  if (redirect) return redirected(redirect, reading, values);
  if (needless(reading, values) > 0) {
    const address = linked(() => withoutNeedless(reading, values, asked));
    if (address !== undefined) return canonical(address);
  }
  for (const index of needs) {
    const [need, otherwise] = table.data.needs[index]!;
    if (asked.isMet(need)) continue;
    const to = otherwise === undefined ? undefined : table.route(otherwise);
    return { need, location: to && signInAt(to, reading, values, url, request) };
  }
  return { found: new Page(reading, values, page!) };
}

/** The names of parameters with their values. */
function named({ params }: Route, all: Values): Map<string, Value> {
  return new Map(params.flatMap(({ name }, index): [string, Value][] => (all[index] === undefined ? [] : [[name, all[index]!]])));
}

function redirected({ status, to, values: fillings }: RedirectTo, reading: Reading, values: Values): Outcome {
  const { route } = reading.leaf;
  const isExternal = typeof to === "string";
  let url: string;
  if (isExternal) {
    const all = named(route, values);
    url = expand(to, (name) => all.get(name));
  } else {
    const given = new Map<string, Value>();
    for (const [name, ...pieces] of fillings) {
      const all = pieces.map((piece) => (typeof piece === "number" ? values[piece] : piece));
      const value = all.length === 1 ? all[0] : all.every((piece) => typeof piece === "string") ? all.join("") : undefined;
      if (value !== undefined) given.set(name, value);
    }
    const target = table.route(to);
    try {
      url = urlOfAny(target, given);
    } catch (error) {
      if (error instanceof LinkError) return { missing: [target, error.message] };
      throw error;
    }
  }
  return { step: { status, location: withRest(url, reading), route, isExternal } };
}

/** The address without the values that are there for nothing; nothing where none can be left out. */
function withoutNeedless(reading: Reading, values: Values, asked: Asked): string | undefined {
  const { route } = reading.leaf;
  const short = urlOf(route, named(route, values));
  const found = lookup(short, undefined, route.methods[0] ?? "GET", asked);
  if (!found || !("reading" in found) || found.reading.leaf.route !== route) return undefined;
  return needless(found.reading, valuesOf(found.reading)) < needless(reading, values) ? withRest(short, reading) : undefined;
}

/** A URL with the pairs of the query that the route does not know, as they were sent. */
function withRest(url: string, reading: Reading): string {
  const hash = IN_FRAGMENT ? -1 : url.indexOf("#");
  const fragment = hash < 0 ? "" : url.slice(hash);
  let out = hash < 0 ? url : url.slice(0, hash);
  const nameOf = (pair: string): string => pair.split("=", 1)[0]!;
  const known = (out.split("?")[1] ?? "").split("&").map(nameOf);
  for (const pair of unknownPairs(reading)) {
    if (!known.includes(nameOf(pair))) out += (out.includes("?") ? "&" : "?") + cleanQuery(pair);
  }
  return out + fragment;
}

/** The page to which people are sent who do not meet a need, with the way back. */
function signInAt(to: Route, { leaf, parts }: Reading, all: Values, url: string, { method, host, asked }: Look): string | undefined {
  const given = new Map<string, Value>();
  for (const { name, kind } of to.params) {
    const value = all[leaf.route.params.findIndex((own) => own.name === name && own.kind === kind)];
    if (name !== RETURN && value !== undefined) given.set(name, value);
  }
  const showsPage = (): boolean => {
    const found = lookup(url, host ?? parts.host, "GET", asked);
    return found !== undefined && "reading" in found && found.reading.leaf.route.page !== undefined;
  };
  // Coming back is a `GET`, so only what answers one is a place to come back to.
  const isRead = method === "GET" || method === "HEAD" || showsPage();
  const back = isRead ? linked(() => urlOf(to, new Map(given).set(RETURN, addressOf(parts)))) : undefined;
  return back ?? linked(() => urlOf(to, given));
}

/** The methods as they are listed: `GET` brings `HEAD`, and `OPTIONS` is answered everywhere. */
function allowed(routes: readonly Route[]): readonly string[] {
  const methods = new Set(routes.flatMap((route) => route.methods)).add("OPTIONS");
  if (methods.has("GET")) methods.add("HEAD");
  return [...methods].sort();
}

/** Decides with these answers. */
function decideWith(url: string, request: Look): DecisionData {
  if (isLonger(url, table.data.site.bytes)) return { outcome: "bad-request", status: 414, reason: tooLong() };
  if (url === "*" && request.method === "OPTIONS") {
    const answering = table.data.routes.map((_, id) => table.route(id)).filter(({ page, redirect }) => page !== undefined || redirect);
    return { outcome: "options", status: 204, allow: allowed(answering) };
  }
  let outcome = look(url, request);
  if (!("step" in outcome)) return decision(url, outcome, request);
  const host = targetOf(url, false).host ?? request.host;
  let { step } = outcome;
  let { method } = request;
  for (let count = 0; count < MOST_STEPS; count += 1) {
    if (step.status === 303 || (step.status < 303 && method === "POST")) method = "GET";
    if (!step.isExternal) outcome = look(step.location, { ...request, method, host });
    if (step.isExternal || "found" in outcome) {
      const { status, location, route, isExternal } = step;
      return { outcome: "redirect", status, location, route: route?.name, isExternal };
    }
    // The request stands where the address does that it leads to.
    if (!("step" in outcome)) return decision(step.location, outcome, request);
    const next: Step = outcome.step;
    const isForGood = (status: number): boolean => status === 301 || status === 308;
    // A redirect for now must not be taken for one for good.
    const takesOver = step.route ? isForGood(step.status) && !isForGood(next.status) : next.route !== undefined;
    step = { ...next, status: takesOver ? next.status : step.status, route: step.route ?? next.route };
  }
  return decision(url, { missing: step.route && [step.route, "its redirects lead in a circle"] }, request);
}

/** The decision for a look that gave no page, at the address that the request stands for. */
function decision(address: string, outcome: Exclude<Outcome, { readonly step: Step }>, request: Look): DecisionData {
  if ("found" in outcome) return outcome.found;
  if ("bad" in outcome) return { outcome: "bad-request", ...outcome.bad };
  const { owner, position } = placeOf(address, request);
  if ("need" in outcome) {
    const location = outcome.location && lastSignIn(outcome.location, request);
    return { outcome: "unmet", status: location ? 303 : 403, need: outcome.need, location, position };
  }
  if ("others" in outcome) {
    const allow = allowed(outcome.others.map(({ leaf }) => leaf.route));
    if (request.method === "OPTIONS") return { outcome: "options", status: 204, allow };
    return { outcome: "wrong-method", status: 405, allow, position };
  }
  const [to, reason] = outcome.missing ?? [];
  const above = to ? chainOf(to).reverse().find(({ fallback }) => fallback !== undefined) : owner;
  const { site, pages } = table.data;
  const page = above ? (above.fallback ?? undefined) : site.fallback === undefined ? undefined : pages[site.fallback];
  return { outcome: "not-found", status: 404, page, frames: position?.frames ?? framesOf(undefined), position, reason };
}

/** The place to sign in may have needs of its own, which are met elsewhere: where does one begin? */
function lastSignIn(first: string, request: Look): string {
  let location = first;
  for (let count = 0; count < MOST_STEPS; count += 1) {
    const outcome = look(location, { ...request, method: "GET" });
    if (!("need" in outcome) || outcome.location === undefined) break;
    location = outcome.location;
  }
  return location;
}

/** Where a request stands that leads to no page, and the route that says what is shown where something is missing. */
function placeOf(url: string, { method, host, asked }: Look): { owner?: Route | undefined; position?: At | undefined } {
  const parts = parse(url, host);
  if (parts === undefined || typeof parts === "string" || isBad(parts)) return {};
  const silent = new Answers((_, key) => (asked instanceof Answers ? asked.known.get(key) : undefined));
  const owner = covering(parts, method, silent, ({ fallback }) => fallback !== undefined)?.leaf.route;
  const found = find(parts, silent);
  const isBelow = (route: Route): boolean => !owner || chainOf(route).includes(owner);
  const reached = choose(found, method) ?? found[0] ?? covering(parts, method, silent, isBelow);
  if (!reached) return { owner };
  const reading = { ...reached, parts };
  return { owner, position: new At(reading, valuesOf(reading)) };
}

function settled(decision: DecisionData, { stopped, known }: Answers): DecisionData {
  if (!stopped) return decision;
  const answer = known.get(JSON.stringify(stopped));
  return { outcome: "unavailable", status: 503, question: stopped, retryAfter: typeof answer === "object" ? answer.retryAfter : undefined };
}

function wellFormed(url: string): string {
  return !/[\ud800-\udfff]/.test(url) ? url : url.replace(/\p{Surrogate}/gu, "\ufffd");
}

function decided(url: string, { method = "GET", host, ask = () => false }: Request): DecisionData {
  const answers = new Answers(ask);
  return settled(decideWith(wellFormed(url), { method, host, asked: answers }), answers);
}

/** The same, for questions that take their time: it stops at each question on which it hangs, and goes on with the answer. */
async function decidedInSteps(
  url: string,
  { method, host }: Request,
  ask: (question: Question) => Answer | Promise<Answer>,
): Promise<DecisionData> {
  const known = new Map<string, Answer>();
  for (;;) {
    let open: Question | undefined;
    const put = (question: Question): Answer => {
      const key = JSON.stringify(question);
      if (!known.has(key)) open ??= question;
      return known.get(key);
    };
    const decision = decided(url, { method, host, ask: put });
    // What comes after a question without an answer is not asked.
    if (!open || decision.outcome !== "unavailable" || !isSame(decision.question, open)) return decision;
    known.set(JSON.stringify(open), await Promise.resolve(open).then(ask).catch(() => undefined));
  }
}

/** The page that answers a `GET`, whatever it asks of the visitor; no value counts as listed. */
function matched(url: string, host?: string): Page | undefined {
  const outcome = look(wellFormed(url), { method: "GET", host, asked: nobody });
  return "found" in outcome ? outcome.found : undefined;
}

/** Can a text be an address to come back to? Browsers take a backslash for a slash, and leave control characters out. */
function isAddress(wanted: string | null | undefined): wanted is string {
  return typeof wanted === "string" && /^\/(?![/\\])[!-[\]-~]*$/.test(wanted);
}
