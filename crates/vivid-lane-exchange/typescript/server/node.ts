// The adapter for the server that node has: no more is known of it here than what is used.

import { type Incoming } from "./incoming.js";
import { hasNoBody, type Reply } from "./reply.js";
import { goOn } from "./soon.js";
import { type Site } from "./service.js";

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
