// A server over the routes of a table: a request in, the page or another answer out.
// Made by `vivid-lane convert --to typescript --server`; it is the same for every table.

import { LinkError, Missing, decide, decideAsync, frames, levels, link, linkFrom, match, notFoundAt, place, returnAddressAsync, valuesFor } from "./routes.js";
import type { Answer, Decision, FallbackName, FrameName, LevelName, LinkStart, ListName, NeedName, NotFound, PageName, Pages, Params, Position, RouteName, Somewhere } from "./routes.js";

// What a program says of its site, and what a page is shown with.

/** What a fallback is shown for: a page that is missing, or a refusal or a failure where the site shows these by its fallbacks. */
export interface Refusal {
  /** What was decided; `"failed"` where a page has failed. */
  readonly outcome: Exclude<Decision["outcome"], "page" | "redirect" | "options"> | "failed";
  readonly status: number;
  /** The deepest route that covers the address. */
  readonly position: Position | undefined;
  readonly reason: string | undefined;
}

/** What a page gives: a response, or the text or the stream of an HTML document. */
export type Shown = Response | Reply | string | ReadableStream<Uint8Array>;

/** Shows a page. */
export type Show<At, State, Who> = (visit: Visit<At, State, Who>) => Shown | Promise<Shown>;

/** A page: the function that shows it, or where its code is fetched from when it is needed first. */
export type Entry<At, State, Who> = Show<At, State, Who> | { readonly code: () => Promise<{ readonly default: Show<At, State, Who> }> };

/** One entry for each page of the table, also for those that show what is missing. */
export type PageEntries<State, Who> = { readonly [Name in keyof Pages]: Entry<Pages[Name], State, Who> } & {
  readonly [Name in FallbackName]: Entry<NotFound | Refusal, State, Who>;
};

/** What is done around pages: `next` shows the page, and never fails; what went wrong in it has its status, and gets its text later. */
export type Layer<State, Who> = (visit: Visit<any, State, Who>, next: () => Promise<Response>) => Response | Promise<Response>;

/** A layer around all pages; around some; around what is shown at a route and below it. */
export interface Around<State, Who> {
  readonly layer: Layer<State, Who>;
  readonly pages?: readonly PageName[] | undefined;
  readonly below?: LevelName | undefined;
}

/** What is known of a request before it is decided. */
export interface Asked<State> {
  readonly method: string;
  /** Path and query, as they were sent. */
  readonly target: string;
  readonly host: string | undefined;
  /** `http` or `https`, as far as it is known. */
  readonly scheme: string | undefined;
  /** The address of the client, as far as it is known. */
  readonly client: string | undefined;
  /** What the program keeps for this request. */
  readonly state: State;
  /** The whole request. It costs more than its fields. */
  readonly request: Request;
  /** Aborted when the client goes away. */
  readonly signal: AbortSignal;
  /** The value of a header field. */
  field(name: string): string | undefined;
}

/** A visit to a page. `At` is the match of the request; for a fallback, what is missing or refused. */
export interface Visit<At = unknown, State = unknown, Who = unknown> extends Asked<State> {
  /** The match of the request; for a fallback, what is missing or refused. */
  readonly at: At;
  /** The values of the URL; for a fallback those that its place has. */
  readonly params: At extends { readonly params: infer Params } ? Params : { readonly [name: string]: unknown };
  /** The frames around the page, outermost first. */
  readonly frames: readonly FrameName[];
  /** A link from here: it inherits the values that the two addresses share. */
  readonly link: LinkStart<At extends Somewhere ? At : Somewhere>;
  /** Who the visitor is, as it was found out for a need of this page; nothing where none had to be asked. */
  readonly visitor: Who | undefined;
  /** Was the request made from a page of this site, or from no page at all? Browsers say so, and a page of another site cannot forge it. */
  readonly isFromThisSite: boolean;
  /** Who the visitor is, asked at most once for a request. */
  who(): Promise<Who | undefined>;
  /** A redirect to a URL, after a form for example; the browser follows it with `GET` (303). */
  seeOther(url: string): Reply;
  /** A redirect (303) from a page to sign in, to where the visitor wanted to go; elsewhere if that is no page of this site, or this one. */
  comeBack(otherwise: string): Promise<Reply>;
  /**
   * An element for the document, by which the browser takes the page over without deciding again: what was decided, with data of the page's own.
   * The browser's module hands it out as `data`.
   */
  sent(data?: unknown): string;
  /** Reads the body as a form of up to `limit` bytes (413, 415). One that another site sent is refused (403). */
  form(limit: number): Promise<FormData>;
  /** Reads the body as JSON of up to `limit` bytes (413, 415). */
  json(limit: number): Promise<unknown>;
  /**
   * Reads a form, or JSON, as the values of a route: judged by its rules, in the types that it has. What the form does not have, this page
   * may: its values hold, too. What a rule refuses is 422, and the visitor reads which.
   */
  values<Name extends RouteName>(name: Name, limit: number): Promise<Params<Name>>;
}

