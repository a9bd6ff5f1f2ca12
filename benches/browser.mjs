// The parts of `benches/browser`: a table of 1,000 routes, and the measurements.

import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";

const RESOURCES = 125;
/** The routes of a resource: name, path, rule, a URL. */
const ROUTES = [
  ["", "", "", ""],
  [".new", "/new", "", "/new"],
  [".one", "/{id}", "params.id = 'integer'", "/ID"],
  [".one.edit", "/edit", "", "/ID/edit"],
  [".one.parts", "/parts", "", "/ID/parts"],
  [".one.parts.part", "/{part}", "params.part = 'slug'", "/ID/parts/lens-ID"],
  [".one.parts.part.log", "/log", "", "/ID/parts/lens-ID/log"],
  [".one.day", "/days/{date}", "params.date = 'date'", "/ID/days/2031-04-02"],
];
const each = (make) => Array.from({ length: RESOURCES }, (_, at) => ROUTES.map((route) => make(at, route))).flat();
const table = () => each((at, [name, path, rule]) => `[routes.res${at}${name}]\npath = '${path || `/res${at}`}'\npage = 'p${name}'\n${rule}\n`).join("\n");
const urls = each((at, [, , , url]) => `/res${at}${url.replaceAll("ID", at)}`);

function size(file, folder, external) {
  const more = external ? [`--external:${external}`] : [];
  const esbuild = join(folder, "node_modules/.bin/esbuild");
  const bundled = execFileSync(esbuild, ["--bundle", "--minify", "--format=esm", "--target=es2020", ...more, file]);
  return [bundled.length, gzipSync(bundled, { level: 9 }).length];
}

/** The same strings, made anew, as the URL of a visitor is: nothing knows their hash yet. */
const fresh = (rounds) => Array.from({ length: rounds }, () => urls.map((url) => Array.from(url).join(""))).flat();

/** The best of some rounds, in nanoseconds a call. */
function best(call, rounds = 60) {
  let least = Infinity;
  for (let round = 0; round < 9; round += 1) {
    const all = fresh(rounds);
    const start = performance.now();
    let found = 0;
    for (const url of all) if (call(url)) found += 1;
    least = Math.min(least, (performance.now() - start) / all.length);
    if (found !== all.length) throw new Error("not every URL was found");
  }
  return least * 1e6;
}

async function measure(work, folder) {
  const lines = [];
  const kib = (bytes) => `${(bytes / 1024).toFixed(1)} KiB`;
  writeFileSync(join(work, "demo/match.js"), 'export { match } from "./routes.js";');
  writeFileSync(join(work, "demo/links.js"), 'export { match, link, isActive } from "./routes.js";');
  const rows = [
    ["`match` of the demo's table (41 routes)", size(join(work, "demo/match.js"), folder)],
    ["`match`, `link` and `isActive` of it", size(join(work, "demo/links.js"), folder)],
    ["all of it", size(join(work, "demo/routes.js"), folder)],
    ["the browser module beside it", size(join(work, "demo/browser.js"), folder, "./routes.js")],
  ];
  lines.push("## In the browser", "", "Written by `benches/browser`. What is loaded, minified by esbuild.", "");
  lines.push("| modules | minified | and gzipped |", "| --- | --- | --- |");
  for (const [name, [plain, packed]] of rows) lines.push(`| ${name} | ${kib(plain)} | ${kib(packed)} |`);

  const source = readFileSync(join(work, "large/routes.js"), "utf8");
  const from = source.indexOf("JSON.parse(`") + 12;
  const data = (0, eval)("`" + source.slice(from, source.indexOf("`);", from)) + "`");
  let parsed = Infinity;
  const time = (call) => {
    const start = performance.now();
    call();
    return performance.now() - start;
  };
  for (let round = 0; round < 5; round += 1) parsed = Math.min(parsed, time(() => JSON.parse(data)));
  const loads = ["large", "demo"].map((name) => {
    const script = `const start = performance.now(); await import("./${name}/routes.js"); console.log(performance.now() - start)`;
    const load = () => Number(execFileSync(process.execPath, ["--input-type=module", "-e", script], { cwd: work }));
    return Math.min(...Array.from({ length: 7 }, load));
  });
  const { match, decide, link } = await import(join(work, "large/routes.js"));
  const map = new Map(urls.map((url, at) => [url, at]));
  const patterns = each((at, [, , , url]) =>
    `/res${at}${url.replace("lens-ID", "([a-z0-9]+(?:-[a-z0-9]+)*)").replace("2031-04-02", "(\\d{4}-\\d\\d-\\d\\d)").replace("ID", "(0|[1-9]\\d*)")}`,
  );
  const expression = new RegExp(`^(?:${patterns.join("|")})$`);
  const exact = best((url) => map.has(url));
  const figures = [
    ["`match`, with typed values", best((url) => match(url))],
    ["`decide`", best((url) => decide(url).outcome === "page")],
    ["`link` with two values", best(() => link("res7.one.parts.part", { id: 7, part: "lens-7" }))],
    ["one regular expression of all routes", best((url) => expression.test(url), 2)],
  ];
  lines.push("", "A table of 1,000 routes in node, as ratios to `Map.has` of the exact path in the same run, on strings that are new.", "");
  lines.push("| call | ratio |", "| --- | --- |");
  for (const [name, cost] of figures) lines.push(`| ${name} | ${(cost / exact).toFixed(1)} |`);
  const [large, small] = loads;
  lines.push("", "Loading it, as ratios to `JSON.parse` of the same data. The module's code is read first, whatever the table.", "");
  lines.push("| what | ratio |", "| --- | --- |");
  lines.push(`| the code, with the demo's table | ${(small / parsed).toFixed(1)} |`, `| what 1,000 routes take more | ${((large - small) / parsed).toFixed(1)} |`);
  console.log(lines.join("\n"));
}

if (process.argv[2] === "table") console.log(table());
else await measure(process.argv[3], process.argv[4]);
