// The runtime of route tables: matching, links and decisions. Made by `vivid-lane convert --to typescript`; it is the same for every table.

// What a table hands out, and the types that are made of its routes. Everything is looked up by a name in an interface: there is no union of
// tuples, and nothing asks whether a computed name is one of all names, as proving that takes time that grows with the square.

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
  readonly params: { readonly [name: string]: unknown };
  readonly data: unknown;
}

/** Where in the table a URL is, whatever the table. */
export interface Somewhere {
  /** The deepest route that covers the URL. */
  readonly route: string;
  readonly params: { readonly [name: string]: unknown };
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
  readonly [Name in keyof Routes]: Routes[Name] extends { readonly page: infer Page; readonly params: infer Read } ? FoundPage<Name, Page, Read> : never;
};

/** For each route the position of a URL that it covers. */
export type PositionsOf<Routes> = {
  readonly [Name in keyof Routes]: Routes[Name] extends { readonly params: infer Read } ? At<Name, Read> : never;
};

/** A whole number may be given as one that has more digits. */
type Wide<Value> = number extends Value ? Value | bigint : Value;

/** What need not be given may be `null`, too. */
type Nothing<Value> = undefined extends Value ? null : never;

/** The values of a link. The route is part of the type, so that errors name it. */
export type LinkValues<_Name, Given> = { readonly [Key in keyof Given]: Wide<Given[Key]> | Nothing<Given[Key]> };

/** The arguments of a link: the values may be left out where none must be given. */
export type LinkArguments<Name, Given> = {} extends Given ? [values?: LinkValues<Name, Given> | undefined] : [values: LinkValues<Name, Given>];

/** What a link from a position may be given; `null` takes back what is inherited. */
export type InheritingValues<_Name, Given> = { readonly [Key in keyof Given]?: Wide<Given[Key]> | null | undefined };

/** The values that a position is sure to have. Where nothing is known of it, nothing is asked for. */
type Sure<From> = [From] extends [{ readonly params: infer Read }] ? (string extends keyof Read ? ([Read] extends [None] ? never : PropertyKey) : SureOf<Read, keyof Read>) : never;
type SureOf<Read, Key> = Key extends keyof Read ? (undefined extends Read[Key] ? never : Key) : never;

/** What a link from a position must be given: what it cannot do without, and the position does not have. */
type Lacking<Given, Has> = { readonly [Key in keyof Given as undefined extends Given[Key] ? never : Key extends Has ? never : Key]: Wide<Given[Key]> };

/** The arguments of a link from a position. */
export type LinkFromArguments<Name, Given, From> = {} extends Lacking<Given, Sure<From>>
  ? [values?: InheritingValues<Name, Given> | undefined, options?: LinkOptions | undefined]
  : [values: InheritingValues<Name, Given> & Lacking<Given, Sure<From>>, options?: LinkOptions | undefined];

/** Something for every page, such as a component: a page that is left out is an error. */
export type RegistryOf<Pages, Shown> = { readonly [Page in keyof Pages]: (match: Pages[Page]) => Shown };

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
  /** Why a redirect of the table leads nowhere, where one would have had the URL; or which parameter refused the last segment, in words. */
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
export type Answer = boolean | undefined | { readonly retryAfter?: number };

/** What a decision hangs on. */
export type Question =
  | { readonly list: string; readonly value: string }
  | { readonly need: string };

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
  /** The live lists, each by its name, or all by one function; empty by default. */
  readonly lists?: { readonly [Name in List]?: Asking<Reply> | undefined } | ((list: List, value: string) => Reply) | undefined;
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

/** Where the visitor comes back to from the page of a link: to this page, or to where this page leads back to. */
export interface LinkOptions {
  readonly back?: "carry" | "here" | undefined;
}

/** What a decision was, as it can be sent from the server to the browser. */
export interface Sent {
  readonly outcome: string;
  readonly address: string;
  /** The route that shows the page, or the deepest one that covers the address. */
  readonly route: string | undefined;
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

/** What is known of an error; which of it there is depends on the kind. */
export interface Details {
  readonly [name: string]: unknown;
}

/** A link that could not be made. The message says why and how to mend it, where the sentences are loaded. */
export class LinkError extends Error {
  declare readonly kind: LinkErrorKind;
  /** The name of the route that was asked for. */
  declare readonly route: string;
  /** The parameter that is to blame, where one is. */
  declare readonly param: string | undefined;

  constructor(kind: LinkErrorKind, route: string, param?: string, details: Details = {}) {
    super(speech.sentence ? speech.sentence(kind, route, param, details) : kind + ": " + route + (param === undefined ? "" : " " + param));
    this.name = "LinkError";
    this.kind = kind;
    this.route = route;
    this.param = param;
  }
}

/** Thrown by a page whose record does not exist, in the browser or on a server: the fallback of its part of the site is shown. */
export class Missing extends Error {
  constructor(reason: string = "") {
    super(reason);
    this.name = "Missing";
  }
}

/** How errors are put into words: by nothing but their kind, until the sentences are loaded. */
export const speech: { sentence: ((kind: LinkErrorKind, route: string, param: string | undefined, details: Details) => string) | undefined } = { sentence: undefined };

/** Puts errors into words from now on. */
export function speakBy(sentence: NonNullable<typeof speech.sentence>): void {
  speech.sentence = sentence;
}

// What one text may be. A rule is an object that the table names, so that a bundler leaves out those that no table names. A rule looks at
// a piece of a longer text: nothing is cut out of a URL before it is known to answer. Each is linear in the length of the text.

/**
 * Does it take the text from one place to another? Where the text is a whole segment of a URL, the URL is given too, with the number of
 * the segment: some rules need to know which delimiters were escaped, or ask a live list.
 */
export type Takes = (text: string, from: number, to: number, url?: Reading, segment?: number) => boolean;

/** What a rule is made of, for those who explain why it refuses a text. */
export type Facts = { readonly [name: string]: unknown } | undefined;

/** What one text may be: never an empty one, and none with a control character. */
export class Rule {
  declare readonly takes: Takes;
  /** The value that a text stands for, where it is no text. */
  declare readonly read: ((text: string, from: number, to: number) => unknown) | undefined;
  declare readonly facts: Facts;

