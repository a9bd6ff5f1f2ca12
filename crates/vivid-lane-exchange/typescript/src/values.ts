// The parameters of a table: where the value of each is in a URL, and what it may be. Each form brings the functions that it needs, so
// that a bundler leaves out the forms that no table has.

import { any, type Rule } from "./rules.js";
import { type Reading } from "./reading.js";
import { type End, type Exact, type Param, type Route } from "./tree.js";
import { sent } from "./find.js";
import { decodeForm, pairsOf, rawOf, rawsOf } from "./query.js";

/** A value as text: one, a list, or names with values. */
export type Value = string | readonly string[] | readonly (readonly [string, string])[];

/** Where a value is, in the order in which a URL is judged: single values come before lists, as questions to live lists have an order. */
export const SEGMENT = 0;
export const QUERY = 1;
export const REPEATED = 2;
export const PAIRS = 3;
export const ITEMS = 4;
export const REST = 5;
export const HOST = 6;
export const FRAGMENT = 7;

/** Is a value in the query? */
export const isInQuery = ({ kind }: Spec): boolean => kind > SEGMENT && kind < ITEMS;

/** The rules of items, or of names and values; how many there may be, and whether each may be there once only. */
export interface Many {
  readonly items: Rule;
  readonly values: Rule | undefined;
  readonly least: number;
  readonly most: number;
  readonly isUnique: boolean;
}

/** A parameter as the table declares it. */
export interface Spec {
  readonly kind: number;
  /** The rule of one text: of the value, of an item, or of the value of a pair. */
  readonly rule: Rule;
  /** The rule of a segment in which it stands. */
  readonly texts: Rule;
  readonly many: Many | undefined;
  readonly fallback: Value | undefined;
  readonly isOptional: boolean;
  /** Must it be in the query? */
  readonly isRequired: boolean;
  /** Does it take all segments to the end? */
  readonly isTail: boolean;
  /** Its name in the query, where that is another one. */
  readonly key: string | undefined;
  /** Its value in a URL; nothing where it is absent. */
  readonly find: ((reading: Reading, param: Param, end: End) => Value | undefined) | undefined;
  /** May a URL with this value be answered? */
  readonly judge: ((reading: Reading, param: Param, end: End) => boolean) | undefined;
  /** Does a URL spell it out where it could be left out: a default, or what is empty and counts as absent? */
  readonly isNeedless: ((reading: Reading, param: Param, end: End, index: number) => boolean) | undefined;
}

const SPEC: Spec = {
  kind: SEGMENT,
  rule: any,
  texts: any,
  many: undefined,
  fallback: undefined,
  isOptional: false,
  isRequired: false,
  isTail: false,
  key: undefined,
  find: undefined,
  judge: undefined,
  isNeedless: undefined,
};

/** A segment, or a part of one. */
export function segment(rule: Rule, fallback?: Value): Spec {
  return { ...SPEC, rule, texts: rule, fallback };
}

/** The same where it may be left out. */
export function optional(rule: Rule): Spec {
  return { ...SPEC, rule, texts: rule, isOptional: true };
}

/** A parameter that is left out where it has this value. */
export function standard(spec: Spec, fallback: Value): Spec {
  return { ...spec, fallback, isNeedless: isStandard };
}

function isStandard(reading: Reading, { fallback }: Param, end: End, index: number): boolean {
  const value = sent(reading, end, index);
  return value !== undefined && isSame(value, fallback);
}

/** Any number of items. */
export function items(rule: Rule, least: number = 0, most: number = Infinity, isUnique: boolean = false): Many {
  return { items: rule, values: undefined, least, most, isUnique };
}

/** Names with values. */
export function pairs(names: Rule, values: Rule, least: number = 0, most: number = Infinity): Many {
  return { items: names, values, least, most, isUnique: false };
}

const ofMany = (many: Many): Rule => many.values ?? many.items;

/** All segments to the end, each an item. */
export function tail(many: Many, texts: Rule = many.items): Spec {
  return { ...SPEC, kind: ITEMS, rule: ofMany(many), texts, many, isOptional: true, isTail: true, find: findItems, judge: fitsTail };
}

/** All segments to the end as one value, in which there may be slashes. */
export function rest(rule: Rule, fallback?: Value): Spec {
  return { ...SPEC, kind: REST, rule, isTail: true, fallback, find: findRest, judge: fitsRest };
}

