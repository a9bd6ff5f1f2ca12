// From a request to a decision.

import { data, type Route, type Value } from "./table.js";
import { cleanQuery, isLonger } from "./percent.js";
import { type Asked } from "./rules.js";
import { addressOf, isBad, parse, targetOf, tooLong, type Bad } from "./url.js";
import { choose, covering, find, leafAt, lookup, methodsOf, routeAt, routeOf, type Reached, type Reading } from "./find.js";
import { needless, unknownPairs, valuesOf } from "./values.js";
import { expand } from "./template.js";
import { RETURN, urlOf, urlOfAny } from "./link.js";
import { framesOf, matchOf, positionOf, type MatchData, type PositionData } from "./position.js";
import { LinkError, type Answer, type Question } from "./types.js";

export interface Request {
  readonly method?: string | undefined;
  readonly host?: string | undefined;
  readonly ask?: (question: Question) => Answer;
}

export type DecisionData =
  | MatchData
  | { readonly outcome: "redirect"; readonly status: number; readonly location: string; readonly route: string | undefined; readonly isExternal: boolean }
  | { readonly outcome: "unmet"; readonly status: 303 | 403; readonly need: string; readonly location: string | undefined; readonly position: PositionData | undefined }
  | {
      readonly outcome: "not-found";
      readonly status: 404;
      readonly page: string | undefined;
      readonly frames: readonly string[];
      readonly position: PositionData | undefined;
      readonly reason: string | undefined;
    }
  | { readonly outcome: "wrong-method"; readonly status: 405; readonly allow: readonly string[]; readonly position: PositionData | undefined }
  | { readonly outcome: "options"; readonly status: 204; readonly allow: readonly string[] }
  | { readonly outcome: "bad-request"; readonly status: 400 | 414; readonly reason: string }
  | { readonly outcome: "unavailable"; readonly status: 503; readonly question: Question; readonly retryAfter: number | undefined };

/** The answers to the questions of one request. Each question is asked once. */
class Answers implements Asked {
  readonly known = new Map<string, Answer>();
  /** The first question without an answer. */
  stopped: Question | undefined;
  private readonly ask: (question: Question, key: string) => Answer;

  constructor(ask: (question: Question, key: string) => Answer) {
    this.ask = ask;
  }

  isListed(list: string, value: string): boolean {
    return this.isSo({ list, value });
  }

  isMet(need: string): boolean {
    return this.isSo({ need });
  }

  private isSo(question: Question): boolean {
    const key = JSON.stringify(question);
    if (!this.known.has(key)) this.known.set(key, this.ask(question, key));
    const answer = this.known.get(key);
    if (typeof answer !== "boolean") this.stopped ??= question;
    return answer === true;
  }
}

/** No value is in a list, and every need is met. */
const nobody: Asked = { isListed: () => false, isMet: () => true };

interface Step {
  readonly status: number;
  readonly location: string;
  readonly route: number | undefined;
  readonly isExternal: boolean;
}

/** What one look at the table comes to. */
type Outcome =
  | { readonly found: MatchData }
  | { readonly step: Step }
  | { readonly need: number; readonly location: string | undefined }
  | { readonly missing: readonly [to: number, reason: string] | undefined }
  | { readonly others: readonly Reached[] }
  | { readonly bad: Bad };

interface Look {
  readonly method: string;
  readonly host: string | undefined;
  readonly asked: Asked;
}

const MOST_STEPS = 8;

function canonical(location: string): Outcome {
  return { step: { status: 308, location, route: undefined, isExternal: false } };
}

