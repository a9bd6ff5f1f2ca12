// From a request to a decision.

import { isLonger, normalized, targetOf, tooLong, type Bad } from "./address.js";
import { allows, choose, countNeedless, find, inOrder, literalAt, methodsOf, seek, takesQuery, walk } from "./find.js";
import { giveBack, scan, take, wellFormed, type Asked, type Reading } from "./reading.js";
import { type Table } from "./table.js";
import { chainOf, type End, type Node, type Route } from "./tree.js";
import { Page, Spotted, type Shorten } from "./match.js";
import { speech, type Answer, type Asking, type AsksOf, type BadRequest, type NotFoundOf, type Options, type Question, type Redirect, type Sent, type Unavailable, type UnmetOf, type WrongMethodOf } from "./types.js";
import { isSame } from "./values.js";

/** What is decided, whatever the table. */
export type AnyDecision =
  | Page
  | Redirect
  | UnmetOf<string, Spotted>
  | NotFoundOf<string, Spotted>
  | WrongMethodOf<Spotted>
  | Options
  | BadRequest
  | Unavailable;

/** A redirect on the way to a decision. */
export interface Step {
  readonly status: number;
  readonly location: string;
  readonly route: Route | undefined;
  readonly isExternal: boolean;
}

/** A redirect that leads nowhere, with the route to which it leads and the reason. */
export interface Absent {
  readonly missing: readonly [to: Route, reason: string] | undefined;
}

/** What one look at the table comes to. */
type Outcome =
  | { readonly found: Page }
  | { readonly step: Step }
  | { readonly need: string; readonly location: string | undefined }
  | Absent
  | { readonly others: readonly End[] }
  | { readonly bad: Bad };

/** What is asked of the table. */
export interface Look {
  readonly table: Table;
  readonly method: string;
  readonly host: string | undefined;
  readonly asked: Asked;
  readonly parts: DecisionParts;
}

/** What only some tables need to decide. */
export interface DecisionParts {
  readonly shorten?: Shorten;
  /** The redirects of routes. */
  readonly redirected?: (reading: Reading, end: End) => { readonly step: Step } | Absent;
  /** The page to which a visitor is sent who does not meet a need. */
  readonly signInAt?: (to: Route, reading: Reading, end: End, showsPage: () => boolean, method: string) => string | undefined;
}

/** The answers to the questions of one request. Each question is asked once. */
class Answers implements Asked {
  /** Most requests need no answers. */
  declare known: Map<string, Answer> | undefined;
  /** The first question without an answer. */
  declare stopped: Question | undefined;
  declare private readonly ask: (question: Question, key: string) => Answer;

  constructor(ask: (question: Question, key: string) => Answer) {
    this.known = undefined;
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
    const known = (this.known ??= new Map<string, Answer>());
    if (!known.has(key)) known.set(key, this.ask(question, key));
    const answer = known.get(key);
    if (typeof answer !== "boolean") this.stopped ??= question;
    return answer === true;
  }
}

const MOST_STEPS = 8;

function canonical(location: string): Outcome {
  return { step: { status: 308, location, route: undefined, isExternal: false } };
}

/** One look at the table. */
function look(url: string, request: Look): Outcome {
  const reading = take(request.asked, request.host);
  const outcome = lookWith(reading, url, request);
  giveBack(reading);
  return outcome;
}

