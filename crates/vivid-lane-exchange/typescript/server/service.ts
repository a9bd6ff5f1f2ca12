// The service: a request in, the page or another answer out.

import { decideAsync, levels, notFoundAt, place } from "../table/follows.js";
import { isHost, Standard, type Connection, type Incoming } from "./incoming.js";
import { fieldsOf, preferred, Reply, told, type Telling } from "./reply.js";
import { Failure, Missing, type Around, type Entry, type Refusal, type Settings, type Shown } from "./types.js";
import { Inquiry, Visiting } from "./visit.js";
import type { Answer, Decision, PageName, Position, Somewhere } from "../table/follows.js";

type Fields = readonly (readonly [string, string])[];

/** What an error is for the visitor. */
function tellingOf(error: unknown): Telling {
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
  answer(incoming: Incoming): Promise<Reply>;
}

/** The site of a table, with the pages of a program. */
export function site<State = undefined, Who = undefined>(settings: Settings<State, Who>): Site {
  type Now = Inquiry<State, Who>;
  type Shows = Visiting<unknown, State, Who>;
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

  async function entryOf(name: string): Promise<(visit: never) => Shown | Promise<Shown>> {
    const entry = (pages as { readonly [name: string]: Entry<never, State, Who> })[name];
    if (!entry) throw new Error(`nothing is registered for \`${name}\``);
    return typeof entry === "function" ? entry : (await entry.code()).default;
  }

  function isAround({ pages: names, below }: Around<State, Who>, name: string, visit: Shows): boolean {
    if (names && !names.includes(name as PageName)) return false;
    if (below === undefined) return true;
    const position = (visit as unknown as { readonly position: Somewhere | undefined }).position;
    return position !== undefined && levels(position).some(({ route }) => route === below);
  }

  /** Shows a page within its layers. What goes wrong in it is kept apart: layers see its status, and may add fields. */
  async function shown(name: string, visit: Shows): Promise<{ readonly reply: Reply; readonly error?: unknown }> {
    let failed: { readonly error: unknown; readonly status: number } | undefined;
    const around = layers.filter((one) => isAround(one, name, visit));
    if (around.length === 0) return { reply: Reply.of(await (await entryOf(name))(visit as never)) };
    let made: Reply | undefined;
    let stream: unknown;
    const show = async (): Promise<Response> => {
      try {
        made = Reply.of(await (await entryOf(name))(visit as never));
        const response = made.toResponse();
        stream = response.body;
        return response;
      } catch (error) {
        failed = { error, status: tellingOf(error).status };
        return new Response(null, { status: failed.status });
      }
    };
    const run = (index: number): Promise<Response> => (index === around.length ? show() : Promise.resolve(around[index]!.layer(visit as never, () => run(index + 1))));
    const { status, fields, body } = Reply.of(await run(0));
    // A text that the layers have left alone has a length that is known.
    const reply = new Reply(status, fields, made && body === stream ? made.body : body);
    return failed?.status === reply.status ? { reply, error: failed.error } : { reply };
  }

  /** Shows a page, and what there is in its place where that fails. */
  async function show(name: string, visit: Shows, stamp: Telling | undefined): Promise<Reply> {
    let error: unknown;
    let around: Fields = [];
    try {
      const { reply, ...failed } = await shown(name, visit);
      if (!("error" in failed)) return stamp ? reply.stamped(stamp.status, fieldsOf(stamp)) : reply;
      ({ error } = failed);
      // What is said of the body does not hold for another one.
      around = reply.fields.filter(([field]) => !/^(?:content-(?:encoding|length|type)|transfer-encoding)$/.test(field));
    } catch (failure) {
      error = failure;
    }
    const isMissing = error instanceof Missing;
    const telling = tellingOf(error);
    if (!isMissing && settings.failed) {
      const given = await settings.failed({ error, status: telling.status, asked: visit, page: name as PageName });
      if (given) return Reply.of(given).with(around);
    }
    const form = preferred(visit.field("accept"));
    const takesPage = showRefusals ? form !== "json" : isMissing;
    const at = visit.at as Somewhere & { readonly outcome: string };
    if (takesPage && !stamp && at.outcome === "page") {
      const missing = notFoundAt(at, telling.detail || undefined);
      const refusal = isMissing ? missing : { outcome: "failed" as const, status: telling.status, position: missing.position, reason: telling.detail || undefined };
      if (missing.page !== undefined) return (await show(missing.page, new Visiting(visit, refusal), telling)).with(around);
    }
    // A fallback that does not exist either has the status that it was to have.
    return told(isMissing && stamp ? { status: stamp.status } : telling, form, pathOf(visit.target)).with(around);
  }

  /** What is answered where the decision is no page. */
  function settle(decision: Exclude<Decision, { readonly outcome: "page" }>, now: Now, hangsOnVisitor: boolean): Reply | Promise<Reply> {
    const form = preferred(now.field("accept"));
    const takesPages = showRefusals && form !== "json";
    const { status } = decision;
    let telling: Telling = { status };
    let position: Position | undefined;
    switch (decision.outcome) {
      case "redirect": {
        const isForGood = status === 301 || status === 308;
        telling = { status, location: absolute(decision.location), cache: !isForGood ? undefined : hangsOnVisitor ? "no-store" : `max-age=${settings.keepRedirects ?? 3600}` };
        break;
      }
      case "not-found":
        if (decision.page !== undefined && (!showRefusals || takesPages)) return show(decision.page, new Visiting(now, decision), telling);
        telling = { status, detail: decision.reason };
        break;
      case "unmet": {
        const location = decision.location === undefined ? undefined : absolute(decision.location);
        telling = { status, location, detail: location === undefined ? `this page is for those who meet \`${decision.need}\`` : undefined, cache: "no-store" };
        ({ position } = decision);
        break;
      }
      case "wrong-method":
        ({ position } = decision);
        telling = { status, allow: decision.allow };
        break;
      case "options":
        telling = { status, allow: decision.allow };
        break;
      case "bad-request":
        telling = { status, detail: decision.reason };
        break;
      case "unavailable": {
        const { question } = decision;
        const detail = "need" in question ? `whether the visitor meets \`${question.need}\` cannot be told now` : `the list \`${question.list}\` cannot be asked now`;
        telling = { status, detail, retryAfter: decision.retryAfter, cache: "no-store" };
      }
    }
    if (status > 399 && status !== 404 && takesPages) {
      const { page } = notFoundAt(position);
      const refusal: Refusal = { outcome: decision.outcome as Refusal["outcome"], status, position, reason: telling.detail };
      if (page !== undefined) return show(page, new Visiting(now, refusal), telling);
    }
    return told(telling, form, pathOf(now.target));
  }

  function absolute(location: string): string {
    return settings.absoluteLocations && origin !== "" && location[0] === "/" ? origin + location : location;
  }

  async function decided(incoming: Incoming): Promise<Reply> {
    const { hosts, wantsHost, target, method } = incoming;
    const now = new Inquiry<State, Who>(incoming, settings);
    const isAbsolute = /^https?:/i.test(target);
    if (hosts.length > 1 || (hosts.length === 0 ? wantsHost && !isAbsolute : !isHost(hosts[0]!))) {
      const detail = "expected one `Host` field with a host, with or without a port";
      return told({ status: 400, detail }, preferred(now.field("accept")), pathOf(target));
    }
    let isAsked = false;
    const decision = await decideAsync(target, {
      method,
      host: now.host?.replace(/:\d*$/, ""),
      meets(need) {
        isAsked = true;
        const { meets } = settings;
        return meets ? inTime(now.who().then((who) => meets(who, need, now))) : false;
      },
      lists(list, value) {
        isAsked = true;
        const { lists } = settings;
        return lists ? inTime(Promise.resolve(now).then(() => lists(list, value, now))) : false;
      },
    });
    return decision.outcome === "page" ? show(decision.page, new Visiting<unknown, State, Who>(now, decision), undefined) : settle(decision, now, isAsked);
  }

  async function answer(incoming: Incoming): Promise<Reply> {
    let reply: Reply;
    try {
      reply = await decided(incoming);
    } catch {
      // What tells of failures has failed itself.
      reply = told({ status: 500, cache: "no-store" }, preferred(incoming.field("accept")), pathOf(incoming.target));
    }
    return incoming.method === "HEAD" ? reply.withoutBody() : reply;
  }

  return {
    answer,
    respond: async (request, connection = {}) => (await answer(new Standard(request, connection))).toResponse(),
  };
}

/** The path of a target. */
function pathOf(target: string): string {
  return target.replace(/^https?:\/\/[^/?#]*/i, "").replace(/[?#][^]*/, "") || "/";
}
