// A request as the program sees it, and the visit to a page with all that the page may need.

import { frames, link, linkFrom, LinkError, match, returnAddressAsync, valuesFor } from "../table/follows.js";
import { connected, type Client, type Incoming } from "./incoming.js";
import { Reply } from "./reply.js";
import { Failure, type Asked, type Settings, type Visit } from "./types.js";
import type { FrameName, Params, RouteName, Somewhere } from "../table/follows.js";

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
export class Visiting<State, Who> implements Visit<unknown, State, Who> {
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
