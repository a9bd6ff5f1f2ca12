// From a request to a decision.

import { type Value } from "./data.js";
import { type RedirectTo, type Route } from "./model.js";
import { IN_FRAGMENT, table } from "./table.js";
import { cleanQuery, isLonger } from "./percent.js";
import { type Asked } from "./rules.js";
import { addressOf, isBad, parse, targetOf, tooLong, type Bad } from "./url.js";
import { choose, covering, find, lookup, type Reached, type Reading } from "./find.js";
import { chainOf, isSame, needless, unknownPairs, valuesOf, type Values } from "./values.js";
import { expand } from "./template.js";
import { RETURN, urlOf, urlOfAny } from "./link.js";
import { At, framesOf, Page } from "./position.js";
import { LinkError, type Answer, type Question } from "./types.js";

export interface Request {
  readonly method?: string | undefined;
  readonly host?: string | undefined;
  readonly ask?: (question: Question) => Answer;
}

export type DecisionData =
  | Page
  | { readonly outcome: "redirect"; readonly status: number; readonly location: string; readonly route: string | undefined; readonly isExternal: boolean }
  | { readonly outcome: "unmet"; readonly status: 303 | 403; readonly need: string; readonly location: string | undefined; readonly position: At | undefined }
  | {
      readonly outcome: "not-found";
      readonly status: 404;
      readonly page: string | undefined;
      readonly frames: readonly string[];
      readonly position: At | undefined;
      readonly reason: string | undefined;
    }
  | { readonly outcome: "wrong-method"; readonly status: 405; readonly allow: readonly string[]; readonly position: At | undefined }
  | { readonly outcome: "options"; readonly status: 204; readonly allow: readonly string[] }
  | { readonly outcome: "bad-request"; readonly status: 400 | 414; readonly reason: string }
  | { readonly outcome: "unavailable"; readonly status: 503; readonly question: Question; readonly retryAfter: number | undefined };

/** The answers to the questions of one request. Each question is asked once. */
class Answers implements Asked {
  declare readonly known: Map<string, Answer>;
  /** The first question without an answer. */
  declare stopped: Question | undefined;
  declare private readonly ask: (question: Question, key: string) => Answer;

