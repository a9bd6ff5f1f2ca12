/** What kept a link from being made. */
export type LinkErrorKind = "unknown-route" | "group" | "redirect" | "no-origin" | "gap" | "unknown-param" | "missing" | "form" | "refused" | "long" | "captured" | "not-reversible";
/** A link that could not be made; the message says why and how to mend it. */
export declare class LinkError extends Error {
    readonly kind: LinkErrorKind;
    /** The name of the route that was asked for. */
    readonly route: string;
    /** The parameter that is to blame, where one is. */
    readonly param: string | undefined;
    constructor(kind: LinkErrorKind, route: string, message: string, param?: string);
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
    readonly params: {
        readonly [name: string]: unknown;
    };
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
export type Position = {
    [Name in LevelName]: Standing<Name>;
}[LevelName];
/** A URL that shows the page of a route. */
export interface Found<Name extends RouteName> extends Standing<Name> {
    readonly outcome: "page";
    readonly status: 200;
    readonly page: Pages[Name];
}
/** A URL that shows a page; told apart by `page` or by `route`. */
export type Match = {
    [Name in RouteName]: Found<Name>;
}[RouteName];
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
    readonly lists?: {
        readonly [Name in ListName]?: Asking<Reply> | undefined;
    } | undefined;
}
/** The page that a URL shows, and the values in it; nothing where a `GET` comes to anything else. Every need counts as met, and no value as listed. */
export declare function match(url: string, { host }?: {
    readonly host?: string | undefined;
}): Match | undefined;
/** Decides what to do with a request. Each question is asked once, where the decision hangs on it. */
export declare function decide(url: string, asks?: Asks): Decision;
/** The same, where lists and needs are asked over a network. An answer that fails makes the decision `unavailable`. */
export declare function decideAsync(url: string, asks?: Asks<Answer | Promise<Answer>>): Promise<Decision>;
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
type Given<Name extends RouteName> = {} extends Links[Name] ? [values?: Links[Name] | undefined, options?: LinkOptions | undefined] : [values: Links[Name], options?: LinkOptions | undefined] | [values: Partial<Links[Name]>, options: LinkOptions & {
    readonly from: Position;
}];
/** The URL of a route. Throws a `LinkError` for what its rules refuse, and where another route would answer. */
export declare function link<Name extends RouteName>(name: Name, ...[values, options]: Given<Name>): string;
/** Whether a link leads to the page that is shown (`"page"`), or to an ancestor of it (`"true"`): the value of `aria-current`. */
export declare function isActive<Name extends RouteName>(position: Position, name: Name, values?: Partial<Links[Name]>): "page" | "true" | undefined;
/** The URL of the nearest ancestor with a page, with the same values. */
export declare function up(position: Position): string | undefined;
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
export declare function transition(from: Position | undefined, to: Position): Transition;
/** The address to go back to after signing in, if it is one of this table that shows a page to this visitor; else the other one. */
export declare function returnAddress(wanted: string | null | undefined, otherwise: string, asks?: Asks): string;
/** The same, where lists and needs are asked over a network. */
export declare function returnAddressAsync(wanted: string | null | undefined, otherwise: string, asks?: Asks<Answer | Promise<Answer>>): Promise<string>;
/** The data of a route. */
export declare function dataOf<Name extends LevelName>(name: Name): Datas[Name];
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
export declare function place(): Place;
