// A URL in its parts (RFC 3986, section 3), and its normal form (section 6.2.2).

import { data } from "./table.js";
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
  if (inFragment) {
    const hash = url.indexOf("#");
    const [sent, query] = cut(hash < 0 ? "" : url.slice(hash + 1).split("#", 1)[0]!);
    return { host: targetOf(hash < 0 ? url : url.slice(0, hash), false).host, sent, query };
  }
  const [before, query] = cut(url);
  const absolute = /^https?:\/\/([^/]*)(.*)$/is.exec(before);
  if (!absolute) return { host: undefined, sent: before, query };
  return { host: hostOf(absolute[1]!), sent: absolute[2] || "/", query };
}

const NEVER = 0;
const ALWAYS = 1;

/** The part of a path below the base. */
function inside(path: string): string | undefined {
  const { base } = data.site;
  if (!path.startsWith(base)) return undefined;
  const rest = path.slice(base.length);
  return rest === "" || rest[0] === "/" ? rest : undefined;
}

/** Does the URL name the document that the site is, before its fragment? A fragment alone does. */
function isDocument(url: string): boolean {
  const before = url.split("#", 1)[0]!;
  const trimmed = (path: string): string => path.replace(/\/+$/, "");
  return before === "" || trimmed(targetOf(before, false).sent) === trimmed(data.site.base);
}

function isRoot(path: string): boolean {
  const { base, inFragment, slash } = data.site;
  if (base === "" || inFragment) return inFragment || path === "/";
  return slash === NEVER ? path === "" : slash === ALWAYS ? path !== "" : true;
}

const UNDECODABLE = [
  "expected two hexadecimal digits after `%`",
  "the URL is not UTF-8",
  "the URL holds a control character",
];

/** Takes a URL apart; the host is one that was asked beside it. */
export function parse(url: string, host?: string): Parsed {
  const { site } = data;
  const target = targetOf(url, site.inFragment);
  const below = site.inFragment ? (isDocument(url) ? target.sent : undefined) : inside(target.sent);
  const bad = (reason: string, status: 400 | 414 = 400): Bad => ({ status, reason });
  if (!site.inFragment && target.sent[0] !== "/") return bad(NO_SLASH);
  let path = below ?? target.sent;
  if (isLonger(path, site.bytes)) return bad(tooLong(), 414);
  let isNormal = true;
  let raws: readonly string[] = [];
  let texts: readonly string[] = [];
  if (path !== "" && path !== "/") {
    if (path[0] !== "/") return bad(NO_SLASH);
    const hasSlash = path.endsWith("/");
    isNormal = site.slash === NEVER ? !hasSlash : site.slash === ALWAYS ? hasSlash : true;
    if (hasSlash) path = path.slice(0, -1);
    raws = texts = path.slice(1).split("/");
    if (raws.length > site.segments) return bad(`the path has more than ${site.segments} segments`, 414);
    if (!/^[\w\-.~:[\]@!$&'()*+,;=/]*$/.test(path)) {
      if (hasControl(path)) return bad(UNDECODABLE[2]!);
      const decoded: string[] = [];
      for (const raw of raws) {
        const text = decode(raw);
        if (typeof text === "number") return bad(UNDECODABLE[text]!);
        decoded.push(text);
        isNormal &&= normalSegment(raw) === raw;
      }
      texts = decoded;
    }
    isNormal &&= !texts.some((text) => text === "" || text === "." || text === "..");
  } else {
    path = "";
  }
  const isVacant = target.query !== undefined && /^&*$/.test(target.query);
  if (below !== undefined && isNormal && !isVacant && (raws.length > 0 || isRoot(below))) {
    const pairs = (target.query ?? "").split("&").filter((pair) => pair !== "");
    return {
      ...target,
      host: target.host ?? host,
      path,
      raws,
      texts,
      isEscaped: texts !== raws,
      pairs: pairs.map((pair) => [decodeForm(pair.split("=", 1)[0]!), pair.includes("=") ? pair.slice(pair.indexOf("=") + 1) : ""]),
    };
  }
  return site.inFragment && below === undefined ? undefined : normalAddress(target);
}

export const NO_SLASH = "expected a path that starts with `/`";

export function tooLong(): string {
  return `the URL is longer than ${data.site.bytes} bytes`;
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
  const below = data.site.inFragment ? path : inside(path);
  return below === undefined ? undefined : prefix() + withSlash(below, endsWithSlash) + queryOf(query);
}

/** What an address starts with before the path of the page. */
function prefix(): string {
  const { base, inFragment } = data.site;
  return inFragment ? (base || "/") + "#" : base;
}

/** A path in its normal form, with a slash at its end as the site has it. */
function withSlash(path: string, hadSlash: boolean): string {
  const { base, inFragment, slash } = data.site;
  const trimmed = path.replace(/\/+$/, "");
  const isBareRoot = trimmed === "" && (base === "" || inFragment);
  return trimmed + (isBareRoot || slash === ALWAYS || (slash !== NEVER && hadSlash) ? "/" : "");
}

/** A query with its mark, as far as a URL can hold it; nothing for one that says nothing. */
function queryOf(query: string | undefined): string {
  return query === undefined || /^&*$/.test(query) ? "" : "?" + cleanQuery(query);
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
  return (data.site.inFragment ? prefix() : "") + (sent || "/") + queryOf(query);
}
