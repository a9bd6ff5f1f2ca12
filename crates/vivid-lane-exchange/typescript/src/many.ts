// Links with lists and pairs, with hosts, and with what is not escaped.

import { encodeReserved, normalSegment } from "./address.js";
import { hostOf, normalHost } from "./host.js";
import { checkText, expandTemplate, type HostTools, type Lists, type Raw } from "./link.js";
import { wellFormed } from "./reading.js";
import { LinkError } from "./types.js";
import { HOST, type Value } from "./values.js";

export const lists: Lists = {
  texts(value) {
    const text = (one: unknown): string => wellFormed(String(one));
    const items: readonly unknown[] = Array.isArray(value) ? value : Object.entries(value);
    return items.map((item) => (Array.isArray(item) ? ([text(item[0]), text(item[1])] as const) : text(item))) as Value;
  },

  check(route, param, value) {
    const { name, rule, many } = param;
    const wrong = (expected: string, found?: number): LinkError => new LinkError("form", route.name, name, { expected, found });
    if (!many) {
      if (typeof value !== "string") throw wrong("one value");
      checkText(route, param, rule, value);
      return;
    }
    const { items, values, least, most, isUnique } = many;
    if (typeof value === "string" || value.some((item) => (typeof item === "string") === (values !== undefined))) {
      throw wrong(values ? "a list of pairs" : "a list of texts");
    }
    if (value.length < least || value.length > most) {
      throw wrong(`at least ${least} ${most === Infinity ? "" : `and at most ${most} `}items`, value.length);
    }
    for (const item of value) {
      const [first, second] = typeof item === "string" ? [item] : item;
      checkText(route, param, items, first!);
      if (values) checkText(route, param, values, second!);
    }
    const twice = value.find((item, at) => isUnique && (value as readonly unknown[]).indexOf(item) < at);
    if (twice !== undefined) throw new LinkError("refused", route.name, name, { value: value.join(","), twice });
  },

  write(given, { operator, isNamed, separator, encode }, name, isExploded) {
    const value = given as readonly (string | readonly [string, string])[];
    const named = (text: string): string => (!isNamed ? text : name + (text === "" && operator === ";" ? "" : "=") + text);
    if (!isExploded) {
      const items = value.map((item) => (typeof item === "string" ? encode(item) : `${encode(item[0])},${encode(item[1])}`));
      return (isNamed ? name + "=" : "") + items.join(",");
    }
    const items = value.map((item) => {
      if (typeof item === "string") return named(encode(item));
      return encode(item[0]) + (operator === ";" && item[1] === "" ? "" : "=") + encode(item[1]);
    });
    return items.join(separator);
  },
};

export const hosts: HostTools = {
  form: ({ kind }, host) => (kind === HOST ? normalHost(host) : host),
  write(route, valueOf) {
    const host = hostOf(route);
    return host === undefined ? "" : `${(route.table.site.origin ?? "").split("://", 1)[0] || "https"}://` + expandTemplate(host, valueOf, {});
  },
};

export const raw: Raw = {
  encode: encodeReserved,
  normal: (path) => path.split("/").map(normalSegment).join("/").replace(/(?!^)\/+$/, ""),
};
