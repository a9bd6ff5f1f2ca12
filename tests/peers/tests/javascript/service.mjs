// What a server in JavaScript promises, a function for each sentence. `service.rs` names the one that is run.

import assert from "node:assert/strict";
import { once } from "node:events";
import { createServer, request as ask } from "node:http";
import { setTimeout as pause } from "node:timers/promises";
import { address, link, Missing as Shared } from "./routes/routes.js";
import { Failure, forwarded, html, json, listener, Missing, site } from "./routes/server.js";

const names = ["home", "sign-in", "talks", "talk", "nights", "night", "members", "member", "lost"];
/** A site whose other pages show their name. */
const siteOf = ({ pages, ...settings } = {}) => site({ ...settings, pages: { ...Object.fromEntries(names.map((name) => [name, () => name])), ...pages } });
const get = (own, path, options = {}) => own.respond(new Request(`http://larkfell.example${path}`, options));
const textAt = async (own, path, options) => (await get(own, path, options)).text();
const post = (body, type, more = {}) => ({ method: "POST", body, headers: { "content-type": type, ...more } });
const FORM = "application/x-www-form-urlencoded";

async function served(own, use) {
  const server = createServer(listener(own)).listen(0, "127.0.0.1");
  await once(server, "listening");
  try {
    return await use(`http://127.0.0.1:${server.address().port}`, server);
  } finally {
    server.closeAllConnections();
    server.close();
  }
}

