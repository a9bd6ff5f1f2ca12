// The functions of the package: what they give and refuse, an instance that breaks down, memory over many edits.

import assert from "node:assert/strict";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { test } from "node:test";
import { pathToFileURL } from "node:url";

const folder = process.env.VIVID_LANE_PACKAGE;
const { Broken, load, loadSync, writeModules } = await import(pathToFileURL(join(folder, "node.js")));
const browser = await import(pathToFileURL(join(folder, "index.js")));
const demo = new URL("../../../../demo/larkfell/", import.meta.url);
const file = (name) => readFileSync(new URL(name, demo), "utf8");
const source = { text: file("routes.toml"), include: file };
const lane = loadSync();

test("a table matches, explains and links", () => {
  const { table } = lane.table(source);
  const night = table.match("/nights/2031-04-02");
  assert.equal(night.route, "nights.night");
  assert.deepEqual(night.params, { date: "2031-04-02" });
  assert.equal(table.match("/observers/ada").outcome, "not-found");
  assert.equal(table.match("/observers/ada", { lists: { observers: new Set(["ada"]) } }).outcome, "page");
  assert.equal(table.match("/observers/ada/logbook/2031", { lists: { observers: ["ada"] }, meets: ["observer"] }).outcome, "page");
  assert.equal(table.match("/observers/join", { method: "DELETE" }).outcome, "wrong-method");
  assert.ok(table.match("/objects/tonight", { explain: true }).candidates.length > 1);
  assert.deepEqual(table.link("nights.night", { date: "2031-04-02" }), { url: "/nights/2031-04-02" });
  assert.deepEqual(table.link("plates", { band: ["b", "v"] }), { url: "/plates?band=b&band=v" });
  assert.deepEqual(table.link("search", { q: "moon", page: 2 }), { url: "/search?q=moon&page=2" });
  assert.deepEqual(table.link("nights.night.exposures", {}, { from: "/nights/2031-04-02" }), { url: "/nights/2031-04-02/exposures" });
  assert.match(table.link("nights.nigth").error, /nights\.night/);
  assert.match(table.link("nights.night", { date: { at: 1 } }).error, /expected a text/);
  table.free();
});

test("what is wrong is a value", () => {
  const { table, findings } = lane.table("[routes.home]\npath = 'home'\npage = 'home'\n");
  assert.equal(table, undefined);
  assert.equal(findings[0].code, "path-start");
  assert.deepEqual(findings[0].range, [21, 27]);
  assert.equal(lane.check("[routes.home]\npath = '/'\npage = 'home'\n").length, 0);
  assert.equal(lane.check("routes: { home: { path: / } }", {}).length > 0, true);
  assert.equal(lane.check({ name: "routes.yaml", text: "routes: { home: { path: /, page: home } }" }).length, 0);
  assert.equal(lane.check("[routes.home]\npath = '/'\npage = 'home'\n", { handlers: ["other"] }).length > 0, true);
  const including = "[routes.more]\npath = '/more'\ninclude = 'more.toml'\n";
  const said = (given) => lane.check({ text: including, include: () => given }).map(({ message }) => message).join("\n");
  assert.equal(said("[routes.one]\npath = '/one'\npage = 'one'\n"), "");
  assert.match(said(undefined), /no file is called more.toml/);
  for (const [given, named] of [[Promise.resolve(""), "a promise"], [7, "a number"], [null, "null"], [{}, "an object"]]) {
    assert.match(said(given), new RegExp(`expected a text or a Uint8Array from .*include.* for more.toml, found ${named}`));
  }
  assert.equal(lane.diff("[", source).findings.length > 0, true);
  assert.equal(lane.diff(source, "[").findings.length > 0, true);
});

test("a review has the findings and the table", () => {
  const { findings, table } = lane.review(source);
  assert.deepEqual(findings, lane.check(source));
  assert.equal(table.match("/nights").route, "nights");
  const broken = lane.review("[routes.home]\npath = 'home'\npage = 'home'\n");
  assert.deepEqual([broken.table, broken.findings[0].code], [undefined, "path-start"]);
});

test("two tables are compared", () => {
  const { changes } = lane.diff("[routes.a]\npath = '/a'\npage = 'a'\n", "[routes.a]\npath = '/b'\npage = 'a'\n");
  assert.equal(changes[0].change, "moved");
  assert.match(changes[0].redirect, /old/);
  const { table } = lane.table(source);
  assert.deepEqual(lane.diff(table, source), { changes: [] });
});

