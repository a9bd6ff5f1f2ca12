// What the listeners of the browser module cost on a page with many links, in Chromium: in milliseconds, medians.

import { spawn } from "node:child_process";
import { createServer } from "node:http";
import { createRequire } from "node:module";
import { join } from "node:path";

const LINKS = 1000;

/** Runs in the page: dispatches what a visitor does, and times what the listeners do before they give back control. */
async function measured(count) {
  const { link, start } = window.site;
  const main = document.querySelector("main");
  const make = (at) => Object.assign(document.createElement("a"), { href: link("plates.plate", { plate: `b-${1000 + at}` }), textContent: String(at) });
  const median = (times) => times.sort((one, other) => one - other)[Math.floor(times.length / 2)];
  const timed = async (act, isLater = false) => {
    const times = [];
    for (let round = 0; round < 31; round += 1) {
      const begin = performance.now();
      act(round);
      // What watches the document is told in a microtask.
      if (isLater) await undefined;
      times.push(performance.now() - begin);
      await new Promise((done) => setTimeout(done));
    }
    return median(times);
  };
  const page = (place) => place.append(document.createElement("h1"));
  start({ pages: new Proxy({}, { get: () => () => page }), frames: new Proxy({}, { get: () => () => (place) => place }), otherwise: () => page, failed: () => page });
  await new Promise((done) => setTimeout(done, 200));
  const all = Array.from({ length: count }, (_, at) => make(at));
  const begin = performance.now();
  main.append(...all);
  await undefined;
  const first = performance.now() - begin;
  const event = (kind) => (round) => all[(round * 31) % count].dispatchEvent(new Event(kind, { bubbles: true, composed: true }));
  return {
    "a link that comes": await timed((round) => main.append(make(count + round)), true),
    "a text that comes": await timed(() => main.append("x"), true),
    "a pointer that moves over a link": await timed(event("pointerover")),
    "a click on a link": await timed((round) => all[(round * 31) % count].dispatchEvent(new MouseEvent("click", { bubbles: true, composed: true, cancelable: true }))),
    [`${count} links that come at once`]: first,
  };
}

export function listenersOf(work, folder) {
  const { buildSync } = createRequire(join(folder, "package.json"))("esbuild");
  const contents = 'import { start } from "./browser.js"; import { link } from "./table.js"; window.site = { start, link };';
  const built = buildSync({ stdin: { contents, resolveDir: join(work, "demo") }, bundle: true, minify: true, format: "iife", write: false });
  const script = `${built.outputFiles[0].text}\n(${measured})(${LINKS}).then((times) => fetch("/times", { method: "POST", body: JSON.stringify(times) }), (error) => fetch("/times", { method: "POST", body: JSON.stringify({ error: String(error) }) }));`;
  return new Promise((done, failed) => {
    const server = createServer((request, response) => {
      if (request.method === "POST") {
        let body = "";
        request.on("data", (chunk) => (body += chunk));
        request.on("end", () => {
          response.end();
          browser.kill();
          server.close();
          done(JSON.parse(body));
        });
      } else if (request.url === "/script.js") response.end(script);
      else response.setHeader("content-type", "text/html").end('<!doctype html><title>links</title><body><main></main><script src="/script.js"></script>');
    });
    let browser;
    server.listen(0, "127.0.0.1", () => {
      const options = ["--headless", "--no-sandbox", "--disable-gpu", "--remote-debugging-port=0", `http://127.0.0.1:${server.address().port}/nights`];
      browser = spawn("chromium", options, { stdio: "ignore" });
      browser.on("error", failed);
    });
  });
}
