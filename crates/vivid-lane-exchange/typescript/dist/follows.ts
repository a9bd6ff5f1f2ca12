/** The name of a route that shows a page. */
export type RouteName = keyof Routes;

/** The name of any route, also of one that groups others or redirects. */
export type LevelName = RouteName | keyof Groups;

/** What the URL of a route holds. */
export type Params<Name extends LevelName> = Name extends RouteName ? Routes[Name]["params"] : Name extends keyof Groups ? Groups[Name]["params"] : never;

/** The data of a route. */
export type DataOf<Name extends LevelName> = Name extends RouteName ? Routes[Name]["data"] : Name extends keyof Groups ? Groups[Name]["data"] : never;

/** The name of a page, also of one for what is missing. */
export type PageName = keyof Pages | FallbackName;

/** For each route what a match of it is. */
export type Matches = T.MatchesOf<Routes>;

/** A URL that shows the page of a route. */
export type Found<Name extends RouteName> = Matches[Name];

/** A URL that shows a page; told apart by `page` or by `route`. */
export type Match = Matches[RouteName];

/** The deepest route that covers a URL; told apart by `route`. */
export type Position = T.PositionsOf<Routes>[RouteName] | T.PositionsOf<Groups>[keyof Groups];

/** Something for every page, such as a component: a page that is left out is an error. */
export type Registry<Shown> = T.RegistryOf<Pages, Shown>;

export type Unmet = T.UnmetOf<NeedName, Position>;
export type NotFound = T.NotFoundOf<FallbackName, Position>;
export type WrongMethod = T.WrongMethodOf<Position>;

/** What to do with a request; told apart by `outcome`. */
export type Decision = Match | T.Redirect | Unmet | NotFound | WrongMethod | T.Options | T.BadRequest | T.Unavailable;

/** What is asked beside the URL. */
export type Asks<Reply = T.Answer> = T.AsksOf<NeedName, ListName, Reply>;

/** What a link is given. While the name is still to be inferred nothing is known of it: else each link would be held against all routes. */
export type Given<Name> = Name extends RouteName ? T.LinkArguments<Name, Routes[Name]["given"]> : [values?: unknown];

/** Makes links that start from a page: what the page has need not be given. */
export type LinkStart<From = T.Somewhere> = <Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: GivenFrom<Name, From>) => string;

type GivenFrom<Name, From> = Name extends RouteName ? T.LinkFromArguments<Name, Routes[Name]["given"], From> : [values?: unknown, options?: unknown];

export { LinkError, Missing, type Answer, type BadRequest, type Change, type Level, type LinkErrorKind, type LinkOptions, type Options, type Place, type Question, type Redirect, type Sent, type Somewhere, type Transition, type Unavailable } from "./runtime.js";

/** The page that a URL shows, and the values in it; nothing where a `GET` comes to anything else. Every need counts as met, and no value as listed. */
export function match(url: string, { host }: { readonly host?: string | undefined } = {}): Match | undefined {
  return matchIn(table, url, host, shorten) as unknown as Match | undefined;
}

/** Decides what to do with a request. Each question is asked once, where the decision hangs on it. */
export function decide(url: string, asks: Asks = {}): Decision {
  return decideIn(table, parts, url, asks as unknown as T.AsksOf<string, string, T.Answer>) as unknown as Decision;
}

/** The same, where lists and needs are asked over a network. An answer that fails makes the decision `unavailable`. */
export function decideAsync(url: string, asks: Asks<T.Answer | Promise<T.Answer>> = {}): Promise<Decision> {
  return decideAsyncIn(table, parts, url, asks as unknown as T.AsksOf<string, string, T.Answer | Promise<T.Answer>>) as unknown as Promise<Decision>;
}

/** The URL of a route. Throws a `LinkError` for what its rules refuse, and where another route would answer. */
export function link<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...[values]: Given<Name>): string {
  return linkIn(table, tools, name as string, values as object | undefined);
}

/**
 * The values of a route from the fields of a form, or of JSON: judged by the rules of the route, in the types that it has. Fields of other names
 * are left alone. Throws a `LinkError` that names the field.
 */
export function valuesFor<Name extends RouteName>(name: Name, fields: Iterable<readonly [string, unknown]>): Params<Name> {
  return valuesOfFields(table, tools, name as string, fields) as Params<Name>;
}

/** The URL of a route for a link that stands on a page: it inherits what the two addresses share. */
export function linkFrom<Name extends string, From extends T.Somewhere>(
  from: From,
  name: Name extends RouteName ? Name : RouteName,
  ...given: GivenFrom<Name, From>
): string {
  return linkFromIn(tools, from, name as string, ...(given as unknown as [values?: object, options?: T.LinkOptions]));
}

/** A link with scheme and host. */
export function absolute(url: string): string {
  return absoluteIn(table, url);
}

/** Whether a link leads to the page that is shown (`"page"`), or to an ancestor of it (`"true"`): the value of `aria-current`. */
export function isActive<Name extends string>(
  position: T.Somewhere,
  name: Name extends RouteName ? Name : RouteName,
  ...[values]: Name extends RouteName ? [values?: T.InheritingValues<Name, Routes[Name]["given"]> | undefined] : [values?: unknown]
): "page" | "true" | undefined {
  return activityIn(tools, position, name as string, values as object | undefined);
}

/** The URL of the nearest ancestor with a page, with the same values. */
export function up(position: T.Somewhere): string | undefined {
  return upIn(tools, position);
}

/** What changes when `to` takes the place of `from`, or is the first page. */
export function transition(from: T.Somewhere | undefined, to: T.Somewhere): T.Transition {
  return transitionIn(from, to);
}

/** The address to go back to after signing in, if it is one of this table that shows a page to this visitor; else the other one. */
export function returnAddress(wanted: string | null | undefined, otherwise: string, asks: Asks = {}): string {
  return returnAddressIn(table, parts, wanted, otherwise, asks as unknown as T.AsksOf<string, string, T.Answer>);
}

/** The same, where lists and needs are asked over a network. */
export function returnAddressAsync(wanted: string | null | undefined, otherwise: string, asks: Asks<T.Answer | Promise<T.Answer>> = {}): Promise<string> {
  return returnAddressAsyncIn(table, parts, wanted, otherwise, asks as unknown as T.AsksOf<string, string, T.Answer | Promise<T.Answer>>);
}

/** The address of a position as it was asked: path and query, without scheme and host. */
export function address(position: T.Somewhere): string {
  return addressAt(position);
}

/** The levels of a position, from the outermost ancestor to the route itself. */
export function levels(position: T.Somewhere): readonly T.Level[] {
  return levelsAt(position);
}

/** The frames around what is decided, outermost first. */
export function frames(decision: Decision | T.Somewhere): readonly FrameName[] {
  return framesIn(table, decision) as readonly FrameName[];
}

/** What is decided where a page finds out that the record which it would show does not exist: the fallback of that part of the site. */
export function notFoundAt(found: T.Somewhere | undefined, reason?: string): NotFound {
  return notFoundIn(table, found, reason) as NotFound;
}

/** A decision of the server, for the browser, without deciding again; undefined if this table has no such page. */
export function sentDecision(sent: T.Sent, host?: string): Decision | undefined {
  return sentIn(table, sent, host) as Decision | undefined;
}

/** The data of a route. */
export function dataOf<Name extends LevelName>(name: Name): DataOf<Name> {
  return dataIn(table, name as string) as DataOf<Name>;
}

/** How the site is reached, as the table says. */
export function place(): T.Place {
  return placeIn(table);
}
