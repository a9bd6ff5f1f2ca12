// The table as data. `convert` writes it from the frozen table; things refer to each other by their index.
//
// Tuples keep the data small: their names are in the types alone. What stands at the end of a tuple is left out where it has nothing to say.

/** A value as text: one, a list, or names with values. */
export type Value = string | readonly string[] | readonly (readonly [string, string])[];

/** A keyword of a rule: a regular expression or an automaton, and why it refuses a text; words; or a sign and its number. */
export type Test =
  | readonly [slash: "/", format: string, reason: string]
  | readonly [automaton: number, reason: string]
  | readonly [words: readonly string[]]
  | readonly [sign: ">=" | "<=" | ">" | "<" | "%" | "min" | "max", limit: string];

/** The rules of items, or of names (`items`) and values; how many there may be, and whether each may be there once only. */
export type ManyData = readonly [items: number, values: number, least: number, most: number, unique?: number];

/** What parts items in one text, whether an equals sign stands between a name and its value, and the name before each item. */
export type Join = readonly [separator: string, named?: number, name?: string];

export type RuleData = readonly [tests?: readonly Test[] | 0, list?: string | 0, many?: ManyData | 0, join?: Join | 0, automaton?: number];

/** For each state whether it accepts, and the ranges of bytes that lead on: from, to, state. The first state is the start. */
export type Automaton = readonly (readonly number[])[];

/** Text and rules of values in turn. */
export type PatternData = readonly (string | number)[];

export type ParamData = readonly [
  name: string,
  level: number,
  kind: number,
  flags: number,
  rule: number,
  texts: number,
  fallback?: Value,
];

/** What few routes have. */
export interface More {
  readonly methods?: readonly string[];
  /** The template, the pattern, and for each of its pieces the parameter. */
  readonly host?: readonly [template: string, pattern: PatternData, params: readonly number[]];
  readonly needs?: readonly number[];
  readonly frame?: string;
  /** A page, or -1 for none whatever stands above. */
  readonly fallback?: number;
  /** The status, then the template of another site, or a route and what its parameters are given: texts and parameters in turn. */
  readonly redirect?: readonly [
    status: number,
    to: string | number,
    values?: readonly (readonly [name: string, ...pieces: (string | number)[]])[],
  ];
  /** Pairs that the query must have. */
  readonly query?: readonly (readonly [string, string])[];
  /** Parameters with another name in the query. */
  readonly names?: { readonly [param: number]: string };
  readonly priority?: number;
  readonly data?: unknown;
}

export type RouteData = readonly [
  name: string,
  parent: number,
  path: string,
  page: number,
  params: readonly ParamData[],
  more?: More,
];

export type LeafData = readonly [
  route: number,
  /** For each value of the segments its parameter; 0 where they stand in their order. */
  captures: readonly number[] | 0,
  /** For each level the segments that it covers, and the pieces of the last; -1 for all of the path. */
  covers: readonly (number | readonly [segments: number, pieces: number])[],
  tail?: readonly [param: number, first: number, oneValue?: number] | 0,
  /** Literals in the letter case of the table. */
  spelling?: readonly (readonly [segment: number, text: string])[],
];

/** Literals and patterns, each before the node that it leads to; 0 is the node itself, which is that of a tail. */
export type NodeData = readonly [
  literals: readonly (string | NodeData)[] | 0,
  edges?: readonly (number | NodeData)[] | 0,
  leaves?: readonly number[] | 0,
  areas?: readonly number[] | 0,
  unordered?: number,
];

/** Which of two is the narrower: 0 the first, 1 the second, 2 neither, as both accept the same. */
export type Pairs = readonly (readonly [number, number, number])[];

export interface Data {
  readonly site: {
    readonly origin: string;
    readonly base: string;
    /** 0 never, 1 always, 2 either. */
    readonly slash: number;
    readonly bytes: number;
    readonly segments: number;
    readonly frame?: string;
    readonly fallback?: number;
  };
  readonly pages: readonly string[];
  readonly needs: readonly (readonly [name: string, otherwise?: number])[];
  readonly rules: readonly RuleData[];
  readonly automata: readonly Automaton[];
  readonly patterns: readonly PatternData[];
  readonly singles: readonly number[];
  readonly order: Pairs;
  readonly leafOrder: Pairs;
  readonly routes: readonly RouteData[];
  readonly leaves: readonly LeafData[];
  readonly tree: NodeData;
}
