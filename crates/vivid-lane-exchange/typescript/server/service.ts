// The service: a request in, the page or another answer out.

import { decide, decideAsync, levels, notFoundAt, place } from "../table/follows.js";
import { isHost, Standard, type Connection, type Incoming } from "./incoming.js";
import { fieldsOf, preferred, Reply, replyTo, type Details } from "./reply.js";
import { goOn, type Soon } from "./soon.js";
import { Failure, Missing, type Around, type Entry, type Refusal, type Settings, type Shown } from "./types.js";
import { Visiting } from "./visit.js";
import type { Answer, Decision, ListName, NeedName, PageName, Position, Somewhere } from "../table/follows.js";

type Fields = readonly (readonly [string, string])[];

/** What an error is for the visitor. */
function detailsOf(error: unknown): Details {
  if (error instanceof Failure) {
    const { status, message, retryAfter } = error;
    return { status, detail: message, retryAfter, cache: status > 499 ? "no-store" : undefined };
  }
  if (error instanceof Missing) return { status: 404, detail: error.message };
  return { status: (error as { readonly name?: unknown } | null)?.name === "TimeoutError" ? 503 : 500, cache: "no-store" };
}

/** A site that answers requests. */
export interface Site {
  /** Answers a request. It never fails. */
  respond(request: Request, connection?: Connection): Promise<Response>;
  /** The same for adapters of servers that have requests of their own. */
  answer(incoming: Incoming): Soon<Reply>;
}