/** A value of the query. An empty one that its rule refuses counts as absent, as a form sends the fields that nobody filled in. */
export function query(rule: Rule, fallback?: Value): Spec {
  return { ...SPEC, kind: QUERY, rule, texts: rule, fallback, isOptional: true, find: findQuery, judge: judgeQuery, isNeedless: isNeedlessInQuery };
}

/** A value of the query that must be there. */
export function required(rule: Rule, fallback?: Value): Spec {
  return { ...query(rule, fallback), isOptional: false, isRequired: true };
}

/** A list in the query: the values of one name, each an item. */
export function repeated(many: Many, fallback?: Value): Spec {
  return { ...query(ofMany(many), fallback), kind: REPEATED, many, find: findRepeated, judge: judgeRepeated, isNeedless: isNeedlessList };
}

/** A list or pairs in one value of the query, parted by commas. */
export function commas(many: Many, fallback?: Value): Spec {
  return { ...query(ofMany(many), fallback), many, find: findCommas, judge: judgeCommas, isNeedless: isNeedlessList };
}

/** All pairs of the query that no other name takes. */
export function others(many: Many, fallback?: Value): Spec {
  return { ...SPEC, kind: PAIRS, rule: ofMany(many), many, fallback, isOptional: true, find: findOthers, judge: judgeOthers };
}

/** A value in the host, and what it may be there: it has no dot. */
export function inHost(rule: Rule, texts: Rule, find: NonNullable<Spec["find"]>, fallback?: Value): Spec {
  return { ...SPEC, kind: HOST, rule, texts, fallback, find };
}

/** A value of the fragment, which is never sent: all that a URL tells of it is its default. */
export function inFragment(rule: Rule, fallback?: Value, many?: Many): Spec {
  return { ...SPEC, kind: FRAGMENT, rule, texts: rule, many, fallback, isOptional: true, find: () => undefined };
}

/** The same parameter with other properties: another name in the query, or one that must be there. */
export function but(spec: Spec, changes: Partial<Spec>): Spec {
  return { ...spec, ...changes };
}

// How each form finds its value in a URL.

/** Does an empty value count as if it were not there? */
export function isUnfilled({ kind, rule, many, isRequired }: Param, raw: string): boolean {
  return raw === "" && !(many ? !many.values && many.items === any : rule === any) && (!isRequired || kind === REPEATED);
}

function isNeedlessInQuery(reading: Reading, param: Param): boolean {
  const raw = rawOf(reading, param.key);
  return raw !== undefined && (isUnfilled(param, raw) || (param.isOptional && param.fallback !== undefined && decodeForm(raw) === param.fallback));
}

function isNeedlessList(reading: Reading, param: Param): boolean {
  const { kind, fallback, isOptional } = param;
  const raws = rawsOf(reading, param.key);
  // A list of several values that is a default may as well be spelt out.
  if (kind === REPEATED) return raws.some((raw) => isUnfilled(param, raw));
  const [raw] = raws;
  return raw !== undefined && (isUnfilled(param, raw) || (isOptional && fallback !== undefined && isSame(findCommas(reading, param), fallback)));
}

function findQuery(reading: Reading, param: Param): Value | undefined {
  const raw = rawOf(reading, param.key);
  return raw === undefined || isUnfilled(param, raw) ? undefined : decodeForm(raw);
}

function judgeQuery(reading: Reading, param: Param): boolean {
  const text = findQuery(reading, param) as string | undefined;
  return text === undefined ? !param.isRequired : param.rule === any || param.rule.takes(text, 0, text.length, reading);
}

function paired(texts: readonly string[]): [string, string][] {
  return texts.flatMap((text, at): [string, string][] => (at % 2 === 1 ? [[texts[at - 1]!, text]] : []));
}

/** Texts as the value of a parameter; no items are none. */
export function valueOfMany({ values }: Many, texts: readonly string[]): Value | undefined {
  const value = values ? paired(texts) : texts;
  return value.length === 0 ? undefined : value;
}

/** Are there as many items as there may be, and is none there twice that must not be? */
export function fitsNumber({ least, most, isUnique }: Many, count: number, texts: readonly string[]): boolean {
  return count >= least && count <= most && !(isUnique && new Set(texts).size < texts.length);
}

/** Do rules take a list, or names and values in turn? */
export function takesItems(many: Many, texts: readonly string[], reading: Reading): boolean {
  const { items: first, values } = many;
  return (
    (!values || texts.length % 2 === 0) &&
    texts.every((text, at) => {
      const rule = values && at % 2 === 1 ? values : first;
      return rule === any || rule.takes(text, 0, text.length, reading);
    }) &&
    fitsNumber(many, values ? texts.length / 2 : texts.length, texts)
  );
}

