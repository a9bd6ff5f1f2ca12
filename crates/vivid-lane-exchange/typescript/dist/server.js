// A server over the routes of a table: a request in, the page or another answer out.
// Made by `vivid-lane convert --to typescript --server`; it is the same for every table.

import { LinkError, Missing, decide, decideAsync, frames, levels, link, linkFrom, match, notFoundAt, place, returnAddressAsync, valuesFor } from "./routes.js";
export class Failure extends Error {
    constructor(status, detail, { retryAfter, cause } = {}) {
        super(detail);
        this.name = "Failure";
        this.status = status;
        this.retryAfter = retryAfter;
        if (cause !== undefined)
            Object.defineProperty(this, "cause", { value: cause });
    }
}
export { Missing };
export class Standard {
    constructor(request, { peer }) {
        const { url } = request;
        const start = url.indexOf("/", 8);
        const end = url.indexOf("#", start);
        this.request = request;
        this.target = url.slice(start, end < 0 ? undefined : end);
        this.hosts = [url.slice(url.indexOf("//") + 2, start)];
        this.wantsHost = false;
        this.scheme = url.slice(0, url.indexOf(":"));
        this.peer = peer;
    }
    get method() {
        return this.request.method;
    }
    get body() {
        return this.request.body;
    }
    get signal() {
        return this.request.signal;
    }
    field(name) {
        return this.request.headers.get(name) ?? undefined;
    }
}
export function isHost(text) {
    return /^[\w\-.~!$&'()*+,;=]*(?::\d*)?$|^\[[0-9A-Fa-f:.]+\](?::\d*)?$/.test(text);
}
export function connected({ peer, scheme, hosts: [host] }) {
    return { client: peer, host, scheme };
}
export function forwarded(isProxy) {
    return (incoming) => {
        const { peer } = incoming;
        const own = connected(incoming);
        if (peer === undefined || !isProxy(peer))
            return own;
        const list = (name) => incoming.field(name)?.split(",").map((one) => one.trim()) ?? [];
        const hops = (incoming.field("forwarded")?.match(/(?:"(?:[^"\\]|\\.?)*(?:"|$)|[^",])+/g) ?? []).map((hop) => {
            const said = (name) => {
                const found = new RegExp(`(?:^|;)\\s*${name}=(?:"((?:[^"\\\\]|\\\\.)*)"|([^;\\s]*))`, "i").exec(hop);
                return found ? (found[2] ?? found[1].replace(/\\(.)/g, "$1")) : undefined;
            };
            return { client: said("for"), host: said("host"), scheme: said("proto") };
        });
        if (hops.length === 0) {
            const [clients, hosts, schemes] = ["for", "host", "proto"].map((what) => list("x-forwarded-" + what));
            const at = (all, back) => all[all.length - back];
            for (let back = clients.length; back > 0; back -= 1)
                hops.push({ client: at(clients, back), host: at(hosts, back), scheme: at(schemes, back) });
            if (clients.length === 0)
                hops.push({ client: undefined, host: at(hosts, 1), scheme: at(schemes, 1) });
        }
        let known = own;
        for (const hop of hops.reverse()) {
            const client = hop.client?.replace(/^\[(.*)\](?::\d+)?$|^([\d.]+):\d+$/, "$1$2");
            known = { client: client || known.client, host: hop.host !== undefined && isHost(hop.host) ? hop.host : known.host, scheme: hop.scheme && /^https?$/i.test(hop.scheme) ? hop.scheme.toLowerCase() : known.scheme };
            if (client === undefined || !isProxy(client))
                break;
        }
        return known;
    };
}
const encoder = /* @__PURE__ */ new TextEncoder();
export class Reply {
    constructor(status, fields, body, response) {
        this.status = status;
        this.fields = fields;
        this.body = body;
        this.response = response;
    }
    static of(shown) {
        if (typeof shown === "string" || shown instanceof ReadableStream)
            return html(shown);
        return shown instanceof Reply ? shown : new Reply(shown.status, [...shown.headers], shown.body, shown);
    }
    toResponse() {
        const { status, fields, body } = this;
        return this.response ?? new Response(hasNoBody(status) ? null : body, { status, headers: fields });
    }
    stamped(status, fields) {
        const names = new Set(fields.map(([name]) => name));
        return new Reply(status, [...this.fields.filter(([name]) => !names.has(name.toLowerCase())), ...fields], this.body);
    }
    with(fields) {
        const names = new Set(this.fields.map(([name]) => name.toLowerCase()));
        return new Reply(this.status, [...this.fields, ...fields.filter(([name]) => !names.has(name))], this.body);
    }
    withoutBody() {
        const { status, fields, body } = this;
        if (body instanceof ReadableStream)
            body.cancel().catch(() => undefined);
        const length = typeof body === "string" ? encoder.encode(body).length : 0;
        return new Reply(status, fields, null).with(length > 0 ? [["content-length", String(length)]] : []);
    }
}
export function hasNoBody(status) {
    return status === 204 || status === 304 || status === 205;
}
function reply(type, body, options) {
    if (!options)
        return new Reply(200, [["content-type", type]], body);
    const { status = 200, headers = {} } = options;
    return new Reply(status, [["content-type", type], ...(Array.isArray(headers) ? headers : Object.entries(headers))], body);
}
export function html(body, options) {
    return reply("text/html; charset=utf-8", body, options);
}
export function json(value, options) {
    return reply("application/json", JSON.stringify(value), options);
}
const FORMS = [
    ["plain", "text/plain"],
    ["html", "text/html", "application/xhtml+xml"],
    ["json", "application/problem+json", "application/json"],
];
export function preferred(accepted = "") {
    const ranges = new Map();
    for (const range of /^[\t -~]*$/.test(accepted) ? accepted.split(",") : []) {
        const [media = "", ...parts] = range.split(";").map((part) => part.trim());
        const quality = parts.find((part) => /^q=/i.test(part))?.slice(2) ?? "1";
        const name = media.toLowerCase();
        if (name.includes("/") && !ranges.has(name) && /^(?:0(?:\.\d{0,3})?|1(?:\.0{0,3})?)$/.test(quality))
            ranges.set(name, +quality);
    }
    let best = [0, "plain"];
    for (const [form, ...types] of FORMS) {
        const weight = Math.max(...types.map((type) => ranges.get(type) ?? ranges.get(type.replace(/\/.*/, "/*")) ?? ranges.get("*/*") ?? 0));
        if (weight > best[0])
            best = [weight, form];
    }
    return best[1];
}
const escaped = (text) => text.replace(/[&<>"']/g, (one) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" })[one]);
const TITLES = {
    3: "Multiple Choices|Moved Permanently|Found|See Other|Not Modified|Use Proxy||Temporary Redirect|Permanent Redirect",
    4: "Bad Request|Unauthorized|Payment Required|Forbidden|Not Found|Method Not Allowed|Not Acceptable|Proxy Authentication Required|Request Timeout|Conflict|Gone|Length Required|Precondition Failed|Payload Too Large|URI Too Long|Unsupported Media Type|Range Not Satisfiable|Expectation Failed|I'm a teapot|||Misdirected Request|Unprocessable Entity|Locked|Failed Dependency|Too Early|Upgrade Required||Precondition Required|Too Many Requests||Request Header Fields Too Large",
    5: "Internal Server Error|Not Implemented|Bad Gateway|Service Unavailable|Gateway Timeout|HTTP Version Not Supported|Variant Also Negotiates|Insufficient Storage|Loop Detected||Not Extended|Network Authentication Required",
};
const titleOf = (status) => TITLES[Math.floor(status / 100)]?.split("|")[status % 100] || "Error";
export function fieldsOf({ location, allow, retryAfter, cache }) {
    const fields = [
        ["location", location],
        ["allow", allow?.join(", ")],
        ["retry-after", retryAfter === undefined ? undefined : String(retryAfter)],
        ["cache-control", cache],
    ];
    return fields.filter((field) => field[1] !== undefined);
}
export function replyTo(details, form, path) {
    const { status, detail, location } = details;
    const fields = fieldsOf(details);
    if (status === 204)
        return new Reply(status, fields, null);
    const title = titleOf(status);
    let body;
    if (form === "json") {
        body = JSON.stringify({ type: "about:blank", title, status, detail: detail || undefined, instance: path, location });
    }
    else if (form === "html") {
        const link = location && escaped(location);
        body = `<!DOCTYPE html>\n<html lang="en">\n<meta charset="utf-8">\n<title>${status} ${title}</title>\n<h1>${title}</h1>\n`;
        if (detail)
            body += `<p>${escaped(detail)}</p>\n`;
        if (link)
            body += `<p><a href="${link}">${link}</a></p>\n`;
        body += "</html>\n";
    }
    else {
        body = [`${status} ${title}`, location, detail].filter(Boolean).join("\n") + "\n";
    }
    const type = { plain: "text/plain; charset=utf-8", html: "text/html; charset=utf-8", json: "application/problem+json" }[form];
    return new Reply(status, [["content-type", type], ["vary", "Accept"], ...fields], body);
}
function isPromise(value) {
    return typeof value?.then === "function";
}
function goOn(make, next, failed) {
    let made;
    try {
        made = make();
        if (!isPromise(made))
            return next(made);
    }
    catch (error) {
        return failed(error);
    }
    return made.then(next).catch(failed);
}
const SENT = "lane-page";
class Visiting {
    constructor(incoming, settings, found = {}) {
        this.at = undefined;
        this.incoming = incoming;
        this.settings = settings;
        this.found = found;
    }
    with(at) {
        const { incoming, settings, found } = this;
        const other = new Visiting(incoming, settings, found);
        other.at = at;
        return other;
    }
    get state() {
        var _a;
        return ((_a = this.found).state ?? (_a.state = { made: this.settings.state?.(this) })).made;
    }
    get method() {
        return this.incoming.method;
    }
    get target() {
        return this.incoming.target;
    }
    get whence() {
        var _a;
        return ((_a = this.found).client ?? (_a.client = (this.settings.client ?? connected)(this.incoming)));
    }
    get host() {
        return this.whence.host;
    }
    get scheme() {
        return this.whence.scheme;
    }
    get client() {
        return this.whence.client;
    }
    get request() {
        return this.incoming.request;
    }
    get signal() {
        return this.incoming.signal;
    }
    field(name) {
        return this.incoming.field(name);
    }
    who() {
        const { found, settings } = this;
        return (found.who ?? (found.who = Promise.resolve(this)
            .then(settings.identify ?? (() => undefined))
            .then((who) => (found.known = who))));
    }
    get isFromThisSite() {
        const site = this.field("sec-fetch-site");
        if (site !== undefined)
            return site === "same-origin" || site === "none";
        const origin = this.field("origin");
        return origin === undefined || (origin.includes("://") && origin.slice(origin.indexOf("://") + 3) === this.host);
    }
    get position() {
        const at = this.at;
        return at.route === undefined ? at.position : at;
    }
    get params() {
        return this.position?.params ?? {};
    }
    get frames() {
        return frames(this.at);
    }
    get visitor() {
        return this.found.known;
    }
    get link() {
        const { position } = this;
        return ((name, ...given) => (position ? linkFrom(position, name, ...given) : link(name, ...given)));
    }
    seeOther(url) {
        return new Reply(303, [["location", url]], null);
    }
    async comeBack(otherwise) {
        const wanted = this.params["return"];
        const everyone = { meets: () => true, lists: () => true };
        const address = await returnAddressAsync(typeof wanted === "string" ? wanted : undefined, otherwise, { ...everyone, host: this.host });
        return this.seeOther(match(address)?.route === this.position?.route ? otherwise : address);
    }
    sent(data) {
        const { params, position, ...decided } = this.at;
        if (decided["outcome"] === "failed")
            return "";
        const text = JSON.stringify({ ...decided, address: this.target, route: this.position?.route, data });
        return `<script type="application/json" id="${SENT}">${text.replace(/[<>&\u2028\u2029]/g, (one) => "\\u" + one.charCodeAt(0).toString(16).padStart(4, "0"))}</script>`;
    }
    async read(limit, wanted, fits) {
        const type = (this.field("content-type") ?? "").split(";")[0].trim().toLowerCase();
        if (type !== wanted && !fits(type))
            throw new Failure(415, `expected a body of type \`${wanted}\`, found ${type === "" ? "no type" : `\`${type}\``}`);
        if (this.found.isRead)
            throw new Error("the body was read already");
        this.found.isRead = true;
        const chunks = [];
        const { body } = this.incoming;
        let length = 0;
        if (body) {
            const reader = body.getReader();
            for (;;) {
                const { done, value } = await reader.read();
                if (done)
                    break;
                length += value.byteLength;
                if (length > limit) {
                    void reader.cancel().catch(() => undefined);
                    throw new Failure(413, `the body may have ${limit} bytes, and it has more`);
                }
                chunks.push(value);
            }
        }
        return new Response(new Blob(chunks), { headers: { "content-type": this.field("content-type") } });
    }
    async form(limit) {
        if (!this.isFromThisSite)
            throw new Failure(403, "the form was sent by another site");
        const body = await this.read(limit, "application/x-www-form-urlencoded", (type) => type === "multipart/form-data");
        return body.formData().catch((cause) => {
            throw new Failure(400, "the body is not a form", { cause });
        });
    }
    async json(limit) {
        const body = await this.read(limit, "application/json", (type) => type.endsWith("+json"));
        const text = await body.text();
        try {
            return JSON.parse(text);
        }
        catch (cause) {
            throw new Failure(400, `the body is not JSON: ${cause.message}`, { cause });
        }
    }
    async values(name, limit) {
        const isJson = /^[^;]*json\s*(?:;|$)/i.test(this.field("content-type") ?? "");
        const sent = isJson ? await this.json(limit) : await this.form(limit);
        if (typeof sent !== "object" || sent === null || Array.isArray(sent))
            throw new Failure(422, "expected an object");
        const fields = sent instanceof FormData ? [...sent] : Object.entries(sent);
        const names = new Set(fields.map(([field]) => field));
        const own = Object.entries(this.params).filter(([field]) => !names.has(field));
        try {
            return valuesFor(name, [...own, ...fields]);
        }
        catch (cause) {
            throw cause instanceof LinkError && cause.param !== undefined ? new Failure(422, cause.message, { cause }) : cause;
        }
    }
}
function detailsOf(error) {
    if (error instanceof Failure) {
        const { status, message, retryAfter } = error;
        return { status, detail: message, retryAfter, cache: status > 499 ? "no-store" : undefined };
    }
    if (error instanceof Missing)
        return { status: 404, detail: error.message };
    return { status: error?.name === "TimeoutError" ? 503 : 500, cache: "no-store" };
}
export function site(settings) {
    const { pages, layers = [], showRefusals = false, answerWithin = 5000 } = settings;
    const { origin } = place();
    function inTime(asking) {
        return new Promise((done) => {
            const late = setTimeout(done, answerWithin, undefined);
            const failed = (error) => (error instanceof Failure && error.retryAfter !== undefined ? { retryAfter: error.retryAfter } : undefined);
            void asking.catch(failed).then((answer) => (clearTimeout(late), done(answer)));
        });
    }
    function call(name, visit) {
        const entry = pages[name];
        if (!entry)
            throw new Error(`nothing is registered for \`${name}\``);
        return typeof entry === "function" ? entry(visit) : entry.code().then(({ default: show }) => show(visit));
    }
    function isAround({ pages: names, below }, name, visit) {
        if (names && !names.includes(name))
            return false;
        if (below === undefined)
            return true;
        const { position } = visit;
        return position !== undefined && levels(position).some(({ route }) => route === below);
    }
    async function within(around, name, visit) {
        let failed;
        let made;
        let stream;
        const show = async () => {
            try {
                made = Reply.of(await call(name, visit));
                const response = made.toResponse();
                stream = response.body;
                return response;
            }
            catch (error) {
                failed = { error, status: detailsOf(error).status };
                return new Response(null, { status: failed.status });
            }
        };
        const run = async (index) => (index === around.length ? show() : around[index].layer(visit, () => run(index + 1)));
        const { status, fields, body } = Reply.of(await run(0));
        const reply = new Reply(status, fields, made && body === stream ? made.body : body);
        return failed?.status === reply.status ? { reply, error: failed.error } : { reply };
    }
    const stamped = (reply, stamp) => (stamp ? reply.stamped(stamp.status, fieldsOf(stamp)) : reply);
    function show(name, visit, stamp) {
        const around = layers.length > 0 ? layers.filter((one) => isAround(one, name, visit)) : layers;
        const failed = (error) => recovered(error, [], name, visit, stamp);
        if (around.length === 0)
            return goOn(() => call(name, visit), (shown) => stamped(Reply.of(shown), stamp), failed);
        return goOn(() => within(around, name, visit), ({ reply, ...more }) => {
            if (!("error" in more))
                return stamped(reply, stamp);
            const fields = reply.fields.filter(([field]) => !/^(?:content-(?:encoding|length|type)|transfer-encoding)$/.test(field));
            return recovered(more.error, fields, name, visit, stamp);
        }, failed);
    }
    async function recovered(error, around, name, visit, stamp) {
        const isMissing = error instanceof Missing;
        const details = detailsOf(error);
        if (!isMissing && settings.failed) {
            const given = await settings.failed({ error, status: details.status, asked: visit, page: name });
            if (given)
                return Reply.of(given).with(around);
        }
        const form = preferred(visit.field("accept"));
        const takesPage = showRefusals ? form !== "json" : isMissing;
        const at = visit.at;
        if (takesPage && !stamp && at.outcome === "page") {
            const missing = notFoundAt(at, details.detail || undefined);
            const refusal = isMissing ? missing : { outcome: "failed", status: details.status, position: missing.position, reason: details.detail || undefined };
            if (missing.page !== undefined)
                return (await show(missing.page, visit.with(refusal), details)).with(around);
        }
        return stamped(replyTo(stamp ? { status: stamp.status } : details, form, pathOf(visit.target)), stamp).with(around);
    }
    function settle(decision, now, hangsOnVisitor) {
        now.at = decision;
        if (decision.outcome === "page")
            return show(decision.page, now);
        const form = preferred(now.field("accept"));
        const takesPages = showRefusals && form !== "json";
        const { status } = decision;
        let details = { status };
        let position;
        switch (decision.outcome) {
            case "redirect": {
                const isForGood = status === 301 || status === 308;
                details = { status, location: absolute(decision.location), cache: !isForGood ? undefined : hangsOnVisitor ? "no-store" : `max-age=${settings.keepRedirects ?? 3600}` };
                break;
            }
            case "not-found":
                if (decision.page !== undefined && (!showRefusals || takesPages))
                    return show(decision.page, now.with(decision), details);
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
            const refusal = { outcome: decision.outcome, status, position, reason: details.detail };
            if (page !== undefined)
                return show(page, now.with(refusal), details);
        }
        return replyTo(details, form, pathOf(now.target));
    }
    function absolute(location) {
        return settings.absoluteLocations && origin !== "" && location[0] === "/" ? origin + location : location;
    }
    function decided(incoming) {
        const { hosts, wantsHost, target, method } = incoming;
        const now = new Visiting(incoming, settings);
        if (hosts.length > 1 || (hosts.length === 0 ? wantsHost && !/^https?:/i.test(target) : !isHost(hosts[0]))) {
            const detail = "expected one `Host` field with a host, with or without a port";
            return replyTo({ status: 400, detail }, preferred(now.field("accept")), pathOf(target));
        }
        const named = settings.client ? now.host : hosts[0];
        const host = named?.includes(":") ? named.replace(/:\d*$/, "") : named;
        let isAsked = false;
        const open = () => void (isAsked = true);
        const decision = decide(target, { method, host, meets: open, lists: open });
        if (!isAsked)
            return settle(decision, now, false);
        const { meets, lists } = settings;
        const asks = {
            meets: meets && ((need) => inTime(now.who().then((who) => meets(who, need, now)))),
            lists: lists && ((list, value) => inTime(Promise.resolve(now).then(() => lists(list, value, now)))),
        };
        return decideAsync(target, { method, host, ...asks }).then((decision) => settle(decision, now, true));
    }
    function answer(incoming) {
        const finished = (reply) => (incoming.method === "HEAD" ? reply.withoutBody() : reply);
        const sorry = () => finished(replyTo({ status: 500, cache: "no-store" }, preferred(incoming.field("accept")), pathOf(incoming.target)));
        return goOn(() => decided(incoming), finished, sorry);
    }
    return { answer, respond: async (request, connection = {}) => (await answer(new Standard(request, connection))).toResponse() };
}
function pathOf(target) {
    return target.replace(/^https?:\/\/[^/?#]*/i, "").replace(/[?#][^]*/, "") || "/";
}
class FromNode {
    constructor(asked, response) {
        const { url = "/", rawHeaders } = asked;
        this.asked = asked;
        this.response = response;
        this.target = /[\x80-\xff]/.test(url) ? new TextDecoder().decode(Uint8Array.from(url, (one) => one.charCodeAt(0))) : url;
        const hosts = [];
        for (let at = 0; at < rawHeaders.length; at += 2) {
            if (rawHeaders[at].length === 4 && rawHeaders[at].toLowerCase() === "host")
                hosts.push(rawHeaders[at + 1]);
        }
        this.hosts = hosts;
        this.whole = this.stream = this.ending = undefined;
    }
    get method() {
        return this.asked.method ?? "GET";
    }
    get wantsHost() {
        return this.asked.httpVersion === "1.1";
    }
    get scheme() {
        return "encrypted" in this.asked.socket ? "https" : "http";
    }
    get peer() {
        return this.asked.socket.remoteAddress?.replace(/^::ffff:(?=\d+\.)/, "");
    }
    field(name) {
        const value = this.asked.headers[name.toLowerCase()];
        return Array.isArray(value) ? value.join(", ") : value;
    }
    get signal() {
        if (!this.ending) {
            const { response } = this;
            const ending = (this.ending = new AbortController());
            const end = () => void (response.writableFinished || ending.abort());
            if (response.destroyed)
                end();
            else
                response.on("close", end);
        }
        return this.ending.signal;
    }
    get body() {
        if (this.stream === undefined)
            this.stream = this.field("content-length") === undefined && this.field("transfer-encoding") === undefined ? null : streamOf(this.asked);
        return this.stream;
    }
    get request() {
        if (!this.whole) {
            const { method, target, body, signal } = this;
            const { rawHeaders } = this.asked;
            const headers = rawHeaders.flatMap((name, at) => (at % 2 === 0 ? [[name, rawHeaders[at + 1]]] : []));
            const hasBody = body !== null && method !== "GET" && method !== "HEAD";
            const url = /^https?:/i.test(target) ? target : `${this.scheme}://${this.hosts[0] || "localhost"}${target === "*" ? "/" : target}`;
            this.whole = new Request(url, { method, headers, signal, ...(hasBody ? { body, duplex: "half" } : {}) });
        }
        return this.whole;
    }
}
function streamOf(asked) {
    let isOver = false;
    return new ReadableStream({
        start(controller) {
            const end = (close) => () => {
                if (!isOver)
                    close();
                isOver = true;
            };
            asked.on("data", (chunk) => {
                if (isOver)
                    return;
                controller.enqueue(new Uint8Array(chunk));
                if ((controller.desiredSize ?? 0) <= 0)
                    asked.pause();
            });
            asked.on("end", end(() => controller.close()));
            const broken = (error) => end(() => controller.error(error ?? new Error("the request was broken off")))();
            asked.on("error", broken);
            asked.on("close", () => asked.complete || broken());
            asked.pause();
        },
        pull: () => void asked.resume(),
        cancel() {
            isOver = true;
            asked.resume();
        },
    });
}
function send({ status, fields, body }, response) {
    response.statusCode = status;
    const cookies = [];
    for (const [name, value] of fields) {
        if (name.toLowerCase() === "set-cookie")
            cookies.push(value);
        else
            response.setHeader(name, value);
    }
    if (cookies.length > 0)
        response.setHeader("set-cookie", cookies);
    if (hasNoBody(status) || body === null)
        response.end();
    else if (typeof body === "string")
        response.end(body);
    else
        void stream(body, response).catch((error) => response.destroy(error));
}
async function stream(body, response) {
    const reader = body.getReader();
    response.on("close", () => response.writableFinished || reader.cancel().catch(() => undefined));
    for (;;) {
        const { done, value } = await reader.read();
        if (done || response.destroyed)
            break;
        if (!response.write(value))
            await new Promise((go) => [response.once("drain", go), response.once("close", go)]);
    }
    response.end();
}
export function listener(site) {
    return (request, response) => {
        const now = typeof site === "function" ? site() : site;
        const broken = (error) => void response.destroy(error);
        goOn(() => now.answer(new FromNode(request, response)), (reply) => send(reply, response), broken);
    };
}