  constructor(ask: (question: Question, key: string) => Answer) {
    this.known = new Map();
    this.stopped = undefined;
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
  readonly route: Route | undefined;
  readonly isExternal: boolean;
}

/** What one look at the table comes to. */
type Outcome =
  | { readonly found: Page }
  | { readonly step: Step }
  | { readonly need: string; readonly location: string | undefined }
  | { readonly missing: readonly [to: Route, reason: string] | undefined }
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

/** What a function gives; nothing for a link that cannot be made. */
function linked(make: () => string | undefined): string | undefined {
  try {
    return make();
  } catch (error) {
    if (error instanceof LinkError) return undefined;
    throw error;
  }
}

/** One look at the table. */
function look(url: string, request: Look): Outcome {
  const { method, host, asked } = request;
  const found = lookup(url, host, method, asked);
  if (!found) return { missing: undefined };
  if ("address" in found) return canonical(found.address);
  if (!("reading" in found)) return found;
  const { reading } = found;
  const { redirect, needs, page } = reading.leaf.route;
  const values = valuesOf(reading);
  if (redirect) return redirected(redirect, reading, values);
  if (needless(reading, values) > 0) {
    const address = linked(() => withoutNeedless(reading, values, asked));
    if (address !== undefined) return canonical(address);
  }
  for (const index of needs) {
    const [need, otherwise] = table.data.needs[index]!;
    if (asked.isMet(need)) continue;
    const to = otherwise === undefined ? undefined : table.route(otherwise);
    return { need, location: to && signInAt(to, reading, values, url, request) };
  }
  return { found: new Page(reading, values, page!) };
}

/** The names of parameters with their values. */
function named({ params }: Route, all: Values): Map<string, Value> {
  return new Map(params.flatMap(({ name }, index): [string, Value][] => (all[index] === undefined ? [] : [[name, all[index]!]])));
}

function redirected({ status, to, values: fillings }: RedirectTo, reading: Reading, values: Values): Outcome {
  const { route } = reading.leaf;
  const isExternal = typeof to === "string";
  let url: string;
  if (isExternal) {
    const all = named(route, values);
    url = expand(to, (name) => all.get(name));
  } else {
    const given = new Map<string, Value>();
    for (const [name, ...pieces] of fillings) {
      const all = pieces.map((piece) => (typeof piece === "number" ? values[piece] : piece));
      const value = all.length === 1 ? all[0] : all.every((piece) => typeof piece === "string") ? all.join("") : undefined;
      if (value !== undefined) given.set(name, value);
    }
    const target = table.route(to);
    try {
      url = urlOfAny(target, given);
    } catch (error) {
      if (error instanceof LinkError) return { missing: [target, error.message] };
      throw error;
    }
  }
  return { step: { status, location: withRest(url, reading), route, isExternal } };
}

/** The address without the values that are there for nothing; nothing where none can be left out. */
function withoutNeedless(reading: Reading, values: Values, asked: Asked): string | undefined {
  const { route } = reading.leaf;
  const short = urlOf(route, named(route, values));
  const found = lookup(short, undefined, route.methods[0] ?? "GET", asked);
  if (!found || !("reading" in found) || found.reading.leaf.route !== route) return undefined;
  return needless(found.reading, valuesOf(found.reading)) < needless(reading, values) ? withRest(short, reading) : undefined;
}

/** A URL with the pairs of the query that the route does not know, as they were sent. */
function withRest(url: string, reading: Reading): string {
  const hash = IN_FRAGMENT ? -1 : url.indexOf("#");
  const fragment = hash < 0 ? "" : url.slice(hash);
  let out = hash < 0 ? url : url.slice(0, hash);
  const nameOf = (pair: string): string => pair.split("=", 1)[0]!;
  const known = (out.split("?")[1] ?? "").split("&").map(nameOf);
  for (const pair of unknownPairs(reading)) {
    if (!known.includes(nameOf(pair))) out += (out.includes("?") ? "&" : "?") + cleanQuery(pair);
  }
  return out + fragment;
}

/** The page to which people are sent who do not meet a need, with the way back. */
function signInAt(to: Route, { leaf, parts }: Reading, all: Values, url: string, { method, host, asked }: Look): string | undefined {
  const given = new Map<string, Value>();
  for (const { name, kind } of to.params) {
    const value = all[leaf.route.params.findIndex((own) => own.name === name && own.kind === kind)];
    if (name !== RETURN && value !== undefined) given.set(name, value);
  }
  const showsPage = (): boolean => {
    const found = lookup(url, host ?? parts.host, "GET", asked);
    return found !== undefined && "reading" in found && found.reading.leaf.route.page !== undefined;
  };
  // Coming back is a `GET`, so only what answers one is a place to come back to.
  const isRead = method === "GET" || method === "HEAD" || showsPage();
  const back = isRead ? linked(() => urlOf(to, new Map(given).set(RETURN, addressOf(parts)))) : undefined;
  return back ?? linked(() => urlOf(to, given));
}

/** The methods as they are listed: `GET` brings `HEAD`, and `OPTIONS` is answered everywhere. */
function allowed(routes: readonly Route[]): readonly string[] {
  const methods = new Set(routes.flatMap((route) => route.methods)).add("OPTIONS");
  if (methods.has("GET")) methods.add("HEAD");
  return [...methods].sort();
}

/** Decides with these answers. */
function decideWith(url: string, request: Look): DecisionData {
  if (isLonger(url, table.data.site.bytes)) return { outcome: "bad-request", status: 414, reason: tooLong() };
  if (url === "*" && request.method === "OPTIONS") {
    const answering = table.data.routes.map((_, id) => table.route(id)).filter(({ page, redirect }) => page !== undefined || redirect);
    return { outcome: "options", status: 204, allow: allowed(answering) };
  }
  let outcome = look(url, request);
  if (!("step" in outcome)) return decision(url, outcome, request);
  const host = targetOf(url, false).host ?? request.host;
  let { step } = outcome;
  let { method } = request;
  for (let count = 0; count < MOST_STEPS; count += 1) {
    if (step.status === 303 || (step.status < 303 && method === "POST")) method = "GET";
    if (!step.isExternal) outcome = look(step.location, { ...request, method, host });
    if (step.isExternal || "found" in outcome) {
      const { status, location, route, isExternal } = step;
      return { outcome: "redirect", status, location, route: route?.name, isExternal };
    }
    // The request stands where the address does that it leads to.
    if (!("step" in outcome)) return decision(step.location, outcome, request);
    const next: Step = outcome.step;
    const isForGood = (status: number): boolean => status === 301 || status === 308;
    // A redirect for now must not be taken for one for good.
    const takesOver = step.route ? isForGood(step.status) && !isForGood(next.status) : next.route !== undefined;
    step = { ...next, status: takesOver ? next.status : step.status, route: step.route ?? next.route };
  }
  return decision(url, { missing: step.route && [step.route, "its redirects lead in a circle"] }, request);
}

/** The decision for a look that gave no page, at the address that the request stands for. */
function decision(address: string, outcome: Exclude<Outcome, { readonly step: Step }>, request: Look): DecisionData {
  if ("found" in outcome) return outcome.found;
  if ("bad" in outcome) return { outcome: "bad-request", ...outcome.bad };
  const { owner, position } = placeOf(address, request);
  if ("need" in outcome) {
    const location = outcome.location && lastSignIn(outcome.location, request);
    return { outcome: "unmet", status: location ? 303 : 403, need: outcome.need, location, position };
  }
  if ("others" in outcome) {
    const allow = allowed(outcome.others.map(({ leaf }) => leaf.route));
    if (request.method === "OPTIONS") return { outcome: "options", status: 204, allow };
    return { outcome: "wrong-method", status: 405, allow, position };
  }
  const [to, reason] = outcome.missing ?? [];
  const above = to ? chainOf(to).reverse().find(({ fallback }) => fallback !== undefined) : owner;
  const { site, pages } = table.data;
  const page = above ? (above.fallback ?? undefined) : site.fallback === undefined ? undefined : pages[site.fallback];
  return { outcome: "not-found", status: 404, page, frames: position?.frames ?? framesOf(undefined), position, reason };
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
function placeOf(url: string, { method, host, asked }: Look): { owner?: Route | undefined; position?: At | undefined } {
  const parts = parse(url, host);
  if (parts === undefined || typeof parts === "string" || isBad(parts)) return {};
  const silent = new Answers((_, key) => (asked instanceof Answers ? asked.known.get(key) : undefined));
  const owner = covering(parts, method, silent, ({ fallback }) => fallback !== undefined)?.leaf.route;
  const found = find(parts, silent);
  const isBelow = (route: Route): boolean => !owner || chainOf(route).includes(owner);
  const reached = choose(found, method) ?? found[0] ?? covering(parts, method, silent, isBelow);
  if (!reached) return { owner };
  const reading = { ...reached, parts };
  return { owner, position: new At(reading, valuesOf(reading)) };
}

function settled(decision: DecisionData, { stopped, known }: Answers): DecisionData {
  if (!stopped) return decision;
  const answer = known.get(JSON.stringify(stopped));
  return { outcome: "unavailable", status: 503, question: stopped, retryAfter: typeof answer === "object" ? answer.retryAfter : undefined };
}

function wellFormed(url: string): string {
  return !/[\ud800-\udfff]/.test(url) ? url : url.replace(/\p{Surrogate}/gu, "\ufffd");
}

export function decided(url: string, { method = "GET", host, ask = () => false }: Request): DecisionData {
  const answers = new Answers(ask);
  return settled(decideWith(wellFormed(url), { method, host, asked: answers }), answers);
}

/** The same, for questions that take their time: it stops at each question on which it hangs, and goes on with the answer. */
export async function decidedInSteps(
  url: string,
  { method, host }: Request,
  ask: (question: Question) => Answer | Promise<Answer>,
): Promise<DecisionData> {
  const known = new Map<string, Answer>();
  for (;;) {
    let open: Question | undefined;
    const put = (question: Question): Answer => {
      const key = JSON.stringify(question);
      if (!known.has(key)) open ??= question;
      return known.get(key);
    };
    const decision = decided(url, { method, host, ask: put });
    // What comes after a question without an answer is not asked.
    if (!open || decision.outcome !== "unavailable" || !isSame(decision.question, open)) return decision;
    known.set(JSON.stringify(open), await Promise.resolve(open).then(ask).catch(() => undefined));
  }
}

/** The page that answers a `GET`, whatever it asks of the visitor; no value counts as listed. */
export function matched(url: string, host?: string): Page | undefined {
  const outcome = look(wellFormed(url), { method: "GET", host, asked: nobody });
  return "found" in outcome ? outcome.found : undefined;
}

/** Can a text be an address to come back to? Browsers take a backslash for a slash, and leave control characters out. */
export function isAddress(wanted: string | null | undefined): wanted is string {
  return typeof wanted === "string" && /^\/(?![/\\])[!-[\]-~]*$/.test(wanted);
}