/** What went wrong, and where. */
export interface FailureOf<State> {
  readonly error: unknown;
  readonly status: number;
  readonly asked: Asked<State>;
  /** The page that failed. */
  readonly page: PageName;
}

/** What only the program knows. Each question is asked only if the decision depends on it, and once for each request. */
export interface Settings<State, Who> {
  readonly pages: PageEntries<State, Who>;
  /** What the program keeps for each request: connections, settings, what it counts. */
  readonly state?: (asked: Omit<Asked<undefined>, "state">) => State;
  /** Finds out who the visitor is, from a session for example. It throws if this is not known at the moment. */
  readonly identify?: (asked: Asked<State>) => Who | undefined | Promise<Who | undefined>;
  /** Does the visitor meet a need? Nobody does by default. */
  readonly meets?: (who: Who | undefined, need: NeedName, asked: Asked<State>) => Answer | Promise<Answer>;
  /** Does a live list have a value? All are empty by default. */
  readonly lists?: (list: ListName, value: string, asked: Asked<State>) => Answer | Promise<Answer>;
  /** For how many milliseconds an answer is waited for: 5,000 by default. */
  readonly answerWithin?: number;
  /** What is done around pages, outermost first. */
  readonly layers?: readonly Around<State, Who>[];
  /** Called for each failure of a page or a layer. If it returns an answer, that is sent instead of the usual one. */
  readonly failed?: (failure: FailureOf<State>) => Response | Reply | void | undefined | Promise<Response | Reply | void | undefined>;
  /** Are refusals and failures shown by the fallbacks, too? */
  readonly showRefusals?: boolean;
  /** Is `Location` written with the origin of the table? */
  readonly absoluteLocations?: boolean;
  /** For how many seconds browsers may keep a permanent redirect: 3,600 by default. */
  readonly keepRedirects?: number;
  /** Finds out who the client is: by default the other end of the connection. `forwarded(isProxy)` trusts what our own proxies say. */
  readonly client?: (incoming: Incoming) => Client;
}

/** What a page throws for what the visitor can mend: the visitor reads the text. Any other error is 500, and its text is not sent. */
export class Failure extends Error {
  readonly status: number;
  /** After how many seconds it is worth asking again. */
  readonly retryAfter: number | undefined;

  constructor(status: number, detail: string, { retryAfter, cause }: { readonly retryAfter?: number; readonly cause?: unknown } = {}) {
    super(detail);
    this.name = "Failure";
    this.status = status;
    this.retryAfter = retryAfter;
    if (cause !== undefined) Object.defineProperty(this, "cause", { value: cause });
  }
}

export { Missing };

// A request as the service reads it: the standard `Request`, or one of node's server.

/** What an adapter knows of a request. */
export interface Incoming {
  readonly method: string;
  /** Path and query as they were sent, an absolute URL, or an asterisk. */
  readonly target: string;
  /** What the request says its host is; all of them. */
  readonly hosts: readonly string[];
  /** Must it say so, as HTTP/1.1 demands? */
  readonly wantsHost: boolean;
  readonly scheme: string | undefined;
  /** The address at the other end of the connection. */
  readonly peer: string | undefined;
  readonly request: Request;
  readonly body: ReadableStream<Uint8Array> | null;
  readonly signal: AbortSignal;
  field(name: string): string | undefined;
}

/** What the standard `Request` does not say. */
export interface Connection {
  /** The address at the other end of the connection. */
  readonly peer?: string | undefined;
}

