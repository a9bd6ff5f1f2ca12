// What a value may be. Rules are automata and plain code, linear in the length of the value.

import { type Automaton, type Join } from "./data.js";
import { type Many, type Pattern, type Rule, type RuleTest } from "./model.js";
import { CUTS, JOINS, LENGTHS, MULTIPLES, table } from "./table.js";
import { bytesOf, hasControl } from "./percent.js";

/** Who answers what only the caller knows. */
export interface Asked {
  isListed(list: string, value: string): boolean;
  isMet(need: string): boolean;
}

// A delimiter that was not escaped is a mark: a control character, which no segment holds otherwise.
const MARKS = ",=;";

/** A segment as it was sent, decoded, with its delimiters as marks. It was decoded before, so it can be. */
export function marked(raw: string): string {
  return decodeURIComponent(raw.replace(/[,=;]/g, (one) => String.fromCharCode(MARKS.indexOf(one) + 1)));
}

/** Marked text as plain text. */
export function plain(text: string): string {
  return JOINS ? text.replace(/[\x01-\x03]/g, (one) => MARKS[one.charCodeAt(0) - 1]!) : text;
}

function stepped(state: readonly number[], byte: number): number {
  for (let at = 1; at < state.length; at += 3) {
    if (byte >= state[at]! && byte <= state[at + 1]!) return state[at + 2]!;
  }
  return -1;
}

function contains(automaton: Automaton, text: string): boolean {
  let state = 0;
  for (const byte of bytesOf(text)) {
    state = stepped(automaton[state]!, byte);
    if (state < 0) return false;
  }
  return automaton[state]![0] === 1;
}

/** Sign, digits before and after the point of a decimal number in its one spelling. */
function decimal(text: string): RegExpExecArray | null {
  return text === "-0" ? null : /^(-?)(0|[1-9][0-9]*)(?:\.([0-9]*[1-9]))?$/.exec(text);
}

function compare(left: RegExpExecArray, right: RegExpExecArray): number {
  if (left[1] !== right[1]) return left[1] ? -1 : 1;
  const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
  const magnitude =
    left[2]!.length - right[2]!.length || order(left[2]!, right[2]!) || order(left[3] ?? "", right[3] ?? "");
  return left[1] ? -magnitude : magnitude;
}

function isMultiple(number: RegExpExecArray, step: RegExpExecArray): boolean {
  const places = (step[3] ?? "").length;
  const fraction = number[3] ?? "";
  const units = Number(step[2]! + (step[3] ?? ""));
  let rest = 0;
  for (const digit of number[2]! + fraction.padEnd(places, "0")) rest = (rest * 10 + Number(digit)) % units;
  return fraction.length <= places && rest === 0;
}

/** Why a keyword refuses a text. */
function refusalOfTest(test: RuleTest, text: string): string | undefined {
  const [kind, words] = test;
  if (kind instanceof RegExp) return kind.test(text) ? undefined : words;
  if (typeof kind === "number") return contains(table.data.automata[kind]!, text) ? undefined : words;
  if (typeof kind === "object") {
    if (kind.includes(text) && !hasControl(text)) return undefined;
    const shown = kind.slice(0, 8).map((word) => `\`${word}\``);
    const more = kind.length > 8 ? ` or ${kind.length - 8} others` : "";
    return `expected ${kind.length === 1 ? "" : "one of "}${shown.join(", ")}${more}`;
  }
  if (LENGTHS && (kind === "min" || kind === "max")) {
    const [found, count] = [Array.from(text).length, Number(words)];
    const isWrong = hasControl(text) || (kind === "min" ? found < count : found > count);
    return isWrong ? `${kind === "min" ? "shorter" : "longer"} than ${count} character${count === 1 ? "" : "s"}` : undefined;
  }
  const [number, limit] = [decimal(text), decimal(words!)];
  // What is no number is refused by the type.
  if (!number || !limit) return undefined;
  if (MULTIPLES && kind === "%") return isMultiple(number, limit) ? undefined : `not a multiple of ${words}`;
  const order = compare(number, limit);
  const [isRight, reason] =
    kind === ">=" ? [order >= 0, "below the minimum"]
    : kind === "<=" ? [order <= 0, "above the maximum"]
    : kind === ">" ? [order > 0, "not above"]
    : [order < 0, "not below"];
  return isRight ? undefined : `${reason} ${words}`;
}