/** One look at the table. */
function look(url: string, { method, host, asked }: Look): Outcome {
  const found = lookup(url, host, method, asked);
  if (!found) return { missing: undefined };
  if ("address" in found) return canonical(found.address);
  if (!("reading" in found)) return found;
  const { reading } = found;
  const route = routeOf(reading);
  const redirect = route[5]?.redirect;
  if (redirect) return redirected(redirect, reading);
  const address = needless(reading) > 0 ? withoutNeedless(reading, asked) : undefined;
  if (address !== undefined) return canonical(address);
  const need = (route[5]?.needs ?? []).find((one) => !asked.isMet(data.needs[one]![0]));
  if (need !== undefined) return { need, location: signInFor(need, reading, url, { method, host, asked }) };
  return { found: matchOf(reading, route[3]) };
}

/** The names of parameters with their values. */
function named(route: Route, values: readonly (Value | undefined)[]): Map<string, Value> {
  const all = new Map<string, Value>();
  for (const [index, [name]] of route[4].entries()) {
    const value = values[index];
    if (value !== undefined) all.set(name, value);
  }
  return all;
}

function redirected([status, to, fillings]: NonNullable<NonNullable<Route[5]>["redirect"]>, reading: Reading): Outcome {
  const values = valuesOf(reading);
  const step = (url: string, isExternal: boolean): Outcome => {
    return { step: { status, location: withRest(url, reading), route: leafAt(reading.leaf)[0], isExternal } };
  };
  if (typeof to === "string") {
    const all = named(routeOf(reading), values);
    return step(expand(to, (name) => all.get(name)), true);
  }
  const given = new Map<string, Value>();
  for (const [name, ...pieces] of fillings ?? []) {
    const all = pieces.map((piece) => (typeof piece === "number" ? values[piece] : piece));
    const value = all.length === 1 ? all[0] : all.every((piece) => typeof piece === "string") ? all.join("") : undefined;
    if (value !== undefined) given.set(name, value);
  }
  try {
    return step(urlOfAny(to, given), false);
  } catch (error) {
    if (error instanceof LinkError) return { missing: [to, error.message] };
    throw error;
  }
}

/** The address without the values that are there for nothing; nothing where none can be left out. */
function withoutNeedless(reading: Reading, asked: Asked): string | undefined {
  const id = leafAt(reading.leaf)[0];
  try {
    const short = urlOf(id, named(routeAt(id), valuesOf(reading)));
    const found = lookup(short, undefined, methodsOf(routeAt(id))[0] ?? "GET", asked);
    if (!found || !("reading" in found) || leafAt(found.reading.leaf)[0] !== id) return undefined;
    return needless(found.reading) < needless(reading) ? withRest(short, reading) : undefined;
  } catch {
    return undefined;
  }
}

/** A URL with the pairs of the query that the route does not know, as they were sent. */
function withRest(url: string, reading: Reading): string {
  const hash = data.site.inFragment ? -1 : url.indexOf("#");
  const fragment = hash < 0 ? "" : url.slice(hash);
  let out = hash < 0 ? url : url.slice(0, hash);
  const nameOf = (pair: string): string => pair.split("=", 1)[0]!;
  const mark = out.indexOf("?");
  const known = (mark < 0 ? "" : out.slice(mark + 1)).split("&").map(nameOf);
  for (const pair of unknownPairs(reading)) {
    if (!known.includes(nameOf(pair))) out += (out.includes("?") ? "&" : "?") + cleanQuery(pair);
  }
  return out + fragment;
}

/** The page to which people are sent who do not meet a need, with the way back. */
function signInFor(need: number, reading: Reading, url: string, { method, host, asked }: Look): string | undefined {
  const to = data.needs[need]![1];
  if (to === undefined) return undefined;
  const own = routeOf(reading);
  const values = valuesOf(reading);
  const given = new Map<string, Value>();
  for (const [name, , kind] of routeAt(to)[4]) {
    const value = values[own[4].findIndex(([known, , ofKind]) => known === name && ofKind === kind)];
    if (name !== RETURN && value !== undefined) given.set(name, value);
  }
  // Coming back is a `GET`, so only what answers one is a place to come back to.
  const isRead = method === "GET" || method === "HEAD" || showsPage(url, host ?? reading.parts.host, asked);
  const attempts = [given];
  if (isRead) attempts.unshift(new Map(given).set(RETURN, addressOf(reading.parts)));
  for (const attempt of attempts) {
    try {
      return urlOf(to, attempt);
    } catch {
      // Without the way back, perhaps.
    }
  }
  return undefined;
}