/** A standard request. Its URL is in the normal form of browsers already. */
export class Standard implements Incoming {
  readonly request: Request;
  readonly target: string;
  readonly hosts: readonly string[];
  readonly wantsHost: boolean;
  readonly scheme: string;
  readonly peer: string | undefined;

  constructor(request: Request, { peer }: Connection) {
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

  get method(): string {
    return this.request.method;
  }

  get body(): ReadableStream<Uint8Array> | null {
    return this.request.body;
  }

  get signal(): AbortSignal {
    return this.request.signal;
  }

  field(name: string): string | undefined {
    return this.request.headers.get(name) ?? undefined;
  }
}

/** Is it a host, with or without a port, and nothing else (RFC 3986, section 3.2)? It may be empty; escapes are in no name that is looked up. */
export function isHost(text: string): boolean {
  return /^[\w\-.~!$&'()*+,;=]*(?::\d*)?$|^\[[0-9A-Fa-f:.]+\](?::\d*)?$/.test(text);
}

/** What is known of the client. */
export interface Client {
  readonly client: string | undefined;
  readonly host: string | undefined;
  readonly scheme: string | undefined;
}

/** The client is the other end of the connection. */
export function connected({ peer, scheme, hosts: [host] }: Incoming): Client {
  return { client: peer, host, scheme };
}

/**
 * The client, from what our proxies say of it: by `Forwarded` (RFC 7239), or by the fields that were used before it. `isProxy` says which
 * addresses are those of our proxies.
 */
export function forwarded(isProxy: (address: string) => boolean): (incoming: Incoming) => Client {
  return (incoming) => {
    const { peer } = incoming;
    const own = connected(incoming);
    if (peer === undefined || !isProxy(peer)) return own;
    const list = (name: string): string[] => incoming.field(name)?.split(",").map((one) => one.trim()) ?? [];
    // A comma within quotes parts nothing.
    const hops = (incoming.field("forwarded")?.match(/(?:"(?:[^"\\]|\\.?)*(?:"|$)|[^",])+/g) ?? []).map((hop) => {
      const said = (name: string): string | undefined => {
        const found = new RegExp(`(?:^|;)\\s*${name}=(?:"((?:[^"\\\\]|\\\\.)*)"|([^;\\s]*))`, "i").exec(hop);
        return found ? (found[2] ?? found[1]!.replace(/\\(.)/g, "$1")) : undefined;
      };
      return { client: said("for"), host: said("host"), scheme: said("proto") };
    });
    if (hops.length === 0) {
      const [clients, hosts, schemes] = ["for", "host", "proto"].map((what) => list("x-forwarded-" + what));
      const at = (all: readonly string[] | undefined, back: number): string | undefined => all![all!.length - back];
      for (let back = clients!.length; back > 0; back -= 1) hops.push({ client: at(clients, back), host: at(hosts, back), scheme: at(schemes, back) });
      if (clients!.length === 0) hops.push({ client: undefined, host: at(hosts, 1), scheme: at(schemes, 1) });
    }
    // From the last one that was added backwards: what comes before a client who is no proxy of ours may be made up.
    let known: Client = own;
    for (const hop of hops.reverse()) {
      const client = hop.client?.replace(/^\[(.*)\](?::\d+)?$|^([\d.]+):\d+$/, "$1$2");
      known = { client: client || known.client, host: hop.host !== undefined && isHost(hop.host) ? hop.host : known.host, scheme: hop.scheme && /^https?$/i.test(hop.scheme) ? hop.scheme.toLowerCase() : known.scheme };
      if (client === undefined || !isProxy(client)) break;
    }
    return known;
  };
}

// Answers, and those that the service gives by itself, in the form that the client prefers (RFC 9110, section 12.5.1).

const encoder = /* @__PURE__ */ new TextEncoder();

type Field = readonly [name: string, value: string];

/** An answer that costs less than a `Response`, and becomes one where that is wanted. */
export class Reply {
  readonly status: number;
  readonly fields: readonly Field[];
  readonly body: string | ReadableStream<Uint8Array> | null;
  /** What it was made of, where nothing was changed. */
  private readonly response: Response | undefined;

  constructor(status: number, fields: readonly Field[], body: string | ReadableStream<Uint8Array> | null, response?: Response) {
    this.status = status;
    this.fields = fields;
    this.body = body;
    this.response = response;
  }