function lookWith(reading: Reading, url: string, request: Look): Outcome {
  const { table, method, host, asked, parts } = request;
  if (!scan(reading, url, table.site)) {
    const address = normalized(table, url);
    return typeof address === "string" ? canonical(address) : address ? { bad: address } : { missing: undefined };
  }
  const found = find(table, reading);
  if (found.length === 0) return { missing: undefined };
  const end = choose(table, found, method);
  if (!end) return { others: found };
  const other = table.site.respelt?.(reading, end, table.site);
  if (other !== undefined) return canonical(other);
  const { route } = end;
  const { to, out, needs } = route.more;
  if (to || out) return parts.redirected!(reading, end);
  if (parts.shorten && countNeedless(reading, end) > 0) {
    const address = parts.shorten(reading, end, asked);
    if (address !== undefined) return canonical(address);
  }
  for (const need of needs ?? []) {
    if (asked.isMet(need)) continue;
    const otherwise = table.site.needs![need];
    // Coming back is a `GET`, so only what answers one is a place to come back to.
    const showsPage = (): boolean => {
      const again = take(asked, host ?? reading.host);
      const end = scan(again, url, table.site) ? seek(table, again, "GET") : undefined;
      const isShown = end?.route.page !== undefined && table.site.respelt?.(again, end, table.site) === undefined;
      giveBack(again);
      return isShown;
    };
    return { need, location: otherwise === undefined ? undefined : parts.signInAt!(table.routes.get(otherwise)!, reading, end, showsPage, method) };
  }
  return { found: new Page(reading, end, host) };
}

/** The methods as they are listed: `GET` brings `HEAD`, and `OPTIONS` is answered everywhere. */
function allowed(routes: readonly Route[]): readonly string[] {
  const methods = new Set(routes.flatMap((route) => methodsOf(route))).add("OPTIONS");
  if (methods.has("GET")) methods.add("HEAD");
  return [...methods].sort();
}

