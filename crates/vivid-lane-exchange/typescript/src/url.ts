// A URL in its parts (RFC 3986, section 3), and its normal form (section 6.2.2).

import { IN_FRAGMENT, table } from "./table.js";
import { hostOf } from "./host.js";
import { cleanQuery, decode, decodeForm, hasControl, isLonger, normalSegment } from "./percent.js";

/** Why a URL is no URL of any site. */
export interface Bad {
  readonly status: 400 | 414;
  readonly reason: string;
}

/** A URL, cut at its delimiters. */
export interface Target {
  readonly host: string | undefined;
  /** The whole path as it was sent. */
  readonly sent: string;
  readonly query: string | undefined;
}

/** A URL in its normal form, taken apart. */
export interface Parts extends Target {
  /** The path below the base of the site, without a slash at its end. */
  readonly path: string;
  /** The segments as they were sent, and decoded. */
  readonly raws: readonly string[];
  readonly texts: readonly string[];
  readonly isEscaped: boolean;
  /** Names, decoded, and values, as they were sent. */
  readonly pairs: readonly (readonly [name: string, raw: string])[];
}

/** The parts of a URL, the address where it is not in its normal form, why it is none, or nothing for one outside of the site. */
export type Parsed = Parts | string | Bad | undefined;

export function isBad(parsed: Parsed): parsed is Bad {
  return typeof parsed === "object" && "reason" in parsed;
}

