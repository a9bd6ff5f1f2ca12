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