  static of(shown: Response | Reply | string | ReadableStream<Uint8Array>): Reply {
    if (typeof shown === "string" || shown instanceof ReadableStream) return html(shown);
    return shown instanceof Reply ? shown : new Reply(shown.status, [...shown.headers], shown.body, shown);
  }

  toResponse(): Response {
    const { status, fields, body } = this;
    return this.response ?? new Response(hasNoBody(status) ? null : body, { status, headers: fields as [string, string][] });
  }

  /** The same with another status, and with these fields in the place of those of the same names. */
  stamped(status: number, fields: readonly Field[]): Reply {
    const names = new Set(fields.map(([name]) => name));
    return new Reply(status, [...this.fields.filter(([name]) => !names.has(name.toLowerCase())), ...fields], this.body);
  }

  /** The same with those of these fields that it does not have itself. */
  with(fields: readonly Field[]): Reply {
    const names = new Set(this.fields.map(([name]) => name.toLowerCase()));
    return new Reply(this.status, [...this.fields, ...fields.filter(([name]) => !names.has(name))], this.body);
  }

  /** The answer to `HEAD`: no body, but the length that it would have (RFC 9110, sections 8.6 and 9.3.2). */
  withoutBody(): Reply {
    const { status, fields, body } = this;
    if (body instanceof ReadableStream) body.cancel().catch(() => undefined);
    const length = typeof body === "string" ? encoder.encode(body).length : 0;
    return new Reply(status, fields, null).with(length > 0 ? [["content-length", String(length)]] : []);
  }
}

/** Has an answer of this status never a body? */
export function hasNoBody(status: number): boolean {
  return status === 204 || status === 304 || status === 205;
}

/** How an answer differs from a plain 200. */
export interface ReplyOptions {
  readonly status?: number | undefined;
  readonly headers?: { readonly [name: string]: string } | readonly Field[] | undefined;
}

function reply(type: string, body: Reply["body"], options: ReplyOptions | undefined): Reply {
  if (!options) return new Reply(200, [["content-type", type]], body);
  const { status = 200, headers = {} } = options;
  return new Reply(status, [["content-type", type], ...(Array.isArray(headers) ? (headers as Field[]) : Object.entries(headers))], body);
}

/** An HTML answer. */
export function html(body: string | ReadableStream<Uint8Array>, options?: ReplyOptions): Reply {
  return reply("text/html; charset=utf-8", body, options);
}

/** A JSON answer. */
export function json(value: unknown, options?: ReplyOptions): Reply {
  return reply("application/json", JSON.stringify(value), options);
}

/** The formats of error messages. */
export type Form = "plain" | "html" | "json";

/** Each form with its media types; of equally liked forms the first counts. */
const FORMS: readonly (readonly [Form, ...string[]])[] = [
  ["plain", "text/plain"],
  ["html", "text/html", "application/xhtml+xml"],
  ["json", "application/problem+json", "application/json"],
];

/** The form that a client likes best, by its `Accept` field; plain text for one that does not say. */
export function preferred(accepted: string = ""): Form {
  const ranges = new Map<string, number>();
  for (const range of /^[\t -~]*$/.test(accepted) ? accepted.split(",") : []) {
    const [media = "", ...parts] = range.split(";").map((part) => part.trim());
    const quality = parts.find((part) => /^q=/i.test(part))?.slice(2) ?? "1";
    const name = media.toLowerCase();
    if (name.includes("/") && !ranges.has(name) && /^(?:0(?:\.\d{0,3})?|1(?:\.0{0,3})?)$/.test(quality)) ranges.set(name, +quality);
  }
  let best: readonly [number, Form] = [0, "plain"];
  for (const [form, ...types] of FORMS) {
    const weight = Math.max(...types.map((type) => ranges.get(type) ?? ranges.get(type.replace(/\/.*/, "/*")) ?? ranges.get("*/*") ?? 0));
    if (weight > best[0]) best = [weight, form];
  }
  return best[1];
}

/** Text as HTML has it, also within quotes. */
const escaped = (text: string): string => text.replace(/[&<>"']/g, (one) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" })[one]!);

