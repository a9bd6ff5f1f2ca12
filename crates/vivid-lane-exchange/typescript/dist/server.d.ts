import { Missing } from "./routes.js";
import type { Answer, Decision, FallbackName, FrameName, LevelName, LinkStart, ListName, NeedName, NotFound, PageName, Pages, Params, Position, RouteName, Somewhere } from "./routes.js";
/** What a fallback is shown for: a page that is missing, or a refusal or a failure where the site shows these by its fallbacks. */
export interface Refusal {
    /** What was decided; `"failed"` where a page has failed. */
    readonly outcome: Exclude<Decision["outcome"], "page" | "redirect" | "options"> | "failed";
    readonly status: number;
    /** The deepest route that covers the address. */
    readonly position: Position | undefined;
    readonly reason: string | undefined;
}
/** What a page gives: a response, or the text or the stream of an HTML document. */
export type Shown = Response | Reply | string | ReadableStream<Uint8Array>;
/** Shows a page. */
export type Show<At, State, Who> = (visit: Visit<At, State, Who>) => Shown | Promise<Shown>;
/** A page: the function that shows it, or where its code is fetched from when it is needed first. */
export type Entry<At, State, Who> = Show<At, State, Who> | {
    readonly code: () => Promise<{
        readonly default: Show<At, State, Who>;
    }>;
};
/** One entry for each page of the table, also for those that show what is missing. */
export type PageEntries<State, Who> = {
    readonly [Name in keyof Pages]: Entry<Pages[Name], State, Who>;
} & {
    readonly [Name in FallbackName]: Entry<NotFound | Refusal, State, Who>;
};
/** What is done around pages: `next` shows the page, and never fails; what went wrong in it has its status, and gets its text later. */
export type Layer<State, Who> = (visit: Visit<any, State, Who>, next: () => Promise<Response>) => Response | Promise<Response>;
/** A layer around all pages; around some; around what is shown at a route and below it. */
export interface Around<State, Who> {
    readonly layer: Layer<State, Who>;
    readonly pages?: readonly PageName[] | undefined;
    readonly below?: LevelName | undefined;
}
/** What is known of a request before it is decided. */
export interface Asked<State> {
    readonly method: string;
    /** Path and query, as they were sent. */
    readonly target: string;
    readonly host: string | undefined;
    /** `http` or `https`, as far as it is known. */
    readonly scheme: string | undefined;
    /** The address of the client, as far as it is known. */
    readonly client: string | undefined;
    /** What the program keeps for this request. */
    readonly state: State;
    /** The whole request. It costs more than its fields. */
    readonly request: Request;
    /** Aborted when the client goes away. */
    readonly signal: AbortSignal;
    /** The value of a header field. */
    field(name: string): string | undefined;
}
/** A visit to a page. `At` is the match of the request; for a fallback, what is missing or refused. */
export interface Visit<At = unknown, State = unknown, Who = unknown> extends Asked<State> {
    /** The match of the request; for a fallback, what is missing or refused. */
    readonly at: At;
    /** The values of the URL; for a fallback those that its place has. */
    readonly params: At extends {
        readonly params: infer Params;
    } ? Params : {
        readonly [name: string]: unknown;
    };
    /** The frames around the page, outermost first. */
    readonly frames: readonly FrameName[];
    /** A link from here: it inherits the values that the two addresses share. */
    readonly link: LinkStart<At extends Somewhere ? At : Somewhere>;
    /** Who the visitor is, as it was found out for a need of this page; nothing where none had to be asked. */
    readonly visitor: Who | undefined;
    /** Was the request made from a page of this site, or from no page at all? Browsers say so, and a page of another site cannot forge it. */
    readonly isFromThisSite: boolean;
    /** Who the visitor is, asked at most once for a request. */
    who(): Promise<Who | undefined>;
    /** A redirect to a URL, after a form for example; the browser follows it with `GET` (303). */
    seeOther(url: string): Reply;
    /** A redirect (303) from a page to sign in, to where the visitor wanted to go; elsewhere if that is no page of this site, or this one. */
    comeBack(otherwise: string): Promise<Reply>;
    /**
     * An element for the document, by which the browser takes the page over without deciding again: what was decided, with data of the page's own.
     * The browser's module hands it out as `data`.
     */
    sent(data?: unknown): string;
    /** Reads the body as a form of up to `limit` bytes (413, 415). One that another site sent is refused (403). */
    form(limit: number): Promise<FormData>;
    /** Reads the body as JSON of up to `limit` bytes (413, 415). */
    json(limit: number): Promise<unknown>;
    /**
     * Reads a form, or JSON, as the values of a route: judged by its rules, in the types that it has. What the form does not have, this page
     * may: its values hold, too. What a rule refuses is 422, and the visitor reads which.
     */
    values<Name extends RouteName>(name: Name, limit: number): Promise<Params<Name>>;
}
/** What went wrong, and where. */
export interface FailureOf<State> {
    readonly error: unknown;
    readonly status: number;
    readonly asked: Asked<State>;
    /** The page that failed. */
    readonly page: PageName;
}
/** What only the program knows. Each question is asked only if the decision depends on it, and once for each request. */
export interface Settings<State, Who> {
    readonly pages: PageEntries<State, Who>;
    /** What the program keeps for each request: connections, settings, what it counts. */
    readonly state?: (asked: Omit<Asked<undefined>, "state">) => State;
    /** Finds out who the visitor is, from a session for example. It throws if this is not known at the moment. */
    readonly identify?: (asked: Asked<State>) => Who | undefined | Promise<Who | undefined>;
    /** Does the visitor meet a need? Nobody does by default. */
    readonly meets?: (who: Who | undefined, need: NeedName, asked: Asked<State>) => Answer | Promise<Answer>;
    /** Does a live list have a value? All are empty by default. */
    readonly lists?: (list: ListName, value: string, asked: Asked<State>) => Answer | Promise<Answer>;
    /** For how many milliseconds an answer is waited for: 5,000 by default. */
    readonly answerWithin?: number;
    /** What is done around pages, outermost first. */
    readonly layers?: readonly Around<State, Who>[];
    /** Called for each failure of a page or a layer. If it returns an answer, that is sent instead of the usual one. */
    readonly failed?: (failure: FailureOf<State>) => Response | Reply | void | undefined | Promise<Response | Reply | void | undefined>;
    /** Are refusals and failures shown by the fallbacks, too? */
    readonly showRefusals?: boolean;
    /** Is `Location` written with the origin of the table? */
    readonly absoluteLocations?: boolean;
    /** For how many seconds browsers may keep a permanent redirect: 3,600 by default. */
    readonly keepRedirects?: number;
    /** Finds out who the client is: by default the other end of the connection. `forwarded(isProxy)` trusts what our own proxies say. */
    readonly client?: (incoming: Incoming) => Client;
}
/** What a page throws for what the visitor can mend: the visitor reads the text. Any other error is 500, and its text is not sent. */
export declare class Failure extends Error {
    readonly status: number;
    /** After how many seconds it is worth asking again. */
    readonly retryAfter: number | undefined;
    constructor(status: number, detail: string, { retryAfter, cause }?: {
        readonly retryAfter?: number;
        readonly cause?: unknown;
    });
}
export { Missing };
/** What an adapter knows of a request. */
export interface Incoming {
    readonly method: string;
    /** Path and query as they were sent, an absolute URL, or an asterisk. */
    readonly target: string;
    /** What the request says its host is; all of them. */
    readonly hosts: readonly string[];
    /** Must it say so, as HTTP/1.1 demands? */
    readonly wantsHost: boolean;
    readonly scheme: string | undefined;
    /** The address at the other end of the connection. */
    readonly peer: string | undefined;
    readonly request: Request;
    readonly body: ReadableStream<Uint8Array> | null;
    readonly signal: AbortSignal;
    field(name: string): string | undefined;
}
/** What the standard `Request` does not say. */
export interface Connection {
    /** The address at the other end of the connection. */
    readonly peer?: string | undefined;
}
/** A standard request. Its URL is in the normal form of browsers already. */
export declare class Standard implements Incoming {
    readonly request: Request;
    readonly target: string;
    readonly hosts: readonly string[];
    readonly wantsHost: boolean;
    readonly scheme: string;
    readonly peer: string | undefined;
    constructor(request: Request, { peer }: Connection);
    get method(): string;
    get body(): ReadableStream<Uint8Array> | null;
    get signal(): AbortSignal;
    field(name: string): string | undefined;
}
/** Is it a host, with or without a port, and nothing else (RFC 3986, section 3.2)? It may be empty; escapes are in no name that is looked up. */
export declare function isHost(text: string): boolean;
/** What is known of the client. */
export interface Client {
    readonly client: string | undefined;
    readonly host: string | undefined;
    readonly scheme: string | undefined;
}
/** The client is the other end of the connection. */
export declare function connected({ peer, scheme, hosts: [host] }: Incoming): Client;
/**
 * The client, from what our proxies say of it: by `Forwarded` (RFC 7239), or by the fields that were used before it. `isProxy` says which
 * addresses are those of our proxies.
 */
