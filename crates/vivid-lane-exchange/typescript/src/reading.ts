// A URL, cut into its segments while it is read once. What is not in its normal form (RFC 3986, section 6.2.2) is noticed here, and goes no
// further: its one address is worked out elsewhere.

import { type Site } from "./table.js";
import { type End, type Node } from "./tree.js";

/** Who answers what only the caller knows. */
export interface Asked {
  isListed(list: string, value: string): boolean;
  isMet(need: string): boolean;
}

/** No value is in a list, and every need is met. */
export const nobody: Asked = { isListed: () => false, isMet: () => true };

/** How the slash at the end of a path is treated: never there, or always; 2 is either. */
export const NEVER = 0;
export const ALWAYS = 1;

/**
 * What was read of a URL: a text with the segments, decoded; for each segment where it starts and ends in that text, and a number by which
 * literals are found. Decoded segments are put behind the URL.
 */
export class Reading {
  declare url: string;
  declare text: string;
  declare count: number;
  declare readonly starts: number[];
  declare readonly ends: number[];
  declare readonly numbers: number[];
  /** Where the path begins in the text, where the part of it below the base of the site, and where it ends without and with a slash. */
  declare start: number;
  declare from: number;
  declare to: number;
  declare stop: number;
  declare isEscaped: boolean;
  declare query: string;
  /** Its names and values in turn, once they are needed. */
  declare pairs: readonly string[] | undefined;
  /** The host as it was sent. */
  declare host: string | undefined;
  declare asked: Asked;
  /** Where the walk ended: one way through a route, or all that were met. */
  declare end: End | undefined;
  declare readonly found: End[];
  /** Who looks at each node on the way instead, where one does. */
  declare visit: ((node: Node, at: number) => void) | undefined;

  constructor() {
    this.url = "";
    this.text = "";
    this.count = 0;
    this.starts = [];
    this.ends = [];
    this.numbers = [];
    this.start = 0;
    this.from = 0;
    this.to = 0;
    this.stop = 0;
    this.isEscaped = false;
    this.query = "";
    this.pairs = undefined;
    this.host = undefined;
    this.asked = nobody;
    this.end = undefined;
    this.found = [];
    this.visit = undefined;
  }

  /** A segment, decoded. */
  segment(at: number): string {
    return this.text.slice(this.starts[at], this.ends[at]);
  }

  /** The path below the base of the site as it was sent, without a slash at its end. */
  path(): string {
    return this.text.slice(this.from, this.to);
  }

  /** A segment as it was sent. */
  raw(at: number): string {
    return this.isEscaped ? this.path().split("/")[at + 1]! : this.segment(at);
  }
}

let free: Reading | undefined;

/** A reading to be filled. Most calls use the same one; a call within a call, as a live list may make, gets its own. */
export function take(asked: Asked, host: string | undefined): Reading {
  const reading = free ?? new Reading();
  free = undefined;
  reading.asked = asked;
  reading.host = host;
  return reading;
}

export function giveBack(reading: Reading): void {
  free = reading;
}

