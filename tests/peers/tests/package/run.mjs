// Calls the package as the tool was called, and tells where they differ: node run.mjs PACKAGE CASES

import { readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { pathToFileURL } from "node:url";

const [packed, casesFile] = process.argv.slice(2);
const { loadSync } = await import(pathToFileURL(packed));
const { Disk } = await import(pathToFileURL(join(dirname(packed), "disk.js")));
const lane = loadSync();
const cases = JSON.parse(readFileSync(casesFile, "utf8"));
let differing = 0;
let calledAsFunctions = 0;

function differs(what, ours, theirs) {
  if (ours === theirs) return;
  differing += 1;
  if (differing > 5) return;
  let at = 0;
  while (ours[at] === theirs[at]) at += 1;
  const around = (text) => JSON.stringify(String(text).slice(Math.max(0, at - 60), at + 120));
  console.log(`${what}\n  package  ${around(ours)}\n  tool     ${around(theirs)}`);
}

/** The same, by the functions of the package. What they give is the tool's JSON, key by key. */
function asFunctions(words, out, status) {
  const [tableOption, name, formatOption, format, command, ...rest] = words;
  if (tableOption !== "--table" || formatOption !== "--format" || format !== "json" || status === 2) return;
  const source = { name, text: readFileSync(name, "utf8"), include: (file) => readFileSync(file, "utf8") };
  let found;
  if (command === "check" && rest.length === 0) {
    found = lane.check(source);
  } else if (command === "tree") {
    const { table } = lane.table(source);
    found = [table.site(), ...table.tree()];
    table.free();
  } else if (command === "match" && rest[0] === "--explain" && rest[1] === "--") {
    const { table } = lane.table(source);
    found = rest.slice(2).map((url) => table.match(url, { explain: true }));
    table.free();
  } else if (command === "convert" && rest.length === 2) {
    const made = lane.convert(source, { to: rest[1] });
    differs(`convert() of ${name} to ${rest[1]}`, made.text, out);
    calledAsFunctions += 1;
    return;
  } else {
    return;
  }
  calledAsFunctions += 1;
  differs(`${command}() of ${name}`, found.map((one) => JSON.stringify(one) + "\n").join(""), out);
}

for (const { words, input, status, out, err } of cases) {
  const printed = { 1: [], 2: [] };
  const disk = new Disk((stream, bytes) => printed[stream].push(Buffer.from(bytes)));
  let rest = Buffer.from(input);
  disk.input = () => {
    // A few bytes at a time.
    const some = rest.subarray(0, 7);
    rest = rest.subarray(7);
    return some;
  };
  const call = lane.callOn(disk, words, { colours: [true, true] });
  const text = (stream) => Buffer.concat(printed[stream]).toString();
  const about = JSON.stringify(words);
  differs(`status of ${about}`, String(call.status), String(status));
  differs(`results of ${about}`, text(1), out);
  differs(`what is said of ${about}`, text(2), err);
  call.free();
  asFunctions(words, out, status);
}
console.log(`${cases.length} calls, ${calledAsFunctions} of them as functions too: ${differing} differ`);
process.exitCode = differing === 0 ? 0 : 1;
