// What a value may be. Rules are automata and plain code, linear in the length of the value.

import { data, type Automaton, type Join, type Many, type Pattern, type Rule, type Test } from "./table.js";
import { bytesOf, hasControl } from "./percent.js";

/** Who answers what only the caller knows. */
export interface Asked {
  isListed(list: string, value: string): boolean;
  isMet(need: string): boolean;
}

export function ruleAt(index: number): Rule {
  return data.rules[index]!;
}

// A delimiter that was not escaped is a mark: a control character, which no segment holds otherwise.
const MARKS = ",=;";

/** A segment as it was sent, decoded, with its delimiters as marks. It was decoded before, so it can be. */
export function marked(raw: string): string {
  return decodeURIComponent(raw.replace(/[,=;]/g, (one) => String.fromCharCode(MARKS.indexOf(one) + 1)));
}

/** Marked text as plain text. */
export function plain(text: string): string {
  return text.replace(/[\x01-\x03]/g, (one) => MARKS[one.charCodeAt(0) - 1]!);
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
function refusalOfTest(test: Test, text: string): string | undefined {
  const [kind, words] = test;
  if (kind instanceof RegExp) return kind.test(text) ? undefined : words;
  if (typeof kind === "number") return contains(data.automata[kind]!, text) ? undefined : words;
  if (typeof kind === "object") {
    if (kind.includes(text)) return undefined;
    const shown = kind.slice(0, 8).map((word) => `\`${word}\``);
    const more = kind.length > 8 ? ` or ${kind.length - 8} others` : "";
    return `expected ${kind.length === 1 ? "" : "one of "}${shown.join(", ")}${more}`;
  }
  if (kind === "min" || kind === "max") {
    const [found, count] = [Array.from(text).length, Number(words)];
    const isWrong = kind === "min" ? found < count : found > count;
    return isWrong ? `${kind === "min" ? "shorter" : "longer"} than ${count} character${count === 1 ? "" : "s"}` : undefined;
  }
  const [number, limit] = [decimal(text), decimal(words!)];
  // What is no number is refused by the type.
  if (!number || !limit) return undefined;
  if (kind === "%") return isMultiple(number, limit) ? undefined : `not a multiple of ${words}`;
  const order = compare(number, limit);
  const [isRight, reason] =
    kind === ">=" ? [order >= 0, "below the minimum"]
    : kind === "<=" ? [order <= 0, "above the maximum"]
    : kind === ">" ? [order > 0, "not above"]
    : [order < 0, "not below"];
  return isRight ? undefined : `${reason} ${words}`;
}

/** Why a rule refuses one text, as far as the rule alone can tell. */
export function refusal([tests]: Rule, text: string): string | undefined {
  for (const test of tests || []) {
    const reason = refusalOfTest(test, text);
    if (reason !== undefined) return reason;
  }
  return undefined;
}

/** Is the rule about one text, and does every text pass? */
export function isAny([tests, list, many]: Rule): boolean {
  return !tests && !list && !many;
}

/** Does a rule take a text that is no list? */
export function takes(rule: Rule, text: string, asked: Asked): boolean {
  if (isAny(rule)) return true;
  const [tests, list] = rule;
  // A rule is a set of texts without control characters, none of them empty.
  if (text === "" || hasControl(text) || (tests && refusal(rule, text) !== undefined)) return false;
  return !list || asked.isListed(list, text);
}

/** How many there may be at most, where there is no limit. */
export const NO_LIMIT = 65535;

/** Are there as many items as there may be, and is none there twice that must not be? */
export function fitsNumber([, values, least, most, unique]: Many, items: readonly string[]): boolean {
  const count = values < 0 ? items.length : items.length / 2;
  return count >= least && count <= most && !(unique && new Set(items).size < items.length);
}

/** Does a rule take a list, or names and values in turn? */
export function takesItems([, , many]: Rule, items: readonly string[], asked: Asked): boolean {
  if (!many) return true;
  const [first, second] = many;
  return (
    (second < 0 || items.length % 2 === 0) &&
    items.every((item, at) => takes(ruleAt(second >= 0 && at % 2 === 1 ? second : first), item, asked)) &&
    fitsNumber(many, items)
  );
}

/** Does every value of its form pass? */
export function isAnyOfItsForm(rule: Rule): boolean {
  const many = rule[2];
  if (!many) return isAny(rule);
  const [first, second, least, most, unique] = many;
  return isAny(ruleAt(first)) && (second < 0 || isAny(ruleAt(second))) && least <= 1 && most === NO_LIMIT && !unique;
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
    // An item without a sign is one too few, which the check of their number finds.
    const sign = separator === "+" ? /[\x02=]/ : /\x02/;
    items = items.flatMap((item) => [item.split(sign, 1)[0]!, item.slice(item.search(sign) + 1 || item.length)]);
  }
  items = items.map(plain);
  return items.includes("") || (isPairs && items.length % 2 === 1) ? undefined : items;
}