function showsPage(url: string, host: string | undefined, asked: Asked): boolean {
  const found = lookup(url, host, "GET", asked);
  return found !== undefined && "reading" in found && routeOf(found.reading)[3] >= 0;
}

/** The methods as they are listed: `GET` brings `HEAD`, and `OPTIONS` is answered everywhere. */
function allowed(routes: readonly Route[]): readonly string[] {
  const methods = new Set(routes.flatMap(methodsOf)).add("OPTIONS");
  if (methods.has("GET")) methods.add("HEAD");
  return [...methods].sort();
}

/** Decides with these answers. */
function decideWith(url: string, request: Look): DecisionData {
  if (isLonger(url, data.site.bytes)) return { outcome: "bad-request", status: 414, reason: tooLong() };
  if (url === "*" && request.method === "OPTIONS") {
    const answering = data.routes.filter((route) => route[3] >= 0 || route[5]?.redirect);
    return { outcome: "options", status: 204, allow: allowed(answering) };
  }
  let outcome = look(url, request);
  if (!("step" in outcome)) return decision(url, outcome, undefined, request);
  const host = targetOf(url, false).host ?? request.host;
  let { step } = outcome;
  let { method } = request;
  for (let count = 0; count < MOST_STEPS; count += 1) {
    if (step.status === 303 || (step.status < 303 && method === "POST")) method = "GET";
    if (step.isExternal) return redirect(step);
    outcome = look(step.location, { ...request, method, host });
    if ("found" in outcome) return redirect(step);
    // The request stands where the address does that it leads to.
    if (!("step" in outcome)) return decision(url, outcome, step.location, request);
    const next: Step = outcome.step;
    const isForGood = (status: number): boolean => status === 301 || status === 308;
    // A redirect for now must not be taken for one for good.
    const takesOver = step.route === undefined ? next.route !== undefined : isForGood(step.status) && !isForGood(next.status);
    step = { ...next, status: takesOver ? next.status : step.status, route: step.route ?? next.route };
  }
  const why = step.route === undefined ? undefined : ([step.route, "its redirects lead in a circle"] as const);
  return decision(url, { missing: why }, undefined, request);
}

function redirect({ status, location, route, isExternal }: Step): DecisionData {
  return { outcome: "redirect", status, location, route: route === undefined ? undefined : routeAt(route)[0], isExternal };
}

function decision(url: string, outcome: Outcome, address: string | undefined, request: Look): DecisionData {
  if ("found" in outcome) return outcome.found;
  if ("bad" in outcome) return { outcome: "bad-request", ...outcome.bad };
  if ("need" in outcome) {
    const location = outcome.location === undefined ? undefined : lastSignIn(outcome.location, request);
    const position = placeOf(address ?? url, request)?.position;
    return { outcome: "unmet", status: location === undefined ? 403 : 303, need: data.needs[outcome.need]![0], location, position };
  }
  if ("others" in outcome) {
    const allow = allowed(outcome.others.map(routeOf));
    if (request.method === "OPTIONS") return { outcome: "options", status: 204, allow };
    return { outcome: "wrong-method", status: 405, allow, position: placeOf(address ?? url, request)?.position };
  }
  const missing = "missing" in outcome ? outcome.missing : undefined;
  const place = placeOf(address ?? url, request);
  let page = place?.owner === undefined ? undefined : routeAt(place.owner)[5]?.fallback;
  for (let at = missing ? missing[0] : -1; missing && at >= 0; at = routeAt(at)[1]) {
    page = routeAt(at)[5]?.fallback;
    if (page !== undefined) break;
  }
  page ??= data.site.fallback ?? -1;
  const position = place?.position;
  const frames = position ? position.frames : framesOf(-1);
  return { outcome: "not-found", status: 404, page: data.pages[page], frames, position, reason: missing?.[1] };
}