  constructor(takes: Takes, read?: Rule["read"], facts?: Facts) {
    this.takes = takes;
    this.read = read;
    this.facts = facts;
  }
}

export function hasControl(text: string): boolean {
  return /[\0-\x1f\x7f]/.test(text);
}

function isDigits(text: string, from: number, to: number): boolean {
  for (let at = from; at < to; at += 1) {
    const code = text.charCodeAt(at);
    if (code < 48 || code > 57) return false;
  }
  return to > from;
}

const isWhole: Takes = (text, from, to) => (text.charCodeAt(from) === 48 ? to === from + 1 : isDigits(text, from, to));

/** A whole number; most are short, and need not be cut out of the URL. */
function wholeNumber(text: string, from: number, to: number): number {
  if (to - from > 15 || text.charCodeAt(from) === 45) return +text.slice(from, to);
  let value = 0;
  for (let at = from; at < to; at += 1) value = value * 10 + text.charCodeAt(at) - 48;
  return value;
}

function byExpression(expression: RegExp, read?: Rule["read"], facts?: Facts): Rule {
  return new Rule((text, from, to) => to > from && expression.test(text.slice(from, to)), read, facts);
}

export const any: Rule = /* @__PURE__ */ new Rule(() => true);

export const natural: Rule = /* @__PURE__ */ new Rule(isWhole, wholeNumber);

export const integer: Rule = /* @__PURE__ */ new Rule(
  (text, from, to) => (text.charCodeAt(from) === 45 ? text.charCodeAt(from + 1) !== 48 && isWhole(text, from + 1, to) : isWhole(text, from, to)),
  wholeNumber,
);

/** Whole numbers between two limits that a number holds exactly. */
export function range(least: number, most: number = Infinity, base: Rule = integer): Rule {
  const takes: Takes = (text, from, to) => {
    if (!base.takes(text, from, to)) return false;
    const value = wholeNumber(text, from, to);
    return value >= least && value <= most;
  };
  return new Rule(takes, wholeNumber, { base, least, most });
}

export const number: Rule = /* @__PURE__ */ byExpression(/^(?:0|-?(?:0\.\d*[1-9]|[1-9]\d*(?:\.\d*[1-9])?))$/, (text, from, to) => +text.slice(from, to));

export const boolean: Rule = /* @__PURE__ */ byExpression(/^(?:true|false)$/, (text, from) => text[from] === "t");

export const digits: Rule = /* @__PURE__ */ new Rule(isDigits);

/** A day of the calendar (RFC 3339, section 5.6). */
export const date: Rule = /* @__PURE__ */ new Rule((text, from, to) => {
  const isDash = (at: number): boolean => text.charCodeAt(at) === 45;
  const hasShape =
    to - from === 10 && isDigits(text, from, from + 4) && isDash(from + 4) && isDigits(text, from + 5, from + 7) && isDash(from + 7) && isDigits(text, from + 8, to);
  if (!hasShape) return false;
  const [year, month, day] = [wholeNumber(text, from, from + 4), wholeNumber(text, from + 5, from + 7), wholeNumber(text, from + 8, to)];
  const isLeap = year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
  return month > 0 && month < 13 && day > 0 && day <= (month === 2 ? (isLeap ? 29 : 28) : month === 4 || month === 6 || month === 9 || month === 11 ? 30 : 31);
});

export const slug: Rule = /* @__PURE__ */ new Rule((text, from, to) => {
  let isDash = true;
  for (let at = from; at < to; at += 1) {
    const code = text.charCodeAt(at);
    const wasDash = isDash;
    isDash = code === 45;
    if (isDash ? wasDash : !((code > 96 && code < 123) || (code > 47 && code < 58))) return false;
  }
  return !isDash;
});

const TIME = "(?:[01]\\d|2[0-3]):[0-5]\\d:(?:[0-5]\\d|60)(?:\\.\\d+)?(?:Z|[+-](?:[01]\\d|2[0-3]):[0-5]\\d)";
const LABEL = "[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?";
const BYTE = "(?:25[0-5]|2[0-4]\\d|1\\d\\d|[1-9]?\\d)";

/** A function gives the expression, as bundlers do not see that joined texts do nothing else. */
function byText(expression: () => string): Rule {
  return byExpression(new RegExp(`^(?:${expression()})$`));
}

function afterDay(ofDay: RegExp): Rule {
  return new Rule((text, from, to) => to - from > 10 && date.takes(text, from, from + 10) && ofDay.test(text.slice(from + 10, to)));
}

export const time: Rule = /* @__PURE__ */ byText(() => TIME);
export const dateTime: Rule = /* @__PURE__ */ ((): Rule => afterDay(new RegExp(`^T${TIME}$`)))();
export const uuid: Rule = /* @__PURE__ */ byText(() => "[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}");
export const hex: Rule = /* @__PURE__ */ byText(() => "[0-9a-fA-F]+");
export const email: Rule = /* @__PURE__ */ byText(() => `[a-zA-Z0-9.!#$%&'*+/=?^_\`{|}~-]+@${LABEL}(?:\\.${LABEL})*`);
export const ipv4: Rule = /* @__PURE__ */ byText(() => `${BYTE}(?:\\.${BYTE}){3}`);
export const alpha: Rule = /* @__PURE__ */ byText(() => "[A-Za-z]+");
export const alnum: Rule = /* @__PURE__ */ byText(() => "[A-Za-z0-9]+");

/** The name of a file that means the same on every common system. */
export const fileName: Rule = /* @__PURE__ */ byExpression(
  /^(?!(?:[cC][oO][nN]|[pP][rR][nN]|[aA][uU][xX]|[nN][uU][lL]|(?:[cC][oO][mM]|[lL][pP][tT])[0-9¹²³]) *(?:\.[^]*)?$)[^/\\:\0-\x1f\x7f]*[^/\\:. \0-\x1f\x7f]$/,
);

/** One of some words. */
export function oneOf(...words: readonly string[]): Rule {
  const good = words.filter((word) => word !== "" && !hasControl(word));
  const set = new Set(good);
  const takes: Takes =
    good.length > 8
      ? (text, from, to) => set.has(text.slice(from, to))
      : (text, from, to) => good.some((word) => word.length === to - from && text.startsWith(word, from));
  return new Rule(takes, undefined, { words });
}

/** A regular expression of which it is known that it is linear; `source` is how the table writes it, where that is another text. */
export function pattern(expression: RegExp, source: string = expression.source): Rule {
  return byExpression(expression, undefined, { source });
}

/** For each state whether it accepts, and the ranges of bytes that lead on: from, to, state. The first state is the start. */
export type Automaton = readonly (readonly number[])[];

/** Texts that an automaton accepts; `source` is the pattern that it was made of, `reason` says in words what it refuses. */
export function automaton(states: Automaton, facts: { readonly source: string } | { readonly reason: string }): Rule {
  return new Rule((text, from, to) => to > from && accepts(states, text.slice(from, to)), undefined, facts);
}

/** The bytes of a text in UTF-8. */
export function bytesOf(text: string): number[] {
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

/** The state after a byte; -1 for none. */
export function stepped(state: readonly number[], byte: number): number {
  for (let at = 1; at < state.length; at += 3) {
    if (byte >= state[at]! && byte <= state[at + 1]!) return state[at + 2]!;
  }
  return -1;
}

function accepts(states: Automaton, text: string): boolean {
  let state = 0;
  for (const byte of bytesOf(text)) {
    state = stepped(states[state]!, byte);
    if (state < 0) return false;
  }
  return states[state]![0] === 1;
}

/** What several rules take. The first gives the value. */
export function all(...rules: readonly Rule[]): Rule {
  return new Rule((text, from, to) => rules.every((rule) => rule.takes(text, from, to)), rules[0]?.read, { all: rules });
}

/** What one of several rules takes. */
export function either(...rules: readonly Rule[]): Rule {
  return new Rule((text, from, to) => rules.some((rule) => rule.takes(text, from, to)), undefined, { either: rules });
}

const isNumeral: RegExp = /^-?(0|[1-9][0-9]*)(\.[0-9]*[1-9])?$/;

/** Texts of which some stand for numbers. */
export function numbers(rule: Rule): Rule {
  const read: Rule["read"] = (text, from, to) => {
    const own = text.slice(from, to);
    return isNumeral.test(own) ? +own : rule.read ? rule.read(text, from, to) : own;
  };
  return new Rule(rule.takes, read, rule.facts);
}

/** Texts of which some stand for true and false. */
export function booleans(rule: Rule): Rule {
  const read: Rule["read"] = (text, from, to) => {
    const own = text.slice(from, to);
    return own === "true" || own === "false" ? own === "true" : rule.read ? rule.read(text, from, to) : own;
  };
  return new Rule(rule.takes, read, rule.facts);
}

/** Sign, digits before and after the point of a decimal number in its one spelling. */
export function decimal(text: string): RegExpExecArray | null {
  return text === "-0" ? null : /^(-?)(0|[1-9][0-9]*)(?:\.([0-9]*[1-9]))?$/.exec(text);
}

function compare(left: RegExpExecArray, right: RegExpExecArray): number {
  if (left[1] !== right[1]) return left[1] ? -1 : 1;
  const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
  const magnitude = left[2]!.length - right[2]!.length || order(left[2]!, right[2]!) || order(left[3] ?? "", right[3] ?? "");
  return left[1] ? -magnitude : magnitude;
}

function byNumber(test: (number: RegExpExecArray) => boolean, facts: Facts): Rule {
  return new Rule((text, from, to) => {
    const own = decimal(text.slice(from, to));
    // What is no number is refused by the type.
    return own === null || test(own);
  }, undefined, facts);
}

/** Numbers on one side of a limit, whatever their length. */
export function bound(sign: ">=" | "<=" | ">" | "<", limit: string): Rule {
  const side = decimal(limit)!;
  const test = (own: RegExpExecArray): boolean => {
    const order = compare(own, side);
    return sign === ">=" ? order >= 0 : sign === "<=" ? order <= 0 : sign === ">" ? order > 0 : order < 0;
  };
  return byNumber(test, { sign, limit });
}

export function multipleOf(limit: string): Rule {
  const step = decimal(limit)!;
  const places = (step[3] ?? "").length;
  const units = Number(step[2]! + (step[3] ?? ""));
  const test = (own: RegExpExecArray): boolean => {
    const fraction = own[3] ?? "";
    let rest = 0;
    for (const digit of own[2]! + fraction.padEnd(places, "0")) rest = (rest * 10 + Number(digit)) % units;
    return fraction.length <= places && rest === 0;
  };
  return byNumber(test, { sign: "%", limit });
}

/** Texts with so many characters. */
export function length(least: number, most: number = Infinity): Rule {
  const takes: Takes = (text, from, to) => {
    const own = text.slice(from, to);
    const count = Array.from(own).length;
    return count > 0 && count >= least && count <= most && !hasControl(own);
  };
  return new Rule(takes, undefined, { shortest: least, longest: most });
}

/** Texts that are in a live list, which is asked only while a URL is looked up. */
export function listed(list: string, rule: Rule = any): Rule {
  const takes: Takes = (text, from, to, url) => {
    if (to === from || !rule.takes(text, from, to)) return false;
    const own = text.slice(from, to);
    return !url || (!hasControl(own) && url.asked.isListed(list, own));
  };
  return new Rule(takes, rule.read, { listed: rule, list });
}

// A URL, cut into its segments while it is read once. What is not in its normal form (RFC 3986, section 6.2.2) is noticed here, and goes no
// further: its one address is worked out elsewhere.

/** Who answers what only the caller knows. */
export interface Asked {
  isListed(list: string, value: string): boolean;
  isMet(need: string): boolean;
}

/** No value is in a list, and every need is met. */
export const nobody: Asked = { isListed: () => false, isMet: () => true };

/** How the slash at the end of a path is treated: never there, or always; 2 is either. */
export const NEVER = 0;
export const ALWAYS = 1;

/**
 * What was read of a URL: a text with the segments, decoded; for each segment where it starts and ends in that text, and a number by which
 * literals are found. Decoded segments are put behind the URL.
 */
export class Reading {
  declare url: string;
  declare text: string;
  declare count: number;
  declare readonly starts: number[];
  declare readonly ends: number[];
  declare readonly numbers: number[];
  /** Where the path begins in the text, where the part of it below the base of the site, and where it ends without and with a slash. */
  declare start: number;
  declare from: number;
  declare to: number;
  declare stop: number;
  declare isEscaped: boolean;
  declare query: string;
  /** Its names and values in turn, once they are needed. */
  declare pairs: readonly string[] | undefined;
  /** The host as it was sent. */
  declare host: string | undefined;
  declare asked: Asked;
  /** Where the walk ended: one way through a route, or all that were met. */
  declare end: End | undefined;
  declare readonly found: End[];
  /** Who looks at each node on the way instead, where one does. */
  declare visit: ((node: Node, at: number) => void) | undefined;

  constructor() {
    this.url = "";
    this.text = "";
    this.count = 0;
    this.starts = [];
    this.ends = [];
    this.numbers = [];
    this.start = 0;
    this.from = 0;
    this.to = 0;
    this.stop = 0;
    this.isEscaped = false;
    this.query = "";
    this.pairs = undefined;
    this.host = undefined;
    this.asked = nobody;
    this.end = undefined;
    this.found = [];
    this.visit = undefined;
  }

  /** A segment, decoded. */
  segment(at: number): string {
    return this.text.slice(this.starts[at], this.ends[at]);
  }

  /** The path below the base of the site as it was sent, without a slash at its end. */
  path(): string {
    return this.text.slice(this.from, this.to);
  }

  /** A segment as it was sent. */
  raw(at: number): string {
    return this.isEscaped ? this.path().split("/")[at + 1]! : this.segment(at);
  }
}

let free: Reading | undefined;

/** A reading to be filled. Most calls use the same one; a call within a call, as a live list may make, gets its own. */
export function take(asked: Asked, host: string | undefined): Reading {
  const reading = free ?? new Reading();
  free = undefined;
  reading.asked = asked;
  reading.host = host;
  return reading;
}

export function giveBack(reading: Reading): void {
  free = reading;
}

/** Of the characters that a segment may hold as they are, the number by which they count. */
function plainCodes(folds: boolean): Uint8Array {
  const codes = new Uint8Array(128);
  for (let code = 33; code < 127; code += 1) {
    const one = String.fromCharCode(code);
    if (/[\w\-.~:[\]@!$&'()*+,;=]/.test(one)) codes[code] = folds ? one.toLowerCase().charCodeAt(0) : code;
  }
  return codes;
}

const PLAIN: Uint8Array = /* @__PURE__ */ plainCodes(false);
let folded: Uint8Array | undefined;

/** The number of a literal. */
export function numberOf(text: string): number {
  let number = 0;
  for (let at = 0; at < text.length; at += 1) number = (Math.imul(number, 31) + text.charCodeAt(at)) | 0;
  return number & 0x3fffffff;
}

const isHex = (code: number): boolean => (code > 47 && code < 58) || (code > 64 && code < 71);
const hexOf = (code: number): number => code - (code > 64 ? 55 : 48);

/** Is it an escape in capitals, of a character that needs one and that a URL may hold? */
function isEscape(text: string, at: number): boolean {
  const [high, low] = [text.charCodeAt(at + 1), text.charCodeAt(at + 2)];
  if (!isHex(high) || !isHex(low)) return false;
  const code = hexOf(high) * 16 + hexOf(low);
  return code > 31 && code !== 127 && !/[\w\-.~]/.test(code < 128 ? String.fromCharCode(code) : "/");
}

/** Reads a path with an optional query, or an absolute URL; false where it is not in its normal form. */
export function scan(reading: Reading, url: string, site: Site): boolean {
  reading.url = url;
  const { locate } = site;
  if (locate) return locate.scan(reading, url, site);
  if (url.charCodeAt(0) === 47) return scanPath(reading, url, 0, site, false);
  const authority = /^https?:\/\/([^/?#]*)/i.exec(url);
  if (!authority) return false;
  reading.host = authority[1]!.slice(authority[1]!.lastIndexOf("@") + 1).replace(/:[0-9]*$/, "");
  return scanPath(reading, url, authority[0].length, site, true);
}

/** Reads the path that begins at a place. Where a bare root is allowed, a path of nothing is in its normal form. */
export function scanPath(reading: Reading, url: string, start: number, site: Site, isBareRoot: boolean): boolean {
  const { base, slash } = site;
  const { starts, ends, numbers } = reading;
  const { length } = url;
  const codes = site.fold ? (folded ??= plainCodes(true)) : PLAIN;
  if (base && !url.startsWith(base, start)) return false;
  const from = start + (base ? base.length : 0);
  let at = from;
  let count = 0;
  let decoded = "";
  if (url.charCodeAt(at) === 47) {
    at += 1;
    let begin = at;
    let number = 0;
    let hasEscape = false;
    for (; ; at += 1) {
      const code = at < length ? url.charCodeAt(at) : 63;
      const plain = code < 128 ? codes[code]! : 0;
      if (plain !== 0) {
        number = (Math.imul(number, 31) + plain) | 0;
        continue;
      }
      if (code === 37 && isEscape(url, at)) {
        hasEscape = true;
        at += 2;
        continue;
      }
      const isEnd = code === 63 || code === 35;
      if (code !== 47 && !isEnd) return false;
      if (at === begin) {
        // A slash at the end, or a path of nothing but one.
        if (!isEnd || (count === 0 ? base && slash === NEVER : slash === NEVER)) return false;
        break;
      }
      if (url.charCodeAt(begin) === 46 && (at === begin + 1 || (at === begin + 2 && url.charCodeAt(begin + 1) === 46))) return false;
      if (count === site.segments) return false;
      if (hasEscape) {
        let text: string;
        try {
          text = decodeURIComponent(url.slice(begin, at));
        } catch {
          return false;
        }
        starts[count] = length + decoded.length;
        decoded += text;
        ends[count] = length + decoded.length;
        numbers[count] = numberOf(site.fold ? site.fold(text) : text);
        hasEscape = false;
      } else {
        starts[count] = begin;
        ends[count] = at;
        numbers[count] = number & 0x3fffffff;
      }
      count += 1;
      if (isEnd) {
        if (slash === ALWAYS) return false;
        break;
      }
      begin = at + 1;
      number = 0;
    }
  } else {
    const isEnd = at >= length || url[at] === "?" || url[at] === "#";
    if (!isEnd || (base ? slash === ALWAYS : !isBareRoot)) return false;
  }
  if (at - from > site.bytes) return false;
  reading.count = count;
  reading.start = start;
  reading.from = from;
  reading.to = at > from && url.charCodeAt(at - 1) === 47 ? at - 1 : at;
  reading.stop = at;
  reading.text = url;
  reading.isEscaped = decoded !== "";
  if (reading.isEscaped) reading.text += decoded;
  reading.query = "";
  reading.pairs = undefined;
  if (at < length && url.charCodeAt(at) === 63) {
    const hash = url.indexOf("#", at);
    reading.query = wellFormed(url.slice(at + 1, hash < 0 ? length : hash));
    // The canonical address has no empty query.
    return !isVacant(reading.query);
  }
  return true;
}

export function isVacant(query: string): boolean {
  let at = 0;
  while (query.charCodeAt(at) === 38) at += 1;
  return at === query.length;
}

/** Halves of characters outside of the first plane stand for nothing. */
export function wellFormed(text: string): string {
  return /[\ud800-\udfff]/.test(text) ? text.replace(/\p{Surrogate}/gu, "\ufffd") : text;
}

// The query of a URL (WHATWG, URL, section 5.1). Nothing in it makes a URL wrong.

// Every browser and server has it; declared here, as a project need not know the types of either.
declare const URLSearchParams: new (query: string) => { get(name: string): string | null };

/** A name or a value of a query, decoded. */
export function decodeForm(raw: string): string {
  if (!raw.includes("%") && !raw.includes("+")) return raw;
  try {
    return decodeURIComponent(raw.replace(/\+/g, " "));
  } catch {
    // Escapes that are no UTF-8 become U+FFFD. Not every platform is right about those beside characters that are not ASCII.
    return new URLSearchParams("a=" + raw.replace(/[^\0-\x7f]+/g, encodeURIComponent)).get("a")!;
  }
}

/** The pairs of a query: names, decoded, and values, as they were sent, in turn. They are read when they are first needed, and once. */
export function pairsOf(reading: Reading): readonly string[] {
  if (!reading.pairs) {
    const pairs: string[] = [];
    const { query } = reading;
    for (let at = 0; at < query.length; ) {
      const next = query.indexOf("&", at);
      const end = next < 0 ? query.length : next;
      const pair = query.slice(at, end);
      const sign = pair.indexOf("=");
      if (pair !== "") pairs.push(decodeForm(sign < 0 ? pair : pair.slice(0, sign)), sign < 0 ? "" : pair.slice(sign + 1));
      at = end + 1;
    }
    reading.pairs = pairs;
  }
  return reading.pairs;
}

/** The values of a name, as they were sent. */
export function rawsOf(reading: Reading, key: string): string[] {
  return pairsOf(reading).filter((_, at, pairs) => at % 2 === 1 && pairs[at - 1] === key);
}

/** The first value of a name, as it was sent. */
export function rawOf(reading: Reading, key: string): string | undefined {
  const pairs = pairsOf(reading);
  for (let at = 0; at < pairs.length; at += 2) if (pairs[at] === key) return pairs[at + 1];
  return undefined;
}

// The parameters of a table: where the value of each is in a URL, and what it may be. Each form brings the functions that it needs, so
// that a bundler leaves out the forms that no table has.

/** A value as text: one, a list, or names with values. */
export type Value = string | readonly string[] | readonly (readonly [string, string])[];

/** Where a value is, in the order in which a URL is judged: single values come before lists, as questions to live lists have an order. */
export const SEGMENT = 0;
export const QUERY = 1;
export const REPEATED = 2;
export const PAIRS = 3;
export const ITEMS = 4;
export const REST = 5;
export const HOST = 6;
export const FRAGMENT = 7;

/** Is a value in the query? */
export const isInQuery = ({ kind }: Spec): boolean => kind > SEGMENT && kind < ITEMS;

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

const SPEC: Spec = {
  kind: SEGMENT,
  rule: any,
  texts: any,
  many: undefined,
  fallback: undefined,
  isOptional: false,
  isRequired: false,
  isTail: false,
  key: undefined,
  find: undefined,
  judge: undefined,
  isNeedless: undefined,
};

/** A segment, or a part of one. */
export function segment(rule: Rule, fallback?: Value): Spec {
  return { ...SPEC, rule, texts: rule, fallback };
}

/** The same where it may be left out. */
export function optional(rule: Rule): Spec {
  return { ...SPEC, rule, texts: rule, isOptional: true };
}

/** A parameter that is left out where it has this value. */
export function standard(spec: Spec, fallback: Value): Spec {
  return { ...spec, fallback, isNeedless: isStandard };
}

function isStandard(reading: Reading, { fallback }: Param, end: End, index: number): boolean {
  const value = sent(reading, end, index);
  return value !== undefined && isSame(value, fallback);
}

/** Any number of items. */
export function items(rule: Rule, least: number = 0, most: number = Infinity, isUnique: boolean = false): Many {
  return { items: rule, values: undefined, least, most, isUnique };
}

/** Names with values. */
export function pairs(names: Rule, values: Rule, least: number = 0, most: number = Infinity): Many {
  return { items: names, values, least, most, isUnique: false };
}

const ofMany = (many: Many): Rule => many.values ?? many.items;

/** All segments to the end, each an item. */
export function tail(many: Many, texts: Rule = many.items): Spec {
  return { ...SPEC, kind: ITEMS, rule: ofMany(many), texts, many, isOptional: true, isTail: true, find: findItems, judge: fitsTail };
}

/** All segments to the end as one value, in which there may be slashes. */
export function rest(rule: Rule, fallback?: Value): Spec {
  return { ...SPEC, kind: REST, rule, isTail: true, fallback, find: findRest, judge: fitsRest };
}

/** A value of the query. An empty one that its rule refuses counts as absent, as a form sends the fields that nobody filled in. */
export function query(rule: Rule, fallback?: Value): Spec {
  return { ...SPEC, kind: QUERY, rule, texts: rule, fallback, isOptional: true, find: findQuery, judge: judgeQuery, isNeedless: isNeedlessInQuery };
}

/** A value of the query that must be there. */
export function required(rule: Rule, fallback?: Value): Spec {
  return { ...query(rule, fallback), isOptional: false, isRequired: true };
}

/** A list in the query: the values of one name, each an item. */
export function repeated(many: Many, fallback?: Value): Spec {
  return { ...query(ofMany(many), fallback), kind: REPEATED, many, find: findRepeated, judge: judgeRepeated, isNeedless: isNeedlessList };
}

/** A list or pairs in one value of the query, parted by commas. */
export function commas(many: Many, fallback?: Value): Spec {
  return { ...query(ofMany(many), fallback), many, find: findCommas, judge: judgeCommas, isNeedless: isNeedlessList };
}

/** All pairs of the query that no other name takes. */
export function others(many: Many, fallback?: Value): Spec {
  return { ...SPEC, kind: PAIRS, rule: ofMany(many), many, fallback, isOptional: true, find: findOthers, judge: judgeOthers };
}

/** A value in the host, and what it may be there: it has no dot. */
export function inHost(rule: Rule, texts: Rule, find: NonNullable<Spec["find"]>, fallback?: Value): Spec {
  return { ...SPEC, kind: HOST, rule, texts, fallback, find };
}

/** A value of the fragment, which is never sent: all that a URL tells of it is its default. */
export function inFragment(rule: Rule, fallback?: Value, many?: Many): Spec {
  return { ...SPEC, kind: FRAGMENT, rule, texts: rule, many, fallback, isOptional: true, find: () => undefined };
}

/** The same parameter with other properties: another name in the query, or one that must be there. */
export function but(spec: Spec, changes: Partial<Spec>): Spec {
  return { ...spec, ...changes };
}

// How each form finds its value in a URL.

/** Does an empty value count as if it were not there? */
export function isUnfilled({ kind, rule, many, isRequired }: Param, raw: string): boolean {
  return raw === "" && !(many ? !many.values && many.items === any : rule === any) && (!isRequired || kind === REPEATED);
}

function isNeedlessInQuery(reading: Reading, param: Param): boolean {
  const raw = rawOf(reading, param.key);
  return raw !== undefined && (isUnfilled(param, raw) || (param.isOptional && param.fallback !== undefined && decodeForm(raw) === param.fallback));
}

function isNeedlessList(reading: Reading, param: Param): boolean {
  const { kind, fallback, isOptional } = param;
  const raws = rawsOf(reading, param.key);
  // A list of several values that is a default may as well be spelt out.
  if (kind === REPEATED) return raws.some((raw) => isUnfilled(param, raw));
  const [raw] = raws;
  return raw !== undefined && (isUnfilled(param, raw) || (isOptional && fallback !== undefined && isSame(findCommas(reading, param), fallback)));
}

function findQuery(reading: Reading, param: Param): Value | undefined {
  const raw = rawOf(reading, param.key);
  return raw === undefined || isUnfilled(param, raw) ? undefined : decodeForm(raw);
}

function judgeQuery(reading: Reading, param: Param): boolean {
  const text = findQuery(reading, param) as string | undefined;
  return text === undefined ? !param.isRequired : param.rule === any || param.rule.takes(text, 0, text.length, reading);
}

function paired(texts: readonly string[]): [string, string][] {
  return texts.flatMap((text, at): [string, string][] => (at % 2 === 1 ? [[texts[at - 1]!, text]] : []));
}

/** Texts as the value of a parameter; no items are none. */
export function valueOfMany({ values }: Many, texts: readonly string[]): Value | undefined {
  const value = values ? paired(texts) : texts;
  return value.length === 0 ? undefined : value;
}

/** Are there as many items as there may be, and is none there twice that must not be? */
export function fitsNumber({ least, most, isUnique }: Many, count: number, texts: readonly string[]): boolean {
  return count >= least && count <= most && !(isUnique && new Set(texts).size < texts.length);
}

/** Do rules take a list, or names and values in turn? */
export function takesItems(many: Many, texts: readonly string[], reading: Reading): boolean {
  const { items: first, values } = many;
  return (
    (!values || texts.length % 2 === 0) &&
    texts.every((text, at) => {
      const rule = values && at % 2 === 1 ? values : first;
      return rule === any || rule.takes(text, 0, text.length, reading);
    }) &&
    fitsNumber(many, values ? texts.length / 2 : texts.length, texts)
  );
}

function repeatedTexts(reading: Reading, param: Param): string[] {
  return rawsOf(reading, param.key).filter((raw) => !isUnfilled(param, raw)).map(decodeForm);
}

function findRepeated(reading: Reading, param: Param): Value | undefined {
  return valueOfMany(param.many!, repeatedTexts(reading, param));
}

function judgeRepeated(reading: Reading, param: Param): boolean {
  const texts = repeatedTexts(reading, param);
  return texts.length === 0 ? !param.isRequired : takesItems(param.many!, texts, reading);
}

function commaTexts(reading: Reading, param: Param): string[] {
  const raw = rawOf(reading, param.key);
  return raw === undefined || isUnfilled(param, raw) ? [] : raw.split(",").map(decodeForm);
}

function findCommas(reading: Reading, param: Param): Value | undefined {
  return valueOfMany(param.many!, commaTexts(reading, param));
}

function judgeCommas(reading: Reading, param: Param): boolean {
  const texts = commaTexts(reading, param);
  return texts.length === 0 ? !param.isRequired : takesItems(param.many!, texts, reading);
}

/** Is a name in the query one that the route reads for itself? */
export function readsName(route: Route, wanted: string): boolean {
  return (route.more.query ?? []).some(({ name }) => name === wanted) || route.params().some(({ kind, key }) => (kind === QUERY || kind === REPEATED) && key === wanted);
}

function otherTexts(reading: Reading, { route }: End): string[] {
  const pairs = pairsOf(reading);
  return pairs.flatMap((name, at) => (at % 2 === 0 && !readsName(route, name) ? [name, decodeForm(pairs[at + 1]!)] : []));
}

function findOthers(reading: Reading, param: Param, end: End): Value | undefined {
  return valueOfMany(param.many!, otherTexts(reading, end));
}

function judgeOthers(reading: Reading, param: Param, end: End): boolean {
  const texts = otherTexts(reading, end);
  return texts.length === 0 ? param.isOptional : takesItems(param.many!, texts, reading);
}

/** A pair that the query must have. */
export function exact(name: string, value: string): Exact {
  return { name, value, judge: (reading) => rawsOf(reading, name).some((raw) => decodeForm(raw) === value) };
}

/** The segments of a tail, decoded; nothing where there is none. */
function tailTexts(reading: Reading, { node }: End): string[] | undefined {
  if (!node.isTail) return undefined;
  const texts: string[] = [];
  for (let at = node.depth - 1; at < reading.count; at += 1) texts.push(reading.segment(at));
  return texts;
}

function findItems(reading: Reading, { many }: Param, end: End): Value | undefined {
  return valueOfMany(many!, tailTexts(reading, end) ?? []);
}

function fitsTail(reading: Reading, { many }: Param, end: End): boolean {
  const texts = tailTexts(reading, end);
  return !texts || fitsNumber(many!, texts.length, texts);
}

function findRest(reading: Reading, _: Param, end: End): Value | undefined {
  return tailTexts(reading, end)?.join("/");
}

/** Can a link write a tail of this value? Nothing else is accepted, so that no tail leads out of a folder. */
export function isWritable(value: string): boolean {
  return !/[?#]|%[0-9A-Fa-f]{2}/.test(value) && value.split("/").every((one) => one !== "" && one !== "." && one !== "..");
}

function fitsRest(reading: Reading, { rule }: Param, end: End): boolean {
  const value = tailTexts(reading, end)?.join("/");
  return value === undefined || ((!reading.isEscaped || isWritable(value)) && rule.takes(value, 0, value.length, reading));
}

/** A value as its rule types it: numbers, true and false, lists of these. Where a query was not judged, it may hold what its rule refuses, and stays text. */
export function typed(param: Param, value: Value | undefined): unknown {
  const { rule } = param;
  const { read } = rule;
  if (!read || value === undefined) return value;
  const one = (text: string): unknown => (!isInQuery(param) || rule.takes(text, 0, text.length) ? read(text, 0, text.length) : text);
  return typeof value === "string" ? one(value) : value.map((item) => (typeof item === "string" ? one(item) : [item[0], one(item[1])]));
}

export function isSame(left: unknown, right: unknown): boolean {
  return left === right || (typeof left === "object" && JSON.stringify(left) === JSON.stringify(right));
}

/** Sets a property, whatever its name. */
export function put(all: { [name: string]: unknown }, name: string, value: unknown): void {
  if (name === "__proto__") Object.defineProperty(all, name, { value, enumerable: true, writable: true, configurable: true });
  else all[name] = value;
}

// The lines of a table, and the tree that they grow into. A line is only put below its parent's at first; its part of the tree is made when
// a URL leads there.
//
//     ["nights", "night-list", "/nights"],          root ─ nights ─ {date} ─ report
//     ["nights.night", "night", "/{date}"],                  │         │
//     ["nights.night.report", "report", "/report"],        nights   nights.night

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

// A table: its routes as lines, and what holds for the whole site.

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

// What segments are called, where the order of the parameters does not say which is the narrower: by the parameters in them.

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

// URL → route: one walk from the root, the narrowest way first.

/** Do the query of a URL, and the end of its path where that is a list, let a way answer it? */
export function takesQuery(reading: Reading, end: End): boolean {
  const judges = end.route.judges();
  for (let at = 0; at < judges.length; at += 1) {
    const one = judges[at] as Param;
    if (!one.judge!(reading, one, end)) return false;
  }
  return true;
}

/**
 * Goes on from a node with a segment. Every node but that of a tail is reached in one way only, so a walk meets it once at most. It
 * ends with the first way that answers, or looks at all of them where one URL may have several.
 */
export function walk(table: Table, reading: Reading, start: Node, first: number): boolean {
  const { text, starts, ends, count, visit } = reading;
  const { several, host } = table.site;
  let node = start;
  let at = first;
  for (;;) {
    while (node.waiting.length > 0) table.open(node);
    if (visit) visit(node, at);
    if (at === count) {
      let isFound = false;
      if (visit) return false;
      for (const end of several ? [...node.ends].sort(inOrder) : node.ends) {
        if ((host && !host(reading, end.route)) || !takesQuery(reading, end)) continue;
        reading.end = end;
        if (!several) return true;
        reading.found.push(end);
        isFound = true;
      }
      return isFound;
    }
    const from = starts[at]!;
    const to = ends[at]!;
    const next = literalAt(table, reading, node, at);
    const { edges } = node;
    if (next && edges.length === 0) {
      node = next;
      at += 1;
      continue;
    }
    let isFound = next !== undefined && walk(table, reading, next, at + 1);
    // Where the first way is not always the right one, all are tried.
    if (isFound && (!several || isOrdered(table, node))) return true;
    for (let index = 0; index < edges.length; index += 1) {
      const edge = edges[index]!;
      if (visit && edge.isTail) continue;
      if (edge.rule!.takes(text, from, to, reading, at) && walk(table, reading, edge, at + 1)) {
        if (!several || isOrdered(table, node)) return true;
        isFound = true;
      }
    }
    return isFound;
  }
}

/** The node of a literal segment. */
export function literalAt(table: Table, { text, starts, ends, numbers }: Reading, node: Node, at: number): Node | undefined {
  const { fold } = table.site;
  const from = starts[at]!;
  const to = ends[at]!;
  let next = node.literals && node.literals.get(numbers[at]!);
  while (next && !(fold ? next.text === fold(text.slice(from, to)) : next.text.length === to - from && text.startsWith(next.text, from))) next = next.next;
  return next;
}

/** Ways in the order of their lines. */
export function inOrder(one: End, other: End): number {
  return one.route.index - other.route.index;
}

function isOrdered(table: Table, node: Node): boolean {
  return (node.isOrdered ??= table.site.several!.isOrdered(table, node));
}

const GET: readonly string[] = ["GET"];

export function methodsOf({ more }: Route): readonly string[] {
  return more.methods ?? GET;
}

/** Does a route answer a method? `GET` brings `HEAD` (RFC 9110, section 9.3.2). */
export function allows(route: Route, method: string): boolean {
  const { methods } = route.more;
  if (!methods) return method === "GET" || method === "HEAD";
  return methods.includes(method) || (method === "HEAD" && methods.includes("GET"));
}

/** The ways that answer a URL which was read, each no wider than any other that does. */
export function find(table: Table, reading: Reading): readonly End[] {
  const { several } = table.site;
  if (several) reading.found.length = 0;
  if (!walk(table, reading, table.root, 0)) return [];
  return several ? several.narrowest(table, reading) : [reading.end!];
}

/** Of ways none of which is the narrower, the one that answers a method. */
export function choose({ site: { several } }: Table, found: readonly End[], method: string): End | undefined {
  const [first] = found;
  return several ? several.choose(found, method) : first && allows(first.route, method) ? first : undefined;
}

/** The way that answers a URL which was read. */
export function seek(table: Table, reading: Reading, method: string): End | undefined {
  if (table.site.several) return choose(table, find(table, reading), method);
  return walk(table, reading, table.root, 0) && allows(reading.end!.route, method) ? reading.end : undefined;
}

/** The text of a value in the path, as it is judged; nothing where this way has none. */
export function textOf(reading: Reading, end: End, index: number): string | undefined {
  const { segment, piece } = end.spots()[index]!;
  return segment < 0 ? undefined : piece < 0 ? reading.segment(segment) : end.route.table.site.pieces!.text(reading, end, segment, piece);
}

/** What the URL has for a parameter; nothing where it is absent. */
export function sent(reading: Reading, end: End, index: number): Value | undefined {
  const param = end.route.params()[index]!;
  return param.find ? param.find(reading, param, end) : textOf(reading, end, index);
}

/** For each parameter its value; of an absent one the default of its rule. */
export type Values = readonly (Value | undefined)[];

/** The value of a URL, or its default. */
export function valueOf(reading: Reading, end: End, index: number): Value | undefined {
  return sent(reading, end, index) ?? end.route.params()[index]!.fallback;
}

/** The values of a URL, in the order of the parameters. */
export function valuesOf(reading: Reading, end: End): Values {
  return end.route.params().map((_, index) => valueOf(reading, end, index));
}

/** How many values a URL spells out that it could leave out. */
export function countNeedless(reading: Reading, end: End): number {
  const params = end.route.params();
  let count = 0;
  for (let index = 0; index < params.length; index += 1) {
    const param = params[index]!;
    if (param.isNeedless && param.isNeedless(reading, param, end, index)) count += 1;
  }
  return count;
}

/** The values by name, typed by their rules. A fragment is never sent, so all that can be known of it is a default. */
export function typedParams(reading: Reading, end: End): { [name: string]: unknown } {
  const params = end.route.params();
  const spots = end.spots();
  const all: { [name: string]: unknown } = {};
  for (let index = 0; index < params.length; index += 1) {
    const param = params[index]!;
    const { segment, piece } = spots[index]!;
    const { name, kind } = param;
    if (segment >= 0 && piece < 0 && !param.find) {
      const { read } = param.rule;
      const { text } = reading;
      const from = reading.starts[segment]!;
      const to = reading.ends[segment]!;
      put(all, name, read ? read(text, from, to) : text.slice(from, to));
    } else if (kind !== FRAGMENT || param.fallback !== undefined) {
      put(all, name, typed(param, valueOf(reading, end, index)));
    }
  }
  return all;
}

// The one address of a page (RFC 3986, section 6.2.2), for a URL in another spelling; and why some texts are no URL of any site.

/** Escapes all but unreserved characters. */
export function encodeUnreserved(text: string): string {
  return encodeURIComponent(text).replace(/[!'()*]/g, (one) => "%" + one.charCodeAt(0).toString(16).toUpperCase());
}

/** Escapes what is neither unreserved, nor reserved, nor an escape (RFC 6570, section 3.2.1). */
export function encodeReserved(text: string): string {
  return text.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:/?#[\]@!$&'()*+,;=]/gu, (one, escape?: string) => escape ?? encodeURIComponent(one));
}

/** A segment in its normal form. */
export function normalSegment(raw: string): string {
  return raw.replace(/%([0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=]/gu, (one, digits?: string) => {
    if (digits === undefined) return encodeURIComponent(one);
    const character = String.fromCharCode(parseInt(digits, 16));
    return /[\w\-.~]/.test(character) ? character : one.toUpperCase();
  });
}

/** A query in which nothing stands that a URL cannot hold. */
export function cleanQuery(raw: string): string {
  return raw.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=/?]/gu, (one, escape?: string) => escape ?? encodeURIComponent(one));
}

/** Has a text more bytes than a limit? */
export function isLonger(text: string, limit: number): boolean {
  return text.length > limit || (text.length * 3 > limit && bytesOf(text).length > limit);
}

/** A URL, cut at its delimiters. */
export interface Target {
  readonly host: string | undefined;
  /** The whole path as it was sent. */
  readonly sent: string;
  readonly query: string | undefined;
}

export function cutAtQuery(url: string): readonly [before: string, query: string | undefined] {
  const end = url.search(/[?#]/);
  if (end < 0) return [url, undefined];
  return [url.slice(0, end), url[end] === "?" ? url.slice(end + 1).split("#", 1)[0] : undefined];
}

/** Cuts a path with an optional query, or an absolute URL. */
export function targetOf(url: string): Target {
  const [before, query] = cutAtQuery(url);
  const absolute = before[0] === "/" ? null : /^https?:\/\/([^/]*)(.*)$/is.exec(before);
  if (!absolute) return { host: undefined, sent: before, query };
  const authority = absolute[1]!;
  return { host: authority.slice(authority.lastIndexOf("@") + 1).replace(/:[0-9]*$/, ""), sent: absolute[2] || "/", query };
}

/** Why a URL is no URL of any site. */
export interface Bad {
  readonly status: 400 | 414;
  readonly reason: string;
}

export const tooLong = ({ bytes }: Site): string => `the URL is longer than ${bytes} bytes`;

/** A segment without its escapes; a number says why it has no such form. */
function decode(raw: string): string | number {
  if (/%(?![0-9A-Fa-f]{2})/.test(raw)) return 0;
  try {
    const text = decodeURIComponent(raw);
    return hasControl(text) ? 2 : text;
  } catch {
    return 1;
  }
}

/** What a URL that is not in its normal form comes to: another address, why it is none, or nothing where it is outside of the site. */
export function normalized(table: Table, url: string): string | Bad | undefined {
  const { site } = table;
  const bad = (reason: string, status: 400 | 414 = 400): Bad => ({ status, reason });
  const { locate } = site;
  const target = locate ? locate.target(url) : targetOf(url);
  const noSlash = bad("expected a path that starts with `/`");
  if (target.sent[0] !== "/" && (!locate || target.sent !== "")) return noSlash;
  const path = (locate ? target.sent : inside(target.sent, site)) ?? target.sent;
  if (isLonger(path, site.bytes)) return bad(tooLong(site), 414);
  if (path.length > 1) {
    const raws = path.replace(/\/$/, "").slice(1).split("/");
    if (raws.length > site.segments) return bad(`the path has more than ${site.segments} segments`, 414);
    if (hasControl(path)) return bad("the URL holds a control character");
    const wrong = raws.map(decode).find((text) => typeof text === "number") as number | undefined;
    if (wrong !== undefined) return bad(["expected two hexadecimal digits after `%`", "the URL is not UTF-8", "the URL holds a control character"][wrong]!);
  }
  return locate && !locate.isInside(url) ? undefined : normalAddress(target, site);
}

/** The part of a path below the base. */
function inside(path: string, { base = "" }: Site): string | undefined {
  if (!path.startsWith(base)) return undefined;
  const rest = path.slice(base.length);
  return rest === "" || rest[0] === "/" ? rest : undefined;
}

/** The address of a URL that is not in its normal form; nothing for one outside of the site. */
function normalAddress({ sent, query }: Target, site: Site): string | undefined {
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
  const below = site.locate ? path : inside(path, site);
  return below === undefined ? undefined : prefixOf(site) + withSlash(below, endsWithSlash, site) + queryOf(query);
}

/** What an address starts with before the path of the page. */
export function prefixOf({ base = "", locate }: Site): string {
  return locate ? locate.prefix : base;
}

/** A path in its normal form, with a slash at its end as the site has it. */
function withSlash(path: string, hadSlash: boolean, { base, slash, locate }: Site): string {
  const trimmed = path.replace(/\/+$/, "");
  const isBareRoot = trimmed === "" && (!base || locate);
  return trimmed + (isBareRoot || slash === ALWAYS || (slash !== NEVER && hadSlash) ? "/" : "");
}

/** A query with its mark, as far as a URL can hold it; nothing for one that says nothing. */
export function queryOf(query: string | undefined): string {
  return query === undefined || isVacant(query) ? "" : "?" + cleanQuery(query);
}

/** The address of a page whose template expanded to this, or whose path this is. */
export function addressFor(expanded: string, site: Site): string {
  const end = expanded.search(/[?#]/);
  const path = end < 0 ? expanded : expanded.slice(0, end);
  const normal = path.split("/").slice(1).map((raw) => "/" + normalSegment(raw)).join("");
  return prefixOf(site) + withSlash(normal, false, site) + (end < 0 ? "" : expanded.slice(end));
}

/** The address that a URL was asked under: without scheme, host and fragment. */
export function addressOf(reading: Reading, site: Site): string {
  const { locate } = site;
  const sent = reading.text.slice(reading.start, reading.stop) || "/";
  return (locate ? locate.prefix + sent : sent) + queryOf(reading.query);
}

/** The address of a page that was found, where the URL spells its path in another way: letters in another case, or a tail with escaped slashes. */
export function respelt(reading: Reading, end: End, site: Site): string | undefined {
  const path = (site.fold ? inCase(reading, end) : undefined) ?? withSlashes(reading, end);
  return path === undefined ? undefined : addressFor(path, site) + queryOf(reading.query);
}

/** The path with its tail as a link writes it, where a slash in it is escaped. */
function withSlashes(reading: Reading, { node: { isTail, depth }, route }: End): string | undefined {
  if (!isTail || !reading.isEscaped || !route.params().some(({ kind }) => kind === REST)) return undefined;
  const raws = reading.path().split("/").slice(1);
  if (!raws.slice(depth - 1).some((raw) => raw.includes("%2F"))) return undefined;
  return "/" + raws.map((raw, at) => (at < depth - 1 ? raw : raw.replace(/%2F/g, "/"))).join("/");
}

/** The form in which letters are compared, where case does not count. */
export function lowerCase(text: string): string {
  return text.toLowerCase();
}

/** The path with its literals as the route declares them, where letter case does not count. */
function inCase(reading: Reading, { way }: End): string | undefined {
  const words = way.map((pieces) => (pieces.every((piece) => typeof piece === "string") ? pieces.join("") : undefined));
  if (!words.some((word, at) => word !== undefined && word !== reading.segment(at))) return undefined;
  return Array.from({ length: reading.count }, (_, at) => "/" + (words[at] === undefined ? reading.raw(at) : encodeSegment(words[at]))).join("");
}

/** Escapes what may not stand in a segment. */
function encodeSegment(text: string): string {
  return text.replace(/[^\w\-.~:[\]@!$&'()*+,;=]/gu, encodeURIComponent);
}

// Lists and pairs in one segment or in a tail. A delimiter that was not escaped differs from the same character as text, so such segments
// are read with marks in the place of delimiters: control characters, which no segment holds otherwise.

const MARKS = ",=;";

/** A segment as it was sent, decoded, with its delimiters as marks. */
export function marked(raw: string): string {
  return decodeURIComponent(raw.replace(/[,=;]/g, (one) => String.fromCharCode(MARKS.indexOf(one) + 1)));
}

/** Marked text as plain text. */
export function plain(text: string): string {
  return text.replace(/[\x01-\x03]/g, (one) => MARKS[one.charCodeAt(0) - 1]!);
}

/** What segments need of which one piece is a list. */
export const marks: Marks = { marked, plain };

/** How items are joined in one text: what parts them (`,` `;` `.`, `+` for any comma, nothing for one item), whether a name has an equals sign, and the name before each item. */
export interface Join {
  readonly many: Many;
  readonly separator: string;
  readonly isNamed: boolean;
  readonly name: string | undefined;
}

/** The items of a marked text, plain; names and values in turn. Nothing where it cannot be cut. */
export function itemsOf({ many, separator, isNamed, name }: Join, text: string): string[] | undefined {
  let texts: string[] =
    separator === "" ? [text]
    : separator === "," ? text.split("\x01")
    : separator === "+" ? text.split(/[\x01,]/)
    : separator === ";" ? text.split("\x03")
    : text.split(".");
  if (name !== undefined) {
    // The first item has its name before it already.
    const start = name + "\x02";
    if (texts.some((one, at) => at > 0 && !one.startsWith(start))) return undefined;
    texts = texts.map((one, at) => (at > 0 ? one.slice(start.length) : one));
  }
  if (many.values && isNamed) {
    // An item without a sign has an empty value, which no rule accepts.
    const sign = separator === "+" ? /[\x02=]/ : /\x02/;
    texts = texts.flatMap((one) => [one.split(sign, 1)[0]!, one.slice(one.search(sign) + 1 || one.length)]);
  }
  texts = texts.map(plain);
  return texts.includes("") || (many.values && texts.length % 2 === 1) ? undefined : texts;
}

/** The rule of a text in which items are joined. */
export function joined(many: Many, separator: string, isNamed: boolean = false, name?: string): Rule {
  const join: Join = { many, separator, isNamed, name };
  return new Rule(
    (text, from, to, reading, segment) => {
      const own = segment === undefined ? text.slice(from, to) : marked(reading!.raw(segment));
      const texts = itemsOf(join, own);
      return texts !== undefined && takesItems(many, texts, reading!);
    },
    undefined,
    { join },
  );
}

export function joinOf({ facts }: Rule): Join | undefined {
  return facts?.["join"] as Join | undefined;
}

function itemsIn(texts: Rule, text: string): Value | undefined {
  const join = joinOf(texts)!;
  return valueOfMany(join.many, itemsOf(join, text) ?? []);
}

function findJoined(reading: Reading, param: Param, end: End): Value | undefined {
  const index = end.route.params().indexOf(param);
  const { segment, piece } = end.spots()[index]!;
  if (segment < 0) return undefined;
  return itemsIn(param.texts, piece < 0 ? marked(reading.raw(segment)) : textOf(reading, end, index)!);
}

const one = (many: Many): Rule => many.values ?? many.items;

/** A list or pairs in a segment. */
export function list(many: Many, texts: Rule, fallback?: Value): Spec {
  return { ...segment(texts, fallback), rule: one(many), many, find: findJoined };
}

/** The segments of the tail, as they were sent. */
function rawTail(reading: Reading, { node: { isTail, depth } }: End): string[] | undefined {
  return isTail ? Array.from({ length: reading.count - depth + 1 }, (_, at) => reading.raw(depth - 1 + at)) : undefined;
}

/** All segments to the end, each a pair. */
export function tailOfPairs(many: Many, texts: Rule): Spec {
  const find: Spec["find"] = (reading, _, end) => {
    const raws = rawTail(reading, end);
    return raws && valueOfMany(many, raws.flatMap((raw) => itemsOf(joinOf(texts)!, marked(raw)) ?? []));
  };
  return { ...tail(many, texts), find };
}

/** All segments to the end as one text, in which items are joined. */
export function restOfMany(many: Many, texts: Rule, fallback?: Value): Spec {
  const whole = (reading: Reading, end: End): string | undefined => {
    const raws = rawTail(reading, end);
    return raws && marked(raws.join("/"));
  };
  return {
    ...segment(any, fallback),
    kind: REST,
    isTail: true,
    rule: one(many),
    many,
    find: (reading, _, end) => {
      const text = whole(reading, end);
      return text === undefined ? undefined : itemsIn(texts, text);
    },
    judge: (reading, _, end) => {
      const text = whole(reading, end);
      return text === undefined || ((!reading.isEscaped || isWritable(plain(text))) && texts.takes(text, 0, text.length, reading));
    },
  };
}

// Segments of several pieces: texts and values in turn.

/** Makes segments of several pieces: how one is judged, and how it is cut into texts. */
function piecesBy(make: (pieces: readonly Piece[], site: Site, key: string) => Rule): Pieces {
  return {
    grow(table, node, pieces, segment) {
      const key = keyOfPieces(table, pieces, segment);
      const known = node.edges.find(({ rule }) => rule!.facts?.["key"] === key);
      return node.edge(table, known?.rule ?? make(pieces, table.site, key), false);
    },
    text(reading, { node: last }, segment, piece) {
      let node = last;
      while (node.depth > segment + 1) node = node.above!;
      return (node.rule!.facts!["cut"] as Cut)(reading, segment)[piece]!;
    },
  };
}

type Cut = (reading: Reading, segment: number) => readonly string[];

/** What such a segment is called: as the way has it, with the names of the rules. */
function keyOfPieces(table: Table, pieces: readonly Piece[], segment: string): string {
  const raws = segment.split(/(\{.*?\})/).filter((piece) => piece !== "");
  return pieces.map((piece, at) => (typeof piece === "string" ? raws[at]! : keyOf(table, piece.texts))).join("");
}

/**
 * A segment whose values are found by the texts beside them: one value with a text before or behind it, or values of any text with texts
 * between them, each of which ends where the text after it comes first.
 */
export const apart: Pieces = /* @__PURE__ */ piecesBy((pieces, _, key) => {
  const textsOf = (text: string): string[] | undefined => {
    const texts: string[] = [];
    let start = 0;
    for (const [at, piece] of pieces.entries()) {
      const next = pieces[at + 1] as string | undefined;
      const end =
        typeof piece === "string" ? (text.startsWith(piece, start) ? start + piece.length : -1)
        : next === undefined ? text.length
        : at + 2 < pieces.length ? text.indexOf(next, start + 1)
        : text.endsWith(next) ? text.length - next.length
        : -1;
      if (end <= start) return undefined;
      texts.push(text.slice(start, end));
      start = end;
    }
    return texts;
  };
  const takes: Takes = (text, from, to, reading) => {
    const texts = textsOf(text.slice(from, to));
    return texts !== undefined && pieces.every((piece, at) => typeof piece === "string" || piece.texts.takes(texts[at]!, 0, texts[at]!.length, reading));
  };
  const cut: Cut = (reading, segment) => textsOf(reading.segment(segment))!;
  return new Rule(takes, undefined, { key, cut });
});

/**
 * A segment of any pieces: of all ways in which every piece fits, the one whose first value is the shortest, then the second, and so on.
 * From the right it finds where the pieces that follow can begin, then it goes from the left; linear for each state of the rules.
 */
export const cut: Pieces = /* @__PURE__ */ piecesBy((pieces, site, key) => {
  const rules = pieces.map((piece) => (typeof piece === "string" ? piece : piece.texts));
  const isJoined = (rule: string | Rule): boolean => typeof rule === "object" && rule.facts?.["join"] !== undefined;
  const marks = rules.some(isJoined) ? site.marks : undefined;
  const whole = (reading: Reading, segment: number): string => (marks ? marks.marked(reading.raw(segment)) : reading.segment(segment));
  const unmarked = (text: string): string => (marks ? marks.plain(text) : text);
  const partOf = (rule: string | Rule, text: string): string => (typeof rule === "string" || isJoined(rule) ? text : unmarked(text));
  const textsOf = (text: string): string[] | undefined => split(rules, text, site.cuts, unmarked);
  const cut: Cut = (reading, segment) => textsOf(whole(reading, segment))!.map((text, at) => partOf(rules[at]!, text));
  return new Rule(
    (text, from, to, reading, segment) => {
      const texts = textsOf(segment === undefined ? text.slice(from, to) : whole(reading!, segment));
      return (
        texts !== undefined &&
        rules.every((rule, at) => {
          if (typeof rule === "string") return true;
          const part = partOf(rule, texts[at]!);
          return part !== "" && (rule === any || rule.takes(part, 0, part.length, reading));
        })
      );
    },
    undefined,
    { key, cut },
  );
});

/** Cuts a text into its pieces; nothing where it has no such pieces. */
export function split(rules: readonly (string | Rule)[], text: string, cuts: Site["cuts"], plainOf: (text: string) => string): string[] | undefined {
  const automatonOf = (rule: Rule): Automaton | undefined => cuts?.get(rule);
  // Characters, not bytes: no piece begins within one. An automaton reads the bytes of each.
  const chars = Array.from(text);
  const bytes = chars.map(bytesOf);

  /** Where a piece can start so that it ends at a good place. */
  function startsOf(piece: string | Rule, good: readonly boolean[]): boolean[] {
    if (typeof piece === "string") {
      const wanted = Array.from(piece);
      return good.map((_, at) => good[at + wanted.length] === true && wanted.every((one, index) => plainOf(chars[at + index]!) === one));
    }
    const automaton = automatonOf(piece);
    const starts: boolean[] = [];
    let isGoodAfter = false;
    let alive: boolean[] = [];
    for (let at = chars.length; at >= 0; at -= 1) {
      if (automaton) {
        const before = alive;
        const read = (from: number): number => bytes[at]?.reduce((state, byte) => (state < 0 ? state : stepped(automaton[state]!, byte)), from) ?? -1;
        alive = automaton.map((state, from) => (good[at]! && state[0] === 1) || before[read(from)] === true);
        starts[at] = alive[0]!;
      } else {
        starts[at] = isGoodAfter;
        isGoodAfter ||= good[at]!;
      }
    }
    return starts;
  }

  /** The first good place where a piece can end. */
  function shortest(piece: string | Rule, start: number, good: readonly boolean[]): number {
    if (typeof piece === "string") return start + Array.from(piece).length;
    const automaton = automatonOf(piece);
    let state = 0;
    for (let at = start; at < bytes.length; at += 1) {
      if (automaton) state = bytes[at]!.reduce((from, byte) => stepped(automaton[from]!, byte), state);
      if (good[at + 1] && (!automaton || automaton[state]![0] === 1)) return at + 1;
    }
    return bytes.length;
  }

  // For each piece where the text can be cut so that it and all that follow fit.
  const ends: boolean[][] = [];
  let good = [...chars.map(() => false), true];
  for (let at = rules.length - 1; at >= 0; at -= 1) {
    ends[at] = good;
    good = startsOf(rules[at]!, good);
  }
  if (!good[0]) return undefined;
  let start = 0;
  return rules.map((rule, at) => {
    const end = shortest(rule, start, ends[at]!);
    const own = chars.slice(start, end).join("");
    start = end;
    return own;
  });
}

// Routes that ask for a host, and its one spelling (RFC 3986, section 3.2; RFC 5890, section 2.3.2.1; RFC 3492).

interface HostPieces {
  readonly names: readonly (string | undefined)[];
  readonly rules: readonly (string | Rule)[];
}

function piecesOf(route: Route): HostPieces {
  const pieces = hostOf(route)!.split(/(\{.*?\})/).filter((piece) => piece !== "");
  const names = pieces.map((piece) => (piece[0] === "{" ? piece.slice(1, -1) : undefined));
  const rules = pieces.map((piece, at) => (names[at] === undefined ? piece : route.params().find(({ name }) => name === names[at])!.texts));
  return { names, rules };
}

function textsOfHost(rules: HostPieces["rules"], host: string, route: Route): string[] | undefined {
  return rules.length === 1 ? [host] : split(rules, host, route.table.site.cuts, (text) => text);
}

/** The host that a route asks for, its own or that of a route above it. */
export function hostOf({ more, parent }: Route): string | undefined {
  return more.host ?? (parent && hostOf(parent));
}

/** Has a URL the host that a route asks for, if it does? */
export function isHostOf(reading: Reading, route: Route): boolean {
  if (hostOf(route) === undefined) return true;
  if (reading.host === undefined) return false;
  const { rules } = piecesOf(route);
  const texts = textsOfHost(rules, normalHost(reading.host), route);
  if (!texts) return false;
  return rules.every((rule, at) => {
    const text = texts[at]!;
    return typeof rule === "string" ? rules.length > 1 || text === rule : text !== "" && (rule === any || rule.takes(text, 0, text.length, reading));
  });
}

/** The value of a parameter in the host. */
export function findInHost(reading: Reading, param: Param, { route }: End): Value | undefined {
  const { names, rules } = piecesOf(route);
  return textsOfHost(rules, normalHost(reading.host ?? ""), route)?.[names.indexOf(param.name)];
}

/** Small letters, without the dot at the end, labels that are not ASCII encoded. */
export function normalHost(host: string): string {
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

// Sites with their addresses in the fragment: `/index.html#/nights`.

/** Reads the part after the first `#`; `base` is the path of the document. */
export function fragment(base: string): Locate {
  const trimmed = (path: string): string => path.replace(/\/+$/, "");
  const documentOf = (url: string): string => url.split("#", 1)[0]!;
  const within = (url: string): string => url.slice(documentOf(url).length + 1).split("#", 1)[0]!;

  /** Does a URL name the document that the site is? A fragment alone does. */
  function isInside(url: string): boolean {
    const document = documentOf(url);
    return document === "" || trimmed(targetOf(document).sent) === trimmed(base);
  }

  return {
    base,
    prefix: (base || "/") + "#",
    isInside,
    scan(reading, url, site) {
      reading.host = targetOf(documentOf(url)).host ?? reading.host;
      return isInside(url) && scanPath(reading, within(url), 0, site, true);
    },
    target(url) {
      const [sent, query] = cutAtQuery(within(url));
      return { host: targetOf(documentOf(url)).host, sent, query };
    },
  };
}

// Where one URL may have several ways: which of them is the narrowest? Segments are compared from the left, then what ends there.

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

// Name and values → URL: the inverse of matching.

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
  readonly variables: readonly { readonly index: number; readonly name: string; readonly isExploded: boolean }[];
}

/** A part of a template. */
export type Part = string | Expression;

/** The path of each template, and what follows it, ready for values. */
const compiled = /* @__PURE__ */ new WeakMap<Route, readonly [path: readonly Part[], rest: readonly Part[]]>();

/** The parts of a template; variables by their place among some names. */
function partsOf(names: readonly string[], template: string, { raw }: Tools): Part[] {
  const parts = template.split(/\{(.*?)\}/).map((piece, at): Part => {
    if (at % 2 === 0) return raw ? raw.encode(piece) : piece;
    const operator = /^[\w%]/.test(piece) ? "" : piece[0]!;
    const isRaw = operator === "+" || operator === "#";
    const variables = piece.slice(operator.length).split(",").map((one) => {
      const name = one.replace("*", "");
      return { index: names.indexOf(name), name: raw ? raw.encode(name) : name, isExploded: name !== one };
    });
    return {
      operator,
      isNamed: /[;?&]/.test(operator),
      separator: operator === "?" ? "&" : operator === "" || isRaw ? "," : operator,
      encode: isRaw ? raw!.encode : encodeText,
      variables,
    };
  });
  return parts.filter((part) => part !== "");
}

/** Is a text one that a URL holds as it is, wherever it stands? */
function isPlain(text: string): boolean {
  for (let at = 0; at < text.length; at += 1) {
    const code = text.charCodeAt(at);
    // Letters, digits, `-`, `.`, `_`, `~`.
    if (!((code > 96 && code < 123) || (code > 64 && code < 91) || (code > 44 && code < 58 && code !== 47) || code === 95 || code === 126)) return false;
  }
  return text !== "";
}

function encodeText(text: string): string {
  return isPlain(text) ? text : encodeUnreserved(text);
}

function expand(parts: readonly Part[], texts: Texts, { lists }: Tools): string {
  let out = "";
  for (let at = 0; at < parts.length; at += 1) {
    const part = parts[at]!;
    if (typeof part === "string") {
      out += part;
      continue;
    }
    const { operator, isNamed, separator, encode, variables } = part;
    let lead = operator === "+" ? "" : operator;
    for (let index = 0; index < variables.length; index += 1) {
      const { index: place, name, isExploded } = variables[index]!;
      const value = texts[place];
      if (value === undefined) continue;
      out += lead;
      lead = separator;
      if (typeof value !== "string") out += lists!.write(value, part, name, isExploded);
      else out += (isNamed ? name + (value === "" && operator === ";" ? "" : "=") : "") + encode(value);
    }
  }
  return out;
}

/** Expands a template whose variables have these values. */
export function expandTemplate(template: string, valueOf: (name: string) => Value | undefined, tools: Tools): string {
  const names = namesIn(template);
  return expand(partsOf(names, template, tools), names.map(valueOf), tools);
}

/** The route to which a link leads. */
export function linkable(table: Table, name: string): Route {
  const route = table.routes.get(name);
  if (route?.page === undefined) {
    const { to, out } = route?.more ?? {};
    throw new LinkError(route ? (to || out ? "redirect" : "group") : "unknown-route", name, undefined, { table, to: to?.[0] });
  }
  return route;
}

const hasOwn = Object.prototype.hasOwnProperty;

/** Is a value none: nothing, or a list without items? */
function isNone(value: unknown): boolean {
  return value === undefined || value === null || (typeof value === "object" && Object.keys(value).length === 0);
}

/** A text in the form that its parameter has. */
export function formOf(param: Param, text: string, { host }: Tools): Value {
  const { many } = param;
  return many ? (many.values ? text : [text]) : host ? host.form(param, text) : text;
}

/** The values of a call as texts. */
export function textsOf(route: Route, given: object, tools: Tools): Texts {
  return route.params().map((param): Value | undefined => {
    const value = hasOwn.call(given, param.name) ? (given as { readonly [name: string]: unknown })[param.name] : undefined;
    if (typeof value === "string") return formOf(param, wellFormed(value), tools);
    if (isNone(value)) return undefined;
    return typeof value !== "object" ? formOf(param, String(value), tools) : tools.lists ? tools.lists.texts(value!) : [];
  });
}

/** The same, where each value must have a parameter. */
export function givenTo(route: Route, given: object, tools: Tools): Texts {
  const params = route.params();
  for (const key in given) {
    if (params.some(({ name }) => name === key) || isNone((given as { readonly [name: string]: unknown })[key])) continue;
    throw new LinkError("unknown-param", route.name, key, { names: params.map(({ name }) => name) });
  }
  return textsOf(route, given, tools);
}

/** The texts that go into the template: all checked, defaults filled in or left out. */
export function checked(route: Route, given: Texts, leaveOut: boolean, { lists }: Tools): Texts {
  return route.params().map((param, index): Value | undefined => {
    const { name, kind, isOptional, fallback, many } = param;
    const mayGo = isOptional && (leaveOut || kind === QUERY || kind === REPEATED);
    const value = given[index];
    if (value === undefined) {
      if (!isOptional && fallback === undefined) throw new LinkError("missing", route.name, name);
      return mayGo ? undefined : fallback;
    }
    if (mayGo && fallback !== undefined && isSame(fallback, value)) return undefined;
    if (typeof value === "string" && !many) checkText(route, param, param.rule, value);
    else if (lists) lists.check(route, param, value);
    else throw new LinkError("form", route.name, name, { expected: "one value" });
    return value;
  });
}

/** Checks one text of a value. */
export function checkText(route: Route, param: Param, rule: Rule, text: string): void {
  const isAny = rule === any;
  const takes = isAny || rule.takes(text, 0, text.length);
  if ((takes && isPlain(text)) || (isAny && isInQuery(param))) return;
  if (!takes || hasControl(text) || (text === "" && !(isAny && param.kind === FRAGMENT))) throw new LinkError("refused", route.name, param.name, { value: text, rule });
}

export function written(route: Route, texts: Texts, tools: Tools): string {
  const { site } = route.table;
  const { fillGaps, raw, host } = tools;
  let parts = compiled.get(route);
  if (!parts) {
    const template = route.template();
    const path = pathOf(template);
    const names = route.params().map(({ name }) => name);
    parts = [partsOf(names, path, tools), partsOf(names, template.slice(path.length), tools)];
    compiled.set(route, parts);
  }
  fillGaps?.(route, parts[0], texts);
  let path = expand(parts[0], texts, tools);
  let rest = expand(parts[1], texts, tools);
  // A path whose only segments are optional expands to nothing at all.
  if (path.charCodeAt(0) !== 47) path = "/" + path;
  if (raw) {
    // A value that is not escaped may begin a query.
    const end = path.search(/[?#]|$/);
    [path, rest] = [path.slice(0, end), path.slice(end) + rest];
  }
  const dots = path.includes("/.") && /\/(\.\.?)(?![^/])/.exec(path);
  if (raw) path = raw.normal(path);
  if (dots) throw new LinkError("refused", route.name, undefined, { dots: dots[1] });
  if (path !== "/") path += site.slash === ALWAYS ? "/" : "";
  else if (site.base) path = site.slash === ALWAYS ? "/" : "";
  let url = prefixOf(site) + path + rest;
  if (host) url = host.write(route, (name) => texts[route.params().findIndex((param) => param.name === name)]) + url;
  if (url.length > site.bytes) throw new LinkError("long", route.name, undefined, { length: url.length, bytes: site.bytes });
  return url;
}

/** The values of a route, from the fields of a form or of JSON: judged by its rules, of the types that these have. Other fields are left alone. */
export function valuesOfFields(table: Table, tools: Tools, name: string, fields: Iterable<readonly [string, unknown]>): { [name: string]: unknown } {
  const route = linkable(table, name);
  const params = route.params();
  const given: { [name: string]: unknown } = {};
  for (const [key, value] of fields) {
    const param = params.find((one) => one.name === key);
    // A form sends the fields that nobody filled in.
    if (!param || value === undefined || value === null || (value === "" && (param.isOptional || param.fallback !== undefined))) continue;
    const isList = param.many !== undefined && !param.many.values && !Array.isArray(value);
    put(given, key, isList ? [...((given[key] as readonly unknown[] | undefined) ?? []), value] : value);
  }
  const texts = checked(route, textsOf(route, given, tools), false, tools);
  const values: { [name: string]: unknown } = {};
  params.forEach((param, index) => {
    const value = typed(param, texts[index] ?? param.fallback);
    if (value !== undefined) put(values, param.name, value);
  });
  return values;
}

/** The URL of a redirect: whatever answers it. */
export function urlOfAny(route: Route, given: Texts, tools: Tools): string {
  linkable(route.table, route.name);
  return written(route, checked(route, given, true, tools), tools);
}

/** The URL of a route for texts. */
export function urlOf(route: Route, given: Texts, tools: Tools): string {
  const texts = checked(route, given, true, tools);
  const url = written(route, texts, tools);
  return route.more.check ? tools.readBack!(route, given, texts, url, tools) : url;
}

/** The URL of a route. */
export function linkIn(table: Table, tools: Tools, name: string, values: object = {}): string {
  const route = linkable(table, name);
  return urlOf(route, givenTo(route, values, tools), tools);
}

/** Defaults are written after all where a value follows: what is filled from left to right has no gaps. */
export function fillGaps(route: Route, parts: readonly Part[], texts: Texts): void {
  for (const part of parts) {
    if (typeof part === "string" || (part.operator !== "/" && part.operator !== ".")) continue;
    const { variables } = part;
    let last = variables.length - 1;
    while (last >= 0 && texts[variables[last]!.index] === undefined) last -= 1;
    for (const { index, name } of variables.slice(0, Math.max(last, 0))) {
      if (texts[index] !== undefined) continue;
      const { fallback } = route.params()[index]!;
      if (fallback === undefined) throw new LinkError("gap", route.name, variables[last]!.name, { before: name });
      texts[index] = fallback;
    }
  }
}

/** Hands a link out once it is known to be read as this route with these values. */
export function readBack(route: Route, given: Texts, short: Texts, url: string, tools: Tools): string {
  const error = misread(route, short, url);
  if (!error) return url;
  // Where leaving a default out lets another reading in, it is written.
  const long = checked(route, given, false, tools);
  const longUrl = written(route, long, tools);
  if (isSame(long, short) || misread(route, long, longUrl)) throw error;
  return longUrl;
}

/** The live lists that a rule, or the rules of its items, name. */
function listsOf({ rule, many }: Param): readonly unknown[] {
  return (many ? [many.items, many.values] : [rule]).map((one) => one?.facts?.["list"]);
}

/** Why a URL would not be read as a route with these values, if so. */
function misread(route: Route, texts: Texts, url: string): LinkError | undefined {
  const { table, name } = route;
  const { site } = table;
  const params = route.params();
  // A link's own values are in the lists that they are said to be in.
  const isOwn = (list: string, value: string): boolean =>
    params.some((param, index) => listsOf(param).includes(list) && [texts[index]].flat(2).includes(value));
  const asked: Asked = { isListed: isOwn, isMet: () => true };
  const reading = take(asked, undefined);
  let error: LinkError | undefined;
  const end = scan(reading, url, site) ? seek(table, reading, methodsOf(route)[0] ?? "GET") : undefined;
  if (!end || site.respelt?.(reading, end, site) !== undefined) {
    error = new LinkError("not-reversible", name, undefined, { url });
  } else if (end.route !== route) {
    error = new LinkError("captured", name, undefined, { url, by: end.route.name });
  } else {
    const read = valuesOf(reading, end);
    const at = params.findIndex(({ kind, fallback }, index) => kind !== FRAGMENT && !isSame(read[index], texts[index] ?? fallback));
    if (at >= 0) error = new LinkError("not-reversible", name, params[at]!.name, { url, read: read[at], given: texts[at] });
  }
  giveBack(reading);
  return error;
}

// Links with lists and pairs, with hosts, and with what is not escaped.

export const lists: Lists = {
  texts(value) {
    const text = (one: unknown): string => wellFormed(String(one));
    const items: readonly unknown[] = Array.isArray(value) ? value : Object.entries(value);
    return items.map((item) => (Array.isArray(item) ? ([text(item[0]), text(item[1])] as const) : text(item))) as Value;
  },

  check(route, param, value) {
    const { name, rule, many } = param;
    const wrong = (expected: string, found?: number): LinkError => new LinkError("form", route.name, name, { expected, found });
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
      throw wrong(`at least ${least} ${most === Infinity ? "" : `and at most ${most} `}items`, value.length);
    }
    for (const item of value) {
      const [first, second] = typeof item === "string" ? [item] : item;
      checkText(route, param, items, first!);
      if (values) checkText(route, param, values, second!);
    }
    const twice = value.find((item, at) => isUnique && (value as readonly unknown[]).indexOf(item) < at);
    if (twice !== undefined) throw new LinkError("refused", route.name, name, { value: value.join(","), twice });
  },

  write(given, { operator, isNamed, separator, encode }, name, isExploded) {
    const value = given as readonly (string | readonly [string, string])[];
    const named = (text: string): string => (!isNamed ? text : name + (text === "" && operator === ";" ? "" : "=") + text);
    if (!isExploded) {
      const items = value.map((item) => (typeof item === "string" ? encode(item) : `${encode(item[0])},${encode(item[1])}`));
      return (isNamed ? name + "=" : "") + items.join(",");
    }
    const items = value.map((item) => {
      if (typeof item === "string") return named(encode(item));
      return encode(item[0]) + (operator === ";" && item[1] === "" ? "" : "=") + encode(item[1]);
    });
    return items.join(separator);
  },
};

export const hosts: HostTools = {
  form: ({ kind }, host) => (kind === HOST ? normalHost(host) : host),
  write(route, valueOf) {
    const host = hostOf(route);
    return host === undefined ? "" : `${(route.table.site.origin ?? "").split("://", 1)[0] || "https"}://` + expandTemplate(host, valueOf, {});
  },
};

export const raw: Raw = {
  encode: encodeReserved,
  normal: (path) => path.split("/").map(normalSegment).join("/").replace(/(?!^)\/+$/, ""),
};

// Where in the table a URL is, and links from there.

/** A position reads its URL again, for what few ask for. */
function again<T>(at: object, use: (reading: Reading, end: End) => T): T {
  const { end, url, host } = readOf(at);
  const reading = take(nobody, host);
  scan(reading, url, end.route.table.site);
  const result = use(reading, end);
  giveBack(reading);
  return result;
}

/** The address as it was asked: path and query, without scheme and host. */
export function addressAt(at: object): string {
  return again(at, (reading, { route }) => addressOf(reading, route.table.site));
}

/** The frames around what is shown, outermost first: the site's, then those of the levels. */
export function framesIn({ site }: Table, shown: object): readonly string[] {
  const read = readOf(shown) ?? readOf((shown as { readonly position?: object }).position ?? {});
  return [site, ...(read ? chainOf(read.end.route).map(({ more }) => more) : [])].flatMap(({ frame }) => frame ?? []);
}

/** The decision where a page has the URL, and the record that it would show does not exist. */
export function notFoundIn({ site }: Table, at: object | undefined, reason?: string): object {
  const owner = (at ? chainOf(readOf(at).end.route) : []).reverse().find(({ more }) => more.fallback !== undefined);
  return { outcome: "not-found", status: 404, page: owner ? (owner.more.fallback ?? undefined) : site.fallback, position: at, reason };
}

/** The data of a route. */
export function dataIn(table: Table, name: string): unknown {
  return table.routes.get(name)!.more.data ?? {};
}

/** For each level of the chain how much of the path it covers. */
function coversOf({ covers, above, node }: End): readonly Cover[] {
  return covers ?? [...(above ? coversOf(above) : []), node.isTail ? -1 : node.depth];
}

/** The level of a chain that declares a parameter. */
function levelOf(route: Route, param: Param): number {
  return chainOf(route).findIndex(({ path, more }) => namesIn(path + (more.host ?? "")).includes(param.name));
}

/** The chain from the outermost ancestor to the route. */
export function levelsAt(at: object): readonly Level[] {
  return again(at, (reading, end) => {
    const { route } = end;
    const covers = coversOf(end);
    const path = reading.path();
    let start = 0;
    return chainOf(route).map((level, index) => {
      const stop = stopOf(reading, end, covers[index]!, path);
      const covered = path.slice(start, stop);
      start = stop;
      const own: { [name: string]: unknown } = {};
      route.params().forEach((param, place) => {
        const value = levelOf(route, param) === index ? valueOf(reading, end, place) : undefined;
        if (value !== undefined) put(own, param.name, typed(param, value));
      });
      return { route: level.name, path: level.template(), covered, frame: level.more.frame, params: own, data: level.more.data ?? {} };
    });
  });
}

/** Where in a path a level ends. */
function stopOf(reading: Reading, end: End, cover: Cover, path: string): number {
  if (cover === -1) return path.length;
  const [segments, pieces] = typeof cover === "object" ? cover : [cover + 1, 0];
  if (segments === 0) return 0;
  const raws = path.split("/").slice(1);
  let at = raws.slice(0, segments - 1).reduce((sum, raw) => sum + 1 + raw.length, 0);
  if (typeof cover === "number") return at;
  at += 1;
  const { pieces: parts } = end.route.table.site;
  // An escape is one byte.
  const start = at;
  const raw = raws[segments - 1]!;
  const before = (end.way[segments - 1]!.length > 1 ? end.way[segments - 1]!.slice(0, pieces) : []).map((_, piece) => parts!.text(reading, end, segments - 1, piece));
  for (let bytes = bytesOf(before.join("")).length; bytes > 0; bytes -= 1) at += raw[at - start] === "%" ? 3 : 1;
  return at;
}

/** The values of a position, with their parameters. */
function valuesAt(at: object): { readonly params: readonly Param[]; readonly values: Values } {
  return { params: readOf(at).end.route.params(), values: again(at, valuesOf) };
}

function tableOf(at: object): Table {
  return readOf(at).end.route.table;
}

function valueAt(at: object, name: string): Value | undefined {
  const { params, values } = valuesAt(at);
  return values[params.findIndex((param) => param.name === name)];
}

/** The variables in the parts with which both templates begin. */
function commonBeginning(own: string, target: string): string[] {
  const cutUp = (template: string): string[] => template.split(/(\{.*?\})/).filter((part) => part !== "");
  const [left, right] = [cutUp(own), cutUp(target)];
  const plain = (part: string | undefined): string | undefined => part?.replace(/\*/g, "");
  const differs = right.findIndex((part, at) => plain(part) !== plain(left[at]));
  const same = differs < 0 ? right : right.slice(0, differs);
  return same.filter((part) => part[0] === "{").flatMap((part) => namesIn(part));
}

/** What a link inherits from a position: what the two addresses share, and what the target cannot do without. */
function inheritedFrom(at: object, target: Route): (Value | undefined)[] {
  const own = readOf(at).end.route;
  const { params, values } = valuesAt(at);
  const shared = commonBeginning(own.template(), target.template());
  const [ownNames, names] = [own.name.split("."), target.name.split(".")];
  const differs = ownNames.findIndex((name, index) => name !== names[index]);
  const common = differs < 0 ? ownNames.length : differs;
  const isOfQuery = (kind: number | undefined): boolean => kind === QUERY || kind === REPEATED;
  return target.params().map((param) => {
    const { name, kind, isOptional, fallback } = param;
    const index = params.findIndex((one) => one.name === name);
    const isNeeded = !isOptional && fallback === undefined;
    const isOfAncestor = !isOfQuery(kind) && levelOf(target, param) < common;
    return !isOfQuery(params[index]?.kind) && (isNeeded || shared.includes(name) || isOfAncestor) ? values[index] : undefined;
  });
}

export const RETURN = "return";

/** The URL of a route, with values that it shares with a position. A value that is set to nothing takes back what is inherited. */
export function linkFromIn(tools: Tools, from: object, name: string, values: object = {}, { back }: LinkOptions = {}): string {
  const route = linkable(tableOf(from), name);
  const address = back === "here" ? addressAt(from) : back === "carry" ? valueAt(from, RETURN) : undefined;
  const given = address === undefined ? values : { ...values, [RETURN]: address };
  const inherited = inheritedFrom(from, route);
  const own = givenTo(route, given, tools);
  const isSet = (name: string): boolean => Object.prototype.hasOwnProperty.call(given, name);
  const texts = route.params().map(({ name: key }, index) => own[index] ?? (isSet(key) && !isEmptyList(given, key) ? undefined : inherited[index]));
  return urlOf(route, texts, tools);
}

/** An empty list is not given, but takes nothing back. */
function isEmptyList(given: object, key: string): boolean {
  const value = (given as { readonly [name: string]: unknown })[key];
  return typeof value === "object" && value !== null;
}

/** A link with scheme and host. */
export function absoluteIn(table: Table, url: string): string {
  const { origin } = table.site;
  if (url[0] !== "/") return url;
  if (origin === undefined) throw new LinkError("no-origin", url);
  return origin + url;
}

/** Whether a link leads to the page that is shown (`page`), or to an ancestor of it (`true`): a value for `aria-current`. */
export function activityIn(tools: Tools, at: object, name: string, given: object = {}): "page" | "true" | undefined {
  const shown = readOf(at).end.route;
  const route = chainOf(shown).find((one) => one.name === name);
  if (!route) return undefined;
  const values = valuesAt(at);
  const texts = textsOf(route, given, tools);
  const isSameValue = (param: Param, index: number): boolean => {
    const { name: key, kind, fallback } = param;
    const isOfQuery = isInQuery(param);
    if (kind === FRAGMENT || (isOfQuery && texts[index] === undefined)) return true;
    // The query of an ancestor is not in the URL of its descendants.
    return (!isOfQuery || route === shown) && isSame(texts[index] ?? fallback, values.values[values.params.findIndex((param) => param.name === key)]);
  };
  return route.params().every(isSameValue) ? (route === shown ? "page" : "true") : undefined;
}

/** The URL of the nearest ancestor with a page, with the same values. */
export function upIn(tools: Tools, at: object): string | undefined {
  for (let { parent } = readOf(at).end.route; parent; { parent } = parent) {
    if (parent.page === undefined) continue;
    try {
      return linkFromIn(tools, at, parent.name);
    } catch {
      // The next one may have a link.
    }
  }
  return undefined;
}

/** What changes when one page takes the place of another, or is the first. */
export function transitionIn(from: object | undefined, to: object): Transition {
  const [old, next] = [from ? levelsAt(from) : [], levelsAt(to)];
  const differs = next.findIndex(({ route }, level) => route !== old[level]?.route);
  const same = differs < 0 ? next.length : differs;
  const changed = next.slice(0, same).flatMap((after, level): Change[] => {
    const before = old[level]!;
    const names = new Set(Object.keys({ ...before.params, ...after.params }));
    const changes = [...names].map((name) => ({ name, route: after.route, before: before.params[name], after: after.params[name] }));
    return changes.filter((change) => !isSame(change.before, change.after));
  });
  const names = (levels: readonly Level[]): string[] => levels.map(({ route }) => route);
  return { kept: names(next.slice(0, same)), left: names(old.slice(same)).reverse(), entered: names(next.slice(same)), changed };
}

export function placeIn({ site: { origin = "", base = "", locate } }: Table): Place {
  return { origin, base: locate ? locate.base : base, isInFragment: locate !== undefined };
}

// URL → page, whatever the visitor may see.

const READ: unique symbol = /* @__PURE__ */ Symbol("read");

/** What a position was read of. */
export interface Read {
  readonly end: End;
  readonly url: string;
  readonly host: string | undefined;
}

interface Marked {
  [READ]: Read;
}

/** What was read to come to a position. */
export function readOf(at: object): Read {
  return (at as Marked)[READ];
}

/** The deepest route that covers a URL, and its values. */
export class Spotted {
  declare readonly route: string;
  declare readonly params: { readonly [name: string]: unknown };

  constructor(reading: Reading, end: End, host: string | undefined) {
    this.route = end.route.name;
    this.params = typedParams(reading, end);
    // Only the functions of this module have a use for it. What has a symbol for a name is left out of JSON.
    (this as unknown as Marked)[READ] = { end, url: reading.url, host };
  }
}

/** A URL that shows a page. */
export class Page {
  declare readonly outcome: "page";
  declare readonly status: 200;
  declare readonly page: string;
  declare readonly route: string;
  declare readonly params: { readonly [name: string]: unknown };

  constructor(reading: Reading, end: End, host: string | undefined) {
    const { route } = end;
    this.outcome = "page";
    this.status = 200;
    this.page = route.page!;
    this.route = route.name;
    this.params = typedParams(reading, end);
    (this as unknown as Marked)[READ] = { end, url: reading.url, host };
  }
}

/** The address of a page without the values that it could leave out; nothing where none can be. */
export type Shorten = (reading: Reading, end: End, asked: Asked) => string | undefined;

/**
 * The page that answers a `GET`, whatever it asks of the visitor; no value counts as listed. Where an address without some value may be that
 * of another page, `shorten` finds out.
 */
export function matchIn(table: Table, url: string, host?: string, shorten?: Shorten): Page | undefined {
  const { site } = table;
  const reading = take(nobody, host);
  let page: Page | undefined;
  if (scan(reading, url, site)) {
    const end = seek(table, reading, "GET");
    if (end && end.route.page !== undefined && (!site.respelt || site.respelt(reading, end, site) === undefined)) {
      if (countNeedless(reading, end) === 0 || (shorten && shorten(reading, end, nobody) === undefined)) page = new Page(reading, end, host);
    }
  }
  giveBack(reading);
  return page;
}

// From a request to a decision.

/** What is decided, whatever the table. */
export type AnyDecision =
  | Page
  | Redirect
  | UnmetOf<string, Spotted>
  | NotFoundOf<string, Spotted>
  | WrongMethodOf<Spotted>
  | Options
  | BadRequest
  | Unavailable;

/** A redirect on the way to a decision. */
export interface Step {
  readonly status: number;
  readonly location: string;
  readonly route: Route | undefined;
  readonly isExternal: boolean;
}

/** A redirect that leads nowhere, with the route to which it leads and the reason. */
export interface Absent {
  readonly missing: readonly [to: Route, reason: string] | undefined;
}

/** What one look at the table comes to. */
type Outcome =
  | { readonly found: Page }
  | { readonly step: Step }
  | { readonly need: string; readonly location: string | undefined }
  | Absent
  | { readonly others: readonly End[] }
  | { readonly bad: Bad };

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
  readonly redirected?: (reading: Reading, end: End) => { readonly step: Step } | Absent;
  /** The page to which a visitor is sent who does not meet a need. */
  readonly signInAt?: (to: Route, reading: Reading, end: End, showsPage: () => boolean, method: string) => string | undefined;
}

/** The answers to the questions of one request. Each question is asked once. */
class Answers implements Asked {
  /** Most requests need no answers. */
  declare known: Map<string, Answer> | undefined;
  /** The first question without an answer. */
  declare stopped: Question | undefined;
  declare private readonly ask: (question: Question, key: string) => Answer;

  constructor(ask: (question: Question, key: string) => Answer) {
    this.known = undefined;
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
    const known = (this.known ??= new Map<string, Answer>());
    if (!known.has(key)) known.set(key, this.ask(question, key));
    const answer = known.get(key);
    if (typeof answer !== "boolean") this.stopped ??= question;
    return answer === true;
  }
}

const MOST_STEPS = 8;

function canonical(location: string): Outcome {
  return { step: { status: 308, location, route: undefined, isExternal: false } };
}

/** One look at the table. */
function look(url: string, request: Look): Outcome {
  const reading = take(request.asked, request.host);
  const outcome = lookWith(reading, url, request);
  giveBack(reading);
  return outcome;
}

function lookWith(reading: Reading, url: string, request: Look): Outcome {
  const { table, method, host, asked, parts } = request;
  if (!scan(reading, url, table.site)) {
    const address = normalized(table, url);
    return typeof address === "string" ? canonical(address) : address ? { bad: address } : { missing: undefined };
  }
  const found = find(table, reading);
  if (found.length === 0) return { missing: undefined };
  const end = choose(table, found, method);
  if (!end) return { others: found };
  const other = table.site.respelt?.(reading, end, table.site);
  if (other !== undefined) return canonical(other);
  const { route } = end;
  const { to, out, needs } = route.more;
  if (to || out) return parts.redirected!(reading, end);
  if (parts.shorten && countNeedless(reading, end) > 0) {
    const address = parts.shorten(reading, end, asked);
    if (address !== undefined) return canonical(address);
  }
  for (const need of needs ?? []) {
    if (asked.isMet(need)) continue;
    const otherwise = table.site.needs![need];
    // Coming back is a `GET`, so only what answers one is a place to come back to.
    const showsPage = (): boolean => {
      const again = take(asked, host ?? reading.host);
      const end = scan(again, url, table.site) ? seek(table, again, "GET") : undefined;
      const isShown = end?.route.page !== undefined && table.site.respelt?.(again, end, table.site) === undefined;
      giveBack(again);
      return isShown;
    };
    return { need, location: otherwise === undefined ? undefined : parts.signInAt!(table.routes.get(otherwise)!, reading, end, showsPage, method) };
  }
  return { found: new Page(reading, end, host) };
}

/** The methods as they are listed: `GET` brings `HEAD`, and `OPTIONS` is answered everywhere. */
function allowed(routes: readonly Route[]): readonly string[] {
  const methods = new Set(routes.flatMap((route) => methodsOf(route))).add("OPTIONS");
  if (methods.has("GET")) methods.add("HEAD");
  return [...methods].sort();
}

/** Decides with these answers. */
function decideWith(url: string, request: Look): AnyDecision {
  const { table } = request;
  if (isLonger(url, table.site.bytes)) return { outcome: "bad-request", status: 414, reason: tooLong(table.site) };
  if (url === "*" && request.method === "OPTIONS") {
    return { outcome: "options", status: 204, allow: allowed([...table.routes.values()].filter((route) => route.isAnswering)) };
  }
  let outcome = look(url, request);
  if (!("step" in outcome)) return decision(url, outcome, request);
  const host = targetOf(url).host ?? request.host;
  let { step } = outcome;
  let { method } = request;
  for (let count = 0; count < MOST_STEPS; count += 1) {
    if (step.status === 303 || (step.status < 303 && method === "POST")) method = "GET";
    if (!step.isExternal) outcome = look(step.location, { ...request, method, host });
    if (step.isExternal || "found" in outcome) {
      const { status, location, route, isExternal } = step;
      return { outcome: "redirect", status, location, route: route?.name, isExternal };
    }
    // The decision is that of the address to which the redirect leads.
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
function decision(address: string, outcome: Exclude<Outcome, { readonly step: Step }>, request: Look): AnyDecision {
  const { table } = request;
  if ("found" in outcome) return outcome.found;
  if ("bad" in outcome) return { outcome: "bad-request", ...outcome.bad };
  const { owner, position, refused } = placeOf(address, request);
  if ("need" in outcome) {
    const location = outcome.location && lastSignIn(outcome.location, request);
    return { outcome: "unmet", status: location ? 303 : 403, need: outcome.need, location, position };
  }
  if ("others" in outcome) {
    const allow = allowed(outcome.others.map(({ route }) => route));
    if (request.method === "OPTIONS") return { outcome: "options", status: 204, allow };
    return { outcome: "wrong-method", status: 405, allow, position };
  }
  const [to, reason = refused] = outcome.missing ?? [];
  const above = to ? chainOf(to).reverse().find(({ more }) => more.fallback !== undefined) : owner;
  const page = above ? (above.more.fallback ?? undefined) : table.site.fallback;
  return { outcome: "not-found", status: 404, page, position, reason };
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

/** Of the wanted routes that cover the path, seen from the root, the one that covers the most of it. */
function covering(table: Table, reading: Reading, method: string, isWanted: (route: Route) => boolean): End | undefined {
  const found: (readonly [end: End, at: number])[] = [];
  reading.visit = ({ ends, areas }, at) => {
    // Lines are opened as URLs lead to them, which is not their order.
    for (const all of [ends, areas]) for (const end of [...all].sort(inOrder)) found.push([end, at]);
  };
  walk(table, reading, table.root, 0);
  reading.visit = undefined;
  let best: readonly [rank: number, end: End] | undefined;
  for (const [end, at] of found) {
    const { route } = end;
    // A page at the root covers the root alone, unless something is declared below it.
    const isArea = at > 0 || route.more.fallback !== undefined || route.isParent;
    if (!isArea || table.site.host?.(reading, route) === false || !isWanted(route)) continue;
    const rank = 2 * at + (allows(route, method) && takesQuery(reading, end) ? 1 : 0);
    if (!best || rank > best[0]) best = [rank, end];
  }
  return best?.[1];
}

/** Where a request is in the table that leads to no page. */
interface Standing {
  /** The route that declares the page for what is missing. */
  readonly owner?: Route | undefined;
  readonly position?: Spotted | undefined;
  /** Why a rule refused the last segment. */
  readonly refused?: string | undefined;
}

const MOST_LOOKS = 64;

/** Why the rule of a parameter refused the last segment of a path, where nothing else has it. */
function refusal(table: Table, reading: Reading): string | undefined {
  const { text, starts, ends, count } = reading;
  let left = MOST_LOOKS;

  /** Looks for it below a node, in the order of the lookup. */
  function after(node: Node, at: number): string | undefined {
    if (at === count || left === 0) return undefined;
    left -= 1;
    while (node.waiting.length > 0) table.open(node);
    const [from, to] = [starts[at]!, ends[at]!];
    const accepting = node.edges.filter(({ rule }) => rule!.takes(text, from, to, reading, at));
    const literal = literalAt(table, reading, node, at);
    const next = literal ? [literal, ...accepting] : accepting;
    if (at + 1 < count) {
      for (const one of next) {
        const found = after(one, at + 1);
        if (found !== undefined) return found;
      }
      return undefined;
    }
    // What has the segment lacks something else.
    if (next.length > 0) return undefined;
    for (const edge of node.edges) {
      const [end] = [...edge.ends].sort(inOrder);
      const [piece] = end?.way[at] ?? [];
      // A first segment that may be left out is a language, say, and hardly what was meant.
      if (typeof piece === "object" && at === 0 && piece.isOptional) continue;
      // Of what is a list only a part would be refused.
      if (typeof piece !== "object" || piece.many || piece.isTail || piece.texts !== edge.rule) continue;
      const value = reading.segment(at);
      // One that a list refused is right as far as the rule can tell.
      if (!piece.rule.takes(value, 0, value.length)) return speech.sentence?.("refused", end!.route.name, piece.name, { value, rule: piece.rule });
    }
    return undefined;
  }
  return after(table.root, 0);
}

/** Where a request stands that leads to no page, and the route that says what is shown where something is missing. */
function placeOf(url: string, { table, method, host, asked }: Look): Standing {
  const silent = new Answers((_, key) => (asked instanceof Answers ? asked.known?.get(key) : undefined));
  const reading = take(silent, host);
  let place: Standing = {};
  if (scan(reading, url, table.site)) {
    const owner = covering(table, reading, method, ({ more }) => more.fallback !== undefined)?.route;
    const found = find(table, reading);
    const isBelow = (route: Route): boolean => !owner || chainOf(route).includes(owner);
    const end = choose(table, found, method) ?? found[0] ?? covering(table, reading, method, isBelow);
    place = { owner, position: end && new Spotted(reading, end, host), refused: refusal(table, reading) };
  }
  giveBack(reading);
  return place;
}

function settled(decision: AnyDecision, { stopped, known }: Answers): AnyDecision {
  if (!stopped) return decision;
  const answer = known!.get(JSON.stringify(stopped));
  return { outcome: "unavailable", status: 503, question: stopped, retryAfter: typeof answer === "object" ? answer.retryAfter : undefined };
}

interface Request {
  readonly method?: string | undefined;
  readonly host?: string | undefined;
}

function decided(table: Table, parts: DecisionParts, url: string, { method = "GET", host }: Request, ask: (question: Question, key: string) => Answer): AnyDecision {
  const answers = new Answers(ask);
  return settled(decideWith(wellFormed(url), { table, method, host, asked: answers, parts }), answers);
}

function asker<Reply>({ meets, lists }: AsksOf<string, string, Reply>): (question: Question) => Reply | boolean {
  const put = (whom: Asking<Reply> | undefined, value: string): Reply | boolean =>
    whom === undefined ? false : typeof whom === "function" ? whom(value) : whom.has(value);
  return (question) => {
    if ("need" in question) return put(meets, question.need);
    if (typeof lists === "function") return lists(question.list, question.value);
    const own: { readonly [name: string]: Asking<Reply> | undefined } = lists ?? {};
    return put(Object.prototype.hasOwnProperty.call(own, question.list) ? own[question.list] : undefined, question.value);
  };
}

/** Decides what to do with a request. Each question is asked once, where the decision hangs on it. */
export function decideIn(table: Table, parts: DecisionParts, url: string, asks: AsksOf<string, string, Answer>): AnyDecision {
  return decided(table, parts, url, asks, asker(asks));
}

/** The same, for questions that take their time: it stops at each question on which it hangs, and goes on with the answer. */
export async function decideAsyncIn(table: Table, parts: DecisionParts, url: string, asks: AsksOf<string, string, Answer | Promise<Answer>>): Promise<AnyDecision> {
  const known = new Map<string, Answer>();
  const ask = asker(asks);
  for (;;) {
    let open: Question | undefined;
    const decision = decided(table, parts, url, asks, (question, key) => {
      if (!known.has(key)) open ??= question;
      return known.get(key);
    });
    // What comes after a question without an answer is not asked.
    if (!open || decision.outcome !== "unavailable" || !isSame(decision.question, open)) return decision;
    known.set(JSON.stringify(open), await Promise.resolve(open).then(ask).catch(() => undefined));
  }
}

/** The decision that was made elsewhere for an address, without deciding again; nothing where this table has no such page. */
export function sentIn(table: Table, { address, route, ...said }: Sent, host: string | undefined): object | undefined {
  const reading = take({ isListed: () => true, isMet: () => true }, host);
  const isIt = (one: Route): boolean => one.name === route;
  const end = scan(reading, address, table.site) ? (find(table, reading).find((one) => isIt(one.route)) ?? covering(table, reading, "GET", isIt)) : undefined;
  const isPage = said.outcome === "page";
  const at = end && (isPage && end.route.page !== undefined ? new Page(reading, end, host) : new Spotted(reading, end, host));
  giveBack(reading);
  return isPage ? (at instanceof Page ? at : undefined) : { ...said, position: at };
}

/** Can a text be an address to come back to? Browsers take a backslash for a slash, and leave control characters out. */
function isAddress(wanted: string | null | undefined): wanted is string {
  return typeof wanted === "string" && /^\/(?![/\\])[!-[\]-~]*$/.test(wanted);
}

/** The address to go back to after signing in, if it is one of this table that shows a page to this visitor; else the other one. */
export function returnAddressIn(table: Table, parts: DecisionParts, wanted: string | null | undefined, otherwise: string, asks: AsksOf<string, string, Answer>): string {
  return isAddress(wanted) && decideIn(table, parts, wanted, { ...asks, method: "GET" }).outcome === "page" ? wanted : otherwise;
}

/** The same, where lists and needs are asked over a network. */
export async function returnAddressAsyncIn(
  table: Table,
  parts: DecisionParts,
  wanted: string | null | undefined,
  otherwise: string,
  asks: AsksOf<string, string, Answer | Promise<Answer>>,
): Promise<string> {
  return isAddress(wanted) && (await decideAsyncIn(table, parts, wanted, { ...asks, method: "GET" })).outcome === "page" ? wanted : otherwise;
}

// Where a visitor is sent on to: by redirects of the table, to the short form of an address, and to sign in and back.

/** What a function gives; nothing for a link that cannot be made. */
function linked(make: () => string | undefined): string | undefined {
  try {
    return make();
  } catch (error) {
    if (error instanceof LinkError) return undefined;
    throw error;
  }
}

/** The pairs of the query that the route does not know, as they were sent. */
function unknownPairs({ query }: Reading, route: Route): string[] {
  if (route.params().some(({ kind }) => kind === PAIRS)) return [];
  return query.split("&").filter((pair) => pair !== "" && !readsName(route, decodeForm(pair.split("=", 1)[0]!)));
}

/** A URL with the pairs of the query that the route does not know, as they were sent. */
function withRest(url: string, reading: Reading, route: Route): string {
  const hash = route.table.site.locate ? -1 : url.indexOf("#");
  const fragment = hash < 0 ? "" : url.slice(hash);
  let out = hash < 0 ? url : url.slice(0, hash);
  const nameOf = (pair: string): string => pair.split("=", 1)[0]!;
  const known = (out.split("?")[1] ?? "").split("&").map(nameOf);
  for (const pair of unknownPairs(reading, route)) {
    if (!known.includes(nameOf(pair))) out += (out.includes("?") ? "&" : "?") + cleanQuery(pair);
  }
  return out + fragment;
}

/** Leaves out values that an address need not spell out. */
export function shortener(tools: Tools): Shorten {
  return (reading, end, asked) => {
    const { route } = end;
    const { table } = route;
    return linked(() => {
      const short = urlOf(route, [...valuesOf(reading, end)], tools);
      const again = take(asked, undefined);
      let address: string | undefined;
      const other = scan(again, short, table.site) ? seek(table, again, methodsOf(route)[0] ?? "GET") : undefined;
      if (other && other.route === route && table.site.respelt?.(again, other, table.site) === undefined) {
        if (countNeedless(again, other) < countNeedless(reading, end)) address = withRest(short, reading, route);
      }
      giveBack(again);
      return address;
    });
  };
}

/** Follows the redirects of the table. */
export function redirector(tools: Tools): (reading: Reading, end: End) => { readonly step: Step } | Absent {
  return (reading, end) => {
    const { route } = end;
    const { table, more } = route;
    const params = route.params();
    const values: Values = valuesOf(reading, end);
    const valueOf = (name: string): Value | undefined => values[params.findIndex((param) => param.name === name)];
    if (more.out) {
      const [template, status] = more.out;
      return { step: { status, location: withRest(expandTemplate(template, valueOf, tools), reading, route), route, isExternal: true } };
    }
    const [name, status, fillings] = more.to!;
    const target = table.routes.get(name)!;
    const texts: Texts = target.params().map((param) => {
      const pieces = Object.prototype.hasOwnProperty.call(fillings, param.name) ? fillings[param.name]! : [];
      const all = pieces.map((piece) => (typeof piece === "string" ? piece : valueOf(piece[0])));
      return all.length === 1 ? all[0] : all.length > 1 && all.every((piece) => typeof piece === "string") ? all.join("") : undefined;
    });
    try {
      const url = urlOfAny(target, texts.map((text, index) => (typeof text === "string" ? formOf(target.params()[index]!, text, tools) : text)), tools);
      return { step: { status, location: withRest(url, reading, route), route, isExternal: false } };
    } catch (error) {
      if (error instanceof LinkError) return { missing: [target, error.message] };
      throw error;
    }
  };
}

/** Sends visitors to sign in, with the way back. */
export function signIn(tools: Tools): (to: Route, reading: Reading, end: End, showsPage: () => boolean, method: string) => string | undefined {
  return (to, reading, end, showsPage, method) => {
    const { route } = end;
    const given: Texts = to.params().map(({ name, kind }) => {
      const index = route.params().findIndex((own) => own.name === name && own.kind === kind);
      return name === RETURN || index < 0 ? undefined : valuesOf(reading, end)[index];
    });
    const isRead = method === "GET" || method === "HEAD" || showsPage();
    const place = to.params().findIndex(({ name }) => name === RETURN);
    const back = isRead && place >= 0 ? linked(() => urlOf(to, given.map((text, index) => (index === place ? addressOf(reading, to.table.site) : text)), tools)) : undefined;
    return back ?? linked(() => urlOf(to, given, tools));
  };
}
