// Templates (RFC 6570).

import { type Value } from "./data.js";
import { encodeReserved, encodeUnreserved } from "./percent.js";

/** Text, or an operator with its variables. */
export type Part = string | { readonly operator: string; readonly variables: readonly Variable[] };

export interface Variable {
  readonly name: string;
  readonly isExploded: boolean;
}

const parsed = new Map<string, readonly Part[]>();

export function partsOf(template: string): readonly Part[] {
  let parts = parsed.get(template);
  if (!parts) {
    parts = template.split(/\{(.*?)\}/).map((piece, at): Part => {
      if (at % 2 === 0) return piece;
      const operator = /^\w|^%/.test(piece) ? "" : piece[0]!;
      const names = piece.slice(operator.length).split(",");
      return { operator, variables: names.map((name) => ({ name: name.replace("*", ""), isExploded: name.endsWith("*") })) };
    });
    parts = parts.filter((part) => part !== "");
    parsed.set(template, parts);
  }
  return parts;
}

/** Expands a template (RFC 6570, section 3.2.1 and appendix A). */
export function expand(template: string, value: (name: string) => Value | undefined): string {
  let out = "";
  for (const part of partsOf(template)) {
    if (typeof part === "string") {
      out += encodeReserved(part);
      continue;
    }
    const { operator, variables } = part;
    const separator = operator === "?" ? "&" : operator === "" || operator === "+" || operator === "#" ? "," : operator;
    const isNamed = operator === ";" || operator === "?" || operator === "&";
    const encode = operator === "+" || operator === "#" ? encodeReserved : encodeUnreserved;
    const named = (name: string, text: string): string =>
      !isNamed ? text : encodeReserved(name) + (text === "" && operator === ";" ? "" : "=") + text;
    let lead = operator === "+" ? "" : operator;
    for (const { name, isExploded } of variables) {
      const given = value(name);
      if (given === undefined) continue;
      out += lead;
      lead = separator;
      if (typeof given === "string") {
        out += named(name, encode(given));
      } else if (!isExploded) {
        const items = given.map((item) => (typeof item === "string" ? encode(item) : `${encode(item[0])},${encode(item[1])}`));
        out += (isNamed ? encodeReserved(name) + "=" : "") + items.join(",");
      } else {
        const items = given.map((item) => {
          if (typeof item === "string") return named(name, encode(item));
          return encode(item[0]) + (operator === ";" && item[1] === "" ? "" : "=") + encode(item[1]);
        });
        out += items.join(separator);
      }
    }
  }
  return out;
}