/** Why a rule refuses one text, as far as the rule alone can tell. */
export function refusal({ tests }: Rule, text: string): string | undefined {
  for (const test of tests) {
    const reason = refusalOfTest(test, text);
    if (reason !== undefined) return reason;
  }
  return undefined;
}

/** Does a rule take one text? It is a set of texts without control characters, none of them empty. */
export function takes(rule: Rule, text: string, asked: Asked): boolean {
  if (rule.isAny) return true;
  if (text === "" || refusal(rule, text) !== undefined) return false;
  return rule.list === undefined || (!hasControl(text) && asked.isListed(rule.list, text));
}

/** Are there as many items as there may be, and is none there twice that must not be? */
export function fitsNumber({ least, most, isUnique }: Many, count: number, items: readonly string[]): boolean {
  return count >= least && count <= most && !(isUnique && new Set(items).size < items.length);
}

/** Does a rule take a list, or names and values in turn? */
export function takesItems({ many }: Rule, items: readonly string[], asked: Asked): boolean {
  if (!many) return true;
  const { items: first, values } = many;
  return (
    (!values || items.length % 2 === 0) &&
    items.every((item, at) => takes(values && at % 2 === 1 ? values : first, item, asked)) &&
    fitsNumber(many, values ? items.length / 2 : items.length, items)
  );
}

/** The items of a marked text, plain; names and values in turn. Nothing where it cannot be cut. */
export function itemsOf([separator, named, name]: Join, isPairs: boolean, text: string): string[] | undefined {
  let items: string[] =
    separator === "" ? [text]
    : separator === "," ? text.split("\x01")
    : separator === "+" ? text.split(/[\x01,]/)
    : separator === ";" ? text.split("\x03")
    : text.split(".");
  if (name !== undefined) {
    // The first item has its name before it already.
    const start = name + "\x02";
    if (items.some((item, at) => at > 0 && !item.startsWith(start))) return undefined;
    items = items.map((item, at) => (at > 0 ? item.slice(start.length) : item));
  }
  if (isPairs && named) {
    // An item without a sign has an empty value, which is none.
    const sign = separator === "+" ? /[\x02=]/ : /\x02/;
    items = items.flatMap((item) => [item.split(sign, 1)[0]!, item.slice(item.search(sign) + 1 || item.length)]);
  }
  items = items.map(plain);
  return items.includes("") || (isPairs && items.length % 2 === 1) ? undefined : items;
}

/** Does a rule take what stands for it in a segment, which may hold marks? */
export function takesPiece(rule: Rule, text: string, asked: Asked): boolean {
  if (JOINS && rule.join) {
    const items = itemsOf(rule.join, rule.many!.values !== undefined, text);
    return items !== undefined && takesItems(rule, items, asked);
  }
  return text !== "" && takes(rule, plain(text), asked);
}

/** A segment as a pattern reads it: with marks where one of its values has items. */
export function readable({ pieces }: Pattern, raw: string, text: string): string {
  return JOINS && pieces.some((piece) => typeof piece === "object" && piece.join) ? marked(raw) : text;
}

/** The pieces of a segment: their texts, and where they start, in bytes. */
export interface Split {
  readonly texts: readonly string[];
  readonly starts: readonly number[];
}

/**
 * Reads a segment: of all ways in which every piece fits, the one whose first value is the shortest, then the second, and so on. From
 * the right it finds where the pieces that follow can begin, then it goes from the left; linear for each state of the rules.
 */
