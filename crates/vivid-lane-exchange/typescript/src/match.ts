// URL → page, where nothing else is asked.

import { choose, countNeedless, find } from "./find.js";
import { Page } from "./position.js";
import { giveBack, nobody, scan, take, type Asked, type Reading } from "./reading.js";
import { type Table } from "./table.js";
import { type End } from "./tree.js";

/** The address of a page without the values that it could leave out; nothing where none can be. */
export type Shorten = (reading: Reading, end: End, asked: Asked) => string | undefined;

/**
 * The page that answers a `GET`, whatever it asks of the visitor; no value counts as listed. Where an address without some value may be that
 * of another page, `shorten` finds out.
 */
export function matchIn(table: Table, url: string, host?: string, shorten?: Shorten): Page | undefined {
  const reading = take(nobody, host);
  let page: Page | undefined;
  if (scan(reading, url, table.site)) {
    const end = choose(find(table, reading), "GET");
    if (end && end.route.page !== undefined && !table.site.respelt?.(reading, end, table.site)) {
      const isShort = !end.route.mayBeShort() || countNeedless(reading, end) === 0 || (shorten !== undefined && shorten(reading, end, nobody) === undefined);
      if (isShort) page = new Page(reading, end, host);
    }
  }
  giveBack(reading);
  return page;
}
