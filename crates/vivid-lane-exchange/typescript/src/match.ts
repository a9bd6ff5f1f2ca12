// URL → page, whatever the visitor may see.

import { countNeedless, seek, typedParams } from "./find.js";
import { giveBack, nobody, scan, take, type Asked, type Reading } from "./reading.js";
import { type Table } from "./table.js";
import { type End } from "./tree.js";

const READ: unique symbol = /* @__PURE__ */ Symbol("read");

/** What a position was read of. */
export interface Read {
  readonly end: End;
  readonly url: string;
  readonly host: string | undefined;
}

interface Marked {
  [READ]: Read;
}

/** What was read to come to a position. */
export function readOf(at: object): Read {
  return (at as Marked)[READ];
}

/** The deepest route that covers a URL, and its values. */
export class Spotted {
  declare readonly route: string;
  declare readonly params: { readonly [name: string]: unknown };

  constructor(reading: Reading, end: End, host: string | undefined) {
    this.route = end.route.name;
    this.params = typedParams(reading, end);
    // Only the functions of this module have a use for it. What has a symbol for a name is left out of JSON.
    (this as unknown as Marked)[READ] = { end, url: reading.url, host };
  }
}

/** A URL that shows a page. */
export class Page {
  declare readonly outcome: "page";
  declare readonly status: 200;
  declare readonly page: string;
  declare readonly route: string;
  declare readonly params: { readonly [name: string]: unknown };

  constructor(reading: Reading, end: End, host: string | undefined) {
    const { route } = end;
    this.outcome = "page";
    this.status = 200;
    this.page = route.page!;
    this.route = route.name;
    this.params = typedParams(reading, end);
    (this as unknown as Marked)[READ] = { end, url: reading.url, host };
  }
}

/** The address of a page without the values that it could leave out; nothing where none can be. */
export type Shorten = (reading: Reading, end: End, asked: Asked) => string | undefined;

/**
 * The page that answers a `GET`, whatever it asks of the visitor; no value counts as listed. Where an address without some value may be that
 * of another page, `shorten` finds out.
 */
export function matchIn(table: Table, url: string, host?: string, shorten?: Shorten): Page | undefined {
  const { site } = table;
  const reading = take(nobody, host);
  let page: Page | undefined;
  if (scan(reading, url, site)) {
    const end = seek(table, reading, "GET");
    if (end && end.route.page !== undefined && (!site.respelt || site.respelt(reading, end, site) === undefined)) {
      if (countNeedless(reading, end) === 0 || (shorten && shorten(reading, end, nobody) === undefined)) page = new Page(reading, end, host);
    }
  }
  giveBack(reading);
  return page;
}
