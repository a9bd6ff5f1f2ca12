// Larkfell, drawn on a server in JavaScript; `examples/browser` takes the page over. This file has only what is not in the table: the
// document, who is signed in, and the files of the application.

import { randomUUID } from "node:crypto";
import { readFile } from "node:fs/promises";
import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import { extname } from "node:path";
import { levels, type Position } from "./public/routes/routes.js";
import { Failure, listener, site, type PageEntries, type Visit } from "./public/routes/server.js";
import { frameIn, frames, menu, observers, pageIn, pages, titleOf, type Part } from "./public/site.js";

/** Who is signed in, by the random token in a cookie. */
type Who = { readonly needs: readonly string[] };
const sessions = new Map<string, Who>();
const whoIs = (cookies: string | undefined): Who | undefined => sessions.get(/(?:^|; )session=([\w-]+)/.exec(cookies ?? "")?.[1] ?? "");

const files = new URL("./public/", import.meta.url);
const document = await readFile(new URL("index.html", files), "utf8");
const types: { readonly [ending: string]: string } = { ".js": "text/javascript", ".css": "text/css" };

/** A page within the frames around it, and what the browser takes it over by. */
async function drawn(visit: Visit<any, undefined, Who>, part: Part): Promise<string> {
  const position: Position | undefined = visit.at.outcome === "page" ? visit.at : visit.at.position;
  const around = (position ? levels(position) : []).flatMap(({ frame }) => (frame === undefined ? [] : frames[frame as keyof typeof frames](position)));
  const who = (await visit.who()) ?? { needs: [] };
  return document
    .replace(/(?<=<title>).*(?=<\/title>)/, () => titleOf(part))
    .replace(/(?<=id="menu"[^>]*>)/, menu)
    .replace(" hidden>Sign out", (hidden) => (who.needs.length > 0 ? ">Sign out" : hidden))
    .replace(/(?<=<div id="frames">)/, () => around.reduceRight((within, frame) => frameIn(frame, within), pageIn(part)))
    .replace("</html>", () => `${visit.sent(who)}\n</html>`);
}

/** No script runs but those of the application. */
function secured(response: Response): Response {
  response.headers.set("content-security-policy", "default-src 'self'");
  return response;
}

const larkfell = site<undefined, Who>({
  pages: Object.fromEntries(
    Object.entries(pages).map(([name, page]) => [name, (visit: Visit<any, undefined, Who>) => drawn(visit, page(visit.at))]),
  ) as unknown as PageEntries<undefined, Who>,
  identify: (asked) => whoIs(asked.field("cookie")),
  meets: (who, need) => who?.needs.includes(need) ?? false,
  lists: (_, name) => observers.has(name),
  layers: [{ layer: async (_, next) => secured(await next()) }],
  failed: ({ error, asked }) => void (error instanceof Failure || console.error(asked.target, error)),
});

/** Signs in and out, by the same means as `vivid-lane serve`. */
async function session(request: IncomingMessage, response: ServerResponse): Promise<void> {
  let who = whoIs(request.headers.cookie);
  if (request.method === "POST") {
    let sent = "";
    for await (const chunk of request) if ((sent += chunk).length > 1000) return void response.writeHead(413).end();
    if ((request.headers["sec-fetch-site"] ?? "same-origin") !== "same-origin") return void response.writeHead(403).end();
    const token = randomUUID();
    sessions.set(token, (who = { needs: new URLSearchParams(sent).getAll("need") }));
    response.setHeader("set-cookie", `session=${token}; HttpOnly; SameSite=Lax; Path=/`);
  }
  response.setHeader("content-type", "application/json").setHeader("cache-control", "no-store").end(JSON.stringify(who ?? { needs: [] }));
}

const answer = listener(larkfell);
const server = createServer((request, response) => {
  const path = new URL(request.url ?? "/", "http://larkfell.example").pathname;
  const type = types[extname(path)];
  if (path === "/-/session") return session(request, response);
  if (!type) return answer(request, response);
  // What is no file may be a page.
  return readFile(new URL(`.${path}`, files)).then((file) => response.setHeader("content-type", type).end(file), () => answer(request, response));
});
server.listen(Number(process.argv[2] ?? 8031), "127.0.0.1", () => console.log(`http://127.0.0.1:${(server.address() as { port: number }).port}`));
