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
/** What need not be given may be `null`, too. */
type Nothing<Value> = undefined extends Value ? null : never;
/** The values of a link. The route is part of the type, so that errors name it. */
export type LinkValues<_Name, Given> = {
    readonly [Key in keyof Given]: Wide<Given[Key]> | Nothing<Given[Key]>;
};
/** The arguments of a link: the values may be left out where none must be given. */
export type LinkArguments<Name, Given> = {} extends Given ? [values?: LinkValues<Name, Given> | undefined] : [values: LinkValues<Name, Given>];
/** What a link from a position may be given; `null` takes back what is inherited. */
export type InheritingValues<_Name, Given> = {
    readonly [Key in keyof Given]?: Wide<Given[Key]> | null | undefined;
};
/** The values that a position is sure to have. Where nothing is known of it, nothing is asked for. */
type Sure<From> = [From] extends [{
    readonly params: infer Read;
}] ? (string extends keyof Read ? ([Read] extends [None] ? never : PropertyKey) : SureOf<Read, keyof Read>) : never;
type SureOf<Read, Key> = Key extends keyof Read ? (undefined extends Read[Key] ? never : Key) : never;
/** What a link from a position must be given: what it cannot do without, and the position does not have. */
type Lacking<Given, Has> = {
    readonly [Key in keyof Given as undefined extends Given[Key] ? never : Key extends Has ? never : Key]: Wide<Given[Key]>;
};
/** The arguments of a link from a position. */
export type LinkFromArguments<Name, Given, From> = {} extends Lacking<Given, Sure<From>> ? [values?: InheritingValues<Name, Given> | undefined, options?: LinkOptions | undefined] : [values: InheritingValues<Name, Given> & Lacking<Given, Sure<From>>, options?: LinkOptions | undefined];
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
    /** The live lists, each by its name, or all by one function; empty by default. */
    readonly lists?: {
        readonly [Name in List]?: Asking<Reply> | undefined;
    } | ((list: List, value: string) => Reply) | undefined;
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
/** Thrown by a page whose record does not exist, in the browser or on a server: the fallback of its part of the site is shown. */
export declare class Missing extends Error {
    constructor(reason?: string);
}
/** How errors are put into words: by nothing but their kind, until the sentences are loaded. */
export declare const speech: {
    sentence: ((kind: LinkErrorKind, route: string, param: string | undefined, details: Details) => string) | undefined;
};
/** Puts errors into words from now on. */
export declare function speakBy(sentence: NonNullable<typeof speech.sentence>): void;