/** What the statuses are called (RFC 9110, section 15, and the registry of IANA), by their hundreds. */
const TITLES: { readonly [hundred: number]: string } = {
  3: "Multiple Choices|Moved Permanently|Found|See Other|Not Modified|Use Proxy||Temporary Redirect|Permanent Redirect",
  4: "Bad Request|Unauthorized|Payment Required|Forbidden|Not Found|Method Not Allowed|Not Acceptable|Proxy Authentication Required|Request Timeout|Conflict|Gone|Length Required|Precondition Failed|Payload Too Large|URI Too Long|Unsupported Media Type|Range Not Satisfiable|Expectation Failed|I'm a teapot|||Misdirected Request|Unprocessable Entity|Locked|Failed Dependency|Too Early|Upgrade Required||Precondition Required|Too Many Requests||Request Header Fields Too Large",
  5: "Internal Server Error|Not Implemented|Bad Gateway|Service Unavailable|Gateway Timeout|HTTP Version Not Supported|Variant Also Negotiates|Insufficient Storage|Loop Detected||Not Extended|Network Authentication Required",
};

const titleOf = (status: number): string => TITLES[Math.floor(status / 100)]?.split("|")[status % 100] || "Error";

/** The contents of an answer that the service makes itself. */
export interface Details {
  readonly status: number;
  /** What is wrong, beyond the name of the status. */
  readonly detail?: string | undefined;
  readonly location?: string | undefined;
  readonly allow?: readonly string[] | undefined;
  readonly retryAfter?: number | undefined;
  readonly cache?: string | undefined;
}

/** The header fields of an answer. */
export function fieldsOf({ location, allow, retryAfter, cache }: Details): Field[] {
  const fields: readonly (readonly [string, string | undefined])[] = [
    ["location", location],
    ["allow", allow?.join(", ")],
    ["retry-after", retryAfter === undefined ? undefined : String(retryAfter)],
    ["cache-control", cache],
  ];
  return fields.filter((field): field is Field => field[1] !== undefined);
}

/** The answer, in a form, about a path. */
export function replyTo(details: Details, form: Form, path: string): Reply {
  const { status, detail, location } = details;
  const fields = fieldsOf(details);
  if (status === 204) return new Reply(status, fields, null);
  const title = titleOf(status);
  let body: string;
  if (form === "json") {
    // Problem details (RFC 9457, section 3).
    body = JSON.stringify({ type: "about:blank", title, status, detail: detail || undefined, instance: path, location });
  } else if (form === "html") {
    const link = location && escaped(location);
    body = `<!DOCTYPE html>\n<html lang="en">\n<meta charset="utf-8">\n<title>${status} ${title}</title>\n<h1>${title}</h1>\n`;
    if (detail) body += `<p>${escaped(detail)}</p>\n`;
    if (link) body += `<p><a href="${link}">${link}</a></p>\n`;
    body += "</html>\n";
  } else {
    body = [`${status} ${title}`, location, detail].filter(Boolean).join("\n") + "\n";
  }
  const type = { plain: "text/plain; charset=utf-8", html: "text/html; charset=utf-8", json: "application/problem+json" }[form];
  return new Reply(status, [["content-type", type], ["vary", "Accept"], ...fields], body);
}

// What is at hand at once for most requests, and for some takes its time: nobody waits where there is nothing to wait for.

/** A value, or the promise of one. */
type Soon<Value> = Value | Promise<Value>;

function isPromise<Value>(value: Soon<Value>): value is Promise<Value> {
  return typeof (value as { readonly then?: unknown } | null | undefined)?.then === "function";
}

/** Goes on with what is made, at once where it is there; what fails on the way goes to `failed`. */
function goOn<Made, Next>(make: () => Soon<Made>, next: (made: Made) => Soon<Next>, failed: (error: unknown) => Soon<Next>): Soon<Next> {
  let made: Soon<Made>;
  try {
    made = make();
    if (!isPromise(made)) return next(made);
  } catch (error) {
    return failed(error);
  }
  return made.then(next).catch(failed);
}

// A request as the program sees it, and the visit to a page with all that the page may need.

/** What is found out for a request, once. */
interface Found<State, Who> {
  state?: { readonly made: State };
  client?: Client;
  who?: Promise<Who | undefined>;
  known?: Who | undefined;
  isRead?: boolean;
}

/** The element in which a page sends over to the browser what it was made of. */
const SENT = "lane-page";