/** Does a rule take what stands for it in a segment, which may hold marks? */
export function takesPiece(rule: Rule, text: string, asked: Asked): boolean {
  const [, , many, join] = rule;
  if (!join || !many) return text !== "" && takes(rule, plain(text), asked);
  const items = itemsOf(join, many[1] >= 0, text);
  return items !== undefined && takesItems(rule, items, asked);
}

/** Does one of the values of a pattern have items, so that a delimiter differs from the same character as text? */
export function isMarked(pattern: Pattern): boolean {
  return pattern.some((piece) => typeof piece === "number" && !!ruleAt(piece)[3]);
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
export function split(pattern: Pattern, text: string): Split | undefined {
  const [first, second] = pattern;
  if (pattern.length === 1) return { texts: [text], starts: [0] };
  if (pattern.length === 2 && typeof first === "string") {
    if (!plain(text.slice(0, first.length)).startsWith(first) || text.length === first.length) return undefined;
    return { texts: [first, text.slice(first.length)], starts: [0, bytesOf(first).length] };
  }
  if (pattern.length === 2 && typeof second === "string") {
    const cut = text.length - second.length;
    if (cut <= 0 || plain(text.slice(cut)) !== second) return undefined;
    return { texts: [text.slice(0, cut), second], starts: [0, bytesOf(text.slice(0, cut)).length] };
  }
  const bytes = bytesOf(text);
  const isBoundary = (at: number): boolean => at === bytes.length || (bytes[at]! & 0xc0) !== 0x80;
  // For each piece where the text can be cut so that it and all that follow fit.
  const ends: boolean[][] = [];
  let good = bytes.map(() => false).concat(true);
  for (let at = pattern.length - 1; at >= 0; at -= 1) {
    ends[at] = good;
    good = startsOf(pattern[at]!, bytes, good).map((isGood, start) => isGood && isBoundary(start));
  }
  if (!good[0]) return undefined;
  const starts = [0];
  for (const [at, piece] of pattern.entries()) {
    starts.push(shortest(piece, bytes, starts[at]!, ends[at]!));
  }
  // Where in the text each byte is that begins a character.
  const units: number[] = [];
  let unit = 0;
  for (const one of text) {
    units.push(unit, ...bytesOf(one).slice(1).map(() => unit));
    unit += one.length;
  }
  units.push(unit);
  return { texts: pattern.map((_, at) => text.slice(units[starts[at]!]!, units[starts[at + 1]!]!)), starts: starts.slice(0, -1) };
}

function automatonOf(rule: number): Automaton | undefined {
  const index = ruleAt(rule)[4];
  return index === undefined ? undefined : data.automata[index];
}

/** Where a piece can start so that it ends at a good place. */
function startsOf(piece: string | number, bytes: readonly number[], good: readonly boolean[]): boolean[] {
  if (typeof piece === "string") {
    const wanted = bytesOf(piece);
    const fits = (at: number): boolean =>
      wanted.every((byte, index) => bytes[at + index] === byte || MARKS.charCodeAt(bytes[at + index]! - 1) === byte);
    return good.map((_, at) => good[at + wanted.length] === true && fits(at));
  }
  const automaton = automatonOf(piece);
  const starts: boolean[] = [];
  let isGoodAfter = false;
  let alive: boolean[] = [];
  for (let at = bytes.length; at >= 0; at -= 1) {
    if (automaton) {
      const byte = bytes[at];
      const next = automaton.map((state) => {
        return (good[at]! && state[0] === 1) || (byte !== undefined && alive[stepped(state, byte)] === true);
      });
      alive = next;
      starts[at] = alive[0]!;
    } else {
      starts[at] = isGoodAfter;
      isGoodAfter ||= good[at]!;
    }
  }
  return starts;
}

/** The first good place where a piece can end. */
function shortest(piece: string | number, bytes: readonly number[], start: number, good: readonly boolean[]): number {
  if (typeof piece === "string") return start + bytesOf(piece).length;
  const automaton = automatonOf(piece);
  let state = 0;
  for (let at = start; at < bytes.length; at += 1) {
    if (automaton) state = stepped(automaton[state]!, bytes[at]!);
    if (good[at + 1] && (!automaton || automaton[state]![0] === 1)) return at + 1;
  }
  return bytes.length;
}

/** Does a segment, which is decoded and marked where the pattern wants it, fit? */
export function fits(pattern: Pattern, text: string, asked: Asked): boolean {
  // Only the pattern of a host may be one text.
  if (pattern.length === 1 && typeof pattern[0] === "string") return text === pattern[0];
  const pieces = split(pattern, text);
  return (
    pieces !== undefined &&
    pattern.every((piece, at) => typeof piece === "string" || takesPiece(ruleAt(piece), pieces.texts[at]!, asked))
  );
}
