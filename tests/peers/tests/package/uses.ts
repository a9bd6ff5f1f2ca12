// What a program in TypeScript writes. It is compiled, not run.

import { type Decision, type Finding, load, loadSync, type Source, writeModules } from "vivid-lane";

const source: Source = { name: "routes.yaml", text: "routes: {}", include: (file) => (file === "more.yaml" ? "routes: {}" : undefined) };

export async function use(): Promise<string> {
  const lane = await load();
  const { table, findings } = loadSync().table(source);
  if (!table) return findings.map((one: Finding) => `${one.file}:${one.line}: ${one.message}`).join("\n");
  const decision: Decision = table.match("/nights", { meets: ["observer"], lists: { observers: new Set(["ada"]) } });
  if (decision.outcome === "redirect") return decision.location ?? "";
  const { url, error } = table.link("nights.night", { date: "2031-04-02", band: ["b", "v"], page: 2 }, { absolute: true });
  const { changes } = lane.diff(table, "routes = {}");
  const { text, notes } = lane.convert({ "index.html": "<title>Home</title>" }, { from: "pages", to: "yaml" });
  const { status, files } = lane.run(["convert", "--to", "typescript", "--out", "made"], { files: { "routes.toml": "" } });
  const writing = writeModules({ out: "src/routes", browser: true, watch: true, report: (said, isMistake) => console.log(said, isMistake) });
  writing.close();
  // @ts-expect-error There is no such outcome.
  if (decision.outcome === "lost") return "";
  // @ts-expect-error A link has values of texts, numbers, lists and pairs.
  table.link("nights", { date: { year: 2031 } });
  return url ?? error ?? String(changes?.length) + text + notes.length + status + Object.keys(files).length;
}
