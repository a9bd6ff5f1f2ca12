// What one text may be. A rule is an object that the table names, so that a bundler leaves out those that no table names. A rule looks at
// a piece of a longer text: nothing is cut out of a URL before it is known to answer. Each is linear in the length of the text.

import { type Reading } from "./reading.js";

/**
 * Does it take the text from one place to another? Where the text is a whole segment of a URL, the URL is given too, with the number of
 * the segment: some rules need to know which delimiters were escaped, or ask a live list.
 */
export type Takes = (text: string, from: number, to: number, url?: Reading, segment?: number) => boolean;

/** What a rule is made of, for those who explain why it refuses a text. */
export type Facts = { readonly [name: string]: unknown } | undefined;

/** What one text may be: never an empty one, and none with a control character. */
export class Rule {
  declare readonly takes: Takes;
  /** The value that a text stands for, where it is no text. */
  declare readonly read: ((text: string, from: number, to: number) => unknown) | undefined;
  declare readonly facts: Facts;

  constructor(takes: Takes, read?: Rule["read"], facts?: Facts) {
    this.takes = takes;
    this.read = read;
    this.facts = facts;
  }
}

export function hasControl(text: string): boolean {
  return /[\0-\x1f\x7f]/.test(text);
}

function isDigits(text: string, from: number, to: number): boolean {
  for (let at = from; at < to; at += 1) {
    const code = text.charCodeAt(at);
    if (code < 48 || code > 57) return false;
  }
  return to > from;
}

const isWhole: Takes = (text, from, to) => (text.charCodeAt(from) === 48 ? to === from + 1 : isDigits(text, from, to));

/** A whole number; most are short, and need not be cut out of the URL. */
function wholeNumber(text: string, from: number, to: number): number {
  if (to - from > 15 || text.charCodeAt(from) === 45) return +text.slice(from, to);
  let value = 0;
  for (let at = from; at < to; at += 1) value = value * 10 + text.charCodeAt(at) - 48;
  return value;
}

function byExpression(expression: RegExp, read?: Rule["read"], facts?: Facts): Rule {
  return new Rule((text, from, to) => to > from && expression.test(text.slice(from, to)), read, facts);
}

export const any: Rule = /* @__PURE__ */ new Rule(() => true);

export const natural: Rule = /* @__PURE__ */ new Rule(isWhole, wholeNumber);

export const integer: Rule = /* @__PURE__ */ new Rule(
  (text, from, to) => (text.charCodeAt(from) === 45 ? text.charCodeAt(from + 1) !== 48 && isWhole(text, from + 1, to) : isWhole(text, from, to)),
  wholeNumber,
);

/** Whole numbers between two limits that a number holds exactly. */
export function range(least: number, most: number = Infinity, base: Rule = integer): Rule {
  const takes: Takes = (text, from, to) => {
    if (!base.takes(text, from, to)) return false;
    const value = wholeNumber(text, from, to);
    return value >= least && value <= most;
  };
  return new Rule(takes, wholeNumber, { base, least, most });
}

export const number: Rule = /* @__PURE__ */ byExpression(/^(?:0|-?(?:0\.\d*[1-9]|[1-9]\d*(?:\.\d*[1-9])?))$/, (text, from, to) => +text.slice(from, to));

export const boolean: Rule = /* @__PURE__ */ byExpression(/^(?:true|false)$/, (text, from) => text[from] === "t");

export const digits: Rule = /* @__PURE__ */ new Rule(isDigits);

/** A day of the calendar (RFC 3339, section 5.6). */
export const date: Rule = /* @__PURE__ */ new Rule((text, from, to) => {
  const isDash = (at: number): boolean => text.charCodeAt(at) === 45;
  const hasShape =
    to - from === 10 && isDigits(text, from, from + 4) && isDash(from + 4) && isDigits(text, from + 5, from + 7) && isDash(from + 7) && isDigits(text, from + 8, to);
  if (!hasShape) return false;
  const [year, month, day] = [wholeNumber(text, from, from + 4), wholeNumber(text, from + 5, from + 7), wholeNumber(text, from + 8, to)];
  const isLeap = year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
  return month > 0 && month < 13 && day > 0 && day <= (month === 2 ? (isLeap ? 29 : 28) : month === 4 || month === 6 || month === 9 || month === 11 ? 30 : 31);
});

