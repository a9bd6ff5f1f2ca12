// The parts of `benches/browser`: tables of some sizes, what their modules weigh, and what calls cost.

import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import { listenersOf } from "./listeners.mjs";

const NOUNS = ["plates", "nights", "domes", "talks", "lenses", "papers", "visits", "grants", "rooms", "guides"];
const PAGES = ["edit", "history", "settings", "members", "export", "activity"];

/** Routes as many an application has them: a name, a path, a rule, and whether the URL has an id. */
function routesOf(count) {
  if (count === 1) return [["plates", "/plates/{id}", "params.id = 'natural'", true]];
  const routes = [["home", "/", "", false]];
  for (let set = 0; routes.length < count; set += 1) {
    const noun = NOUNS[set % NOUNS.length] + (set < NOUNS.length ? "" : `-${Math.floor(set / NOUNS.length)}`);
    routes.push([noun, `/${noun}{?page}`, "params.page = { type = 'integer', minimum = 1, default = 1 }", false]);
    routes.push([`${noun}.new`, "/new", "", false], [`${noun}.one`, "/{id}", "params.id = 'natural'", true]);
    for (const page of PAGES) routes.push([`${noun}.one.${page}`, `/${page}`, "", true]);
  }
  return routes.slice(0, count);
}

const table = (count) =>
  routesOf(count).map(([name, path, rule]) => `[routes.${name}]\npath = '${path}'\npage = '${name.replaceAll(".", "-")}'\n${rule}\n`).join("\n");

/** What is loaded of a module: gzipped bytes, by each bundler. */
async function sizesOf(folder, work) {
  const require = createRequire(join(folder, "package.json"));
  const [esbuild, { rollup }, { minify }] = [require("esbuild"), require("rollup"), require("terser")];
  const packed = (code) => gzipSync(code, { level: 9 }).length;
  const rows = [];
  const wanted = { "match": "match", "link": "link", "match and link": "match, link", "match, link and decide": "match, link, decide" };
  for (const name of ["1", "10", "50", "1000", "demo"]) {
    for (const [what, names] of Object.entries({ ...wanted, ...(name === "demo" ? { "all of it": "*" } : {}) })) {
      const file = join(work, name, "wanted.js");
      writeFileSync(file, names === "*" ? 'export * from "./table.js";\n' : `export { ${names} } from "./table.js";\n`);
      const built = esbuild.buildSync({ entryPoints: [file], bundle: true, minify: true, format: "esm", target: "es2020", write: false });
      const bundle = await rollup({ input: file, logLevel: "silent" });
      const { output } = await bundle.generate({ format: "es" });
      const { code } = await minify(output[0].code, { module: true, ecma: 2020 });
      rows.push([name, what, packed(built.outputFiles[0].contents), packed(code)]);
    }
  }
  const beside = { "the browser module": "browser", "the server module": "server" };
  for (const [what, module] of Object.entries(beside)) {
    const options = { bundle: true, minify: true, format: "esm", external: ["./table.js", "./routes.js"], write: false };
    const built = esbuild.buildSync({ entryPoints: [join(work, `demo/${module}.js`)], ...options });
    rows.push(["demo", `${what} beside it`, packed(built.outputFiles[0].contents), 0]);
  }
  return rows;
}

/** The same strings, made anew, as the URL of a visitor is: nothing knows their hash yet. */
const fresh = (urls, count) => Array.from({ length: count }, (_, at) => Buffer.from(urls[at % urls.length]).toString("latin1"));

/** The median of some rounds, in nanoseconds a call; each call must give something. */
function median(urls, call, count = 20_000) {
  const times = [];
  for (let round = 0; round < 15; round += 1) {
    const all = fresh(urls, count);
    const start = performance.now();
    let found = 0;
    for (let at = 0; at < count; at += 1) if (call(all[at], at)) found += 1;
    times.push(((performance.now() - start) * 1e6) / count);
    if (found !== count) throw new Error(`${count - found} of ${count} calls gave nothing`);
  }
  return times.sort((one, other) => one - other)[7];
}

/** What calls cost, as multiples of `Map.get` of the exact path. */
async function costsOf(work, count) {
  const { match, decide, link } = await import(join(work, String(count), "table.js"));
  const routes = routesOf(count);
  const urls = [3, 77, 1042].flatMap((id) => routes.map(([name, , , hasId]) => link(name, hasId ? { id } : {})));
  const map = new Map(urls.map((url, at) => [url, at + 1]));
  const expressions = routes.map(([name, , , hasId]) => new RegExp(`^${link(name, hasId ? { id: 7 } : {}).replace("/7", "/(0|[1-9]\\d*)")}(?:\\?(.*))?$`));
  const lists = routes.filter(([, path]) => path.includes("?")).map(([name]) => name);
  const ids = routes.filter(([, , , hasId]) => hasId).map(([name]) => name);
  const exact = median(urls, (url) => map.get(url));
  const costs = {
    "`match`": median(urls, (url) => match(url)),
    "`decide`": median(urls, (url) => decide(url).outcome === "page"),
    "a loop of expressions": median(urls, (url) => expressions.some((one) => one.test(url)), count > 100 ? 2_000 : 20_000),
    "`match` with two values in the query": median(lists.map((name) => `${link(name)}?x=1&page=2`), (url) => match(url)),
    "a URL that nothing has": median(urls.map((url) => `${url}x/y`), (url) => match(url) === undefined),
    "`link` with one value": median(urls, (_, at) => link(ids[at % ids.length], { id: at })),
    "`link` with a value in the query": median(urls, (_, at) => link(lists[at % lists.length], { page: 2 + at })),
  };
  return Object.entries(costs).map(([name, cost]) => [name, cost / exact]);
}

