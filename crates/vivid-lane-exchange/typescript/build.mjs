// Makes what `convert` writes beside the data of a table: the sources as one text, in TypeScript and compiled. Run by `.ci/typescript`,
// which also finds out whether what stands in `dist` is what this makes.
//
//     node build.mjs PATH/TO/tsc.js FOLDER

import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const [compiler, folder] = process.argv.slice(2);
const root = dirname(fileURLToPath(import.meta.url));
// What users read comes first. Only that is exported.
const shown = ["types", "api"];
const hidden = ["data", "model", "percent", "rules", "host", "url", "find", "template", "values", "link", "position", "decide"];

const out = mkdtempSync(join(tmpdir(), "matcher-"));
execFileSync(process.execPath, [compiler, "--project", root, "--outDir", out], { stdio: "inherit" });

/** A source without its imports, and without its exports where they are not those of the module. */
function inlined(path, isShown) {
  const text = readFileSync(path, "utf8")
    .replace(/^import [^;]*;\n/gm, "")
    .replace(/^export (type )?\{[^}]*\}( from "[^"]*")?;\n/gm, "")
    .replace(/^export \* from [^;]*;\n/gm, "");
  const own = isShown ? text : text.replace(/^export (?=\w)/gm, "");
  return own.replace(/\n{3,}/g, "\n\n").trim() + "\n";
}

function joined(ending, names, from) {
  return names.map((name) => inlined(join(from, name + ending), shown.includes(name))).join("\n");
}

mkdirSync(folder, { recursive: true });
const matcher = joined(".ts", [...shown, ...hidden], join(root, "src"));
writeFileSync(join(folder, "matcher.ts"), matcher);
writeFileSync(join(folder, "matcher.js"), joined(".js", [...shown, ...hidden], out));
writeFileSync(join(folder, "matcher.d.ts"), joined(".d.ts", shown, out));

// The browser's module stands beside a module of routes, here one for any table.
const names = readFileSync(join(root, "src/names.ts"), "utf8");
const table = inlined(join(root, "src/table.ts"), false);
writeFileSync(join(out, "package.json"), '{ "type": "module" }');
writeFileSync(join(out, "routes.ts"), [names, matcher, table].join("\n"));
copyFileSync(join(root, "browser/browser.ts"), join(out, "browser.ts"));
const strict = ["strict", "noUncheckedIndexedAccess", "exactOptionalPropertyTypes", "noUnusedLocals", "noUnusedParameters", "isolatedModules"];
const options = [...strict, "isolatedDeclarations", "declaration", "erasableSyntaxOnly", "verbatimModuleSyntax"].map((one) => `--${one}`);
const targets = ["--target", "es2020", "--lib", "es2020,dom,dom.iterable", "--module", "nodenext", "--outDir", join(out, "browser")];
execFileSync(process.execPath, [compiler, ...options, ...targets, join(out, "browser.ts")], { stdio: "inherit" });
copyFileSync(join(root, "browser/browser.ts"), join(folder, "browser.ts"));
for (const ending of ["js", "d.ts"]) copyFileSync(join(out, `browser/browser.${ending}`), join(folder, `browser.${ending}`));