export const slug: Rule = /* @__PURE__ */ new Rule((text, from, to) => {
  let isDash = true;
  for (let at = from; at < to; at += 1) {
    const code = text.charCodeAt(at);
    const wasDash = isDash;
    isDash = code === 45;
    if (isDash ? wasDash : !((code > 96 && code < 123) || (code > 47 && code < 58))) return false;
  }
  return !isDash;
});

const TIME = "(?:[01]\\d|2[0-3]):[0-5]\\d:(?:[0-5]\\d|60)(?:\\.\\d+)?(?:Z|[+-](?:[01]\\d|2[0-3]):[0-5]\\d)";
const LABEL = "[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?";
const BYTE = "(?:25[0-5]|2[0-4]\\d|1\\d\\d|[1-9]?\\d)";

/** A function gives the expression, as bundlers do not see that joined texts do nothing else. */
function byText(expression: () => string): Rule {
  return byExpression(new RegExp(`^(?:${expression()})$`));
}

function afterDay(ofDay: RegExp): Rule {
  return new Rule((text, from, to) => to - from > 10 && date.takes(text, from, from + 10) && ofDay.test(text.slice(from + 10, to)));
}

export const time: Rule = /* @__PURE__ */ byText(() => TIME);
export const dateTime: Rule = /* @__PURE__ */ ((): Rule => afterDay(new RegExp(`^T${TIME}$`)))();
export const uuid: Rule = /* @__PURE__ */ byText(() => "[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}");
export const hex: Rule = /* @__PURE__ */ byText(() => "[0-9a-fA-F]+");
export const email: Rule = /* @__PURE__ */ byText(() => `[a-zA-Z0-9.!#$%&'*+/=?^_\`{|}~-]+@${LABEL}(?:\\.${LABEL})*`);
export const ipv4: Rule = /* @__PURE__ */ byText(() => `${BYTE}(?:\\.${BYTE}){3}`);
export const alpha: Rule = /* @__PURE__ */ byText(() => "[A-Za-z]+");
export const alnum: Rule = /* @__PURE__ */ byText(() => "[A-Za-z0-9]+");

/** The name of a file that means the same on every common system. */
export const fileName: Rule = /* @__PURE__ */ byExpression(
  /^(?!(?:[cC][oO][nN]|[pP][rR][nN]|[aA][uU][xX]|[nN][uU][lL]|(?:[cC][oO][mM]|[lL][pP][tT])[0-9¹²³]) *(?:\.[^]*)?$)[^/\\:\0-\x1f\x7f]*[^/\\:. \0-\x1f\x7f]$/,
);

/** One of some words. */
export function oneOf(...words: readonly string[]): Rule {
  const good = words.filter((word) => word !== "" && !hasControl(word));
  const set = new Set(good);
  const takes: Takes =
    good.length > 8
      ? (text, from, to) => set.has(text.slice(from, to))
      : (text, from, to) => good.some((word) => word.length === to - from && text.startsWith(word, from));
  return new Rule(takes, undefined, { words });
}

/** A regular expression of which it is known that it is linear; `source` is how the table writes it, where that is another text. */
export function pattern(expression: RegExp, source: string = expression.source): Rule {
  return byExpression(expression, undefined, { source });
}

/** For each state whether it accepts, and the ranges of bytes that lead on: from, to, state. The first state is the start. */
export type Automaton = readonly (readonly number[])[];

/** Texts that an automaton accepts; `source` is the pattern that it was made of, `reason` says in words what it refuses. */
export function automaton(states: Automaton, facts: { readonly source: string } | { readonly reason: string }): Rule {
  return new Rule((text, from, to) => to > from && accepts(states, text.slice(from, to)), undefined, facts);
}

/** The bytes of a text in UTF-8. */
export function bytesOf(text: string): number[] {
  const bytes: number[] = [];
  for (const one of text) {
    const code = one.codePointAt(0)!;
    if (code < 0x80) bytes.push(code);
    else if (code < 0x800) bytes.push(0xc0 | (code >> 6), 0x80 | (code & 63));
    else if (code < 0x10000) bytes.push(0xe0 | (code >> 12), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63));
    else bytes.push(0xf0 | (code >> 18), 0x80 | ((code >> 12) & 63), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63));
  }
  return bytes;
}