/** Loading and the first match, without what an empty script takes, as a multiple of parsing as much JSON. */
function loadOf(work, count) {
  const time = (script) => {
    const times = Array.from({ length: 9 }, () => Number(execFileSync(process.execPath, ["--input-type=module", "-e", script], { cwd: work })));
    return times.sort((one, other) => one - other)[4];
  };
  const timed = (body) => time(`const start = performance.now(); ${body}; console.log(performance.now() - start)`);
  const lines = readFileSync(join(work, String(count), "table.js"), "utf8").match(/^ {2}\[.*\],$/gm).map((line) => line.replace(/, \{.*/, "],").slice(0, -1));
  writeFileSync(join(work, "lines.json"), `[${lines.join(",")}]`);
  const empty = timed("");
  const parsed = timed('const { readFileSync } = await import("node:fs"); JSON.parse(readFileSync("./lines.json", "utf8"))') - empty;
  return (timed(`const { match } = await import("./${count}/table.js"); match("/plates/7")`) - empty) / parsed;
}

const sizeLine = ([name, what, first, second]) => `${name}: ${what}: ${first} ${second}`;

async function measure(work, folder, kept) {
  const sizes = await sizesOf(folder, work);
  writeFileSync(kept, sizes.map(sizeLine).join("\n") + "\n");
  const lines = ["## In the browser", "", "Written by `benches/browser`. What is loaded, minified by esbuild and by Rollup with terser, gzipped, in bytes.", ""];
  lines.push("| table | parts | esbuild | Rollup |", "| --- | --- | --- | --- |");
  for (const [name, what, first, second] of sizes) lines.push(`| ${name === "demo" ? "the demo" : `${name} routes`} | ${what} | ${first} | ${second || ""} |`);
  const counts = [10, 50, 1000];
  const costs = [];
  for (const count of counts) costs.push(await costsOf(work, count));
  lines.push("", "Calls in node, as multiples of `Map.get` of the exact path in the same run, on strings that are new; medians.", "");
  lines.push(`| call | ${counts.map((count) => `${count} routes`).join(" | ")} |`, `| --- | ${counts.map(() => "---").join(" | ")} |`);
  costs[0].forEach(([name], at) => lines.push(`| ${name} | ${costs.map((own) => own[at][1].toFixed(1)).join(" | ")} |`));
  lines.push(`| loading and the first match, as a multiple of \`JSON.parse\` of the lines | ${counts.map((count) => loadOf(work, count).toFixed(1)).join(" | ")} |`);
  lines.push("", "What the listeners of the browser module take on a page of 1,000 links, in Chromium: medians, in milliseconds. Its clock has steps of 0.1.", "");
  lines.push("| what happens | ms |", "| --- | --- |");
  for (const [name, time] of Object.entries(await listenersOf(work, folder))) lines.push(`| ${name} | ${time.toFixed(1)} |`);
  console.log(lines.join("\n"));
}

/**
 * How many times as much as a match a call may cost at most, with 50 routes: about three times what it does, as machines are shared. A loop of
 * expressions is what is written by hand in its place.
 */
const MOST = { "`decide`": 4, "`match` with two values in the query": 7, "a URL that nothing has": 3, "`link` with one value": 4, "`link` with a value in the query": 12 };
const LOOP = "a loop of expressions";

async function check(work, folder, kept) {
  const [wanted, found] = [readFileSync(kept, "utf8").trim().split("\n"), (await sizesOf(folder, work)).map(sizeLine)];
  const wrong = found.filter((line, at) => line !== wanted[at]).map((line) => `${line} is not what ${kept} says; run benches/browser`);
  const costs = Object.fromEntries(await costsOf(work, 50));
  const match = costs["`match`"];
  for (const [name, most] of Object.entries(MOST)) {
    const ratio = costs[name] / match;
    if (ratio > most) wrong.push(`${name} costs ${ratio.toFixed(1)} times as much as a match; ${most} are allowed`);
  }
  if (match > 2 * costs[LOOP]) wrong.push(`a match costs ${(match / costs[LOOP]).toFixed(1)} times as much as ${LOOP}; 2 are allowed`);
  if (wrong.length > 0) throw new Error(wrong.join("\n"));
  console.log(`${found.length} sizes are as they were, and no call is slower`);
}

const [what, ...words] = process.argv.slice(2);
if (what === "table") console.log(table(Number(words[0])));
else await (what === "check" ? check : measure)(...words);
