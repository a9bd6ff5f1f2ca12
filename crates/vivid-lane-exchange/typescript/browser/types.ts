// The types of settings, and of what the module reports.

import { Missing } from "../table/follows.js";
import type { Answer, Asks, Decision, FallbackName, FrameName, Given, NotFound, Pages, Position, Redirect, RouteName, Transition } from "../table/follows.js";

/** A decision that can be shown. Redirects are followed, and visitors who do not meet a need are sent to the page where they can. */
export type Decided = Exclude<Decision, Redirect>;

/**
 * How a visit came about: the first page of the document, a new entry of the history, one in the place of the last, a step through the
 * history, or the same address once more.
 */
export type Kind = "first" | "push" | "replace" | "traverse" | "refresh";

/** What a page or a frame is made with. */
export interface Context {
  /** The address that is visited: path and query. */
  readonly address: string;
  /** Aborted as soon as the visitor goes elsewhere: before the page is drawn, or when it is left. */
  readonly signal: AbortSignal;
  /** Is it made ahead, as a link is pointed at? */
  readonly isAhead: boolean;
}

/** Makes a page or a frame: fetches what it needs, and gives back what is drawn. It changes nothing that can be seen. */
export type Make<At, Content> = (at: At, context: Context) => Content | Titled<Content> | Promise<Content | Titled<Content>>;

/** A page or a frame: the function that makes it, or where its code is fetched from when it is needed first. */
export type Entry<At, Content> = Make<At, Content> | { readonly code: () => Promise<{ readonly default: Make<At, Content> }> };

/** One entry for each page of the table, also for those that show what is missing. */
export type PageEntries<Content> = { readonly [Name in keyof Pages]: Entry<Pages[Name], Content> } & { readonly [Name in FallbackName]: Entry<NotFound, Content> };

/** One entry for each frame of the table. A frame is made for the route that declares it; that of the site has none. */
export type FrameEntries<Framing> = { readonly [Name in FrameName]: Entry<Position | undefined, Framing> };

/** What went wrong, and where. */
export interface Failure {
  readonly error: unknown;
  readonly decision: Decided | undefined;
  /** Tries once more. */
  readonly retry: () => Promise<void>;
}

/** What each page and each frame is. */
export type Registry<Content, Framing> = {
  readonly pages: PageEntries<Content>;
  /** What is shown where there is no page: a need that nobody can meet, a list that cannot be asked, a URL that is none. */
  readonly otherwise: Make<Decided, Content>;
  /** What is shown in the place of a page that failed. */
  readonly failed: (failure: Failure) => Content | Titled<Content>;
} & ([FrameName] extends [never] ? { readonly frames?: {} } : { readonly frames: FrameEntries<Framing> });

/** A frame that is shown. */
export interface Frame<Framing> {
  readonly name: FrameName;
  /** The route that declares it, with the values that lead there; nothing for the frame of the site. */
  readonly at: Position | undefined;
  readonly content: Framing;
}

/** What is shown, all of it at once. */
export interface Shown<Content = unknown, Framing = unknown> {
  readonly decision: Decided;
  readonly address: string;
  readonly title: string;
  /** Outermost first. */
  readonly frames: readonly Frame<Framing>[];
  /** What the page made; nothing without a registry. */
  readonly content: Content | undefined;
  /** What is kept with this entry of the history. */
  readonly state: unknown;
  /** What the server has sent over with a page that it has drawn. */
  readonly data: unknown;
  readonly error: unknown;
  /** Aborted when the page is left. */
  readonly signal: AbortSignal;
}

/** What changes on the page. */
export interface Change extends Transition {
  readonly kind: Kind;
  /** The frames that stay around the page, outermost first, those of them that have other values, and those that come within them. */
  readonly framesKept: readonly FrameName[];
  readonly framesChanged: readonly FrameName[];
  readonly framesEntered: readonly FrameName[];
}

/** Where a visit is going that is not shown yet. */
export interface Going {
  readonly address: string;
  readonly kind: Kind;
  /** Nothing until lists and needs are answered. */
  readonly decision: Decided | undefined;
  /** Has it taken longer than `waitFor`? */
  readonly isLate: boolean;
}

