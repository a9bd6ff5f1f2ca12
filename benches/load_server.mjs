// A server in node to be put under load, with pages of the demo: `bare` answers each request with the same text; `switch` finds out by hand which
// page was asked for; `module` asks the table; `response` has pages that give a `Response`, `layered` a layer around them; `reloaded`
// exchanges the site ten times a second meanwhile. Prints its port, and a path that the table answers.
//
// node benches/load_server.mjs FOLDER_OF_THE_MODULES KIND

import { createServer } from "node:http";

const [folder, kind] = process.argv.slice(2);
const { listener, site } = await import(`${folder}/server.js`);
const text = (date) => `<!doctype html><title>${date}</title><h1>The night of ${date}</h1>`;

function byHand(request, response) {
  const path = request.url.split("?", 1)[0].split("/");
  switch (path[1]) {
    case "nights":
      if (path.length === 3 && /^\d{4}-\d\d-\d\d$/.test(path[2])) {
        response.setHeader("content-type", "text/html; charset=utf-8");
        response.end(text(path[2]));
        return;
      }
      break;
    case "plates":
    case "objects":
    case "observers":
      break;
  }
  response.statusCode = 404;
  response.end("nothing");
}

function asked(page, layers = []) {
  const pages = new Proxy({}, { get: () => page });
  return site({ pages, layers });
}
const page = ({ params: { date } }) => text(date);
const whole = ({ params: { date } }) => new Response(text(date), { headers: { "content-type": "text/html; charset=utf-8" } });
const kinds = {
  bare: () => (_, response) => {
    response.setHeader("content-type", "text/html; charset=utf-8");
    response.end(text("2031-04-02"));
  },
  switch: () => byHand,
  module: () => listener(asked(page)),
  response: () => listener(asked(whole)),
  layered: () => listener(asked(page, [{ layer: (_, next) => next() }])),
  reloaded: () => {
    let now = asked(page);
    setInterval(() => (now = asked(page)), 100);
    return listener(() => now);
  },
};
const server = createServer(kinds[kind]());
server.listen(0, "127.0.0.1", () => console.log(`${server.address().port}/nights/2031-04-02`));
