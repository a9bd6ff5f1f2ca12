// Routes that ask for a host, and its one spelling (RFC 3986, section 3.2; RFC 5890, section 2.3.2.1; RFC 3492).

import { split } from "./cut.js";
import { type Reading } from "./reading.js";
import { any, type Rule } from "./rules.js";
import { type End, type Param, type Route } from "./tree.js";
import { type Value } from "./values.js";

interface HostPieces {
  readonly names: readonly (string | undefined)[];
  readonly rules: readonly (string | Rule)[];
}

function piecesOf(route: Route): HostPieces {
  const pieces = hostOf(route)!.split(/(\{.*?\})/).filter((piece) => piece !== "");
  const names = pieces.map((piece) => (piece[0] === "{" ? piece.slice(1, -1) : undefined));
  const rules = pieces.map((piece, at) => (names[at] === undefined ? piece : route.params().find(({ name }) => name === names[at])!.texts));
  return { names, rules };
}

function textsOfHost(rules: HostPieces["rules"], host: string, route: Route): string[] | undefined {
  return rules.length === 1 ? [host] : split(rules, host, route.table.site.cuts, (text) => text);
}

/** The host that a route asks for, its own or that of a route above it. */
export function hostOf({ more, parent }: Route): string | undefined {
  return more.host ?? (parent && hostOf(parent));
}

/** Has a URL the host that a route asks for, if it does? */
export function isHostOf(reading: Reading, route: Route): boolean {
  if (hostOf(route) === undefined) return true;
  if (reading.host === undefined) return false;
  const { rules } = piecesOf(route);
  const texts = textsOfHost(rules, normalHost(reading.host), route);
  if (!texts) return false;
  return rules.every((rule, at) => {
    const text = texts[at]!;
    return typeof rule === "string" ? rules.length > 1 || text === rule : text !== "" && (rule === any || rule.takes(text, 0, text.length, reading));
  });
}

/** The value of a parameter in the host. */
export function findInHost(reading: Reading, param: Param, { route }: End): Value | undefined {
  const { names, rules } = piecesOf(route);
  return textsOfHost(rules, normalHost(reading.host ?? ""), route)?.[names.indexOf(param.name)];
}

/** Small letters, without the dot at the end, labels that are not ASCII encoded. */
export function normalHost(host: string): string {
  let name = host.replace(/\.$/, "");
  if (!/%(?![0-9A-Fa-f]{2})/.test(name)) {
    try {
      const decoded = decodeURIComponent(name);
      if (!/[\0-\x1f\x7f]/.test(decoded)) name = decoded;
    } catch {
      // It stays as it is.
    }
  }
  const isAscii = (text: string): boolean => !/[^\0-\x7f]/.test(text);
  if (isAscii(name)) return name.replace(/[A-Z]/g, (one) => one.toLowerCase());
  return name
    .split(/[.\u3002\uff0e\uff61]/)
    .map((label) => label.toLowerCase())
    .map((label) => (isAscii(label) || Array.from(label).length > 63 ? label : "xn--" + punycode(label)))
    .join(".");
}

function punycode(label: string): string {
  const points = Array.from(label, (one) => one.codePointAt(0)!);
  const digit = (value: number): string => value.toString(36);
  const basic = points.filter((point) => point < 128);
  let out = String.fromCharCode(...basic) + (basic.length > 0 ? "-" : "");
  let [code, delta, bias, handled] = [128, 0, 72, basic.length];
  while (handled < points.length) {
    const next = Math.min(...points.filter((point) => point >= code));
    delta += (next - code) * (handled + 1);
    code = next;
    for (const point of points) {
      if (point < code) delta += 1;
      if (point !== code) continue;
      let rest = delta;
      for (let base = 36; ; base += 36) {
        const least = base <= bias ? 1 : base >= bias + 26 ? 26 : base - bias;
        if (rest < least) break;
        out += digits(least + ((rest - least) % (36 - least)));
        rest = Math.floor((rest - least) / (36 - least));
      }
      out += digits(rest);
      let scaled = Math.floor(delta / (handled === basic.length ? 700 : 2));
      scaled += Math.floor(scaled / (handled + 1));
      let steps = 0;
      for (; scaled > 455; steps += 36) scaled = Math.floor(scaled / 35);
      bias = steps + Math.floor((36 * scaled) / (scaled + 38));
      delta = 0;
      handled += 1;
    }
    delta += 1;
    code += 1;
  }
  return out;

  /** a to z are 0 to 25, 0 to 9 are 26 to 35. */
  function digits(value: number): string {
    return value < 26 ? String.fromCharCode(97 + value) : digit(value - 26);
  }
}
