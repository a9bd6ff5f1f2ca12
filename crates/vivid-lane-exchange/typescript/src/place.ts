// Sites with their addresses in the fragment: `/index.html#/nights`.

import { cutAtQuery, targetOf } from "./address.js";
import { scanPath } from "./reading.js";
import { type Locate } from "./table.js";

/** Reads the part after the first `#`; `base` is the path of the document. */
export function fragment(base: string): Locate {
  const trimmed = (path: string): string => path.replace(/\/+$/, "");
  const documentOf = (url: string): string => url.split("#", 1)[0]!;
  const within = (url: string): string => url.slice(documentOf(url).length + 1).split("#", 1)[0]!;

  /** Does a URL name the document that the site is? A fragment alone does. */
  function isInside(url: string): boolean {
    const document = documentOf(url);
    return document === "" || trimmed(targetOf(document).sent) === trimmed(base);
  }

  return {
    base,
    prefix: (base || "/") + "#",
    isInside,
    scan(reading, url, site) {
      reading.host = targetOf(documentOf(url)).host ?? reading.host;
      return isInside(url) && scanPath(reading, within(url), 0, site, true);
    },
    target(url) {
      const [sent, query] = cutAtQuery(within(url));
      return { host: targetOf(documentOf(url)).host, sent, query };
    },
  };
}
