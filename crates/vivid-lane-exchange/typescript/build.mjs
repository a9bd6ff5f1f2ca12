// Makes what `convert` writes beside the lines of a table: the runtime as one text, in TypeScript and compiled, and what every module has
// after its lines. Run by `.ci/typescript`, which also finds out whether what is in `dist` is what this makes.
//
//     node build.mjs PATH/TO/tsc.js FOLDER

import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const [compiler, folder] = process.argv.slice(2);
const root = dirname(fileURLToPath(import.meta.url));
// What is used while the module is loaded comes before what uses it.
const sources = [
  "types", "rules", "reading", "query", "values", "tree", "table", "keys", "find", "address", "lists", "cut", "host", "place", "several", "link", "many",
  "position", "match", "decide", "redirect",
];
/** The modules beside the table: their sources, which of these applications may use, and the comment at the top. */
const MODULES = {
  browser: {
    sources: ["types", "addresses", "entries", "marks", "making", "drawing", "screen", "site"],
    handedOut: ["types", "drawing", "site"],
    purpose: "Navigation in a browser over the routes of a table: what a visitor takes for granted, with one place for each page and each frame.",
    table: "table",
  },
  server: {
    sources: ["types", "incoming", "reply", "soon", "visit", "service", "node"],
    handedOut: ["types", "incoming", "reply", "service", "node"],
    purpose: "A server over the routes of a table: a request in, the page or another answer out.",
    // Answers explain in words why there is no page.
    table: "routes",
  },
};
const HEADER = "// The runtime of route tables: matching, links and decisions. Made by `vivid-lane convert --to typescript`; it is the same for every table.\n\n";

/** A source without its imports. */
function inlined(path) {
  const text = readFileSync(path, "utf8")
    .replace(/^import [^;]*;\n/gm, "")
    .replace(/^export \{\};\n/gm, "");
  return text.replace(/\n{3,}/g, "\n\n").trim() + "\n";
}

const out = mkdtempSync(join(tmpdir(), "runtime-"));
const run = (...options) => execFileSync(process.execPath, [compiler, ...options], { stdio: "inherit" });
run("--project", root, "--outDir", join(out, "parts"));
mkdirSync(folder, { recursive: true });
/** The sources as one text. */
const joined = (from, ending) => sources.map((name) => inlined(join(from, name + ending))).join("\n");
writeFileSync(join(folder, "runtime.ts"), HEADER + joined(join(root, "src"), ".ts"));
// What is compiled is not read, so it has no comments but those for bundlers.
const uncommented = (text) => text.replace(/^ *\/\*\*[^]*?\*\/\n|^ *\/\/.*\n/gm, "");
writeFileSync(join(folder, "runtime.js"), HEADER + uncommented(joined(join(out, "parts"), ".js")));
// The declarations of a table need no more of the runtime than what is handed out.
writeFileSync(join(folder, "runtime.d.ts"), HEADER + inlined(join(out, "parts/types.d.ts")));

// What follows the lines of a table, the sentences, and the module of the browser are compiled with a table that stands for any.
const names = ["declared", "follows", "routes"];
for (const name of names) copyFileSync(join(root, `table/${name}.ts`), join(out, `${name}.ts`));
copyFileSync(join(folder, "runtime.ts"), join(out, "runtime.ts"));
writeFileSync(join(out, "table.ts"), 'export * from "./declared.js";\nexport * from "./follows.js";\n');
// The sources of each module are joined, too; their imports from the table come first.
const headerOf = (name) =>
  `// ${MODULES[name].purpose}\n// Made by \`vivid-lane convert --to typescript --${name}\`; it is the same for every table.\n\n`;
for (const [name, { sources, handedOut, table }] of Object.entries(MODULES)) {
  const texts = sources.map((source) => readFileSync(join(root, `${name}/${source}.ts`), "utf8"));
  const fromTable = (pattern) => {
    const lists = texts.flatMap((text) => [...text.matchAll(pattern)].flatMap(([, list]) => list.split(/,\s*/)));
    return [...new Set(lists.map((one) => one.trim()).filter((one) => one !== ""))].sort().join(", ");
  };
  /** A source: what is for applications is handed out, and nothing else. */
  const ofModule = (source) => {
    const text = inlined(join(root, `${name}/${source}.ts`));
    return handedOut.includes(source) ? text : text.replace(/^export /gm, "");
  };
  const imports =
    `import { ${fromTable(/^import \{([^}]*)\} from "\.\.\/table\/follows\.js";$/gm)} } from "./${table}.js";\n` +
    `import type { ${fromTable(/^import type \{([^}]*)\} from "\.\.\/table\/follows\.js";$/gm)} } from "./${table}.js";\n\n`;
  writeFileSync(join(out, `${name}.ts`), headerOf(name) + imports + sources.map(ofModule).join("\n"));
}
writeFileSync(join(out, "package.json"), '{ "type": "module" }');
const strict = ["strict", "noUncheckedIndexedAccess", "exactOptionalPropertyTypes", "noUnusedLocals", "noUnusedParameters", "isolatedModules"];
const options = [...strict, "isolatedDeclarations", "declaration", "erasableSyntaxOnly", "verbatimModuleSyntax"].map((one) => `--${one}`);
const targets = ["--target", "es2020", "--lib", "es2020,dom,dom.iterable", "--module", "nodenext", "--outDir", join(out, "made")];
run(...options, ...targets, join(out, "routes.ts"), ...Object.keys(MODULES).map((name) => join(out, `${name}.ts`)));
for (const [ending, from] of [["ts", out], ["js", join(out, "made")], ["d.ts", join(out, "made")]]) {
  writeFileSync(join(folder, `follows.${ending}`), inlined(join(from, `follows.${ending}`)));
  copyFileSync(join(from, `routes.${ending}`), join(folder, `routes.${ending}`));
  for (const name of Object.keys(MODULES)) {
    const text = readFileSync(join(from, `${name}.${ending}`), "utf8");
    writeFileSync(join(folder, `${name}.${ending}`), ending === "js" ? headerOf(name) + uncommented(text).trimStart() : text);
  }
}