/** A request as the program sees it; and, once it is decided, the visit to a page. */
class Visiting<State, Who> implements Visit<unknown, State, Who> {
  at: unknown;
  private readonly incoming: Incoming;
  private readonly settings: Settings<State, Who>;
  private readonly found: Found<State, Who>;

  constructor(incoming: Incoming, settings: Settings<State, Who>, found: Found<State, Who> = {}) {
    this.at = undefined;
    this.incoming = incoming;
    this.settings = settings;
    this.found = found;
  }

  /** The same request at another place: what a fallback is shown for. */
  with(at: unknown): Visiting<State, Who> {
    const { incoming, settings, found } = this;
    const other = new Visiting(incoming, settings, found);
    other.at = at;
    return other;
  }

  get state(): State {
    return (this.found.state ??= { made: this.settings.state?.(this) as State }).made;
  }

  get method(): string {
    return this.incoming.method;
  }

  get target(): string {
    return this.incoming.target;
  }

  private get whence(): Client {
    return (this.found.client ??= (this.settings.client ?? connected)(this.incoming));
  }

  get host(): string | undefined {
    return this.whence.host;
  }

  get scheme(): string | undefined {
    return this.whence.scheme;
  }

  get client(): string | undefined {
    return this.whence.client;
  }

  get request(): Request {
    return this.incoming.request;
  }

  get signal(): AbortSignal {
    return this.incoming.signal;
  }

  field(name: string): string | undefined {
    return this.incoming.field(name);
  }

  who(): Promise<Who | undefined> {
    const { found, settings } = this;
    return (found.who ??= Promise.resolve<Asked<State>>(this)
      .then(settings.identify ?? (() => undefined))
      .then((who) => (found.known = who)));
  }

  get isFromThisSite(): boolean {
    const site = this.field("sec-fetch-site");
    if (site !== undefined) return site === "same-origin" || site === "none";
    const origin = this.field("origin");
    return origin === undefined || (origin.includes("://") && origin.slice(origin.indexOf("://") + 3) === this.host);
  }

  get position(): Somewhere | undefined {
    const at = this.at as Partial<Somewhere> & { readonly position?: Somewhere };
    return at.route === undefined ? at.position : (at as Somewhere);
  }

  get params(): { readonly [name: string]: unknown } {
    return this.position?.params ?? {};
  }

  get frames(): readonly FrameName[] {
    return frames(this.at as Somewhere);
  }

  get visitor(): Who | undefined {
    return this.found.known;
  }

  get link(): Visit["link"] {
    const { position } = this;
    return ((name: never, ...given: never) => (position ? linkFrom(position, name, ...given) : link(name, ...given))) as unknown as Visit["link"];
  }

  seeOther(url: string): Reply {
    return new Reply(303, [["location", url]], null);
  }

  async comeBack(otherwise: string): Promise<Reply> {
    const wanted = this.params["return"];
    const everyone = { meets: () => true, lists: () => true };
    const address = await returnAddressAsync(typeof wanted === "string" ? wanted : undefined, otherwise, { ...everyone, host: this.host });
    return this.seeOther(match(address)?.route === this.position?.route ? otherwise : address);
  }

  sent(data?: unknown): string {
    const { params, position, ...decided } = this.at as { readonly [key: string]: unknown };
    // A page that has failed is made anew.
    if (decided["outcome"] === "failed") return "";
    const text = JSON.stringify({ ...decided, address: this.target, route: this.position?.route, data });
    // Nothing in it may end the element, or begin a comment.
    return `<script type="application/json" id="${SENT}">${text.replace(/[<>&\u2028\u2029]/g, (one) => "\\u" + one.charCodeAt(0).toString(16).padStart(4, "0"))}</script>`;
  }

