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