/** The state after a byte; -1 for none. */
export function stepped(state: readonly number[], byte: number): number {
  for (let at = 1; at < state.length; at += 3) {
    if (byte >= state[at]! && byte <= state[at + 1]!) return state[at + 2]!;
  }
  return -1;
}

function accepts(states: Automaton, text: string): boolean {
  let state = 0;
  for (const byte of bytesOf(text)) {
    state = stepped(states[state]!, byte);
    if (state < 0) return false;
  }
  return states[state]![0] === 1;
}

/** What several rules take. The first gives the value. */
export function all(...rules: readonly Rule[]): Rule {
  return new Rule((text, from, to) => rules.every((rule) => rule.takes(text, from, to)), rules[0]?.read, { all: rules });
}

/** What one of several rules takes. */
export function either(...rules: readonly Rule[]): Rule {
  return new Rule((text, from, to) => rules.some((rule) => rule.takes(text, from, to)), undefined, { either: rules });
}

const isNumeral: RegExp = /^-?(0|[1-9][0-9]*)(\.[0-9]*[1-9])?$/;

/** Texts of which some stand for numbers. */
export function numbers(rule: Rule): Rule {
  const read: Rule["read"] = (text, from, to) => {
    const own = text.slice(from, to);
    return isNumeral.test(own) ? +own : rule.read ? rule.read(text, from, to) : own;
  };
  return new Rule(rule.takes, read, rule.facts);
}

/** Texts of which some stand for true and false. */
export function booleans(rule: Rule): Rule {
  const read: Rule["read"] = (text, from, to) => {
    const own = text.slice(from, to);
    return own === "true" || own === "false" ? own === "true" : rule.read ? rule.read(text, from, to) : own;
  };
  return new Rule(rule.takes, read, rule.facts);
}

/** Sign, digits before and after the point of a decimal number in its one spelling. */
export function decimal(text: string): RegExpExecArray | null {
  return text === "-0" ? null : /^(-?)(0|[1-9][0-9]*)(?:\.([0-9]*[1-9]))?$/.exec(text);
}

function compare(left: RegExpExecArray, right: RegExpExecArray): number {
  if (left[1] !== right[1]) return left[1] ? -1 : 1;
  const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
  const magnitude = left[2]!.length - right[2]!.length || order(left[2]!, right[2]!) || order(left[3] ?? "", right[3] ?? "");
  return left[1] ? -magnitude : magnitude;
}

function byNumber(test: (number: RegExpExecArray) => boolean, facts: Facts): Rule {
  return new Rule((text, from, to) => {
    const own = decimal(text.slice(from, to));
    // What is no number is refused by the type.
    return own === null || test(own);
  }, undefined, facts);
}

/** Numbers on one side of a limit, whatever their length. */
export function bound(sign: ">=" | "<=" | ">" | "<", limit: string): Rule {
  const side = decimal(limit)!;
  const test = (own: RegExpExecArray): boolean => {
    const order = compare(own, side);
    return sign === ">=" ? order >= 0 : sign === "<=" ? order <= 0 : sign === ">" ? order > 0 : order < 0;
  };
  return byNumber(test, { sign, limit });
}

export function multipleOf(limit: string): Rule {
  const step = decimal(limit)!;
  const places = (step[3] ?? "").length;
  const units = Number(step[2]! + (step[3] ?? ""));
  const test = (own: RegExpExecArray): boolean => {
    const fraction = own[3] ?? "";
    let rest = 0;
    for (const digit of own[2]! + fraction.padEnd(places, "0")) rest = (rest * 10 + Number(digit)) % units;
    return fraction.length <= places && rest === 0;
  };
  return byNumber(test, { sign: "%", limit });
}

/** Texts with so many characters. */
export function length(least: number, most: number = Infinity): Rule {
  const takes: Takes = (text, from, to) => {
    const own = text.slice(from, to);
    const count = Array.from(own).length;
    return count > 0 && count >= least && count <= most && !hasControl(own);
  };
  return new Rule(takes, undefined, { shortest: least, longest: most });
}

/** Texts that are in a live list, which is asked only while a URL is looked up. */
export function listed(list: string, rule: Rule = any): Rule {
  const takes: Takes = (text, from, to, url) => {
    if (to === from || !rule.takes(text, from, to)) return false;
    const own = text.slice(from, to);
    return !url || (!hasControl(own) && url.asked.isListed(list, own));
  };
  return new Rule(takes, rule.read, { listed: rule, list });
}
