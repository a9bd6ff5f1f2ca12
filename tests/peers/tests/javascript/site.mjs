// The site of `sites.rs` once more, for node.

import { createServer } from "node:http";
import { address, up } from "./routes/routes.js";
import { Failure, html, listener, Missing, Reply, site } from "./routes/server.js";

const { hasLayers, ...settings } = JSON.parse(process.argv[2]);

async function page(visit) {
  const wanted = visit.field("x-do");
  const { at } = visit;
  if (at.outcome === "page") {
    if (wanted === "fail") throw new Error("the archive is closed");
    if (wanted === "missing") throw new Missing();
    if (wanted === "conflict") throw new Failure(409, "it is <there> already");
    if (wanted === "away") throw new Failure(503, "the archive is away", { retryAfter: 30 });
    if (wanted === "form") return `[${[...(await visit.form(64))].map((pair) => `(${pair.map((text) => JSON.stringify(text)).join(", ")})`).join(", ")}]`;
    if (wanted === "json") return (await visit.json(64), "read");
    if (wanted === "back") return visit.comeBack("/else");
    if (wanted === "cookie") return html("set", { headers: [["set-cookie", "a=1"], ["set-cookie", "b=2"]] });
    if (wanted === "nothing") return new Response(null, { status: 204 });
  } else if (wanted === "fail-twice") throw new Error("the page for failures is closed, too");
  const position = at.outcome === "page" ? at : at.position;
  const [route, where, above] = position ? [position.route, address(position), up(position)] : ["", "", ""];
  const frames = `[${visit.frames.map((name) => JSON.stringify(name)).join(", ")}]`;
  return `${visit.method === "HEAD" ? "" : "page"} ${at.status} ${route} ${where} ${frames} ${at.reason ?? ""} ${visit.visitor ?? ""} ${above ?? ""}\n`;
}

function adds(name) {
  return async (visit, next) => {
    const response = await next();
    const changed = new Response(response.body, response);
    changed.headers.set(name, "1");
    return changed;
  };
}

const layers = [{ layer: adds("x-all") }, { layer: adds("x-night"), pages: ["night", "lost"] }, { layer: adds("x-below"), below: "observers" }];
const failed = ({ status }) => (status === 500 ? html("replaced", { status: 502 }) : undefined);

const own = site({
  ...settings,
  ...(hasLayers && { layers, failed }),
  pages: new Proxy({}, { get: () => page }),
  identify(asked) {
    const who = /^who=(.*)/.exec(asked.field("cookie") ?? "")?.[1];
    if (who === "away") throw new Failure(503, "", { retryAfter: 7 });
    return who;
  },
  meets: (who) => who === "ada",
  lists: (_, value) => (value === "away" ? { retryAfter: 9 } : value === "ada" || value === "grace"),
});
const server = createServer({ requireHostHeader: false }, listener(own));
server.listen(0, "127.0.0.1", () => console.log(`http://127.0.0.1:${server.address().port}`));