function repeatedTexts(reading: Reading, param: Param): string[] {
  return rawsOf(reading, param.key).filter((raw) => !isUnfilled(param, raw)).map(decodeForm);
}

function findRepeated(reading: Reading, param: Param): Value | undefined {
  return valueOfMany(param.many!, repeatedTexts(reading, param));
}

function judgeRepeated(reading: Reading, param: Param): boolean {
  const texts = repeatedTexts(reading, param);
  return texts.length === 0 ? !param.isRequired : takesItems(param.many!, texts, reading);
}

function commaTexts(reading: Reading, param: Param): string[] {
  const raw = rawOf(reading, param.key);
  return raw === undefined || isUnfilled(param, raw) ? [] : raw.split(",").map(decodeForm);
}

function findCommas(reading: Reading, param: Param): Value | undefined {
  return valueOfMany(param.many!, commaTexts(reading, param));
}

function judgeCommas(reading: Reading, param: Param): boolean {
  const texts = commaTexts(reading, param);
  return texts.length === 0 ? !param.isRequired : takesItems(param.many!, texts, reading);
}

/** Is a name in the query one that the route reads for itself? */
export function readsName(route: Route, wanted: string): boolean {
  return (route.more.query ?? []).some(({ name }) => name === wanted) || route.params().some(({ kind, key }) => (kind === QUERY || kind === REPEATED) && key === wanted);
}

function otherTexts(reading: Reading, { route }: End): string[] {
  const pairs = pairsOf(reading);
  return pairs.flatMap((name, at) => (at % 2 === 0 && !readsName(route, name) ? [name, decodeForm(pairs[at + 1]!)] : []));
}

function findOthers(reading: Reading, param: Param, end: End): Value | undefined {
  return valueOfMany(param.many!, otherTexts(reading, end));
}

function judgeOthers(reading: Reading, param: Param, end: End): boolean {
  const texts = otherTexts(reading, end);
  return texts.length === 0 ? param.isOptional : takesItems(param.many!, texts, reading);
}

/** A pair that the query must have. */
export function exact(name: string, value: string): Exact {
  return { name, value, judge: (reading) => rawsOf(reading, name).some((raw) => decodeForm(raw) === value) };
}

/** The segments of a tail, decoded; nothing where there is none. */
function tailTexts(reading: Reading, { node }: End): string[] | undefined {
  if (!node.isTail) return undefined;
  const texts: string[] = [];
  for (let at = node.depth - 1; at < reading.count; at += 1) texts.push(reading.segment(at));
  return texts;
}

function findItems(reading: Reading, { many }: Param, end: End): Value | undefined {
  return valueOfMany(many!, tailTexts(reading, end) ?? []);
}

function fitsTail(reading: Reading, { many }: Param, end: End): boolean {
  const texts = tailTexts(reading, end);
  return !texts || fitsNumber(many!, texts.length, texts);
}

function findRest(reading: Reading, _: Param, end: End): Value | undefined {
  return tailTexts(reading, end)?.join("/");
}

/** Can a link write a tail of this value? Nothing else is accepted, so that no tail leads out of a folder. */
export function isWritable(value: string): boolean {
  return !/[?#]|%[0-9A-Fa-f]{2}/.test(value) && value.split("/").every((one) => one !== "" && one !== "." && one !== "..");
}

function fitsRest(reading: Reading, { rule }: Param, end: End): boolean {
  const value = tailTexts(reading, end)?.join("/");
  return value === undefined || ((!reading.isEscaped || isWritable(value)) && rule.takes(value, 0, value.length, reading));
}

/** A value as its rule types it: numbers, true and false, lists of these. Where a query was not judged, it may hold what its rule refuses, and stays text. */
export function typed(param: Param, value: Value | undefined): unknown {
  const { rule } = param;
  const { read } = rule;
  if (!read || value === undefined) return value;
  const one = (text: string): unknown => (!isInQuery(param) || rule.takes(text, 0, text.length) ? read(text, 0, text.length) : text);
  return typeof value === "string" ? one(value) : value.map((item) => (typeof item === "string" ? one(item) : [item[0], one(item[1])]));
}

export function isSame(left: unknown, right: unknown): boolean {
  return left === right || (typeof left === "object" && JSON.stringify(left) === JSON.stringify(right));
}

/** Sets a property, whatever its name. */
export function put(all: { [name: string]: unknown }, name: string, value: unknown): void {
  if (name === "__proto__") Object.defineProperty(all, name, { value, enumerable: true, writable: true, configurable: true });
  else all[name] = value;
}