test("tables become other forms, and others tables", () => {
  const yaml = lane.convert("[routes.home]\npath = '/'\npage = 'home'\n", { to: "yaml" });
  assert.deepEqual([yaml.status, yaml.text], [0, "routes:\n  home:\n    path: /\n    page: home\n"]);
  const made = lane.convert(source, { to: "typescript", browser: true, javascript: true });
  assert.deepEqual(Object.keys(made.files).sort(), ["browser.d.ts", "browser.js", "package.json", "routes.d.ts", "routes.js", "runtime.d.ts", "runtime.js", "table.d.ts", "table.js"].map((name) => `modules/${name}`));
  const pages = lane.convert({ "index.html": "<title>Home</title>", "nights/{date}.html": "<title>Night</title>" }, { from: "pages" });
  assert.match(pages.text, /path = "\/\{date\}"/);
  const described = lane.convert({ text: file("api.yaml") }, { from: "openapi" });
  assert.equal(described.status, 0);
  assert.ok(described.notes.length > 0 && described.notes[0].code);
  const map = lane.convert(source, { to: "sitemap", values: { date: ["2031-04-02"] }, lists: { observers: ["ada"] } });
  assert.match(map.files["sitemap.xml"], /nights\/2031-04-02/);
  assert.match(lane.convert("[", { to: "yaml" }).error, /error/);
});

test("the tool runs on files in memory", () => {
  const files = { "routes.toml": "[routes.home]\npath = '/'\npage = 'home'\n" };
  assert.deepEqual(lane.run(["match", "/"], { files }).status, 0);
  assert.match(lane.run(["match", "-"], { files, input: "/x\n/\n" }).out, /404.*\n(.*\n)*200/);
  assert.equal(lane.run(["convert", "--to", "yaml", "--out", "a.yaml"], { files }).files["a.yaml"].startsWith("routes:"), true);
  assert.match(lane.run(["check"]).err, /no `routes.toml` in \//);
  assert.match(lane.run(["check"], { files, colours: true }).out, /\u001b\[/);
});

test("each instance is its own, and one that has broken down says so", async () => {
  const other = await load();
  const { table } = other.table(source);
  assert.equal(other.broken, undefined);
  // A table that lies beyond the memory, as after a defect.
  table.built.__wbg_ptr = 0xfffffff0;
  assert.throws(() => table.match("/"), Broken);
  assert.match(other.broken, /memory access out of bounds/);
  assert.throws(() => other.check(source), Broken);
  assert.equal(lane.broken, undefined);
  const anew = await load();
  assert.equal(anew.check(source).filter((one) => one.severity === "error").length, 0);
});

test("what a browser loads is the same", async () => {
  const bytes = readFileSync(join(folder, "vivid_lane.wasm"));
  const other = await browser.load(bytes);
  assert.deepEqual(other.check(source), lane.check(source));
  await assert.rejects(browser.load(new Response("", { status: 404 })), /404/);
});

test("memory is flat over 10,000 edits, and every prefix of the demo gets an answer", () => {
  const text = source.text;
  const other = loadSync();
  const small = "[routes.a]\npath = '/a/{b}'\npage = 'a'\nparams.b = 'date'\n[routes.a.c]\npath = '/c'\npage = 'c'\n";
  const edit = (at) => {
    const cut = at % small.length;
    // One more letter, and what was there before it.
    other.check(at % 2 === 0 ? small.slice(0, cut) + "x" + small.slice(cut) : small.slice(0, cut));
  };
  for (let at = 0; at < 1_000; at += 1) edit(at);
  const before = other.memory();
  for (let at = 0; at < 9_000; at += 1) edit(at);
  assert.equal(other.memory(), before);
  for (let at = 0; at < text.length; at += 97) assert.ok(Array.isArray(other.check({ text: text.slice(0, at), include: file })));
  const grown = other.memory();
  for (let at = 0; at < text.length; at += 97) other.check({ text: text.slice(0, at), include: file });
  assert.equal(other.memory(), grown);
  assert.equal(other.broken, undefined);
});

test("a build tool's configuration writes modules", async (t) => {
  const work = mkdtempSync(join(tmpdir(), "modules-"));
  const table = join(work, "routes.toml");
  const out = join(work, "made");
  writeFileSync(table, "[routes.home]\npath = '/'\npage = 'home'\n");
  writeModules({ table, out, javascript: true });
  assert.match(readFileSync(join(out, "table.js"), "utf8"), /home/);
  writeFileSync(table, "[routes.home]\npath = 'x'\npage = 'home'\n");
  assert.throws(() => writeModules({ table, out }), /path-start/);
  const reports = [];
  let told;
  const next = () => new Promise((resolve) => (told = resolve));
  let report = next();
  const writing = writeModules({ table, out, javascript: true, watch: true, report: (...all) => (reports.push(all), told()) });
  t.after(() => writing.close());
  if (reports.length === 0) await report;
  assert.equal(reports[0][1], true);
  report = next();
  writeFileSync(table, "[routes.mended]\npath = '/'\npage = 'home'\n");
  await report;
  assert.deepEqual(reports[1], [`wrote 7 files in ${out}`, false]);
  assert.match(readFileSync(join(out, "table.js"), "utf8"), /mended/);
});
