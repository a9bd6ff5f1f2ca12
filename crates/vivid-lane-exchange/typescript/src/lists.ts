// Lists and pairs in one segment or in a tail. A delimiter that was not escaped differs from the same character as text, so such segments
// are read with marks in the place of delimiters: control characters, which no segment holds otherwise.

import { any, Rule } from "./rules.js";
import { type Reading } from "./reading.js";
import { type Marks } from "./table.js";
import { type End, type Param } from "./tree.js";
import { isWritable, REST, segment, tail, takesItems, valueOfMany, type Many, type Spec, type Value } from "./values.js";
import { textOf } from "./find.js";

const MARKS = ",=;";

/** A segment as it was sent, decoded, with its delimiters as marks. */
export function marked(raw: string): string {
  return decodeURIComponent(raw.replace(/[,=;]/g, (one) => String.fromCharCode(MARKS.indexOf(one) + 1)));
}

/** Marked text as plain text. */
export function plain(text: string): string {
  return text.replace(/[\x01-\x03]/g, (one) => MARKS[one.charCodeAt(0) - 1]!);
}

/** What segments need of which one piece is a list. */
export const marks: Marks = { marked, plain };

/** How items are joined in one text: what parts them (`,` `;` `.`, `+` for any comma, nothing for one item), whether a name has an equals sign, and the name before each item. */
export interface Join {
  readonly many: Many;
  readonly separator: string;
  readonly isNamed: boolean;
  readonly name: string | undefined;
}

/** The items of a marked text, plain; names and values in turn. Nothing where it cannot be cut. */
export function itemsOf({ many, separator, isNamed, name }: Join, text: string): string[] | undefined {
  let texts: string[] =
    separator === "" ? [text]
    : separator === "," ? text.split("\x01")
    : separator === "+" ? text.split(/[\x01,]/)
    : separator === ";" ? text.split("\x03")
    : text.split(".");
  if (name !== undefined) {
    // The first item has its name before it already.
    const start = name + "\x02";
    if (texts.some((one, at) => at > 0 && !one.startsWith(start))) return undefined;
    texts = texts.map((one, at) => (at > 0 ? one.slice(start.length) : one));
  }
  if (many.values && isNamed) {
    // An item without a sign has an empty value, which no rule accepts.
    const sign = separator === "+" ? /[\x02=]/ : /\x02/;
    texts = texts.flatMap((one) => [one.split(sign, 1)[0]!, one.slice(one.search(sign) + 1 || one.length)]);
  }
  texts = texts.map(plain);
  return texts.includes("") || (many.values && texts.length % 2 === 1) ? undefined : texts;
}

/** The rule of a text in which items are joined. */
export function joined(many: Many, separator: string, isNamed: boolean = false, name?: string): Rule {
  const join: Join = { many, separator, isNamed, name };
  return new Rule(
    (text, from, to, reading, segment) => {
      const own = segment === undefined ? text.slice(from, to) : marked(reading!.raw(segment));
      const texts = itemsOf(join, own);
      return texts !== undefined && takesItems(many, texts, reading!);
    },
    undefined,
    { join },
  );
}

export function joinOf({ facts }: Rule): Join | undefined {
  return facts?.["join"] as Join | undefined;
}

function itemsIn(texts: Rule, text: string): Value | undefined {
  const join = joinOf(texts)!;
  return valueOfMany(join.many, itemsOf(join, text) ?? []);
}

function findJoined(reading: Reading, param: Param, end: End): Value | undefined {
  const index = end.route.params().indexOf(param);
  const { segment, piece } = end.spots()[index]!;
  if (segment < 0) return undefined;
  return itemsIn(param.texts, piece < 0 ? marked(reading.raw(segment)) : textOf(reading, end, index)!);
}

const one = (many: Many): Rule => many.values ?? many.items;

/** A list or pairs in a segment. */
export function list(many: Many, texts: Rule, fallback?: Value): Spec {
  return { ...segment(texts, fallback), rule: one(many), many, find: findJoined };
}

/** The segments of the tail, as they were sent. */
function rawTail(reading: Reading, { node: { isTail, depth } }: End): string[] | undefined {
  return isTail ? Array.from({ length: reading.count - depth + 1 }, (_, at) => reading.raw(depth - 1 + at)) : undefined;
}

/** All segments to the end, each a pair. */
export function tailOfPairs(many: Many, texts: Rule): Spec {
  const find: Spec["find"] = (reading, _, end) => {
    const raws = rawTail(reading, end);
    return raws && valueOfMany(many, raws.flatMap((raw) => itemsOf(joinOf(texts)!, marked(raw)) ?? []));
  };
  return { ...tail(many, texts), find };
}

/** All segments to the end as one text, in which items are joined. */
export function restOfMany(many: Many, texts: Rule, fallback?: Value): Spec {
  const whole = (reading: Reading, end: End): string | undefined => {
    const raws = rawTail(reading, end);
    return raws && marked(raws.join("/"));
  };
  return {
    ...segment(any, fallback),
    kind: REST,
    isTail: true,
    rule: one(many),
    many,
    find: (reading, _, end) => {
      const text = whole(reading, end);
      return text === undefined ? undefined : itemsIn(texts, text);
    },
    judge: (reading, _, end) => {
      const text = whole(reading, end);
      return text === undefined || ((!reading.isEscaped || isWritable(plain(text))) && texts.takes(text, 0, text.length, reading));
    },
  };
}