/** The place to sign in may have needs of its own, which are met elsewhere: where does one begin? */
function lastSignIn(first: string, request: Look): string {
  let location = first;
  for (let count = 0; count < MOST_STEPS; count += 1) {
    const outcome = look(location, { ...request, method: "GET" });
    if (!("need" in outcome) || outcome.location === undefined) break;
    location = outcome.location;
  }
  return location;
}

/** Where a request stands that leads to no page, and the route that says what is shown where something is missing. */
function placeOf(url: string, { method, host, asked }: Look): { owner: number | undefined; position: PositionData | undefined } | undefined {
  const parts = parse(url, host);
  if (parts === undefined || typeof parts === "string" || isBad(parts)) return undefined;
  const silent = new Answers((_, key) => (asked instanceof Answers ? asked.known.get(key) : undefined));
  const hasFallbacks = data.routes.some((route) => route[5]?.fallback !== undefined);
  const says = (id: number): boolean => routeAt(id)[5]?.fallback !== undefined;
  const covered = (isWanted: (id: number) => boolean): Reached | undefined => covering(parts, method, silent, isWanted);
  const owning = hasFallbacks ? covered(says) : undefined;
  const owner = owning && leafAt(owning.leaf)[0];
  const accepted = find(parts, silent);
  const isBelow = (id: number): boolean => {
    for (let at = id; at >= 0; at = routeAt(at)[1]) if (at === owner) return true;
    return owner === undefined;
  };
  const reached = choose(accepted, method) ?? accepted[0] ?? covered(isBelow);
  return { owner, position: reached && positionOf({ ...reached, parts }) };
}

function settled(decision: DecisionData, answers: Answers): DecisionData {
  const question = answers.stopped;
  if (!question) return decision;
  const answer = answers.known.get(JSON.stringify(question));
  const retryAfter = typeof answer === "object" ? answer.retryAfter : undefined;
  return { outcome: "unavailable", status: 503, question, retryAfter };
}

function wellFormed(url: string): string {
  return url.replace(/\p{Surrogate}/gu, "\ufffd");
}

export function decided(url: string, { method = "GET", host, ask = () => false }: Request): DecisionData {
  const answers = new Answers(ask);
  return settled(decideWith(wellFormed(url), { method, host, asked: answers }), answers);
}

/** The same, for questions that take their time: it stops at each question on which it hangs, and goes on with the answer. */
export async function decidedInSteps(
  url: string,
  { method = "GET", host }: Request,
  ask: (question: Question) => Answer | Promise<Answer>,
): Promise<DecisionData> {
  const known = new Map<string, Answer>();
  for (;;) {
    let open: readonly [Question, string] | undefined;
    const answers = new Answers((question, key) => {
      if (!known.has(key)) open ??= [question, key];
      return known.get(key);
    });
    const decision = decideWith(wellFormed(url), { method, host, asked: answers });
    const stopped = answers.stopped && JSON.stringify(answers.stopped);
    if (!open || open[1] !== stopped) return settled(decision, answers);
    try {
      known.set(open[1], await ask(open[0]));
    } catch {
      known.set(open[1], undefined);
    }
  }
}

/** The page that answers a `GET`, whatever it asks of the visitor; no value counts as listed. */
export function matched(url: string, host?: string): MatchData | undefined {
  const outcome = look(wellFormed(url), { method: "GET", host, asked: nobody });
  return "found" in outcome ? outcome.found : undefined;
}

/** The address to go back to, where that is one of this table that decides to a page; else the default. */
export function backTo(wanted: unknown, standard: string, request: Request): string {
  if (typeof wanted !== "string" || !/^\/(?![/\\])[!-[\]-~]*$/.test(wanted)) return standard;
  return decided(wanted, request).outcome === "page" ? wanted : standard;
}
