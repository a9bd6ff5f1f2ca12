// The one address of a page (RFC 3986, section 6.2.2), for a URL in another spelling; and why some texts are no URL of any site.

import { ALWAYS, isVacant, NEVER, type Reading } from "./reading.js";
import { bytesOf, hasControl } from "./rules.js";
import { type Site, type Table } from "./table.js";
import { type End } from "./tree.js";
import { REST } from "./values.js";

/** Escapes all but unreserved characters. */
export function encodeUnreserved(text: string): string {
  return encodeURIComponent(text).replace(/[!'()*]/g, (one) => "%" + one.charCodeAt(0).toString(16).toUpperCase());
}

/** Escapes what is neither unreserved, nor reserved, nor an escape (RFC 6570, section 3.2.1). */
export function encodeReserved(text: string): string {
  return text.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:/?#[\]@!$&'()*+,;=]/gu, (one, escape?: string) => escape ?? encodeURIComponent(one));
}

/** A segment in its normal form. */
export function normalSegment(raw: string): string {
  return raw.replace(/%([0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=]/gu, (one, digits?: string) => {
    if (digits === undefined) return encodeURIComponent(one);
    const character = String.fromCharCode(parseInt(digits, 16));
    return /[\w\-.~]/.test(character) ? character : one.toUpperCase();
  });
}

/** A query in which nothing stands that a URL cannot hold. */
export function cleanQuery(raw: string): string {
  return raw.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=/?]/gu, (one, escape?: string) => escape ?? encodeURIComponent(one));
}

/** Has a text more bytes than a limit? */
export function isLonger(text: string, limit: number): boolean {
  return text.length > limit || (text.length * 3 > limit && bytesOf(text).length > limit);
}

/** A URL, cut at its delimiters. */
export interface Target {
  readonly host: string | undefined;
  /** The whole path as it was sent. */
  readonly sent: string;
  readonly query: string | undefined;
}

export function cutAtQuery(url: string): readonly [before: string, query: string | undefined] {
  const end = url.search(/[?#]/);
  if (end < 0) return [url, undefined];
  return [url.slice(0, end), url[end] === "?" ? url.slice(end + 1).split("#", 1)[0] : undefined];
}

/** Cuts a path with an optional query, or an absolute URL. */
export function targetOf(url: string): Target {
  const [before, query] = cutAtQuery(url);
  const absolute = before[0] === "/" ? null : /^https?:\/\/([^/]*)(.*)$/is.exec(before);
  if (!absolute) return { host: undefined, sent: before, query };
  const authority = absolute[1]!;
  return { host: authority.slice(authority.lastIndexOf("@") + 1).replace(/:[0-9]*$/, ""), sent: absolute[2] || "/", query };
}

/** Why a URL is no URL of any site. */
export interface Bad {
  readonly status: 400 | 414;
  readonly reason: string;
}

export const tooLong = ({ bytes }: Site): string => `the URL is longer than ${bytes} bytes`;

/** A segment without its escapes; a number says why it has no such form. */
function decode(raw: string): string | number {
  if (/%(?![0-9A-Fa-f]{2})/.test(raw)) return 0;
  try {
    const text = decodeURIComponent(raw);
    return hasControl(text) ? 2 : text;
  } catch {
    return 1;
  }
}

/** What a URL that is not in its normal form comes to: another address, why it is none, or nothing where it is outside of the site. */
export function normalized(table: Table, url: string): string | Bad | undefined {
  const { site } = table;
  const bad = (reason: string, status: 400 | 414 = 400): Bad => ({ status, reason });
  const { locate } = site;
  const target = locate ? locate.target(url) : targetOf(url);
  const noSlash = bad("expected a path that starts with `/`");
  if (target.sent[0] !== "/" && (!locate || target.sent !== "")) return noSlash;
  const path = (locate ? target.sent : inside(target.sent, site)) ?? target.sent;
  if (isLonger(path, site.bytes)) return bad(tooLong(site), 414);
  if (path.length > 1) {
    const raws = path.replace(/\/$/, "").slice(1).split("/");
    if (raws.length > site.segments) return bad(`the path has more than ${site.segments} segments`, 414);
    if (hasControl(path)) return bad("the URL holds a control character");
    const wrong = raws.map(decode).find((text) => typeof text === "number") as number | undefined;
    if (wrong !== undefined) return bad(["expected two hexadecimal digits after `%`", "the URL is not UTF-8", "the URL holds a control character"][wrong]!);
  }
  return locate && !locate.isInside(url) ? undefined : normalAddress(target, site);
}

/** The part of a path below the base. */
function inside(path: string, { base = "" }: Site): string | undefined {
  if (!path.startsWith(base)) return undefined;
  const rest = path.slice(base.length);
  return rest === "" || rest[0] === "/" ? rest : undefined;
}

/** The address of a URL that is not in its normal form; nothing for one outside of the site. */
function normalAddress({ sent, query }: Target, site: Site): string | undefined {
  const kept: string[] = [];
  let endsWithSlash = false;
  for (const raw of sent.replace(/^\//, "").split("/")) {
    const decoded = decode(raw);
    const text = typeof decoded === "number" ? raw : decoded;
    endsWithSlash = text === "" || text === "." || text === "..";
    if (text === "..") kept.pop();
    else if (text !== ".") kept.push(raw);
  }
  const path = kept.filter((raw) => raw !== "").map((raw) => "/" + normalSegment(raw)).join("");
  const below = site.locate ? path : inside(path, site);
  return below === undefined ? undefined : prefixOf(site) + withSlash(below, endsWithSlash, site) + queryOf(query);
}

/** What an address starts with before the path of the page. */
export function prefixOf({ base = "", locate }: Site): string {
  return locate ? locate.prefix : base;
}

/** A path in its normal form, with a slash at its end as the site has it. */
function withSlash(path: string, hadSlash: boolean, { base, slash, locate }: Site): string {
  const trimmed = path.replace(/\/+$/, "");
  const isBareRoot = trimmed === "" && (!base || locate);
  return trimmed + (isBareRoot || slash === ALWAYS || (slash !== NEVER && hadSlash) ? "/" : "");
}

/** A query with its mark, as far as a URL can hold it; nothing for one that says nothing. */
export function queryOf(query: string | undefined): string {
  return query === undefined || isVacant(query) ? "" : "?" + cleanQuery(query);
}

/** The address of a page whose template expanded to this, or whose path this is. */
export function addressFor(expanded: string, site: Site): string {
  const end = expanded.search(/[?#]/);
  const path = end < 0 ? expanded : expanded.slice(0, end);
  const normal = path.split("/").slice(1).map((raw) => "/" + normalSegment(raw)).join("");
  return prefixOf(site) + withSlash(normal, false, site) + (end < 0 ? "" : expanded.slice(end));
}

/** The address that a URL was asked under: without scheme, host and fragment. */
export function addressOf(reading: Reading, site: Site): string {
  const { locate } = site;
  const sent = reading.text.slice(reading.start, reading.stop) || "/";
  return (locate ? locate.prefix + sent : sent) + queryOf(reading.query);
}

/** The address of a page that was found, where the URL spells its path in another way: letters in another case, or a tail with escaped slashes. */
export function respelt(reading: Reading, end: End, site: Site): string | undefined {
  const path = (site.fold ? inCase(reading, end) : undefined) ?? withSlashes(reading, end);
  return path === undefined ? undefined : addressFor(path, site) + queryOf(reading.query);
}

/** The path with its tail as a link writes it, where a slash in it is escaped. */
function withSlashes(reading: Reading, { node: { isTail, depth }, route }: End): string | undefined {
  if (!isTail || !reading.isEscaped || !route.params().some(({ kind }) => kind === REST)) return undefined;
  const raws = reading.path().split("/").slice(1);
  if (!raws.slice(depth - 1).some((raw) => raw.includes("%2F"))) return undefined;
  return "/" + raws.map((raw, at) => (at < depth - 1 ? raw : raw.replace(/%2F/g, "/"))).join("/");
}

/** The form in which letters are compared, where case does not count. */
export function lowerCase(text: string): string {
  return text.toLowerCase();
}

/** The path with its literals as the route declares them, where letter case does not count. */
function inCase(reading: Reading, { way }: End): string | undefined {
  const words = way.map((pieces) => (pieces.every((piece) => typeof piece === "string") ? pieces.join("") : undefined));
  if (!words.some((word, at) => word !== undefined && word !== reading.segment(at))) return undefined;
  return Array.from({ length: reading.count }, (_, at) => "/" + (words[at] === undefined ? reading.raw(at) : encodeSegment(words[at]))).join("");
}

/** Escapes what may not stand in a segment. */
function encodeSegment(text: string): string {
  return text.replace(/[^\w\-.~:[\]@!$&'()*+,;=]/gu, encodeURIComponent);
}
