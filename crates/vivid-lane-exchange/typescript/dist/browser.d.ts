import type { Answer, Asks, Decision, FrameName, Given, Match, Redirect, RouteName, Transition } from "./table.js";
/** A decision that is shown. Redirects are followed, and visitors who do not meet a need are taken to where they can. */
export type Shown = Exclude<Decision, Redirect>;
/** What changes on the page. */
export interface Change extends Transition {
    /** The frames that stay around the page, outermost first, and those that come within them. */
    readonly framesKept: readonly FrameName[];
    readonly framesEntered: readonly FrameName[];
    /** How it came: the first page, a new one, one that takes the place of the last, or a step through the history. */
    readonly kind: "first" | "push" | "replace" | "traverse";
}
/** What is handed on with each navigation. */
export interface Context {
    /** Aborted as soon as another navigation begins. */
    readonly signal: AbortSignal;
}
type Visitor = Pick<Asks<Answer | Promise<Answer>>, "meets" | "lists">;
export interface Settings {
    /**
     * Draws a page, or fetches what it needs and gives back the function that draws it, which is not called once another navigation
     * has begun. It runs within a view transition where the browser has them.
     */
    readonly show?: (decision: Shown, change: Change, context: Context) => void | (() => void) | Promise<void | (() => void)>;
    /** Shows what went wrong while a page was drawn. */
    readonly failed?: (error: unknown, decision: Shown | undefined) => void;
    /** Which needs the visitor meets now, and the live lists. */
    readonly visitor?: () => Visitor;
    /** Gets ready what a page will need, where the visitor is about to follow a link; once for each address. */
    readonly prepare?: (found: Match, context: Context) => unknown;
    /** The title of the document; by default `data.title` of the route, or of the nearest one above it that has one. */
    readonly title?: (decision: Shown) => string | undefined;
    /** May the visitor leave the page? Asked before each navigation. */
    readonly mayLeave?: () => boolean;
    /** Is the first page there already, drawn by the server? */
    readonly adopt?: boolean;
}
/** A running site: a store that is read and subscribed to, and the ways to go on. */
export interface Site {
    /** What is shown; nothing before the first page is drawn. */
    readonly current: Shown | undefined;
    /** Calls a function after each change of `current`; gives back the function that ends it. */
    subscribe(listener: () => void): () => void;
    /** Goes to the page of a route. It ends when the page is drawn, or another navigation has begun. */
    go<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: Given<Name>): Promise<void>;
    /** The same, in the place of this page in the history. */
    replace<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: Given<Name>): Promise<void>;
    /** Goes to an address of the site. */
    open(url: string, kind?: "push" | "replace"): Promise<void>;
    /** Goes on after signing in: to the address that the visitor wanted, else to another one. */
    comeBack(otherwise: string): Promise<void>;
    /** Decides the same address anew, as the visitor may be another now. */
    refresh(): Promise<void>;
    back(): void;
    forward(): void;
    /** Ends it: links are links again. */
    stop(): void;
}
/** Starts the site. */
export declare function start(settings?: Settings): Site;
export {};