export function split({ pieces }: Pattern, text: string): Split | undefined {
  const [first, second] = pieces;
  if (pieces.length === 1) return { texts: [text], starts: [0] };
  const cutAt = (cut: number): Split => {
    return { texts: [text.slice(0, cut), text.slice(cut)], starts: [0, bytesOf(text.slice(0, cut)).length] };
  };
  if (pieces.length === 2 && typeof first === "string") {
    return plain(text).startsWith(first) && text.length > first.length ? cutAt(first.length) : undefined;
  }
  if (pieces.length === 2 && typeof second === "string") {
    return plain(text).endsWith(second) && text.length > second.length ? cutAt(text.length - second.length) : undefined;
  }
  // Characters, not bytes: no piece begins within one. An automaton reads the bytes of each.
  const chars = Array.from(text);
  const bytes = chars.map(bytesOf);
  // For each piece where the text can be cut so that it and all that follow fit.
  const ends: boolean[][] = [];
  let good = [...chars.map(() => false), true];
  for (let at = pieces.length - 1; at >= 0; at -= 1) {
    ends[at] = good;
    good = startsOf(pieces[at]!, chars, bytes, good);
  }
  if (!good[0]) return undefined;
  const cuts = [0];
  for (const [at, piece] of pieces.entries()) cuts.push(shortest(piece, bytes, cuts[at]!, ends[at]!));
  const texts = pieces.map((_, at) => chars.slice(cuts[at], cuts[at + 1]).join(""));
  return { texts, starts: texts.map((_, at) => bytes.slice(0, cuts[at]).flat().length) };
}

/** Where a piece can start so that it ends at a good place. */
function startsOf(piece: string | Rule, chars: readonly string[], bytes: readonly number[][], good: readonly boolean[]): boolean[] {
  if (typeof piece === "string") {
    const wanted = Array.from(piece);
    return good.map((_, at) => good[at + wanted.length] === true && wanted.every((one, index) => plain(chars[at + index]!) === one));
  }
  const starts: boolean[] = [];
  let isGoodAfter = false;
  let alive: boolean[] = [];
  for (let at = chars.length; at >= 0; at -= 1) {
    if (CUTS && piece.automaton) {
      const before = alive;
      const read = (from: number): number => bytes[at]?.reduce((state, byte) => (state < 0 ? state : stepped(piece.automaton![state]!, byte)), from) ?? -1;
      alive = piece.automaton.map((state, from) => (good[at]! && state[0] === 1) || before[read(from)] === true);
      starts[at] = alive[0]!;
    } else {
      starts[at] = isGoodAfter;
      isGoodAfter ||= good[at]!;
    }
  }
  return starts;
}

/** The first good place where a piece can end. */
function shortest(piece: string | Rule, bytes: readonly number[][], start: number, good: readonly boolean[]): number {
  if (typeof piece === "string") return start + Array.from(piece).length;
  let state = 0;
  for (let at = start; at < bytes.length; at += 1) {
    if (CUTS && piece.automaton) state = bytes[at]!.reduce((from, byte) => stepped(piece.automaton![from]!, byte), state);
    if (good[at + 1] && (!CUTS || !piece.automaton || piece.automaton[state]![0] === 1)) return at + 1;
  }
  return bytes.length;
}

/** Does a segment, which is decoded and marked where the pattern wants it, fit? */
export function fits(pattern: Pattern, text: string, asked: Asked): boolean {
  const [first] = pattern.pieces;
  if (pattern.pieces.length === 1) {
    // Only the pattern of a host may be one text.
    return typeof first === "string" ? text === first : takesPiece(first!, text, asked);
  }
  const found = split(pattern, text);
  return found !== undefined && pattern.pieces.every((piece, at) => typeof piece === "string" || takesPiece(piece, found.texts[at]!, asked));
}
