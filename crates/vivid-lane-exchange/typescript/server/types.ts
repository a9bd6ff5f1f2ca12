// What a program says of its site, and what a page is shown with.

import { Missing } from "../table/follows.js";
import type { Answer, Decision, FallbackName, FrameName, ListName, LevelName, LinkStart, NeedName, NotFound, PageName, Pages, Params, Position, RouteName, Somewhere } from "../table/follows.js";
import type { Client, Incoming } from "./incoming.js";
import type { Reply } from "./reply.js";

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
export type Entry<At, State, Who> = Show<At, State, Who> | { readonly code: () => Promise<{ readonly default: Show<At, State, Who> }> };

/** One entry for each page of the table, also for those that show what is missing. */
export type PageEntries<State, Who> = { readonly [Name in keyof Pages]: Entry<Pages[Name], State, Who> } & {
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
  readonly params: At extends { readonly params: infer Params } ? Params : { readonly [name: string]: unknown };
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
export class Failure extends Error {
  readonly status: number;
  /** After how many seconds it is worth asking again. */
  readonly retryAfter: number | undefined;

  constructor(status: number, detail: string, { retryAfter, cause }: { readonly retryAfter?: number; readonly cause?: unknown } = {}) {
    super(detail);
    this.name = "Failure";
    this.status = status;
    this.retryAfter = retryAfter;
    if (cause !== undefined) Object.defineProperty(this, "cause", { value: cause });
  }
}

export { Missing };
