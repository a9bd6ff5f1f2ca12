/** A table: its text in TOML, or more about it. */
export type Source =
  | string
  | {
      /** Its ending tells its format: `.toml`, `.json`, `.yaml`, `.yml`. `routes.toml` if left out. */
      name?: string;
      text: string;
      /** Gives the text of a file that the table includes. */
      include?: (file: string) => string | Uint8Array | undefined;
    };

/** What `check` finds, as the tool prints it in JSON. */
export interface Finding {
  severity: "error" | "warning" | "note";
  code: string;
  message: string;
  help?: string;
  routes: string[];
  /** A URL that proves it. */
  witness?: string;
  only_first?: string;
  only_second?: string;
  file?: string;
  /** From 1. */
  line?: number;
  /** In characters, from 1. */
  column?: number;
  /** Where the marked text begins and ends, in bytes of UTF-8. */
  range?: [number, number];
}

export type Json = null | boolean | number | string | Json[] | { [key: string]: Json };

/** A route, as `tree` prints it in JSON. */
export interface Route {
  route: string;
  path: string;
  page?: string;
  frame?: string;
  fallback?: string | false;
  parent?: string;
  methods: string[];
  host?: string;
  redirect?: { to?: string; url?: string; status: number };
  needs?: string[];
  params: { [name: string]: string };
  /** Query parameters that a URL must have. */
  required?: string[];
  data?: { [key: string]: Json };
}

/** What holds for a whole table, as `tree` prints it in JSON before the routes. */
export interface Site {
  site: {
    origin?: string;
    base?: string;
    slash: "never" | "always" | "either";
    location: "path" | "fragment";
    frame?: string;
    fallback?: string;
  };
  /** The route that leads who does not meet a need there. */
  needs: { [name: string]: { otherwise?: string } };
  lists: string[];
}

/** A value of a parameter. */
export type Value = string | string[] | [string, string][];

/** What a URL leads to, as `match` prints it in JSON. */
export interface Decision {
  url: string;
  outcome: "page" | "redirect" | "unmet" | "not-found" | "wrong-method" | "options" | "bad-request" | "unavailable";
  status: number;
  route?: string;
  page?: string;
  frames?: string[];
  params?: { [name: string]: Value };
  data?: { [key: string]: Json };
  location?: string;
  reason?: string;
  need?: string;
  under?: string;
  allow?: string[];
  suggestions?: { url: string; route: string; reason: string }[];
  /** The routes that the URL could have meant, where they were asked for. */
  candidates?: { route: string; path: string; verdict: string; reason: string }[];
}

/** What becomes of an address, as `diff` prints it in JSON. */
export interface Change {
  change: "added" | "removed" | "moved" | "same-url-other-page" | "not-compared";
  route?: string;
  routes?: string[];
  witness?: string;
  before?: string;
  after?: string;
  /** The entries to add to the new table, in TOML. */
  redirect?: string;
  message?: string;
}

/** What a conversion could not carry over. */
export interface Note {
  severity: "note";
  code: string;
  subject: string;
  message: string;
  file?: string;
  line?: number;
  column?: number;
}

export interface Visit {
  method?: string;
  /** The host of the request, where the URL does not name one. */
  host?: string;
  /** The needs that the visitor meets. */
  meets?: Iterable<string>;
  /** The values of live lists. */
  lists?: { [list: string]: Iterable<string> };
  /** Tells of each route that the URL could have meant why it lost. */
  explain?: boolean;
}

export interface LinkOptions {
  /** The URL of the page that the link stands on, from which it has what the two share. */
  from?: string;
  /** Begins with the origin of the site. */
  absolute?: boolean;
}

/** A table that is built. */
export interface Table {
  site(): Site;
  /** All routes, parents before their children. */
  tree(): Route[];
  match(url: string | URL, visit?: Visit): Decision;
  /** The URL of a route, or why there is none. */
  link(
    route: string,
    values?: { [name: string]: string | number | boolean | (string | number | boolean)[] | [string, string][] },
    options?: LinkOptions,
  ): { url: string; error?: undefined } | { url?: undefined; error: string };
  /** Gives its memory back at once, not when it is next collected. */
  free(): void;
}

export interface ConvertOptions {
  /** What the source is: a table, an OpenAPI description, or page files. */
  from?: "table" | "openapi" | "pages";
  to?: "toml" | "json" | "yaml" | "openapi" | "sitemap" | "typescript";
  /** For TypeScript: the module that navigates, too. */
  browser?: boolean;
  /** For TypeScript: JavaScript with declarations instead. */
  javascript?: boolean;
  /** For a sitemap: the parameter whose values are languages. */
  language?: string;
  /** For a sitemap: values of parameters, or pages of routes. */
  values?: { [name: string]: Iterable<string | { [key: string]: Json }> };
  /** For a sitemap: live lists. */
  lists?: { [list: string]: Iterable<string> };
  /** The endings of page files. */
  endings?: Iterable<string>;
}

export interface Converted {
  /** The exit status of the tool: 0 fine, 1 the table that was written cannot be built yet, 2 nothing was written. */
  status: number;
  /** The result, where it is one text. */
  text: string;
  /** The files, for TypeScript and sitemaps. */
  files: { [path: string]: string };
  notes: Note[];
  /** What is wrong, in words. */
  error?: string;
}

export interface RunOptions {
  /** Files by their paths. */
  files?: { [path: string]: string | Uint8Array };
  /** What standard input holds. */
  input?: string;
  /** How wide help is. */
  columns?: number;
  /** Texts with ANSI escapes. */
  colours?: boolean;
}

export interface Run {
  status: number;
  out: string;
  err: string;
  /** The files that were written. */
  files: { [path: string]: string };
}

/** The tool and the library, on an instance of the module. */
export interface Lane {
  /** Everything that can be found about a table. */
  check(source: Source, options?: { handlers?: Iterable<string> }): Finding[];
  /** The same, and the table where it can be built, in the time of one of the two. */
  review(source: Source, options?: { handlers?: Iterable<string> }): { findings: Finding[]; table?: Table };
  /** Builds a table, or tells what is wrong. */
  table(source: Source): { table: Table; findings?: undefined } | { table?: undefined; findings: Finding[] };
  /** What becomes of addresses when one table follows another, with the redirects to add; or what is wrong with one of them. */
  diff(
    before: Source | Table,
    after: Source,
  ): { changes: Change[]; findings?: undefined } | { changes?: undefined; findings: Finding[] };
  /** Turns a table into another form, or another form into a table. Page files are an object of texts by their paths. */
  convert(source: Source | { [path: string]: string }, options?: ConvertOptions): Converted;
  /** Calls the tool with the words after its name, on files in memory. */
  run(words: Iterable<string>, options?: RunOptions): Run;
  /** How many bytes of memory the instance has. */
  memory(): number;
  /** Why this instance cannot be used any more; `load` gives another. */
  readonly broken: string | undefined;
}

/** What is thrown by an instance that has broken down, which is a defect of Vivid Lane. */
export class Broken extends Error {}

/**
 * Loads the module, and makes an instance of its own. The module is compiled once.
 * @param source Where its file is, an answer of `fetch`, its bytes, or a compiled module; the file in the package if left out.
 */
export function load(source?: string | URL | Response | BufferSource | WebAssembly.Module): Promise<Lane>;
