// Which URLs are addresses of the site, and which links and forms are its own to follow.

import { decide, place, sentDecision } from "../table/follows.js";
import type { Decided } from "./types.js";
import type { Asks, Decision, Sent } from "../table/follows.js";

/** A URL without its fragment. */
export const beforeHash = (url: string): string => url.split("#", 1)[0]!;

/** The part of a page that the fragment of a URL names (HTML, section 7.4.6.4). */
export function partOf(hash: string): HTMLElement | null {
  const raw = hash.slice(1);
  if (raw === "") return null;
  let name = raw;
  try {
    name = decodeURIComponent(raw);
  } catch {
    // Use the name without decoding it.
  }
  return document.getElementById(raw) ?? document.getElementById(name);
}

/** The address of a URL as the table knows it; nothing where it is none of the site. */
export function addressOf(href: string): string | undefined {
  let url: URL;
  try {
    url = new URL(href, document.baseURI);
  } catch {
    return undefined;
  }
  if (url.origin !== location.origin) return undefined;
  const { base, isInFragment } = place();
  if (!isInFragment) {
    const below = url.pathname.startsWith(base) ? url.pathname.slice(base.length) : "-";
    return below === "" || below[0] === "/" ? url.pathname + url.search + url.hash : undefined;
  }
  // Older sites wrote their addresses after `#!/`.
  const hash = url.hash.replace(/^(#!?)?$|^#!(?=\/)/, (found) => (found === "#!" && url.hash !== "#!" ? "#" : "#/"));
  return url.pathname + url.search === location.pathname + location.search && hash.startsWith("#/") ? url.pathname + hash : undefined;
}

/** An address without the part of the page that its fragment names. */
export function withoutPart(address: string): string {
  const end = address.indexOf("#", place().isInFragment ? address.indexOf("#") + 1 : 0);
  return end < 0 ? address : address.slice(0, end);
}

/** The path of an address below the base of the site, without a slash at its end. */
export function pathOf(address: string): string {
  const { base, isInFragment } = place();
  const start = isInFragment ? address.indexOf("#") + 1 : base.length;
  return address.slice(start).replace(/[?#].*$/, "").replace(/\/$/, "");
}

/** What the server has sent over with a page that it has drawn. */
export interface SentOver {
  readonly decision: Decided;
  readonly data: unknown;
}

/** The server's decision about an address, if the document contains one. */
export function sentOver(address: string): SentOver | undefined {
  const { data, ...sent } = JSON.parse(document.getElementById("lane-page")?.textContent ?? "{}") as Sent & { readonly data: unknown };
  const decision = sent.address === withoutPart(address) ? sentDecision(sent, location.hostname) : undefined;
  return decision && { decision: decision as Decided, data };
}

/** Does an address in the fragment name a part of the page? */
export function isPartInFragment(href: string): boolean {
  return place().isInFragment && beforeHash(href) === beforeHash(location.href) && addressOf(href) === undefined;
}

// All needs are met and all values are listed: where a link leads does not depend on the visitor.
export const everyone: Asks = { meets: () => true, lists: () => true };

/** What a link leads to. */
export interface Target {
  readonly decision: Decision;
  /** The route of its page, and its values as one text. */
  readonly route: string | undefined;
  readonly values: string;
}

export const targets = /* @__PURE__ */ new Map<string, Target>();
export const MOST_TARGETS = 5000;

export function targetOf(address: string): Target {
  const known = targets.get(address);
  if (known) return known;
  const decision = decide(address, everyone);
  const isPage = decision.outcome === "page";
  const made: Target = {
    decision,
    route: isPage ? decision.route : undefined,
    values: isPage ? valuesIn(decision.params) : "",
  };
  if (targets.size >= MOST_TARGETS) targets.clear();
  targets.set(address, made);
  return made;
}

/** Values as one text, by which they are compared. */
export function valuesIn(params: object): string {
  return JSON.stringify(params, (_, value: unknown) => (typeof value === "bigint" ? String(value) : value));
}

/** Does any route cover an address? The server answers those that none does. */
export function isCovered(address: string): boolean {
  const { decision } = targetOf(address);
  return decision.outcome !== "bad-request" && (decision.outcome !== "not-found" || decision.position !== undefined);
}

/** The link that an event is about, also one in a shadow tree or in a drawing. */
export function linkIn(event: Event): Element | undefined {
  return event.composedPath().find((one): one is Element => one instanceof Element && (one.localName === "a" || one.localName === "area") && hrefOf(one) !== undefined);
}

/** Where a link leads. */
export function hrefOf(link: Element): string | undefined {
  const href = link.getAttribute("href") ?? link.getAttribute("xlink:href");
  if (href === null) return undefined;
  try {
    return new URL(href, document.baseURI).href;
  } catch {
    return undefined;
  }
}

/** The address to which a link leads, where it is followed within the page, as far as it says. */
export function addressIn(link: Element): string | undefined {
  const [target, rel, href] = [link.getAttribute("target"), link.getAttribute("rel") ?? "", hrefOf(link)];
  const isPlain = !link.hasAttribute("download") && (!target || target === "_self") && !/(^|\s)external(\s|$)/.test(rel);
  return isPlain && href !== undefined ? addressOf(href) : undefined;
}

/** The address to which a form leads that asks, where that is the application's own to follow. */
export function askedBy(form: HTMLFormElement, submitter: HTMLElement | null): string | undefined {
  const button = submitter instanceof HTMLButtonElement || submitter instanceof HTMLInputElement ? submitter : undefined;
  const said = (name: string): string | null => button?.getAttribute("form" + name) ?? form.getAttribute(name);
  const target = said("target");
  if ((said("method") ?? "get").toLowerCase() !== "get" || (target && target !== "_self")) return undefined;
  const url = new URL(said("action") || location.href, document.baseURI);
  const fields = new FormData(form);
  if (button?.name) fields.append(button.name, button.value);
  const query = "?" + new URLSearchParams([...fields].map(([name, value]) => [name, typeof value === "string" ? value : value.name])).toString();
  if (place().isInFragment) url.hash = (url.hash || "#/").split("?", 1)[0]! + query;
  else [url.search, url.hash] = [query, ""];
  return url.href;
}
