// Runs the cases of a folder in the modules of its tables, and shows the first that differ from what the tables say.

import { createReadStream } from "node:fs";
import { createInterface } from "node:readline";
// Puts errors into words, in all modules.
import "./routes.js";

const LISTED = ["ada", "grace"];
const modules = new Map();
const wrong = [];
const counts = {};

/** What a value is in a URL: texts; what is undefined is not there. */
function texts(value) {
  if (value === undefined || value === null) return null;
  if (Array.isArray(value)) return value.map(texts);
  if (typeof value === "object") {
    return Object.fromEntries(Object.entries(value).filter(([, one]) => one !== undefined).map(([key, one]) => [key, texts(one)]));
  }
  return value;
}

/** A position with all that can be asked of it. */
function whole(value, { address, levels, frames, dataOf }) {
  return { ...value, address: address(value), levels: levels(value), frames: frames(value), data: dataOf(value.route) };
}

/** A position or decision with the values of its parameters as texts, and nothing for what is undefined. */
function plain(value, functions, key) {
  if (value === undefined) return null;
  if (value === null || typeof value !== "object") return value;
  if (Array.isArray(value)) return value.map((one) => plain(one, functions));
  // What few ask for is worked out by functions.
  const isPosition = functions && "params" in value && "route" in value && !("covered" in value);
  const own = isPosition ? whole(value, functions) : functions && value.outcome === "not-found" ? { ...value, frames: functions.frames(value) } : value;
  const entries = Object.entries(own).map(([name, one]) => [name, name === "params" ? texts(one) : plain(one, functions, name)]);
  return Object.fromEntries(key === "data" ? entries : entries.sort(([one], [other]) => (one < other ? -1 : 1)));
}

/** Are they the same, where a number stands for the text that a table gives? One that is too long is rounded. */
function same(found, wanted) {
  if (typeof found === "number" && typeof wanted === "string") return Number(wanted) === found;
  if (typeof found === "boolean" && typeof wanted === "string") return wanted === String(found);
  if (found === null || typeof found !== "object") return found === wanted;
  if (wanted === null || typeof wanted !== "object" || Array.isArray(found) !== Array.isArray(wanted)) return false;
  const [keys, others] = [Object.keys(found), Object.keys(wanted)];
  return keys.length === others.length && keys.every((key, at) => key === others[at] && same(found[key], wanted[key]));
}

function made(link) {
  try {
    return { url: link() };
  } catch (error) {
    const { name, kind, route, param, message } = error;
    return name === "LinkError" ? { kind, route, param, message } : { crash: error.stack };
  }
}

/** Lists and needs of a visitor. */
function asksOf({ method, host, meets, cutOff }, isSlow) {
  const later = (answer) => (isSlow ? new Promise((done) => setImmediate(done, answer)) : answer);
  const lists = new Proxy({}, {
    getOwnPropertyDescriptor: () => ({ value: true, configurable: true }),
    get: () => (value) => later(cutOff ? { retryAfter: 30 } : LISTED.includes(value)),
  });
  const met = (need) => later(cutOff ? { retryAfter: 30 } : meets.includes(need));
  return { method, host: host ?? undefined, lists, meets: met };
}

async function tried({ call, url, asks, route, values, next }, functions, at) {
  const { decide, decideAsync, match, link, linkFrom, up, isActive, transition, returnAddress, routeNames } = functions;
  switch (call) {
    case "link":
      return made(() => link(route, values));
    case "decide": {
      const decision = decide(url, asksOf(asks, false));
      // Decisions in steps come out the same; that costs a turn of the loop for each question.
      if (at % 10 === 0) {
        const inSteps = await decideAsync(url, asksOf(asks, true));
        if (!same(plain(inSteps, functions), plain(plain(decision, functions)))) return { decision, inSteps };
      }
      return { decision, found: match(url)?.route ?? null, back: returnAddress(url, "/else", asksOf(asks, false)) };
    }
    default: {
      const [found, to] = [match(url), match(next)];
      const links = {};
      for (const name of routeNames) {
        let back = null;
        try {
          back = linkFrom(found, name, {}, { back: "here" });
        } catch {}
        links[name] = { link: made(() => linkFrom(found, name)), active: isActive(found, name, {}) ?? null, back };
      }
      const change = transition(found, to);
      const changed = change.changed.map((one) => ({ ...one, before: texts(one.before), after: texts(one.after) }));
      return { up: up(found) ?? null, links, change: { ...change, changed } };
    }
  }
}

let at = 0;
for await (const line of createInterface({ input: createReadStream("cases.jsonl") })) {
  const { module, expected, ...one } = JSON.parse(line);
  if (!modules.has(module)) modules.set(module, await import(`./table${module}.js`));
  at += 1;
  let found;
  try {
    const routeNames = Object.keys(expected.links ?? {});
    found = await tried(one, { ...modules.get(module), routeNames }, at);
  } catch (error) {
    found = { crash: error.stack };
  }
  const outcome = expected.decision?.outcome ?? (one.call === "link" ? (expected.url === undefined ? `link: ${expected.kind}` : "link") : one.call);
  counts[outcome] = (counts[outcome] ?? 0) + 1;
  found = plain(found, modules.get(module));
  if (!same(found, plain(expected))) wrong.push({ module, ...one, expected, found });
}
for (const { expected, found, ...one } of wrong.slice(0, 4)) {
  console.log(JSON.stringify(one));
  console.log(" wanted", JSON.stringify(plain(expected)));
  console.log(" found ", JSON.stringify(found));
}
console.log(`${at} cases, ${wrong.length} differ:`, JSON.stringify(counts));
process.exit(wrong.length === 0 ? 0 : 1);