export declare function forwarded(isProxy: (address: string) => boolean): (incoming: Incoming) => Client;
type Field = readonly [name: string, value: string];
/** An answer that costs less than a `Response`, and becomes one where that is wanted. */
export declare class Reply {
    readonly status: number;
    readonly fields: readonly Field[];
    readonly body: string | ReadableStream<Uint8Array> | null;
    /** What it was made of, where nothing was changed. */
    private readonly response;
    constructor(status: number, fields: readonly Field[], body: string | ReadableStream<Uint8Array> | null, response?: Response);
    static of(shown: Response | Reply | string | ReadableStream<Uint8Array>): Reply;
    toResponse(): Response;
    /** The same with another status, and with these fields in the place of those of the same names. */
    stamped(status: number, fields: readonly Field[]): Reply;
    /** The same with those of these fields that it does not have itself. */
    with(fields: readonly Field[]): Reply;
    /** The answer to `HEAD`: no body, but the length that it would have (RFC 9110, sections 8.6 and 9.3.2). */
    withoutBody(): Reply;
}
/** Has an answer of this status never a body? */
export declare function hasNoBody(status: number): boolean;
/** How an answer differs from a plain 200. */
export interface ReplyOptions {
    readonly status?: number | undefined;
    readonly headers?: {
        readonly [name: string]: string;
    } | readonly Field[] | undefined;
}
/** An HTML answer. */
export declare function html(body: string | ReadableStream<Uint8Array>, options?: ReplyOptions): Reply;
/** A JSON answer. */
export declare function json(value: unknown, options?: ReplyOptions): Reply;
/** The formats of error messages. */
export type Form = "plain" | "html" | "json";
/** The form that a client likes best, by its `Accept` field; plain text for one that does not say. */
export declare function preferred(accepted?: string): Form;
/** The contents of an answer that the service makes itself. */
export interface Details {
    readonly status: number;
    /** What is wrong, beyond the name of the status. */
    readonly detail?: string | undefined;
    readonly location?: string | undefined;
    readonly allow?: readonly string[] | undefined;
    readonly retryAfter?: number | undefined;
    readonly cache?: string | undefined;
}
/** The header fields of an answer. */
export declare function fieldsOf({ location, allow, retryAfter, cache }: Details): Field[];
/** The answer, in a form, about a path. */
export declare function replyTo(details: Details, form: Form, path: string): Reply;
/** A value, or the promise of one. */
type Soon<Value> = Value | Promise<Value>;
/** A site that answers requests. */
export interface Site {
    /** Answers a request. It never fails. */
    respond(request: Request, connection?: Connection): Promise<Response>;
    /** The same for adapters of servers that have requests of their own. */
    answer(incoming: Incoming): Soon<Reply>;
}
/** The site of a table, with the pages of a program. */
export declare function site<State = undefined, Who = undefined>(settings: Settings<State, Who>): Site;
type Hears = (event: any, listener: (...given: any[]) => void) => unknown;
/** A request of `node:http` or `node:https`. */
export interface NodeRequest {
    readonly method?: string | undefined;
    readonly url?: string | undefined;
    readonly httpVersion: string;
    readonly complete: boolean;
    readonly headers: {
        readonly [name: string]: string | string[] | undefined;
    };
    /** Names and values in turns, as they were sent. */
    readonly rawHeaders: readonly string[];
    readonly socket: {
        readonly remoteAddress?: string | undefined;
    };
    readonly on: Hears;
    pause(): unknown;
    resume(): unknown;
}
/** The response to one. */
export interface NodeResponse {
    statusCode: number;
    readonly writableFinished: boolean;
    readonly destroyed: boolean;
    readonly on: Hears;
    readonly once: Hears;
    setHeader(name: string, value: string | readonly string[]): unknown;
    write(chunk: Uint8Array): boolean;
    end(text?: string): unknown;
    destroy(error?: Error): unknown;
}
/** A site for `createServer`; or a function that gives the one that holds now. */
export declare function listener(site: Site | (() => Site)): (request: NodeRequest, response: NodeResponse) => void;
