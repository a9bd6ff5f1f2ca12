// The runtime of route tables: matching, links and decisions. Made by `vivid-lane convert --to typescript`; it is the same for every table.

/** No values: any name is an error. */
export interface None {
    readonly [none: string]: never;
}
/** A route that shows a page: the page, what its URL holds, what its link is given, and its data. */
export interface RouteType<Page, Read = None, Given = Read, Data = None> {
    readonly page: Page;
    readonly params: Read;
    readonly given: Given;
    readonly data: Data;
}
/** One level of the chain of a match, from the outermost ancestor to the route itself. */
export interface Level {
    readonly route: string;
    /** The template of the path, from the root. */
    readonly path: string;
    /** The part of the path that the level's own template stands for, as it was sent. */
    readonly covered: string;
    readonly frame: string | undefined;
    /** The values of the parameters that the level itself declares. */
    readonly params: {
        readonly [name: string]: unknown;
    };
    readonly data: unknown;
}
/** Where in the table a URL is, whatever the table. */
export interface Somewhere {
    /** The deepest route that covers the URL. */
    readonly route: string;
    readonly params: {
        readonly [name: string]: unknown;
    };
}
/** The position of a URL whose deepest route is this one. */
export interface At<Name, Read> {
    readonly route: Name;
    readonly params: Read;
}
/** A URL that shows the page of a route. */
export interface FoundPage<Name, Page, Read> extends At<Name, Read> {
    readonly outcome: "page";
    readonly status: 200;
    readonly page: Page;
}
/** For each route what a match of it is. */
export type MatchesOf<Routes> = {
    readonly [Name in keyof Routes]: Routes[Name] extends {
        readonly page: infer Page;
        readonly params: infer Read;
    } ? FoundPage<Name, Page, Read> : never;
};
/** For each route the position of a URL that it covers. */
export type PositionsOf<Routes> = {
    readonly [Name in keyof Routes]: Routes[Name] extends {
        readonly params: infer Read;
    } ? At<Name, Read> : never;
};
/** A whole number may be given as one that has more digits. */
type Wide<Value> = number extends Value ? Value | bigint : Value;
/** The values of a link. The route is part of the type, so that errors name it. */
export type LinkValues<_Name, Given> = {
    readonly [Key in keyof Given]: Wide<Given[Key]>;
};
/** The arguments of a link: the values may be left out where none must be given. */
export type LinkArguments<Name, Given> = {} extends Given ? [values?: LinkValues<Name, Given> | undefined] : [values: LinkValues<Name, Given>];
/** What a link from a position is given: all may be left out that it inherits. */
export type InheritingValues<_Name, Given> = {
    readonly [Key in keyof Given]?: Wide<Given[Key]> | undefined;
};
/** Something for every page, such as a component: a page that is left out is an error. */
export type RegistryOf<Pages, Shown> = {
    readonly [Page in keyof Pages]: (match: Pages[Page]) => Shown;
};
/** Send the visitor on, in one step. */
export interface Redirect {
    readonly outcome: "redirect";
    readonly status: number;
    readonly location: string;
    /** The route that redirects; nothing where the address only was not in its canonical form. */
    readonly route: string | undefined;
    /** Does it lead to another site? */
    readonly isExternal: boolean;
}
/** The visitor does not meet a need: send them to sign in, or refuse them. */
export interface UnmetOf<Need, Position> {
    readonly outcome: "unmet";
    readonly status: 303 | 403;
    readonly need: Need;
    readonly location: string | undefined;
    readonly position: Position | undefined;
}
/** Nothing has that URL. */
export interface NotFoundOf<Fallback, Position> {
    readonly outcome: "not-found";
    readonly status: 404;
    /** The page for what is missing here. */
    readonly page: Fallback | undefined;
    readonly position: Position | undefined;
    /** Why a redirect of the table leads nowhere, where one would have had the URL. */
    readonly reason: string | undefined;
}
/** The URL has a page, but not for that method. */
export interface WrongMethodOf<Position> {
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
/** Yes, no, or that it cannot be told now, with the seconds after which it is worth asking again. */
export type Answer = boolean | undefined | {
    readonly retryAfter?: number;
};
/** What a decision hangs on. */
export type Question = {
    readonly list: string;
    readonly value: string;
} | {
    readonly need: string;
};
/** What a list is asked through: a set, or a function. */
export type Asking<Reply> = ReadonlySet<string> | ((value: string) => Reply);
/** What is asked beside the URL. */
export interface AsksOf<Need, List extends string, Reply> {
    /** `GET` by default. */
    readonly method?: string | undefined;
    /** The host of the request, where the URL has none. */
    readonly host?: string | undefined;
    /** Which needs the visitor meets; none by default. */
    readonly meets?: ReadonlySet<Need> | ((need: Need) => Reply) | undefined;
    /** The live lists; empty by default. */
    readonly lists?: {
        readonly [Name in List]?: Asking<Reply> | undefined;
    } | undefined;
}
/** A parameter of a level that stays, and whose value differs. */
export interface Change {
    readonly name: string;
    /** The route that declares it. */
    readonly route: string;
    readonly before: unknown;
    readonly after: unknown;
}
/** What changes when one page takes the place of another. */
export interface Transition {
    /** The routes that stay, outermost first. */
    readonly kept: readonly string[];
    /** The routes that are left, innermost first. */
    readonly left: readonly string[];
    /** The routes that are entered, outermost first. */
    readonly entered: readonly string[];
    /** The parameters of routes that stay whose values differ: the same page with another value is a change too. */
    readonly changed: readonly Change[];
}
/** What kept a link from being made. */
export type LinkErrorKind = "unknown-route" | "group" | "redirect" | "no-origin" | "gap" | "unknown-param" | "missing" | "form" | "refused" | "long" | "captured" | "not-reversible";
/** What is known of an error; which of it there is depends on the kind. */
export interface Details {
    readonly [name: string]: unknown;
}
/** A link that could not be made. The message says why and how to mend it, where the sentences are loaded. */
export declare class LinkError extends Error {
    readonly kind: LinkErrorKind;
    /** The name of the route that was asked for. */
    readonly route: string;
    /** The parameter that is to blame, where one is. */
    readonly param: string | undefined;
    constructor(kind: LinkErrorKind, route: string, param?: string, details?: Details);
}
/** How errors are put into words: by nothing but their kind, until the sentences are loaded. */
declare const speech: {
    sentence: ((kind: LinkErrorKind, route: string, param: string | undefined, details: Details) => string) | undefined;
};
/** Puts errors into words from now on. */
export declare function speakBy(sentence: NonNullable<typeof speech.sentence>): void;

/**
 * Does it take the text from one place to another? Where the text is a whole segment of a URL, the URL is given too, with the number of
 * the segment: some rules need to know which delimiters were escaped, or ask a live list.
 */
export type Takes = (text: string, from: number, to: number, url?: Reading, segment?: number) => boolean;
/** What a rule is made of, for those who explain why it refuses a text. */
export type Facts = {
    readonly [name: string]: unknown;
} | undefined;
/** What one text may be: never an empty one, and none with a control character. */
export declare class Rule {
    readonly takes: Takes;
    /** The value that a text stands for, where it is no text. */
    readonly read: ((text: string, from: number, to: number) => unknown) | undefined;
    readonly facts: Facts;
    constructor(takes: Takes, read?: Rule["read"], facts?: Facts);
}
export declare function hasControl(text: string): boolean;
export declare const any: Rule;
export declare const natural: Rule;
export declare const integer: Rule;
/** Whole numbers between two limits that a number holds exactly. */
export declare function range(least: number, most?: number, base?: Rule): Rule;
export declare const number: Rule;
export declare const boolean: Rule;
export declare const digits: Rule;
/** A day of the calendar (RFC 3339, section 5.6). */
export declare const date: Rule;
export declare const slug: Rule;
export declare const time: Rule;
export declare const dateTime: Rule;
export declare const uuid: Rule;
export declare const hex: Rule;
export declare const email: Rule;
export declare const ipv4: Rule;
export declare const alpha: Rule;
export declare const alnum: Rule;
/** The name of a file that means the same on every common system. */
export declare const fileName: Rule;
/** One of some words. */
export declare function oneOf(...words: readonly string[]): Rule;
/** A regular expression of which it is known that it is linear; `source` is how the table writes it, where that is another text. */
export declare function pattern(expression: RegExp, source?: string): Rule;
/** For each state whether it accepts, and the ranges of bytes that lead on: from, to, state. The first state is the start. */
export type Automaton = readonly (readonly number[])[];
/** Texts that an automaton accepts; `source` is the pattern that it was made of, `reason` says in words what it refuses. */
export declare function automaton(states: Automaton, facts: {
    readonly source: string;
} | {
    readonly reason: string;
}): Rule;
/** The bytes of a text in UTF-8. */
export declare function bytesOf(text: string): number[];
/** The state after a byte; -1 for none. */
export declare function stepped(state: readonly number[], byte: number): number;
/** What several rules take. The first gives the value. */
export declare function all(...rules: readonly Rule[]): Rule;
/** What one of several rules takes. */
export declare function either(...rules: readonly Rule[]): Rule;
/** Texts of which some stand for numbers. */
export declare function numbers(rule: Rule): Rule;
/** Texts of which some stand for true and false. */
export declare function booleans(rule: Rule): Rule;
/** Sign, digits before and after the point of a decimal number in its one spelling. */
export declare function decimal(text: string): RegExpExecArray | null;
/** Numbers on one side of a limit, whatever their length. */
export declare function bound(sign: ">=" | "<=" | ">" | "<", limit: string): Rule;
export declare function multipleOf(limit: string): Rule;
/** Texts with so many characters. */
export declare function length(least: number, most?: number): Rule;
/** Texts that are in a live list, which is asked only while a URL is looked up. */
export declare function listed(list: string, rule?: Rule): Rule;

/** Who answers what only the caller knows. */
export interface Asked {
    isListed(list: string, value: string): boolean;
    isMet(need: string): boolean;
}
/** No value is in a list, and every need is met. */
export declare const nobody: Asked;
/** How the slash at the end of a path is treated. */
export declare const NEVER = 0;
export declare const ALWAYS = 1;
export declare const EITHER = 2;
/**
 * What was read of a URL: a text with the segments, decoded; for each segment where it starts and ends in that text, and a number by which
 * literals are found. Decoded segments are put behind the URL.
 */
export declare class Reading {
    url: string;
    text: string;
    count: number;
    readonly starts: number[];
    readonly ends: number[];
    readonly numbers: number[];
    /** Where the path begins in the text, where the part of it below the base of the site, and where it ends without and with a slash. */
    start: number;
    from: number;
    to: number;
    stop: number;
    isEscaped: boolean;
    query: string;
    /** The host as it was sent. */
    host: string | undefined;
    asked: Asked;
    /** Where the walk ended: one way through a route, or all that were met. */
    end: End | undefined;
    readonly found: End[];
    /** Who looks at each node on the way instead, where one does. */
    visit: ((node: Node, at: number) => void) | undefined;
    constructor();
    /** A segment, decoded. */
    segment(at: number): string;
    /** The path below the base of the site as it was sent, without a slash at its end. */
    path(): string;
    /** A segment as it was sent. */
    raw(at: number): string;
}
/** A reading to be filled. Most calls use the same one; a call within a call, as a live list may make, gets its own. */
export declare function take(asked: Asked, host: string | undefined): Reading;
export declare function giveBack(reading: Reading): void;
/** The number of a literal. */
export declare function numberOf(text: string): number;
/** Reads a path with an optional query, or an absolute URL; false where it is not in its normal form. */
export declare function scan(reading: Reading, url: string, site: Site): boolean;
/** Reads the path that begins at a place. Where a bare root is allowed, a path of nothing is in its normal form. */
export declare function scanPath(reading: Reading, url: string, start: number, site: Site, isBareRoot: boolean): boolean;
export declare function isVacant(query: string): boolean;
/** Halves of characters outside of the first plane stand for nothing. */
export declare function wellFormed(text: string): string;

/** A name or a value of a query, decoded. */
export declare function decodeForm(raw: string): string;
/** Calls a function for each pair of a query, with where its name begins and ends, and where its value ends. */
export declare function eachPair(query: string, found: (from: number, sign: number, to: number) => void): void;
export declare function nameOf(query: string, from: number, sign: number): string;
/** The values of a name, as they were sent. */
export declare function rawsOf(query: string, key: string): string[];
/** The first value of a name, as it was sent. */
export declare function rawOf(query: string, key: string): string | undefined;

/** A value as text: one, a list, or names with values. */
export type Value = string | readonly string[] | readonly (readonly [string, string])[];
/** Where a value is, in the order in which a URL is judged: single values come before lists, as questions to live lists have an order. */
export declare const SEGMENT = 0;
export declare const QUERY = 1;
export declare const REPEATED = 2;
export declare const PAIRS = 3;
export declare const ITEMS = 4;
export declare const REST = 5;
export declare const HOST = 6;
export declare const FRAGMENT = 7;
/** Is a value in the query? */
export declare const isInQuery: ({ kind }: Spec) => boolean;
/** The rules of items, or of names and values; how many there may be, and whether each may be there once only. */
export interface Many {
    readonly items: Rule;
    readonly values: Rule | undefined;
    readonly least: number;
    readonly most: number;
    readonly isUnique: boolean;
}
/** A parameter as the table declares it. */
export interface Spec {
    readonly kind: number;
    /** The rule of one text: of the value, of an item, or of the value of a pair. */
    readonly rule: Rule;
    /** The rule of a segment in which it stands. */
    readonly texts: Rule;
    readonly many: Many | undefined;
    readonly fallback: Value | undefined;
    readonly isOptional: boolean;
    /** Must it be in the query? */
    readonly isRequired: boolean;
    /** Does it take all segments to the end? */
    readonly isTail: boolean;
    /** Its name in the query, where that is another one. */
    readonly key: string | undefined;
    /** Its value in a URL; nothing where it is absent. */
    readonly find: ((reading: Reading, param: Param, end: End) => Value | undefined) | undefined;
    /** May a URL with this value be answered? */
    readonly judge: ((reading: Reading, param: Param, end: End) => boolean) | undefined;
    /** Does a URL spell it out where it could be left out: a default, or what is empty and counts as absent? */
    readonly isNeedless: ((reading: Reading, param: Param, end: End, index: number) => boolean) | undefined;
}
/** A segment, or a part of one. */
export declare function segment(rule: Rule, fallback?: Value): Spec;
/** The same where it may be left out. */
export declare function optional(rule: Rule): Spec;
/** A parameter that is left out where it has this value. */
export declare function standard(spec: Spec, fallback: Value): Spec;
/** Any number of items. */
export declare function items(rule: Rule, least?: number, most?: number, isUnique?: boolean): Many;
/** Names with values. */
export declare function pairs(names: Rule, values: Rule, least?: number, most?: number): Many;
/** All segments to the end, each an item. */
export declare function tail(many: Many, texts?: Rule): Spec;
/** All segments to the end as one value, in which there may be slashes. */
export declare function rest(rule: Rule, fallback?: Value): Spec;
/** A value of the query. An empty one that its rule refuses counts as absent, as a form sends the fields that nobody filled in. */
export declare function query(rule: Rule, fallback?: Value): Spec;
/** A value of the query that must be there. */
export declare function required(rule: Rule, fallback?: Value): Spec;
/** A list in the query: the values of one name, each an item. */
export declare function repeated(many: Many, fallback?: Value): Spec;
/** A list or pairs in one value of the query, parted by commas. */
export declare function commas(many: Many, fallback?: Value): Spec;
/** All pairs of the query that no other name takes. */
export declare function others(many: Many, fallback?: Value): Spec;
/** A value in the host, and what it may be there: it has no dot. */
export declare function inHost(rule: Rule, texts: Rule, find: NonNullable<Spec["find"]>, fallback?: Value): Spec;
/** A value of the fragment, which is never sent: all that a URL tells of it is its default. */
export declare function inFragment(rule: Rule, fallback?: Value, many?: Many): Spec;
/** The same parameter with other properties: another name in the query, or one that must be there. */
export declare function but(spec: Spec, changes: Partial<Spec>): Spec;
/** Does an empty value count as if it were not there? */
export declare function isUnfilled({ kind, rule, many, isRequired }: Param, raw: string): boolean;
/** Texts as the value of a parameter; no items are none. */
export declare function valueOfMany({ values }: Many, texts: readonly string[]): Value | undefined;
/** Are there as many items as there may be, and is none there twice that must not be? */
export declare function fitsNumber({ least, most, isUnique }: Many, count: number, texts: readonly string[]): boolean;
/** Do rules take a list, or names and values in turn? */
export declare function takesItems(many: Many, texts: readonly string[], reading: Reading): boolean;
/** Is a name in the query one that the route reads for itself? */
export declare function readsName(route: Route, wanted: string): boolean;
/** A pair that the query must have. */
export declare function exact(name: string, value: string): Exact;
/** Can a link write a tail of this value? Nothing else is accepted, so that no tail leads out of a folder. */
export declare function isWritable(value: string): boolean;
/** A value as its rule types it: numbers, true and false, lists of these. Where a query was not judged, it may hold what its rule refuses, and stays text. */
export declare function typed(param: Param, value: Value | undefined): unknown;
export declare function isSame(left: unknown, right: unknown): boolean;
/** Sets a property, whatever its name. */
export declare function put(all: {
    [name: string]: unknown;
}, name: string, value: unknown): void;

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
/** The part of a template before its query. */
export declare function pathOf(template: string): string;
/** The names of the variables of a template. */
export declare function namesIn(template: string): string[];
/** The route with its ancestors, the outermost first. */
export declare function chainOf(route: Route): Route[];
export declare class Route {
    readonly table: Table;
    readonly index: number;
    readonly name: string;
    readonly page: string | undefined;
    readonly path: string;
    readonly parent: Route | undefined;
    readonly more: More;
    /** The routes below it that go on from where its ways end, and whether there are any others. */
    children: readonly Route[];
    isParent: boolean;
    /** Where its ways end, once they are in the tree. */
    ends: readonly End[] | undefined;
    private own;
    private judging;
    private whole;
    constructor(table: Table, index: number, [name, page, path, more]: Line, parent: Route | undefined);
    /** Does it answer URLs, by a page or a redirect? */
    get isAnswering(): boolean;
    /** The template from the root. */
    template(): string;
    /** The parameters, in the order in which they are declared. */
    params(): readonly Param[];
    /** What has a say in whether a URL is answered. */
    judges(): readonly (Exact | Param)[];
    /** Puts its ways into the tree. */
    grow(): void;
    /** Where one of its ways ends, which goes on from an end of the parent's or from the root. */
    private end;
}
/** A part of a segment: a text, or a value. */
export type Piece = string | Param;
/** Where a walk is after some segments. */
export declare class Node {
    readonly above: Node | undefined;
    /** The literal or the rule that leads here. */
    readonly text: string;
    readonly rule: Rule | undefined;
    readonly depth: number;
    /** Does it lead to itself, as every segment of a tail does? */
    readonly isTail: boolean;
    literals: Map<number, Node> | undefined;
    /** The next literal with the same number. */
    next: Node | undefined;
    edges: readonly Node[];
    /** Where routes end that answer, and those that only cover. */
    ends: readonly End[];
    areas: readonly End[];
    /** The lines that go on from here, and were not looked at. */
    waiting: readonly Route[];
    /** Is the first way that leads to an end always the right one? */
    isOrdered: boolean | undefined;
    constructor(above: Node | undefined, text: string, rule?: Rule, isTail?: boolean);
    literal(text: string): Node;
    edge(table: Table, rule: Rule, isTail: boolean): Node;
}
/** Where the value of a parameter is: in which segment, and which of its pieces; -1 for nowhere, and for all of it. */
export interface Spot {
    readonly segment: number;
    readonly piece: number;
}
/** One way through a route, from the root to its last segment. */
export declare class End {
    readonly route: Route;
    /** Its last segment; that of a tail is the first of one or more. */
    readonly node: Node;
    /** The segments as the table declares them. */
    readonly way: readonly (readonly Piece[])[];
    /** The end of the parent's way from which it goes on; else it brings what each level covers. */
    readonly above: End | undefined;
    readonly covers: readonly Cover[] | undefined;
    private places;
    constructor(route: Route, node: Node, way: End["way"], above: End | undefined, covers: End["covers"]);
    /** For each parameter of the route where its value is. */
    spots(): readonly Spot[];
}

/** The version of the runtime. A table that was made for another one says so when it is loaded. */
export declare const VERSION = "0.1.0";
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
    /** Addresses of pages stand in the fragment. */
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
export declare class Table {
    readonly site: Site;
    readonly params: Params;
    readonly routes: Map<string, Route>;
    readonly root: Node;
    /** The rules of segments in the order of the parameters, each with the name of its first. */
    readonly rules: Map<Rule, readonly [rank: number, name: string]>;
    private readonly known;
    constructor(version: string, lines: readonly Line[], params: Params, site: Partial<Site>);
    /** The parameter of a key; many routes share it. */
    param(key: string, name: string): Param | undefined;
    /** The place of an edge among those of its node. */
    rank(edge: Node): number;
    /** Makes what goes on from a node. */
    open(node: Node): void;
}

/** What a rule is called: by the first parameter that has it. A segment of several pieces brings its name. */
export declare function keyOf(table: Table, rule: Rule): string;
/** Segments in their order, the narrower first; those of tails with a star. */
export declare function ranked(...keys: readonly string[]): NonNullable<Site["rank"]>;
/** The nodes by which a path of so many segments comes to an end; nothing for a literal. Those of a tail are its last one again and again. */
export declare function stepsTo(last: Node, count: number): (Node | undefined)[];

/** Do the query of a URL, and the end of its path where that is a list, let a way answer it? */
export declare function takesQuery(reading: Reading, end: End): boolean;
/**
 * Goes on from a node with a segment. Every node but that of a tail is reached in one way only, so a walk meets it once at most. It
 * ends with the first way that answers, or looks at all of them where one URL may have several.
 */
export declare function walk(table: Table, reading: Reading, start: Node, first: number): boolean;
/** Ways in the order of their lines. */
export declare function inOrder(one: End, other: End): number;
export declare function methodsOf({ more }: Route): readonly string[];
/** Does a route answer a method? `GET` brings `HEAD` (RFC 9110, section 9.3.2). */
export declare function allows(route: Route, method: string): boolean;
/** The ways that answer a URL which was read, each no wider than any other that does. */
export declare function find(table: Table, reading: Reading): readonly End[];
/** Of ways none of which is the narrower, the one that answers a method. */
export declare function choose({ site: { several } }: Table, found: readonly End[], method: string): End | undefined;
/** The way that answers a URL which was read. */
export declare function seek(table: Table, reading: Reading, method: string): End | undefined;
/** The text of a value in the path, as it is judged; nothing where this way has none. */
export declare function textOf(reading: Reading, end: End, index: number): string | undefined;
/** What the URL has for a parameter; nothing where it is absent. */
export declare function sent(reading: Reading, end: End, index: number): Value | undefined;
/** For each parameter its value; of an absent one the default of its rule. */
export type Values = readonly (Value | undefined)[];
/** The value of a URL, or its default. */
export declare function valueOf(reading: Reading, end: End, index: number): Value | undefined;
/** The values of a URL, in the order of the parameters. */
export declare function valuesOf(reading: Reading, end: End): Values;
/** How many values a URL spells out that it could leave out. */
export declare function countNeedless(reading: Reading, end: End): number;
/** The values by name, typed by their rules. A fragment is never sent, so all that can be known of it is a default. */
export declare function typedParams(reading: Reading, end: End): {
    [name: string]: unknown;
};

/** Escapes all but unreserved characters. */
export declare function encodeUnreserved(text: string): string;
/** Escapes what is neither unreserved, nor reserved, nor an escape (RFC 6570, section 3.2.1). */
export declare function encodeReserved(text: string): string;
/** A segment in its normal form. */
export declare function normalSegment(raw: string): string;
/** A query in which nothing stands that a URL cannot hold. */
export declare function cleanQuery(raw: string): string;
/** Has a text more bytes than a limit? */
export declare function isLonger(text: string, limit: number): boolean;
/** A URL, cut at its delimiters. */
export interface Target {
    readonly host: string | undefined;
    /** The whole path as it was sent. */
    readonly sent: string;
    readonly query: string | undefined;
}
export declare function cutAtQuery(url: string): readonly [before: string, query: string | undefined];
/** Cuts a path with an optional query, or an absolute URL. */
export declare function targetOf(url: string): Target;
/** Why a URL is no URL of any site. */
export interface Bad {
    readonly status: 400 | 414;
    readonly reason: string;
}
export declare const tooLong: ({ bytes }: Site) => string;
/** What a URL that is not in its normal form comes to: another address, why it is none, or nothing where it is outside of the site. */
export declare function normalized(table: Table, url: string): string | Bad | undefined;
/** What an address starts with before the path of the page. */
export declare function prefixOf({ base, locate }: Site): string;
/** A query with its mark, as far as a URL can hold it; nothing for one that says nothing. */
export declare function queryOf(query: string | undefined): string;
/** The address of a page whose template expanded to this, or whose path this is. */
export declare function addressFor(expanded: string, site: Site): string;
/** The address that a URL was asked under: without scheme, host and fragment. */
export declare function addressOf(reading: Reading, site: Site): string;
/** The address of a page that was found, where the URL spells its path in another way: letters in another case, or a tail with escaped slashes. */
export declare function respelt(reading: Reading, end: End, site: Site): string | undefined;
/** The form in which letters are compared, where case does not count. */
export declare function lowerCase(text: string): string;

/** A segment as it was sent, decoded, with its delimiters as marks. */
export declare function marked(raw: string): string;
/** Marked text as plain text. */
export declare function plain(text: string): string;
/** What segments need of which one piece is a list. */
export declare const marks: Marks;
/** How items are joined in one text: what parts them (`,` `;` `.`, `+` for any comma, nothing for one item), whether a name has an equals sign, and the name before each item. */
export interface Join {
    readonly many: Many;
    readonly separator: string;
    readonly isNamed: boolean;
    readonly name: string | undefined;
}
/** The items of a marked text, plain; names and values in turn. Nothing where it cannot be cut. */
export declare function itemsOf({ many, separator, isNamed, name }: Join, text: string): string[] | undefined;
/** The rule of a text in which items are joined. */
export declare function joined(many: Many, separator: string, isNamed?: boolean, name?: string): Rule;
export declare function joinOf({ facts }: Rule): Join | undefined;
/** A list or pairs in a segment. */
export declare function list(many: Many, texts: Rule, fallback?: Value): Spec;
/** All segments to the end, each a pair. */
export declare function tailOfPairs(many: Many, texts: Rule): Spec;
/** All segments to the end as one text, in which items are joined. */
export declare function restOfMany(many: Many, texts: Rule, fallback?: Value): Spec;

/** A segment of one value with a text before or behind it. */
export declare const beside: Pieces;
/**
 * A segment of any pieces: of all ways in which every piece fits, the one whose first value is the shortest, then the second, and so on.
 * From the right it finds where the pieces that follow can begin, then it goes from the left; linear for each state of the rules.
 */
export declare const cut: Pieces;
/** Cuts a text into its pieces; nothing where it has no such pieces. */
export declare function split(rules: readonly (string | Rule)[], text: string, cuts: Site["cuts"], plainOf: (text: string) => string): string[] | undefined;

/** The host that a route asks for, its own or that of a route above it. */
export declare function hostOf({ more, parent }: Route): string | undefined;
/** Has a URL the host that a route asks for, if it does? */
export declare function isHostOf(reading: Reading, route: Route): boolean;
/** The value of a parameter in the host. */
export declare function findInHost(reading: Reading, param: Param, { route }: End): Value | undefined;
/** Small letters, without the dot at the end, labels that are not ASCII encoded. */
export declare function normalHost(host: string): string;

/** Reads the part after the first `#`; `base` is the path of the document. */
export declare function fragment(base: string): Locate;

/** Pairs, the narrower first; with a 1 where both accept the same, with a 2 where neither is narrower. */
type Pairs = readonly (readonly [left: string, right: string, equal?: 1 | 2])[];
/**
 * The order of ways that may answer the same URL: of pairs of segments where the order of the table does not say it, of segments that
 * accept one text only, and of pairs of ways whose segments say nothing.
 */
export declare function several(steps: Pairs, single: readonly string[], ends: Pairs): Several;

/** Texts by the index of their parameter. */
export type Texts = (Value | undefined)[];
/** What only some tables need to make links. */
export interface Tools {
    /** Reads a link back, and makes a longer one where that is read in another way. */
    readonly readBack?: (route: Route, given: Texts, short: Texts, url: string, tools: Tools) => string;
    /** Defaults that are written after all, as a value follows. */
    readonly fillGaps?: (route: Route, parts: readonly Part[], texts: Texts) => void;
    /** Texts of templates that a URL does not hold as they are, and values that are not escaped. */
    readonly raw?: Raw;
    /** Lists and pairs. */
    readonly lists?: Lists;
    /** Values in the host. */
    readonly host?: HostTools;
}
export interface Raw {
    readonly encode: (text: string) => string;
    /** The normal form of a path. */
    readonly normal: (path: string) => string;
}
export interface Lists {
    /** A list or an object as texts. */
    readonly texts: (value: object) => Value;
    readonly check: (route: Route, param: Param, value: Value) => void;
    readonly write: (value: Value, expression: Expression, name: string, isExploded: boolean) => string;
}
export interface HostTools {
    readonly form: (param: Param, host: string) => string;
    /** What a link starts with. */
    readonly write: (route: Route, valueOf: (name: string) => Value | undefined) => string;
}
/** An operator with its variables (RFC 6570, appendix A). */
export interface Expression {
    readonly operator: string;
    readonly isNamed: boolean;
    readonly separator: string;
    readonly encode: (text: string) => string;
    readonly variables: readonly {
        readonly index: number;
        readonly name: string;
        readonly isExploded: boolean;
    }[];
}
/** A part of a template. */
export type Part = string | Expression;
/** Expands a template whose variables have these values. */
export declare function expandTemplate(template: string, valueOf: (name: string) => Value | undefined, tools: Tools): string;
/** The route to which a link leads. */
export declare function linkable(table: Table, name: string): Route;
/** A text in the form that its parameter has. */
export declare function formOf(param: Param, text: string, { host }: Tools): Value;
/** The values of a call as texts. */
export declare function textsOf(route: Route, given: object, tools: Tools): Texts;
/** The same, where each value must have a parameter. */
export declare function givenTo(route: Route, given: object, tools: Tools): Texts;
/** The texts that go into the template: all checked, defaults filled in or left out. */
export declare function checked(route: Route, given: Texts, leaveOut: boolean, { lists }: Tools): Texts;
/** Checks one text of a value. */
export declare function checkText(route: Route, param: Param, rule: Rule, text: string): void;
export declare function written(route: Route, texts: Texts, tools: Tools): string;
/** The URL of a redirect: whatever answers it. */
export declare function urlOfAny(route: Route, given: Texts, tools: Tools): string;
/** The URL of a route for texts. */
export declare function urlOf(route: Route, given: Texts, tools: Tools): string;
/** The URL of a route. */
export declare function linkIn(table: Table, tools: Tools, name: string, values?: object): string;
/** Defaults are written after all where a value follows: what is filled from left to right has no gaps. */
export declare function fillGaps(route: Route, parts: readonly Part[], texts: Texts): void;
/** Hands a link out once it is known to be read as this route with these values. */
export declare function readBack(route: Route, given: Texts, short: Texts, url: string, tools: Tools): string;

export declare const lists: Lists;
export declare const hosts: HostTools;
export declare const raw: Raw;

/** The address as it was asked: path and query, without scheme and host. */
export declare function addressAt(at: object): string;
/** The frames around what is shown, outermost first: the site's, then those of the levels. */
export declare function framesIn({ site }: Table, shown: object): readonly string[];
/** The data of a route. */
export declare function dataIn(table: Table, name: string): unknown;
/** The chain from the outermost ancestor to the route. */
export declare function levelsAt(at: object): readonly Level[];
/** Where the visitor comes back to from the page of a link: to this page, or to where this page leads back to. */
export interface LinkOptions {
    readonly back?: "carry" | "here" | undefined;
}
export declare const RETURN = "return";
/** The URL of a route, with values that it shares with a position. A value that is set to nothing takes back what is inherited. */
export declare function linkFromIn(tools: Tools, from: object, name: string, values?: object, { back }?: LinkOptions): string;
/** A link with scheme and host. */
export declare function absoluteIn(table: Table, url: string): string;
/** Whether a link leads to the page that is shown (`page`), or to an ancestor of it (`true`): a value for `aria-current`. */
export declare function activityIn(tools: Tools, at: object, name: string, given?: object): "page" | "true" | undefined;
/** The URL of the nearest ancestor with a page, with the same values. */
export declare function upIn(tools: Tools, at: object): string | undefined;
/** What changes when one page takes the place of another, or is the first. */
export declare function transitionIn(from: object | undefined, to: object): Transition;
/** How the site is reached. */
export interface Place {
    /** Scheme and host; empty where the table declares none. */
    readonly origin: string;
    /** The path under which the site is mounted, without a slash at its end; for a site in the fragment, the path of its document. */
    readonly base: string;
    /** Do the addresses of pages stand in the fragment? */
    readonly isInFragment: boolean;
}
export declare function placeIn({ site: { origin, base, locate } }: Table): Place;

/** What a position was read of. */
export interface Read {
    readonly end: End;
    readonly url: string;
    readonly host: string | undefined;
}
/** What was read to come to a position. */
export declare function readOf(at: object): Read;
/** The deepest route that covers a URL, and its values. */
export declare class Spotted {
    readonly route: string;
    readonly params: {
        readonly [name: string]: unknown;
    };
    constructor(reading: Reading, end: End, host: string | undefined);
}
/** A URL that shows a page. */
export declare class Page {
    readonly outcome: "page";
    readonly status: 200;
    readonly page: string;
    readonly route: string;
    readonly params: {
        readonly [name: string]: unknown;
    };
    constructor(reading: Reading, end: End, host: string | undefined);
}
/** The address of a page without the values that it could leave out; nothing where none can be. */
export type Shorten = (reading: Reading, end: End, asked: Asked) => string | undefined;
/**
 * The page that answers a `GET`, whatever it asks of the visitor; no value counts as listed. Where an address without some value may be that
 * of another page, `shorten` finds out.
 */
export declare function matchIn(table: Table, url: string, host?: string, shorten?: Shorten): Page | undefined;

/** What is decided, whatever the table. */
export type AnyDecision = Page | Redirect | UnmetOf<string, Spotted> | NotFoundOf<string, Spotted> | WrongMethodOf<Spotted> | Options | BadRequest | Unavailable;
/** A redirect on the way to a decision. */
export interface Step {
    readonly status: number;
    readonly location: string;
    readonly route: Route | undefined;
    readonly isExternal: boolean;
}
/** A redirect that leads nowhere, with the route to which it leads and the reason. */
export interface Missing {
    readonly missing: readonly [to: Route, reason: string] | undefined;
}
/** What is asked of the table. */
export interface Look {
    readonly table: Table;
    readonly method: string;
    readonly host: string | undefined;
    readonly asked: Asked;
    readonly parts: DecisionParts;
}
/** What only some tables need to decide. */
export interface DecisionParts {
    readonly shorten?: Shorten;
    /** The redirects of routes. */
    readonly redirected?: (reading: Reading, end: End) => {
        readonly step: Step;
    } | Missing;
    /** The page to which a visitor is sent who does not meet a need. */
    readonly signInAt?: (to: Route, reading: Reading, end: End, showsPage: () => boolean, method: string) => string | undefined;
}
/** Decides what to do with a request. Each question is asked once, where the decision hangs on it. */
export declare function decideIn(table: Table, parts: DecisionParts, url: string, asks: AsksOf<string, string, Answer>): AnyDecision;
/** The same, for questions that take their time: it stops at each question on which it hangs, and goes on with the answer. */
export declare function decideAsyncIn(table: Table, parts: DecisionParts, url: string, asks: AsksOf<string, string, Answer | Promise<Answer>>): Promise<AnyDecision>;
/** The address to go back to after signing in, if it is one of this table that shows a page to this visitor; else the other one. */
export declare function returnAddressIn(table: Table, parts: DecisionParts, wanted: string | null | undefined, otherwise: string, asks: AsksOf<string, string, Answer>): string;
/** The same, where lists and needs are asked over a network. */
export declare function returnAddressAsyncIn(table: Table, parts: DecisionParts, wanted: string | null | undefined, otherwise: string, asks: AsksOf<string, string, Answer | Promise<Answer>>): Promise<string>;

/** Leaves out values that an address need not spell out. */
export declare function shortener(tools: Tools): Shorten;
/** Follows the redirects of the table. */
export declare function redirector(tools: Tools): (reading: Reading, end: End) => {
    readonly step: Step;
} | Missing;
/** Sends visitors to sign in, with the way back. */
export declare function signIn(tools: Tools): (to: Route, reading: Reading, end: End, showsPage: () => boolean, method: string) => string | undefined;