/** The site of a table, with the pages of a program. */
export function site<State = undefined, Who = undefined>(settings: Settings<State, Who>): Site {
  type Shows = Visiting<State, Who>;
  const { pages, layers = [], showRefusals = false, answerWithin = 5000 } = settings;
  const { origin } = place();

  /** An answer to a question of a decision; none where it does not come in time. */
  function inTime(asking: Promise<Answer>): Promise<Answer> {
    return new Promise((done) => {
      const late = setTimeout(done, answerWithin, undefined);
      const failed = (error: unknown): Answer => (error instanceof Failure && error.retryAfter !== undefined ? { retryAfter: error.retryAfter } : undefined);
      void asking.catch(failed).then((answer) => (clearTimeout(late), done(answer)));
    });
  }

  /** Calls the function of a page. */
  function call(name: string, visit: Shows): Soon<Shown> {
    const entry = (pages as { readonly [name: string]: Entry<never, State, Who> })[name];
    if (!entry) throw new Error(`nothing is registered for \`${name}\``);
    return typeof entry === "function" ? entry(visit as never) : entry.code().then(({ default: show }) => show(visit as never));
  }

  function isAround({ pages: names, below }: Around<State, Who>, name: string, visit: Shows): boolean {
    if (names && !names.includes(name as PageName)) return false;
    if (below === undefined) return true;
    const { position } = visit;
    return position !== undefined && levels(position).some(({ route }) => route === below);
  }

  /** Shows a page within layers. What goes wrong in it is kept apart: layers see its status, and may add fields. */
  async function within(around: readonly Around<State, Who>[], name: string, visit: Shows): Promise<{ readonly reply: Reply; readonly error?: unknown }> {
    let failed: { readonly error: unknown; readonly status: number } | undefined;
    let made: Reply | undefined;
    let stream: unknown;
    const show = async (): Promise<Response> => {
      try {
        made = Reply.of(await call(name, visit));
        const response = made.toResponse();
        stream = response.body;
        return response;
      } catch (error) {
        failed = { error, status: detailsOf(error).status };
        return new Response(null, { status: failed.status });
      }
    };
    const run = async (index: number): Promise<Response> => (index === around.length ? show() : around[index]!.layer(visit as never, () => run(index + 1)));
    const { status, fields, body } = Reply.of(await run(0));
    // A text that the layers have left alone has a length that is known.
    const reply = new Reply(status, fields, made && body === stream ? made.body : body);
    return failed?.status === reply.status ? { reply, error: failed.error } : { reply };
  }

  /** The reply of a fallback with the status and the fields that it is to have. */
  const stamped = (reply: Reply, stamp: Details | undefined): Reply => (stamp ? reply.stamped(stamp.status, fieldsOf(stamp)) : reply);

  /** Shows a page, and what there is in its place where that fails. */
  function show(name: string, visit: Shows, stamp?: Details): Soon<Reply> {
    const around = layers.length > 0 ? layers.filter((one) => isAround(one, name, visit)) : layers;
    const failed = (error: unknown): Promise<Reply> => recovered(error, [], name, visit, stamp);
    if (around.length === 0) return goOn(() => call(name, visit), (shown) => stamped(Reply.of(shown), stamp), failed);
    return goOn(
      () => within(around, name, visit),
      ({ reply, ...more }) => {
        if (!("error" in more)) return stamped(reply, stamp);
        // What is said of the body does not hold for another one.
        const fields = reply.fields.filter(([field]) => !/^(?:content-(?:encoding|length|type)|transfer-encoding)$/.test(field));
        return recovered(more.error, fields, name, visit, stamp);
      },
      failed,
    );
  }

  /** What there is in the place of a page that failed, with the fields that layers have added. */
  async function recovered(error: unknown, around: Fields, name: string, visit: Shows, stamp: Details | undefined): Promise<Reply> {
    const isMissing = error instanceof Missing;
    const details = detailsOf(error);
    if (!isMissing && settings.failed) {
      const given = await settings.failed({ error, status: details.status, asked: visit, page: name as PageName });
      if (given) return Reply.of(given).with(around);
    }
    const form = preferred(visit.field("accept"));
    const takesPage = showRefusals ? form !== "json" : isMissing;
    const at = visit.at as Somewhere & { readonly outcome: string };
    if (takesPage && !stamp && at.outcome === "page") {
      const missing = notFoundAt(at, details.detail || undefined);
      const refusal = isMissing ? missing : { outcome: "failed" as const, status: details.status, position: missing.position, reason: details.detail || undefined };
      if (missing.page !== undefined) return (await show(missing.page, visit.with(refusal), details)).with(around);
    }
    // A fallback that fails has the status that it was to have.
    return stamped(replyTo(stamp ? { status: stamp.status } : details, form, pathOf(visit.target)), stamp).with(around);
  }

  /** What is answered where the decision is no page. */
  function settle(decision: Decision, now: Shows, hangsOnVisitor: boolean): Soon<Reply> {
    now.at = decision;
    if (decision.outcome === "page") return show(decision.page, now);
    const form = preferred(now.field("accept"));
    const takesPages = showRefusals && form !== "json";
    const { status } = decision;
    let details: Details = { status };
    let position: Position | undefined;
    switch (decision.outcome) {
      case "redirect": {
        const isForGood = status === 301 || status === 308;
        details = { status, location: absolute(decision.location), cache: !isForGood ? undefined : hangsOnVisitor ? "no-store" : `max-age=${settings.keepRedirects ?? 3600}` };
        break;
      }
      case "not-found":
        if (decision.page !== undefined && (!showRefusals || takesPages)) return show(decision.page, now.with(decision), details);
        details = { status, detail: decision.reason };
        break;
      case "unmet": {
        const location = decision.location === undefined ? undefined : absolute(decision.location);
        details = { status, location, detail: location === undefined ? `this page is for those who meet \`${decision.need}\`` : undefined, cache: "no-store" };
        ({ position } = decision);
        break;
      }
      case "wrong-method":
        ({ position } = decision);
        details = { status, allow: decision.allow };
        break;
      case "options":
        details = { status, allow: decision.allow };
        break;
      case "bad-request":
        details = { status, detail: decision.reason };
        break;
      case "unavailable": {
        const { question } = decision;
        const detail = "need" in question ? `whether the visitor meets \`${question.need}\` cannot be told now` : `the list \`${question.list}\` cannot be asked now`;
        details = { status, detail, retryAfter: decision.retryAfter, cache: "no-store" };
      }
    }
    if (status > 399 && status !== 404 && takesPages) {
      const { page } = notFoundAt(position);
      const refusal: Refusal = { outcome: decision.outcome as Refusal["outcome"], status, position, reason: details.detail };
      if (page !== undefined) return show(page, now.with(refusal), details);
    }
    return replyTo(details, form, pathOf(now.target));
  }

  function absolute(location: string): string {
    return settings.absoluteLocations && origin !== "" && location[0] === "/" ? origin + location : location;
  }

  function decided(incoming: Incoming): Soon<Reply> {
    const { hosts, wantsHost, target, method } = incoming;
    const now = new Visiting<State, Who>(incoming, settings);
    if (hosts.length > 1 || (hosts.length === 0 ? wantsHost && !/^https?:/i.test(target) : !isHost(hosts[0]!))) {
      const detail = "expected one `Host` field with a host, with or without a port";
      return replyTo({ status: 400, detail }, preferred(now.field("accept")), pathOf(target));
    }
    const named = settings.client ? now.host : hosts[0];
    const host = named?.includes(":") ? named.replace(/:\d*$/, "") : named;
    let isAsked = false;
    const open = (): undefined => void (isAsked = true);
    const decision = decide(target, { method, host, meets: open, lists: open });
    // Most decisions depend on no answer.
    if (!isAsked) return settle(decision, now, false);
    const { meets, lists } = settings;
    const asks = {
      meets: meets && ((need: NeedName) => inTime(now.who().then((who) => meets(who, need, now)))),
      lists: lists && ((list: ListName, value: string) => inTime(Promise.resolve(now).then(() => lists(list, value, now)))),
    };
    return decideAsync(target, { method, host, ...asks }).then((decision) => settle(decision, now, true));
  }

  function answer(incoming: Incoming): Soon<Reply> {
    const finished = (reply: Reply): Reply => (incoming.method === "HEAD" ? reply.withoutBody() : reply);
    // The hook for failures may fail itself.
    const sorry = (): Reply => finished(replyTo({ status: 500, cache: "no-store" }, preferred(incoming.field("accept")), pathOf(incoming.target)));
    return goOn(() => decided(incoming), finished, sorry);
  }

  return { answer, respond: async (request, connection = {}) => (await answer(new Standard(request, connection))).toResponse() };
}

/** The path of a target. */
function pathOf(target: string): string {
  return target.replace(/^https?:\/\/[^/?#]*/i, "").replace(/[?#][^]*/, "") || "/";
}
