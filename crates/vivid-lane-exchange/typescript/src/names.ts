// Stands for the types of a table while the matcher is checked on its own; `convert` writes those of a real one in its place.

type Any = { readonly [name: string]: unknown };

/** What the URL of each route holds. */
export interface AllParams {
  readonly [name: string]: Any;
}

/** What the link of each route is given. */
export interface Links {
  readonly [name: string]: Any;
}

/** The page of each route. */
export interface Pages {
  readonly [name: string]: string;
}

/** The data of each route. */
export interface Datas {
  readonly [name: string]: unknown;
}

export type FallbackName = string;
export type FrameName = string;
export type NeedName = string;
export type ListName = string;
