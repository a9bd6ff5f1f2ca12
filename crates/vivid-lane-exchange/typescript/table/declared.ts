// Stands for what `convert` writes of a table, so that what follows it in every module can be compiled on its own.

import { Table, type DecisionParts, type RouteType, type Shorten, type Tools } from "./runtime.js";

interface Anything {
  readonly [name: string]: unknown;
}

/** The routes that show a page: the page, what the URL holds, what the link is given, the data. */
export interface Routes {
  readonly [name: string]: RouteType<string, Anything, Anything, unknown>;
}

/** The routes that group others, or redirect. */
export interface Groups {
  readonly [name: string]: RouteType<undefined, Anything, Anything, unknown>;
}

/** For each page what a match of it is. */
export interface Pages {
  readonly [page: string]: Matches[string];
}

/** A page for what is missing. */
export type FallbackName = string;
/** A frame. */
export type FrameName = string;
/** A need. */
export type NeedName = string;
/** A live list. */
export type ListName = string;

import { type Matches } from "./follows.js";

export const table: Table = /* @__PURE__ */ new Table("", [], {}, {});
export const tools: Tools = {};
export const shorten: Shorten | undefined = undefined;
export const parts: DecisionParts = {};