const sentences = {
  async a_page_gives_text_a_stream_or_a_response() {
    const stream = () => new Blob(["stre", "am"]).stream();
    const own = siteOf({
      pages: {
        home: () => "text",
        talks: stream,
        nights: () => new Response("own", { status: 202, headers: [["x-own", "1"], ["set-cookie", "a=1"], ["set-cookie", "b=2"]] }),
        night: ({ params }) => json(params, { headers: { "x-own": "2" } }),
        talk: async () => html(stream(), { status: 203 }),
      },
    });
    const said = async (path) => {
      const response = await get(own, path);
      return [response.status, response.headers.get("content-type"), await response.text()];
    };
    assert.deepEqual(await said("/"), [200, "text/html; charset=utf-8", "text"]);
    assert.deepEqual(await said("/talks"), [200, "text/html; charset=utf-8", "stream"]);
    assert.deepEqual(await said("/talks/1999"), [203, "text/html; charset=utf-8", "stream"]);
    assert.deepEqual(await said("/nights/2031-04-02"), [200, "application/json", '{"date":"2031-04-02"}']);
    const response = await get(own, "/nights");
    assert.deepEqual([response.status, response.headers.get("x-own"), response.headers.getSetCookie()], [202, "1", ["a=1", "b=2"]]);
    // The same over the wire, where `HEAD` has no body and a text a length.
    await served(own, async (url) => {
      const nights = await fetch(`${url}/nights`);
      assert.deepEqual([nights.status, nights.headers.getSetCookie(), await nights.text()], [202, ["a=1", "b=2"], "own"]);
      const home = await fetch(url, { method: "HEAD" });
      assert.deepEqual([home.status, home.headers.get("content-length"), await home.text()], [200, "4", ""]);
      assert.equal(await (await fetch(`${url}/talks`)).text(), "stream");
    });
    // A method that a page does not answer, and those that each has.
    const options = await get(own, "/talks", { method: "OPTIONS" });
    assert.deepEqual([options.status, options.headers.get("allow")], [204, "GET, HEAD, OPTIONS, POST"]);
    assert.equal((await get(own, "/", { method: "PUT" })).status, 405);
  },

  async code_is_fetched_when_it_is_needed() {
    let fetched = 0;
    const own = siteOf({ pages: { home: { code: () => ((fetched += 1), import("./late.mjs")) }, talks: { code: () => Promise.reject(new Error("gone")) } } });
    assert.equal(await textAt(own, "/nights"), "nights");
    assert.equal(fetched, 0);
    assert.equal(await textAt(own, "/"), "late");
    assert.equal((await get(own, "/talks")).status, 500);
    // Code that server and browser share needs neither of their modules to say that there is no such record.
    const shared = siteOf({ pages: { home: () => Promise.reject(new Shared("none")), lost: ({ at }) => at.reason } });
    assert.equal(await textAt(shared, "/"), "none");
  },

  async layers_stand_around_all_some_and_a_subtree() {
    const seen = [];
    const layer = (name) => async (visit, next) => {
      seen.push(`${name} ${visit.at.route ?? visit.at.outcome}`);
      const response = await next();
      response.headers.set("x-layers", `${response.headers.get("x-layers") ?? ""}${name}`);
      return response;
    };
    const own = siteOf({
      layers: [{ layer: layer("a") }, { layer: layer("b"), pages: ["home", "lost"] }, { layer: layer("c"), below: "nights" }],
      pages: {
        night: () => {
          throw new Missing("no such night");
        },
      },
    });
    const layersOf = async (path) => (await get(own, path)).headers.get("x-layers");
    assert.equal(await layersOf("/"), "ba");
    assert.equal(await layersOf("/talks"), "a");
    assert.equal(await layersOf("/nights"), "ca");
    assert.deepEqual(seen.splice(0), ["a home", "b home", "a talks", "a nights", "c nights"]);
    // Around the page, which is not there after all, and around what is shown in its place.
    const missing = await get(own, "/nights/2031-04-02");
    assert.deepEqual([missing.status, missing.headers.get("x-layers")], [404, "cba"]);
    assert.deepEqual(seen, ["a nights.night", "c nights.night", "a not-found", "b not-found", "c not-found"]);
    // One that answers by itself, and one that fails.
    const closed = siteOf({ layers: [{ layer: () => new Response("closed", { status: 451 }) }] });
    assert.equal((await get(closed, "/")).status, 451);
    const broken = siteOf({ layers: [{ layer: () => Promise.reject(new Error("broken")) }] });
    assert.equal((await get(broken, "/")).status, 500);
  },

  async the_state_and_the_identity_are_made_once() {
    const asked = [];
    const own = siteOf({
      state: ({ target }) => (asked.push(`state ${target}`), { at: target }),
      identify: async ({ state }) => (asked.push(`who ${state.at}`), "ada"),
      meets: (who, need, { state }) => (asked.push(`${who} ${need} ${state.at}`), who === "ada"),
      lists: (list, value, { state }) => (asked.push(`${list} ${value} ${state.at}`), true),
      pages: {
        member: async (visit) => `${visit.state.at} ${visit.visitor} ${await visit.who()} ${await visit.who()}`,
        home: async (visit) => `${visit.visitor} ${await visit.who()} ${visit.visitor}`,
      },
    });
    assert.equal(await textAt(own, "/members/eve"), "/members/eve ada ada ada");
    assert.deepEqual(asked.splice(0).sort(), ["ada member /members/eve", "members eve /members/eve", "state /members/eve", "who /members/eve"]);
    // Nothing is looked up without need.
    assert.equal(await textAt(own, "/"), "undefined ada ada");
    assert.deepEqual(asked.splice(0), ["state /", "who /"]);
    // No state is made of a state that is nothing.
    let made = 0;
    const bare = siteOf({ state: () => void (made += 1), pages: { home: (visit) => `${visit.state} ${visit.state}` } });
    assert.equal(await textAt(bare, "/"), "undefined undefined");
    assert.equal(made, 1);
  },

  async questions_are_put_once_and_in_time() {
    const never = () => new Promise(() => undefined);
    const inTime = { answerWithin: 40, meets: () => true };
    const late = await get(siteOf({ ...inTime, lists: never }), "/members/eve");
    assert.deepEqual([late.status, late.headers.get("cache-control"), late.headers.get("retry-after")], [503, "no-store", null]);
    assert.equal((await get(siteOf({ ...inTime, identify: never }), "/members")).status, 503);
    const gone = () => Promise.reject(new Failure(503, "away", { retryAfter: 7 }));
    assert.equal((await get(siteOf({ lists: gone, meets: () => true }), "/members/eve")).headers.get("retry-after"), "7");
    assert.equal((await get(siteOf({ identify: gone, meets: () => true }), "/members")).headers.get("retry-after"), "7");
    const broken = () => {
      throw null;
    };
    assert.equal((await get(siteOf({ meets: broken }), "/members")).status, 503);
    assert.equal((await get(siteOf({ meets: () => true, lists: () => ({ retryAfter: 9 }) }), "/members/eve")).headers.get("retry-after"), "9");
    const alone = siteOf({ meets: (who) => who === undefined });
    assert.equal(await textAt(alone, "/members"), "members", "without `identify` there is nobody");
    // By default nobody meets a need, and nothing is listed.
    assert.equal((await get(siteOf(), "/members")).headers.get("location"), "/sign-in?return=%2Fmembers");
    assert.equal((await get(siteOf({ meets: () => true }), "/members/eve")).status, 404);
  },

  async one_function_sees_what_fails() {
    const seen = [];
    const wrong = [new Error("closed"), undefined, null, "text", new Failure(409, "taken"), new Failure(503, "away", { retryAfter: 30 }), AbortSignal.timeout(0), new Missing()];
    await pause(5);
    const own = siteOf({
      failed: ({ error, status, asked, page }) => void seen.push([error, status, asked.target, page]),
      pages: {
        nights: ({ params }) => {
          const error = wrong[params.page - 1];
          throw error instanceof AbortSignal ? error.reason : error;
        },
      },
    });
    const statuses = [];
    for (const [at] of wrong.entries()) statuses.push((await get(own, `/nights?page=${at + 1}`)).status);
    // The first has a page of its own, as 1 is the default and not written.
    assert.deepEqual(statuses, [308, 500, 500, 500, 409, 503, 503, 404]);
    assert.equal((await get(own, "/nights")).status, 500);
    assert.deepEqual(seen.map(([, status, target, page]) => [status, target, page]).at(-1), [500, "/nights", "nights"]);
    assert.equal(seen.length, 7, "what is missing has not failed");
    const away = await get(own, "/nights?page=6");
    assert.deepEqual([away.headers.get("retry-after"), await away.text()], ["30", "503 Service Unavailable\naway\n"]);
    // The text of any other error stays here.
    assert.equal(await textAt(own, "/nights"), "500 Internal Server Error\n");
    // It may answer itself, and fail itself.
    const replacing = siteOf({ failed: async () => html("sorry", { status: 502 }), pages: { home: () => Promise.reject(new Error("x")) } });
    assert.deepEqual([(await get(replacing, "/")).status, await textAt(replacing, "/")], [502, "sorry"]);
    const failing = siteOf({ failed: () => Promise.reject(new Error("y")), pages: { home: () => Promise.reject(new Error("x")) } });
    assert.equal((await get(failing, "/")).status, 500);
    // What is registered for nothing is a failure, too.
    assert.equal((await get(site({ pages: {} }), "/")).status, 500);
  },

  async a_failed_page_is_shown_by_the_fallback() {
    const lost = ({ at, frames, link }) => `${at.outcome} ${at.status} ${at.reason} ${frames} ${link("talks")}`;
    const talk = () => {
      throw new Failure(410, "it was taken away");
    };
    const own = siteOf({ showRefusals: true, meets: () => undefined, pages: { lost, talk } });
    const said = async (path, options) => {
      const response = await get(own, path, options);
      return [response.status, await response.text()];
    };
    assert.deepEqual(await said("/cy/talks/1999"), [410, "failed 410 it was taken away shell,with-list /cy/talks"]);
    assert.deepEqual(await said("/cy/talks/1000"), [404, "not-found 404 `year` of `talks.talk` refused `1000`: below the minimum 1987 shell,with-list /cy/talks"]);
    assert.deepEqual(await said("/nights/2031-04-02", { method: "PUT" }), [405, "wrong-method 405 undefined shell /talks"]);
    assert.deepEqual(await said("/members"), [503, "unavailable 503 whether the visitor meets `member` cannot be told now shell /talks"]);
    assert.deepEqual(await said("/%zz"), [400, "bad-request 400 expected two hexadecimal digits after `%` shell /talks"]);
    // Programs get problem details.
    const response = await get(own, "/cy/talks/1999", { headers: { accept: "application/json" } });
    assert.equal(response.headers.get("content-type"), "application/problem+json");
    assert.deepEqual(await response.json(), { type: "about:blank", title: "Gone", status: 410, detail: "it was taken away", instance: "/cy/talks/1999" });
  },

  async bodies_have_limits_and_types() {
    const own = siteOf({
      pages: {
        talks: async (visit) => {
          const form = await visit.form(200);
          return [...form].map(([name, value]) => `${name}=${typeof value === "string" ? value : `${value.name}:${value.size}`}`).join(" ");
        },
        nights: async (visit) => json(await visit.json(20)),
        "sign-in": async (visit) => (await visit.form(20), await visit.form(20), "twice"),
      },
    });
    const said = async (path, options) => {
      const response = await get(own, path, options);
      return [response.status, (await response.text()).split("\n").slice(-2)[0]];
    };
    assert.equal(await textAt(own, "/talks", post("a=%C3%B8+x&b=", FORM)), "a=ø x b=");
    const parts = new FormData();
    parts.append("title", "x");
    parts.append("plate", new Blob(["1234"]), "b.fits");
    const wide = siteOf({ pages: { talks: async (visit) => [...(await visit.form(9000))].map(([name, value]) => `${name} ${value.size ?? value}`).join(", ") } });
    assert.equal(await textAt(wide, "/talks", { method: "POST", body: parts }), "title x, plate 4");
    assert.equal((await get(own, "/talks", { method: "POST", body: parts })).status, 413);
    // Also where the length is not said.
    const endless = new ReadableStream({ pull: (controller) => controller.enqueue(new Uint8Array(64)) });
    assert.deepEqual(await said("/talks", { ...post(endless, FORM), duplex: "half" }), [413, "the body may have 200 bytes, and it has more"]);
    assert.deepEqual(await said("/talks", post("{}", "application/json")), [415, "expected a body of type `application/x-www-form-urlencoded`, found `application/json`"]);
    assert.equal((await get(own, "/talks", post("x", "multipart/form-data; boundary=y"))).status, 400);
    assert.equal((await get(own, "/talks", post("a=1", FORM, { "sec-fetch-site": "cross-site" }))).status, 403);
    assert.equal((await get(own, "/talks", post("a=1", FORM, { origin: "https://evil.example" }))).status, 403);
    assert.equal((await get(own, "/talks", post("a=1", FORM, { origin: "http://larkfell.example" }))).status, 200);
    assert.equal(await textAt(own, "/nights", post('{"a":1}', "application/x+json")), '{"a":1}');
    assert.equal((await get(own, "/nights", post("{", "application/json"))).status, 400);
    assert.equal((await get(own, "/nights", post(`"${"x".repeat(20)}"`, "application/json"))).status, 413);
    assert.equal((await get(own, "/sign-in", post("a=1", FORM))).status, 500);
  },

  async values_are_judged_by_the_table() {
    const own = siteOf({ pages: { nights: async (visit) => json(await visit.values("nights", 200)), talks: async (visit) => json(await visit.values("talks.talk", 200)) } });
    const said = async (path, body, type = FORM) => {
      const response = await get(own, path, post(body, type));
      return response.status === 200 ? response.json() : [response.status, (await response.text()).split("\n")[1]];
    };
    assert.deepEqual(await said("/nights", "page=7&band=b&band=v&button=go"), { page: 7, band: ["b", "v"] });
    // A field that nobody filled in is not there.
    assert.deepEqual(await said("/nights", "page="), { page: 1 });
    assert.deepEqual(await said("/nights", '{"page": 3, "band": ["v"]}', "application/json"), { page: 3, band: ["v"] });
    assert.deepEqual(await said("/nights", "page=0"), [422, "`page` of `nights` refused `0`: below the minimum 1"]);
    assert.equal((await said("/nights", "band=x"))[0], 422);
    assert.equal((await said("/nights", "[1]", "application/json"))[0], 422);
    assert.equal((await said("/nights", "__proto__=x&constructor=y&page=2")).page, 2);
    // What the page has itself holds, too.
    assert.deepEqual(await said("/cy/talks", "year=1999"), { lang: "cy", year: 1999 });
    assert.deepEqual(await said("/cy/talks", "lang=xx&year=1999"), [422, "`lang` of `talks.talk` refused `xx`: expected one of `en`, `cy`"]);
    assert.equal((await said("/talks", "nothing=1"))[0], 422);
    assert.equal((await said("/nights", "page=1", "text/plain"))[0], 415);
  },

  async only_our_proxies_are_believed() {
    const own = (isProxy) => siteOf({ ...(isProxy && { client: forwarded(isProxy) }), pages: { home: ({ client, host, scheme, isFromThisSite }) => [client, host, scheme, isFromThisSite].join(" ") } });
    const ours = own((address) => address === "::1" || address.startsWith("10."));
    const said = (site, headers, peer = "10.0.0.1") => site.respond(new Request("http://inner/", { headers: { origin: "https://larkfell.example", ...headers } }), { peer }).then((response) => response.text());
    const standard = { forwarded: 'for=1.2.3.4;host=evil.example, for="[2001:db8::7]:4711";host=larkfell.example;proto=https, for=10.0.0.2' };
    assert.equal(await said(ours, standard), "2001:db8::7 larkfell.example https true");
    // Not by somebody else, and not where no proxy is declared.
    assert.equal(await said(ours, standard, "9.9.9.9"), "9.9.9.9 inner http false");
    assert.equal(await said(own(undefined), standard), "10.0.0.1 inner http false");
    const older = { "x-forwarded-for": "6.6.6.6, 1.2.3.4, 10.0.0.2", "x-forwarded-host": "larkfell.example", "x-forwarded-proto": "https" };
    assert.equal(await said(ours, older), "1.2.3.4 larkfell.example https true");
    assert.equal(await said(ours, { "x-forwarded-proto": "https" }), "10.0.0.1 inner https false");
    assert.equal(await said(ours, { "x-forwarded-host": "a/b", "x-forwarded-proto": "gopher", "x-forwarded-for": "" }), "10.0.0.1 inner http false");
    assert.equal(await said(ours, { forwarded: "for=unknown;;;=,\"" }, "::1"), "::1 inner http false");
    assert.equal(await said(ours, { forwarded: 'for=1.2.3.4;host="x, for=6.6.6.6"' }), "1.2.3.4 inner http false");
  },

  async links_inherit_language_and_way_back() {
    const own = siteOf({
      pages: {
        talks: ({ link }) => `${link("talks.talk", { year: 1999 })} ${link("talks", { lang: null })} ${link("sign-in", {}, { back: "here" })}`,
        talk: (visit) => `${visit.link("talks")} ${visit.frames} ${address(visit.at)}`,
        lost: ({ link }) => link("talks"),
        "sign-in": async (visit) => (visit.method === "POST" ? visit.seeOther(visit.link("talks", { lang: "cy" })) : visit.comeBack("/")),
      },
    });
    assert.equal(await textAt(own, "/cy/talks"), "/cy/talks/1999 /talks /sign-in?return=%2Fcy%2Ftalks");
    assert.equal(await textAt(own, "/cy/talks/1999"), "/cy/talks shell,with-list /cy/talks/1999");
    assert.equal(await textAt(own, "/cy/talks/nothing"), "/cy/talks");
    const response = await get(own, "/sign-in", post("", FORM));
    assert.deepEqual([response.status, response.headers.get("location")], [303, "/cy/talks"]);
  },

  async nobody_is_led_astray() {
    const own = siteOf({ pages: { "sign-in": (visit) => visit.comeBack("/nights") } });
    const leads = async (wanted) => (await get(own, link("sign-in", { return: wanted }))).headers.get("location");
    for (const wanted of ["//evil.example", "https://evil.example/", "/\\evil.example", "\\/evil.example", "/\t/evil.example", "javascript:alert(1)", "/sign-in", "/sign-in?return=/", "/nothing", "", "nights"]) {
      assert.equal(await leads(wanted), "/nights", wanted);
    }
    for (const wanted of ["/members", "/members/eve", "/cy/talks?x=1"]) assert.equal(await leads(wanted), wanted);
    // A redirect names the origin that the table declares, never that of the request.
    const absolute = siteOf({ absoluteLocations: true });
    assert.equal((await absolute.respond(new Request("http://evil.example/nights/?x=1"))).headers.get("location"), "https://larkfell.example/nights?x=1");
    // What a table writes into a field holds no line break.
    assert.equal((await get(absolute, "/members%0d%0ax:1")).status, 400);
  },

  async what_is_sent_over_is_harmless() {
    const data = { html: "</script><!--<script>&\u2028\u2029", ["__proto__"]: 1, list: [1, null] };
    const own = siteOf({ pages: { talk: (visit) => visit.sent(data), lost: (visit) => visit.sent() } });
    const [, open, text, close] = /^(<script [^>]*>)(.*)(<\/script>)$/s.exec(await textAt(own, "/cy/talks/1999?x=</script>"));
    assert.equal(open, '<script type="application/json" id="lane-page">');
    assert.equal(close, "</script>");
    assert.ok(!/[<>&\u2028\u2029]/.test(text), text);
    const { data: read, ...decided } = JSON.parse(text);
    assert.deepEqual(JSON.stringify(read), JSON.stringify(data));
    assert.deepEqual(decided, { outcome: "page", status: 200, page: "talk", address: "/cy/talks/1999?x=%3C/script%3E", route: "talks.talk" });
    const lost = JSON.parse(/>(.*)</s.exec(await textAt(own, "/cy/talks/x"))[1]);
    assert.deepEqual([lost.outcome, lost.route, lost.page, lost.status], ["not-found", "talks", "lost", 404]);
  },

  async streams_go_both_ways() {
    // Each part of the answer comes once a part of the request is there.
    const echo = (visit) => new Response(visit.request.body.pipeThrough(new TransformStream({ transform: (chunk, out) => out.enqueue(new TextEncoder().encode(`<${new TextDecoder().decode(chunk)}>`)) })));
    let read = 0;
    const slow = async (visit) => {
      const reader = visit.request.body.getReader();
      for (;;) {
        const { done, value } = await reader.read();
        if (done) return String(read);
        read += value.length;
        if (read < 200_000) await pause(20);
      }
    };
    const broken = () => new Response(new ReadableStream({ pull: (out) => (out.enqueue(new Uint8Array(10)), out.error(new Error("broken"))) }));
    await served(siteOf({ pages: { talks: echo, nights: slow, home: broken } }), async (url) => {
      const sent = ask(`${url}/talks`, { method: "POST" });
      sent.write("one");
      const [response] = await once(sent, "response");
      assert.equal(String((await once(response, "data"))[0]), "<one>");
      sent.write("two");
      assert.equal(String((await once(response, "data"))[0]), "<two>");
      sent.end();
      await once(response, "end");
      // A body is taken no faster than it is read: most of it waits at the sender.
      const large = ask(`${url}/nights`, { method: "POST" });
      const chunk = Buffer.alloc(1 << 20);
      let accepted = 0;
      for (let at = 0; at < 64; at += 1) large.write(chunk, () => (accepted += 1));
      await pause(60);
      assert.ok(accepted < 32, `${accepted} of 64 parts were taken`);
      large.end();
      const [answer] = await once(large, "response");
      assert.equal(String(Buffer.concat(await answer.toArray())), String(64 << 20));
      await assert.rejects(fetch(url).then((response) => response.text()));
    });
  },

  async whoever_hangs_up_ends_the_page() {
    const ended = [];
    const waits = async (visit) => {
      await new Promise((done) => visit.signal.addEventListener("abort", done));
      ended.push("signal");
      return "too late";
    };
    const endless = () => new ReadableStream({ pull: (out) => pause(5).then(() => out.enqueue(new Uint8Array(10))), cancel: () => void ended.push("stream") });
    const reads = (visit) => visit.request.text().catch(() => void ended.push("body")).then(() => "");
    await served(siteOf({ pages: { talks: waits, nights: endless, "sign-in": reads } }), async (url) => {
      for (const path of ["/talks", "/nights", "/sign-in"]) {
        const sent = ask(url + path, path === "/sign-in" ? { method: "POST", headers: { "content-length": "100" } } : {}).on("error", () => undefined);
        path === "/sign-in" ? sent.write("x") : sent.end();
        if (path === "/nights") await once(sent, "response");
        await pause(50);
        sent.destroy();
        for (let tries = 0; tries < 100 && ended.length === 0; tries += 1) await pause(10);
        assert.deepEqual(ended.splice(0), [{ "/talks": "signal", "/nights": "stream", "/sign-in": "body" }[path]]);
      }
      // The server goes on.
      assert.equal(await (await fetch(`${url}/`)).text(), "home");
    });
    // `HEAD` reads nothing of a stream.
    const head = await get(siteOf({ pages: { nights: endless } }), "/nights", { method: "HEAD" });
    assert.deepEqual([head.status, head.body, ended], [200, null, ["stream"]]);
  },

  async tables_are_exchanged_while_requests_run() {
    const COUNT = Number(process.env.EXCHANGES ?? 20_000);
    const tables = [siteOf({ pages: { home: () => pause(1).then(() => "one") } }), siteOf({ pages: { home: () => "two" } })];
    let now = tables[0];
    await served(() => now, async (url) => {
      const { port } = new URL(url);
      const { Agent } = await import("node:http");
      const agent = new Agent({ keepAlive: true, maxSockets: 16 });
      const one = (path) =>
        new Promise((done, failed) => {
          const sent = ask({ port, path, agent }, (response) => {
            response.setEncoding("utf8");
            let text = "";
            response.on("data", (chunk) => (text += chunk)).on("end", () => done(`${response.statusCode} ${text}`));
          });
          sent.on("error", failed).end();
        });
      const expected = { "/": ["200 one", "200 two"], "/nights/2031-04-02": ["200 night"], "/nothing": ["404 lost"], "/nights/": ["308 308 Permanent Redirect\n/nights\n"] };
      const paths = Object.keys(expected);
      const round = async (count) => {
        let left = count;
        const worker = async () => {
          for (; left > 0; left -= 1) {
            if (left % 50 === 0) now = tables[(left / 50) % 2];
            const path = paths[left % paths.length];
            const said = await one(path);
            assert.ok(expected[path].includes(said), `${path}: ${said}`);
          }
        };
        await Promise.all(Array.from({ length: 16 }, worker));
        globalThis.gc?.();
        return process.memoryUsage().heapUsed / 1e6;
      };
      await round(COUNT / 10);
      const before = await round(COUNT / 10);
      const after = await round(COUNT);
      assert.ok(after < before + 8, `${before.toFixed(1)} MB before, ${after.toFixed(1)} MB after`);
      agent.destroy();
    });
  },
};

await sentences[process.argv[2]]();
console.log("held");
process.exit();