function cut(url: string): readonly [before: string, query: string | undefined] {
  const end = url.search(/[?#]/);
  if (end < 0) return [url, undefined];
  return [url.slice(0, end), url[end] === "?" ? url.slice(end + 1).split("#", 1)[0] : undefined];
}

/** Cuts a path with an optional query, or an absolute URL. */
export function targetOf(url: string, inFragment: boolean): Target {
  if (IN_FRAGMENT && inFragment) {
    const hash = url.indexOf("#");
    const [sent, query] = cut(hash < 0 ? "" : url.slice(hash + 1).split("#", 1)[0]!);
    return { host: targetOf(hash < 0 ? url : url.slice(0, hash), false).host, sent, query };
  }
  const [before, query] = cut(url);
  if (before[0] === "/") return { host: undefined, sent: before, query };
  const absolute = /^https?:\/\/([^/]*)(.*)$/is.exec(before);
  if (!absolute) return { host: undefined, sent: before, query };
  return { host: hostOf(absolute[1]!), sent: absolute[2] || "/", query };
}

const NEVER = 0;
const ALWAYS = 1;
const EITHER = 2;

/** The part of a path below the base. */
function inside(path: string): string | undefined {
  const { base } = table.data.site;
  if (!path.startsWith(base)) return undefined;
  const rest = path.slice(base.length);
  return rest === "" || rest[0] === "/" ? rest : undefined;
}

/** Does the URL name the document that the site is, before its fragment? A fragment alone does. */
function isDocument(url: string): boolean {
  const before = url.split("#", 1)[0]!;
  const trimmed = (path: string): string => path.replace(/\/+$/, "");
  return before === "" || trimmed(targetOf(before, false).sent) === trimmed(table.data.site.base);
}

const UNDECODABLE = [
  "expected two hexadecimal digits after `%`",
  "the URL is not UTF-8",
  "the URL holds a control character",
];

/** Segments in their normal form, without escapes. */
const USUAL = /^(?:\/(?!\.\.?(?:\/|$))[\w\-.~:[\]@!$&'()*+,;=]+)+$/;

/** Takes a URL apart; the host is one that was asked beside it. */
export function parse(url: string, host?: string): Parsed {
  const { base, bytes, segments, slash } = table.data.site;
  // Most URLs are a path in its normal form.
  if (!IN_FRAGMENT && base === "" && slash !== ALWAYS && url.length <= bytes && USUAL.test(url)) {
    const raws = segmentsOf(url);
    if (raws.length <= segments) return { host, sent: url, query: undefined, path: url, raws, texts: raws, isEscaped: false, pairs: [] };
  }
  const target = targetOf(url, IN_FRAGMENT);
  const below = IN_FRAGMENT ? (isDocument(url) ? target.sent : undefined) : inside(target.sent);
  const bad = (reason: string, status: 400 | 414 = 400): Bad => ({ status, reason });
  if (!IN_FRAGMENT && target.sent[0] !== "/") return bad(NO_SLASH);
  let path = below ?? target.sent;
  if (isLonger(path, bytes)) return bad(tooLong(), 414);
  let isNormal = true;
  let raws: readonly string[] = [];
  let texts: readonly string[] = raws;
  if (path.length > 1) {
    if (path[0] !== "/") return bad(NO_SLASH);
    const hasSlash = path.endsWith("/");
    isNormal = slash === NEVER ? !hasSlash : slash !== ALWAYS || hasSlash;
    if (hasSlash) path = path.slice(0, -1);
    raws = texts = segmentsOf(path);
    if (raws.length > segments) return bad(`the path has more than ${segments} segments`, 414);
    if (!USUAL.test(path)) {
      if (hasControl(path)) return bad(UNDECODABLE[2]!);
      const decoded: string[] = [];
      for (const raw of raws) {
        const text = decode(raw);
        if (typeof text === "number") return bad(UNDECODABLE[text]!);
        decoded.push(text);
        isNormal &&= normalSegment(raw) === raw && text !== "" && text !== "." && text !== "..";
      }
      texts = decoded;
    }
  } else if (path !== "" && path !== "/") {
    return bad(NO_SLASH);
  } else {
    path = "";
    isNormal = base === "" ? below === "/" || IN_FRAGMENT : IN_FRAGMENT || slash === EITHER || (slash === NEVER) === (below === "");
  }
  const { sent, query } = target;
  if (below === undefined || !isNormal || (query !== undefined && isVacant(query))) {
    return IN_FRAGMENT && below === undefined ? undefined : normalAddress(target);
  }
  const pairs = query === undefined ? [] : query.split("&").filter((pair) => pair !== "").map(pairOf);
  return { host: target.host ?? host, sent, query, path, raws, texts, isEscaped: path.includes("%"), pairs };
}

/** The segments of a path. Splitting at a string takes three times as long. */
function segmentsOf(path: string): string[] {
  const segments: string[] = [];
  let start = 1;
  for (let end = path.indexOf("/", start); end >= 0; end = path.indexOf("/", start)) {
    segments.push(path.slice(start, end));
    start = end + 1;
  }
  segments.push(path.slice(start));
  return segments;
}

function pairOf(pair: string): readonly [string, string] {
  const sign = pair.indexOf("=");
  return sign < 0 ? [decodeForm(pair), ""] : [decodeForm(pair.slice(0, sign)), pair.slice(sign + 1)];
}

function isVacant(query: string): boolean {
  return /^&*$/.test(query);
}

const NO_SLASH = "expected a path that starts with `/`";

export function tooLong(): string {
  return `the URL is longer than ${table.data.site.bytes} bytes`;
}

/** The address of a URL that is not in its normal form; nothing for one outside of the site. */
function normalAddress({ sent, query }: Target): string | undefined {
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
  const below = IN_FRAGMENT ? path : inside(path);
  return below === undefined ? undefined : prefix() + withSlash(below, endsWithSlash) + queryOf(query);
}

/** What an address starts with before the path of the page. */
function prefix(): string {
  const { base } = table.data.site;
  return IN_FRAGMENT ? (base || "/") + "#" : base;
}

/** A path in its normal form, with a slash at its end as the site has it. */
function withSlash(path: string, hadSlash: boolean): string {
  const { base, slash } = table.data.site;
  const trimmed = path.replace(/\/+$/, "");
  const isBareRoot = trimmed === "" && (base === "" || IN_FRAGMENT);
  return trimmed + (isBareRoot || slash === ALWAYS || (slash !== NEVER && hadSlash) ? "/" : "");
}

/** A query with its mark, as far as a URL can hold it; nothing for one that says nothing. */
function queryOf(query: string | undefined): string {
  return query === undefined || isVacant(query) ? "" : "?" + cleanQuery(query);
}

/** The address of a page whose template expanded to this, or whose path this is. */
export function addressFor(expanded: string, query?: string): string {
  const end = expanded.search(/[?#]/);
  const path = end < 0 ? expanded : expanded.slice(0, end);
  const normal = path.split("/").slice(1).map((raw) => "/" + normalSegment(raw)).join("");
  return prefix() + withSlash(normal, false) + (end < 0 ? "" : expanded.slice(end)) + queryOf(query);
}

/** The address that a URL was asked under: without scheme, host and fragment. */
export function addressOf({ sent, query }: Target): string {
  return (IN_FRAGMENT ? prefix() : "") + (sent || "/") + queryOf(query);
}