  private async read(limit: number, wanted: string, fits: (type: string) => boolean): Promise<Response> {
    const type = (this.field("content-type") ?? "").split(";")[0]!.trim().toLowerCase();
    if (type !== wanted && !fits(type)) throw new Failure(415, `expected a body of type \`${wanted}\`, found ${type === "" ? "no type" : `\`${type}\``}`);
    if (this.found.isRead) throw new Error("the body was read already");
    this.found.isRead = true;
    const chunks: Uint8Array[] = [];
    const { body } = this.incoming;
    let length = 0;
    if (body) {
      const reader = body.getReader();
      for (;;) {
        const { done, value } = await reader.read();
        if (done) break;
        length += value.byteLength;
        if (length > limit) {
          void reader.cancel().catch(() => undefined);
          throw new Failure(413, `the body may have ${limit} bytes, and it has more`);
        }
        chunks.push(value);
      }
    }
    return new Response(new Blob(chunks as BlobPart[]), { headers: { "content-type": this.field("content-type")! } });
  }

  async form(limit: number): Promise<FormData> {
    if (!this.isFromThisSite) throw new Failure(403, "the form was sent by another site");
    const body = await this.read(limit, "application/x-www-form-urlencoded", (type) => type === "multipart/form-data");
    return body.formData().catch((cause: unknown) => {
      throw new Failure(400, "the body is not a form", { cause });
    });
  }

  async json(limit: number): Promise<unknown> {
    const body = await this.read(limit, "application/json", (type) => type.endsWith("+json"));
    const text = await body.text();
    try {
      return JSON.parse(text);
    } catch (cause) {
      throw new Failure(400, `the body is not JSON: ${(cause as Error).message}`, { cause });
    }
  }

  async values<Name extends RouteName>(name: Name, limit: number): Promise<Params<Name>> {
    const isJson = /^[^;]*json\s*(?:;|$)/i.test(this.field("content-type") ?? "");
    const sent: unknown = isJson ? await this.json(limit) : await this.form(limit);
    if (typeof sent !== "object" || sent === null || Array.isArray(sent)) throw new Failure(422, "expected an object");
    const fields = sent instanceof FormData ? [...(sent as unknown as Iterable<[string, unknown]>)] : Object.entries(sent);
    const names = new Set(fields.map(([field]) => field));
    const own = Object.entries(this.params as object).filter(([field]) => !names.has(field));
    try {
      return valuesFor(name, [...own, ...fields]);
    } catch (cause) {
      throw cause instanceof LinkError && cause.param !== undefined ? new Failure(422, cause.message, { cause }) : cause;
    }
  }
}

// The service: a request in, the page or another answer out.

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

// The adapter for the server that node has: no more is known of it here than what is used.

type Hears = (event: any, listener: (...given: any[]) => void) => unknown;

/** A request of `node:http` or `node:https`. */
export interface NodeRequest {
  readonly method?: string | undefined;
  readonly url?: string | undefined;
  readonly httpVersion: string;
  readonly complete: boolean;
  readonly headers: { readonly [name: string]: string | string[] | undefined };
  /** Names and values in turns, as they were sent. */
  readonly rawHeaders: readonly string[];
  readonly socket: { readonly remoteAddress?: string | undefined };
  readonly on: Hears;
  pause(): unknown;
  resume(): unknown;
}

/** The response to one. */
export interface NodeResponse {
  statusCode: number;
  readonly writableFinished: boolean;
  readonly destroyed: boolean;
  readonly on: Hears;
  readonly once: Hears;
  setHeader(name: string, value: string | readonly string[]): unknown;
  write(chunk: Uint8Array): boolean;
  end(text?: string): unknown;
  destroy(error?: Error): unknown;
}

/** What was asked, read as far as it is needed. */
class FromNode implements Incoming {
  private readonly asked: NodeRequest;
  private readonly response: NodeResponse;
  private whole: Request | undefined;
  private stream: ReadableStream<Uint8Array> | null | undefined;
  private ending: AbortController | undefined;
  readonly target: string;
  readonly hosts: readonly string[];

  constructor(asked: NodeRequest, response: NodeResponse) {
    const { url = "/", rawHeaders } = asked;
    this.asked = asked;
    this.response = response;
    // Bytes beyond ASCII come one by one.
    this.target = /[\x80-\xff]/.test(url) ? new TextDecoder().decode(Uint8Array.from(url, (one) => one.charCodeAt(0))) : url;
    const hosts: string[] = [];
    for (let at = 0; at < rawHeaders.length; at += 2) {
      if (rawHeaders[at]!.length === 4 && rawHeaders[at]!.toLowerCase() === "host") hosts.push(rawHeaders[at + 1]!);
    }
    this.hosts = hosts;
    this.whole = this.stream = this.ending = undefined;
  }

  get method(): string {
    return this.asked.method ?? "GET";
  }

  get wantsHost(): boolean {
    return this.asked.httpVersion === "1.1";
  }

  get scheme(): string {
    return "encrypted" in this.asked.socket ? "https" : "http";
  }

  get peer(): string | undefined {
    return this.asked.socket.remoteAddress?.replace(/^::ffff:(?=\d+\.)/, "");
  }

  field(name: string): string | undefined {
    const value = this.asked.headers[name.toLowerCase()];
    return Array.isArray(value) ? value.join(", ") : value;
  }

  get signal(): AbortSignal {
    if (!this.ending) {
      const { response } = this;
      const ending = (this.ending = new AbortController());
      const end = (): void => void (response.writableFinished || ending.abort());
      if (response.destroyed) end();
      else response.on("close", end);
    }
    return this.ending.signal;
  }

  get body(): ReadableStream<Uint8Array> | null {
    if (this.stream === undefined) this.stream = this.field("content-length") === undefined && this.field("transfer-encoding") === undefined ? null : streamOf(this.asked);
    return this.stream;
  }

  get request(): Request {
    if (!this.whole) {
      const { method, target, body, signal } = this;
      const { rawHeaders } = this.asked;
      const headers = rawHeaders.flatMap((name, at): [string, string][] => (at % 2 === 0 ? [[name, rawHeaders[at + 1]!]] : []));
      const hasBody = body !== null && method !== "GET" && method !== "HEAD";
      const url = /^https?:/i.test(target) ? target : `${this.scheme}://${this.hosts[0] || "localhost"}${target === "*" ? "/" : target}`;
      this.whole = new Request(url, { method, headers, signal, ...(hasBody ? { body, duplex: "half" } : {}) } as RequestInit);
    }
    return this.whole;
  }
}