/** Of the characters that a segment may hold as they are, the number by which they count. */
function plainCodes(folds: boolean): Uint8Array {
  const codes = new Uint8Array(128);
  for (let code = 33; code < 127; code += 1) {
    const one = String.fromCharCode(code);
    if (/[\w\-.~:[\]@!$&'()*+,;=]/.test(one)) codes[code] = folds ? one.toLowerCase().charCodeAt(0) : code;
  }
  return codes;
}

const PLAIN: Uint8Array = /* @__PURE__ */ plainCodes(false);
let folded: Uint8Array | undefined;

/** The number of a literal. */
export function numberOf(text: string): number {
  let number = 0;
  for (let at = 0; at < text.length; at += 1) number = (Math.imul(number, 31) + text.charCodeAt(at)) | 0;
  return number & 0x3fffffff;
}

const isHex = (code: number): boolean => (code > 47 && code < 58) || (code > 64 && code < 71);
const hexOf = (code: number): number => code - (code > 64 ? 55 : 48);

/** Is it an escape in capitals, of a character that needs one and that a URL may hold? */
function isEscape(text: string, at: number): boolean {
  const [high, low] = [text.charCodeAt(at + 1), text.charCodeAt(at + 2)];
  if (!isHex(high) || !isHex(low)) return false;
  const code = hexOf(high) * 16 + hexOf(low);
  return code > 31 && code !== 127 && !/[\w\-.~]/.test(code < 128 ? String.fromCharCode(code) : "/");
}

/** Reads a path with an optional query, or an absolute URL; false where it is not in its normal form. */
export function scan(reading: Reading, url: string, site: Site): boolean {
  reading.url = url;
  const { locate } = site;
  if (locate) return locate.scan(reading, url, site);
  if (url.charCodeAt(0) === 47) return scanPath(reading, url, 0, site, false);
  const authority = /^https?:\/\/([^/?#]*)/i.exec(url);
  if (!authority) return false;
  reading.host = authority[1]!.slice(authority[1]!.lastIndexOf("@") + 1).replace(/:[0-9]*$/, "");
  return scanPath(reading, url, authority[0].length, site, true);
}

/** Reads the path that begins at a place. Where a bare root is allowed, a path of nothing is in its normal form. */
export function scanPath(reading: Reading, url: string, start: number, site: Site, isBareRoot: boolean): boolean {
  const { base, slash } = site;
  const { starts, ends, numbers } = reading;
  const { length } = url;
  const codes = site.fold ? (folded ??= plainCodes(true)) : PLAIN;
  if (base && !url.startsWith(base, start)) return false;
  const from = start + (base ? base.length : 0);
  let at = from;
  let count = 0;
  let decoded = "";
  if (url.charCodeAt(at) === 47) {
    at += 1;
    let begin = at;
    let number = 0;
    let hasEscape = false;
    for (; ; at += 1) {
      const code = at < length ? url.charCodeAt(at) : 63;
      const plain = code < 128 ? codes[code]! : 0;
      if (plain !== 0) {
        number = (Math.imul(number, 31) + plain) | 0;
        continue;
      }
      if (code === 37 && isEscape(url, at)) {
        hasEscape = true;
        at += 2;
        continue;
      }
      const isEnd = code === 63 || code === 35;
      if (code !== 47 && !isEnd) return false;
      if (at === begin) {
        // A slash at the end, or a path of nothing but one.
        if (!isEnd || (count === 0 ? base && slash === NEVER : slash === NEVER)) return false;
        break;
      }
      if (url.charCodeAt(begin) === 46 && (at === begin + 1 || (at === begin + 2 && url.charCodeAt(begin + 1) === 46))) return false;
      if (count === site.segments) return false;
      if (hasEscape) {
        let text: string;
        try {
          text = decodeURIComponent(url.slice(begin, at));
        } catch {
          return false;
        }
        starts[count] = length + decoded.length;
        decoded += text;
        ends[count] = length + decoded.length;
        numbers[count] = numberOf(site.fold ? site.fold(text) : text);
        hasEscape = false;
      } else {
        starts[count] = begin;
        ends[count] = at;
        numbers[count] = number & 0x3fffffff;
      }
      count += 1;
      if (isEnd) {
        if (slash === ALWAYS) return false;
        break;
      }
      begin = at + 1;
      number = 0;
    }
  } else {
    const isEnd = at >= length || url[at] === "?" || url[at] === "#";
    if (!isEnd || (base ? slash === ALWAYS : !isBareRoot)) return false;
  }
  if (at - from > site.bytes) return false;
  reading.count = count;
  reading.start = start;
  reading.from = from;
  reading.to = at > from && url.charCodeAt(at - 1) === 47 ? at - 1 : at;
  reading.stop = at;
  reading.text = url;
  reading.isEscaped = decoded !== "";
  if (reading.isEscaped) reading.text += decoded;
  reading.query = "";
  reading.pairs = undefined;
  if (at < length && url.charCodeAt(at) === 63) {
    const hash = url.indexOf("#", at);
    reading.query = wellFormed(url.slice(at + 1, hash < 0 ? length : hash));
    // The canonical address has no empty query.
    return !isVacant(reading.query);
  }
  return true;
}

export function isVacant(query: string): boolean {
  let at = 0;
  while (query.charCodeAt(at) === 38) at += 1;
  return at === query.length;
}

/** Halves of characters outside of the first plane stand for nothing. */
export function wellFormed(text: string): string {
  return /[\ud800-\udfff]/.test(text) ? text.replace(/\p{Surrogate}/gu, "\ufffd") : text;
}