/** Decides with these answers. */
function decideWith(url: string, request: Look): AnyDecision {
  const { table } = request;
  if (isLonger(url, table.site.bytes)) return { outcome: "bad-request", status: 414, reason: tooLong(table.site) };
  if (url === "*" && request.method === "OPTIONS") {
    return { outcome: "options", status: 204, allow: allowed([...table.routes.values()].filter((route) => route.isAnswering)) };
  }
  let outcome = look(url, request);
  if (!("step" in outcome)) return decision(url, outcome, request);
  const host = targetOf(url).host ?? request.host;
  let { step } = outcome;
  let { method } = request;
  for (let count = 0; count < MOST_STEPS; count += 1) {
    if (step.status === 303 || (step.status < 303 && method === "POST")) method = "GET";
    if (!step.isExternal) outcome = look(step.location, { ...request, method, host });
    if (step.isExternal || "found" in outcome) {
      const { status, location, route, isExternal } = step;
      return { outcome: "redirect", status, location, route: route?.name, isExternal };
    }
    // The decision is that of the address to which the redirect leads.
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
function decision(address: string, outcome: Exclude<Outcome, { readonly step: Step }>, request: Look): AnyDecision {
  const { table } = request;
  if ("found" in outcome) return outcome.found;
  if ("bad" in outcome) return { outcome: "bad-request", ...outcome.bad };
  const { owner, position, refused } = placeOf(address, request);
  if ("need" in outcome) {
    const location = outcome.location && lastSignIn(outcome.location, request);
    return { outcome: "unmet", status: location ? 303 : 403, need: outcome.need, location, position };
  }
  if ("others" in outcome) {
    const allow = allowed(outcome.others.map(({ route }) => route));
    if (request.method === "OPTIONS") return { outcome: "options", status: 204, allow };
    return { outcome: "wrong-method", status: 405, allow, position };
  }
  const [to, reason = refused] = outcome.missing ?? [];
  const above = to ? chainOf(to).reverse().find(({ more }) => more.fallback !== undefined) : owner;
  const page = above ? (above.more.fallback ?? undefined) : table.site.fallback;
  return { outcome: "not-found", status: 404, page, position, reason };
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

/** Of the wanted routes that cover the path, seen from the root, the one that covers the most of it. */
function covering(table: Table, reading: Reading, method: string, isWanted: (route: Route) => boolean): End | undefined {
  const found: (readonly [end: End, at: number])[] = [];
  reading.visit = ({ ends, areas }, at) => {
    // Lines are opened as URLs lead to them, which is not their order.
    for (const all of [ends, areas]) for (const end of [...all].sort(inOrder)) found.push([end, at]);
  };
  walk(table, reading, table.root, 0);
  reading.visit = undefined;
  let best: readonly [rank: number, end: End] | undefined;
  for (const [end, at] of found) {
    const { route } = end;
    // A page at the root covers the root alone, unless something is declared below it.
    const isArea = at > 0 || route.more.fallback !== undefined || route.isParent;
    if (!isArea || table.site.host?.(reading, route) === false || !isWanted(route)) continue;
    const rank = 2 * at + (allows(route, method) && takesQuery(reading, end) ? 1 : 0);
    if (!best || rank > best[0]) best = [rank, end];
  }
  return best?.[1];
}

/** Where a request is in the table that leads to no page. */
interface Standing {
  /** The route that declares the page for what is missing. */
  readonly owner?: Route | undefined;
  readonly position?: Spotted | undefined;
  /** Why a rule refused the last segment. */
  readonly refused?: string | undefined;
}

const MOST_LOOKS = 64;

/** Why the rule of a parameter refused the last segment of a path, where nothing else has it. */
function refusal(table: Table, reading: Reading): string | undefined {
  const { text, starts, ends, count } = reading;
  let left = MOST_LOOKS;

  /** Looks for it below a node, in the order of the lookup. */
  function after(node: Node, at: number): string | undefined {
    if (at === count || left === 0) return undefined;
    left -= 1;
    while (node.waiting.length > 0) table.open(node);
    const [from, to] = [starts[at]!, ends[at]!];
    const accepting = node.edges.filter(({ rule }) => rule!.takes(text, from, to, reading, at));
    const literal = literalAt(table, reading, node, at);
    const next = literal ? [literal, ...accepting] : accepting;
    if (at + 1 < count) {
      for (const one of next) {
        const found = after(one, at + 1);
        if (found !== undefined) return found;
      }
      return undefined;
    }
    // What has the segment lacks something else.
    if (next.length > 0) return undefined;
    for (const edge of node.edges) {
      const [end] = [...edge.ends].sort(inOrder);
      const [piece] = end?.way[at] ?? [];
      // A first segment that may be left out is a language, say, and hardly what was meant.
      if (typeof piece === "object" && at === 0 && piece.isOptional) continue;
      // Of what is a list only a part would be refused.
      if (typeof piece !== "object" || piece.many || piece.isTail || piece.texts !== edge.rule) continue;
      const value = reading.segment(at);
      // One that a list refused is right as far as the rule can tell.
      if (!piece.rule.takes(value, 0, value.length)) return speech.sentence?.("refused", end!.route.name, piece.name, { value, rule: piece.rule });
    }
    return undefined;
  }
  return after(table.root, 0);
}

/** Where a request stands that leads to no page, and the route that says what is shown where something is missing. */
function placeOf(url: string, { table, method, host, asked }: Look): Standing {
  const silent = new Answers((_, key) => (asked instanceof Answers ? asked.known?.get(key) : undefined));
  const reading = take(silent, host);
  let place: Standing = {};
  if (scan(reading, url, table.site)) {
    const owner = covering(table, reading, method, ({ more }) => more.fallback !== undefined)?.route;
    const found = find(table, reading);
    const isBelow = (route: Route): boolean => !owner || chainOf(route).includes(owner);
    const end = choose(table, found, method) ?? found[0] ?? covering(table, reading, method, isBelow);
    place = { owner, position: end && new Spotted(reading, end, host), refused: refusal(table, reading) };
  }
  giveBack(reading);
  return place;
}

function settled(decision: AnyDecision, { stopped, known }: Answers): AnyDecision {
  if (!stopped) return decision;
  const answer = known!.get(JSON.stringify(stopped));
  return { outcome: "unavailable", status: 503, question: stopped, retryAfter: typeof answer === "object" ? answer.retryAfter : undefined };
}

interface Request {
  readonly method?: string | undefined;
  readonly host?: string | undefined;
}

function decided(table: Table, parts: DecisionParts, url: string, { method = "GET", host }: Request, ask: (question: Question, key: string) => Answer): AnyDecision {
  const answers = new Answers(ask);
  return settled(decideWith(wellFormed(url), { table, method, host, asked: answers, parts }), answers);
}

function asker<Reply>({ meets, lists }: AsksOf<string, string, Reply>): (question: Question) => Reply | boolean {
  const put = (whom: Asking<Reply> | undefined, value: string): Reply | boolean =>
    whom === undefined ? false : typeof whom === "function" ? whom(value) : whom.has(value);
  return (question) => {
    if ("need" in question) return put(meets, question.need);
    if (typeof lists === "function") return lists(question.list, question.value);
    const own: { readonly [name: string]: Asking<Reply> | undefined } = lists ?? {};
    return put(Object.prototype.hasOwnProperty.call(own, question.list) ? own[question.list] : undefined, question.value);
  };
}

/** Decides what to do with a request. Each question is asked once, where the decision hangs on it. */
export function decideIn(table: Table, parts: DecisionParts, url: string, asks: AsksOf<string, string, Answer>): AnyDecision {
  return decided(table, parts, url, asks, asker(asks));
}

/** The same, for questions that take their time: it stops at each question on which it hangs, and goes on with the answer. */
export async function decideAsyncIn(table: Table, parts: DecisionParts, url: string, asks: AsksOf<string, string, Answer | Promise<Answer>>): Promise<AnyDecision> {
  const known = new Map<string, Answer>();
  const ask = asker(asks);
  for (;;) {
    let open: Question | undefined;
    const decision = decided(table, parts, url, asks, (question, key) => {
      if (!known.has(key)) open ??= question;
      return known.get(key);
    });
    // What comes after a question without an answer is not asked.
    if (!open || decision.outcome !== "unavailable" || !isSame(decision.question, open)) return decision;
    known.set(JSON.stringify(open), await Promise.resolve(open).then(ask).catch(() => undefined));
  }
}

/** The decision that was made elsewhere for an address, without deciding again; nothing where this table has no such page. */
export function sentIn(table: Table, { address, route, ...said }: Sent, host: string | undefined): object | undefined {
  const reading = take({ isListed: () => true, isMet: () => true }, host);
  const isIt = (one: Route): boolean => one.name === route;
  const end = scan(reading, address, table.site) ? (find(table, reading).find((one) => isIt(one.route)) ?? covering(table, reading, "GET", isIt)) : undefined;
  const isPage = said.outcome === "page";
  const at = end && (isPage && end.route.page !== undefined ? new Page(reading, end, host) : new Spotted(reading, end, host));
  giveBack(reading);
  return isPage ? (at instanceof Page ? at : undefined) : { ...said, position: at };
}

/** Can a text be an address to come back to? Browsers take a backslash for a slash, and leave control characters out. */
function isAddress(wanted: string | null | undefined): wanted is string {
  return typeof wanted === "string" && /^\/(?![/\\])[!-[\]-~]*$/.test(wanted);
}

/** The address to go back to after signing in, if it is one of this table that shows a page to this visitor; else the other one. */
export function returnAddressIn(table: Table, parts: DecisionParts, wanted: string | null | undefined, otherwise: string, asks: AsksOf<string, string, Answer>): string {
  return isAddress(wanted) && decideIn(table, parts, wanted, { ...asks, method: "GET" }).outcome === "page" ? wanted : otherwise;
}

/** The same, where lists and needs are asked over a network. */
export async function returnAddressAsyncIn(
  table: Table,
  parts: DecisionParts,
  wanted: string | null | undefined,
  otherwise: string,
  asks: AsksOf<string, string, Answer | Promise<Answer>>,
): Promise<string> {
  return isAddress(wanted) && (await decideAsyncIn(table, parts, wanted, { ...asks, method: "GET" })).outcome === "page" ? wanted : otherwise;
}