/** The events of visits, in order. */
export type Happening =
  | { readonly type: "asked" | "waiting" | "overtaken"; readonly address: string; readonly kind: Kind }
  | { readonly type: "decided"; readonly address: string; readonly decision: Decided; /** The addresses that led here. */ readonly via: readonly string[] }
  | { readonly type: "fetched"; readonly address: string; readonly isAhead: boolean }
  | { readonly type: "drawn"; readonly address: string; readonly change: Change }
  | { readonly type: "failed"; readonly address: string; readonly error: unknown };

/** Who the visitor is: which needs they meet, and the live lists. */
export type Visitor = Pick<Asks<Answer | Promise<Answer>>, "meets" | "lists">;

interface Behaviour<Content, Framing> {
  /** Puts what was made on the page, in one go. Without it an application reads `current` and draws by itself. */
  readonly draw?: (shown: Shown<Content, Framing>, change: Change) => void | Promise<void>;
  /** Which needs the visitor meets now, and the live lists. */
  readonly visitor?: () => Visitor;
  /** The title of the document, for what is not `titled`; by default `data.title` of the nearest route that has one. */
  readonly title?: (shown: Shown<Content, Framing>) => string | undefined;
  /** Is there anything on the page that the visitor would lose? By default there may be, if there is `mayLeave`. */
  readonly unsaved?: () => boolean;
  /** May the visitor go there? Asked before the page is left; the answer may take its time. */
  readonly mayLeave?: (to: Going) => boolean | Promise<boolean>;
  /** After how many milliseconds a visit that is not shown yet is late: 200 by default. */
  readonly waitFor?: number;
  /** For how many milliseconds what was made ahead is good: 30,000 by default, and 0 makes nothing ahead. */
  readonly freshFor?: number;
  /** Called for each event; `"console"` prints them. */
  readonly observe?: "console" | ((happening: Happening) => void);
  /** Is the first page there already, drawn by the server? By default it is where the server says so in the document (`visit.sent()`). */
  readonly adopt?: boolean;
  /** Do pages change within view transitions, where the browser has them? Links cannot be clicked on while one runs. */
  readonly viewTransitions?: boolean;
}

export type Settings<Content, Framing> = Behaviour<Content, Framing> & (Registry<Content, Framing> | { readonly pages?: undefined });

/** How to go somewhere. */
export interface GoOptions {
  /** Kept with the entry of the history, and read by the page; what can be cloned. */
  readonly state?: unknown;
  /** Are focus and scroll position left where they are? */
  readonly stay?: boolean | undefined;
}

type GoArguments<Name> = [...Given<Name>, options?: GoOptions | undefined];

/** A running site: a store that is read and subscribed to, and the ways to go on. */
export interface Site<Content = unknown, Framing = unknown> {
  /** What is shown; nothing before the first page is drawn. */
  readonly current: Shown<Content, Framing> | undefined;
  /** Where the visitor is going; nothing once it is shown. */
  readonly going: Going | undefined;
  /** Does going back stay in the application? */
  readonly canGoBack: boolean;
  /** Calls a function after each change of `current` and `going`; gives back the function that ends it. */
  subscribe(listener: () => void): () => void;
  /** Goes to the page of a route. It ends when the page is drawn, or another visit has begun; it fails where there is no such link. */
  go<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: GoArguments<Name>): Promise<void>;
  /** The same, in the place of this page in the history. */
  replace<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: GoArguments<Name>): Promise<void>;
  /** Goes to an address. One that no route covers is left to the server. */
  open(url: string, kind?: "push" | "replace", options?: GoOptions): Promise<void>;
  /** Goes on after signing in: to the address that the visitor wanted, else to another one. */
  comeBack(otherwise: string): Promise<void>;
  /** Decides and makes the page at this address anew; focus and scroll position stay. */
  refresh(): Promise<void>;
  /** Keeps something else with this entry of the history. */
  keep(state: unknown): void;
  back(): void;
  forward(): void;
  /** Ends it: links are links again. */
  stop(): void;
}

/** A page with a title that is known only once it is made. */
export class Titled<Content> {
  readonly title: string;
  readonly content: Content;

  constructor(title: string, content: Content) {
    this.title = title;
    this.content = content;
  }
}

/** What a page is made of, with the title of the document. */
export function titled<Content>(title: string, content: Content): Titled<Content> {
  return new Titled(title, content);
}

export { Missing };