/** The body of a request, no faster than it is read. */
function streamOf(asked: NodeRequest): ReadableStream<Uint8Array> {
  let isOver = false;
  return new ReadableStream<Uint8Array>({
    start(controller) {
      const end = (close: () => void) => (): void => {
        if (!isOver) close();
        isOver = true;
      };
      asked.on("data", (chunk: Uint8Array) => {
        if (isOver) return;
        controller.enqueue(new Uint8Array(chunk));
        if ((controller.desiredSize ?? 0) <= 0) asked.pause();
      });
      asked.on("end", end(() => controller.close()));
      const broken = (error?: unknown): void => end(() => controller.error(error ?? new Error("the request was broken off")))();
      asked.on("error", broken);
      asked.on("close", () => asked.complete || broken());
      asked.pause();
    },
    pull: () => void asked.resume(),
    cancel() {
      isOver = true;
      // What is left of it is read, and thrown away.
      asked.resume();
    },
  });
}

/** Sends an answer. */
function send({ status, fields, body }: Reply, response: NodeResponse): void {
  response.statusCode = status;
  const cookies: string[] = [];
  for (const [name, value] of fields) {
    if (name.toLowerCase() === "set-cookie") cookies.push(value);
    else response.setHeader(name, value);
  }
  if (cookies.length > 0) response.setHeader("set-cookie", cookies);
  if (hasNoBody(status) || body === null) response.end();
  else if (typeof body === "string") response.end(body);
  // It is too late for another answer, so the client must see that this one is incomplete.
  else void stream(body, response).catch((error: Error) => response.destroy(error));
}

/** Sends a stream, no faster than it is read. */
async function stream(body: ReadableStream<Uint8Array>, response: NodeResponse): Promise<void> {
  const reader = body.getReader();
  response.on("close", () => response.writableFinished || reader.cancel().catch(() => undefined));
  for (;;) {
    const { done, value } = await reader.read();
    if (done || response.destroyed) break;
    if (!response.write(value)) await new Promise<void>((go) => [response.once("drain", go), response.once("close", go)]);
  }
  response.end();
}

/** A site for `createServer`; or a function that gives the one that holds now. */
export function listener(site: Site | (() => Site)): (request: NodeRequest, response: NodeResponse) => void {
  return (request, response) => {
    const now = typeof site === "function" ? site() : site;
    // An invalid header field, for example.
    const broken = (error: unknown): void => void response.destroy(error as Error);
    goOn(() => now.answer(new FromNode(request, response)), (reply) => send(reply, response), broken);
  };
}
