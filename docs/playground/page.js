// The page: a table, URLs beside it, and what the proof says of both.

import { createEditor } from "./editor.js";
import { EXAMPLES } from "./examples.js";
import { changes, h, marked, outcome, tree, why } from "./parts.js";
import { Proof } from "./proof.js";
import { fromFragment, toFragment } from "./state.js";

const $ = (id) => document.getElementById(id);
const proof = new Proof();
const state = { files: {}, main: "routes.toml", urls: [], visitor: {} };
/** The files as they were at the start. */
let started = {};
let file = "routes.toml";
let chosen = 0;
let answer = { findings: [] };
const link = { route: undefined, values: {} };

const editor = createEditor($("editor"), (text) => {
  state.files[file] = text;
  ask();
});

/** Takes over what an example or a link holds. */
function take({ files, main, urls, visitor }) {
  Object.assign(state, { files: { ...files }, main, urls: urls.length > 0 ? [...urls] : ["/"], visitor: { ...visitor } });
  started = { ...files };
  file = main;
  chosen = 0;
  answer = { findings: [] };
  link.route = undefined;
  for (const key of ["method", "host", "meets", "lists"]) $(key).value = state.visitor[key] ?? (key === "method" ? "GET" : "");
  $("visitor").open = Object.values(state.visitor).some(Boolean);
  editor.forget();
  showFile(main);
  drawUrls();
  ask();
}

function showFile(name) {
  file = name;
  editor.show(name, state.files[name]);
  mark();
  const names = Object.keys(state.files);
  const tab = (one) =>
    h("button", { type: "button", role: "tab", "aria-selected": String(one === file), onclick: () => showFile(one) }, one);
  $("files").replaceChildren(...names.map(tab));
}

function visitor() {
  const words = (text) => (text ?? "").split(/[\s,]+/).filter(Boolean);
  const { method, host, meets, lists } = state.visitor;
  const listed = (lists ?? "").split(";").map((one) => one.split("=")).filter((parts) => parts.length === 2);
  return {
    method: method?.trim() || "GET",
    host: host?.trim() || undefined,
    meets: words(meets),
    lists: Object.fromEntries(listed.map(([name, values]) => [name.trim(), words(values)])),
  };
}

let timer;
/** Asks the proof anew, once the typing pauses. */
function ask() {
  clearTimeout(timer);
  timer = setTimeout(() => {
    say("reading…");
    const question = { files: state.files, main: state.main, urls: state.urls, visitor: visitor(), link, started };
    const begin = performance.now();
    proof.ask(question, (answered) => {
      if (!answered) return say("This took too long, and was cancelled.", true);
      // A broken table leaves what the one before it did, so that the work goes on.
      answer = answered.tree ? answered : { ...answer, findings: answered.findings, isOld: true };
      say(`proven in ${Math.round(performance.now() - begin)} ms`);
      draw();
    });
    toFragment(state).then((fragment) => history.replaceState(null, "", `#${fragment}`));
  }, 90);
}

function say(text, isBad = false) {
  $("state").textContent = text;
  $("state").className = isBad ? "bad" : "";
}

/** Places in a text as JavaScript counts, from bytes. */
function inText(text, [from, to]) {
  const bytes = new TextEncoder().encode(text);
  const decode = (end) => new TextDecoder().decode(bytes.subarray(0, end)).length;
  return { from: decode(from), to: decode(to) };
}

const placed = () =>
  answer.findings.map((one) => ({ ...one, file: one.file ?? state.main, ...(one.range ? inText(state.files[one.file ?? state.main] ?? "", one.range) : {}) }));

function mark() {
  const here = placed().filter((one) => one.file === file && one.from !== undefined);
  editor.mark(here.map((one) => ({ ...one, message: [one.message, one.help].filter(Boolean).join("\n") })));
}

function draw() {
  mark();
  drawFindings();
  drawUrls();
  $("right").className = answer.isOld ? "old" : "";
  const told = answer.tree ? "URLs, by the table before the mistake" : "URLs: they are answered once the errors are mended";
  $("urls-title").textContent = answer.isOld ? told : "URLs";
  drawWhy();
  drawLinks();
  $("changes").replaceChildren(...changes(answer.changes ?? [], () => {
    started = { ...state.files };
    ask();
  }));
  const count = answer.changes?.length ?? 0;
  $("tab-changes").textContent = count > 0 ? `Changes (${count})` : "Changes";
}

function drawFindings() {
  const counts = ["error", "warning", "note"].map((kind) => [answer.findings.filter((one) => one.severity === kind).length, kind]);
  const told = counts.filter(([count]) => count > 0).map(([count, kind]) => `${count} ${kind}${count === 1 ? "" : "s"}`);
  const isBroken = counts[0][0] > 0;
  $("verdict").textContent = isBroken ? `Broken: ${told.join(", ")}` : `Works: ${told.join(", ") || "nothing is found"}`;
  $("verdict").className = isBroken ? "bad" : "good";
  $("findings").replaceChildren(...placed().map((one) => {
    const go = () => {
      if (one.from === undefined) return;
      if (one.file !== file) showFile(one.file);
      editor.goTo(one.from);
    };
    const place = one.line ? `${one.file === state.main ? "" : `${one.file} `}line ${one.line} ` : "";
    return h("li", {}, h("button", { type: "button", onclick: go },
      h("span", { className: "place" }, place), h("span", { className: one.severity }, `${one.severity} `), ...marked(one.message),
      one.witness && !one.message.includes(one.witness) ? h("span", { className: "mend" }, `for example ${one.witness}`) : undefined,
      one.help ? h("span", { className: "mend" }, ...marked(one.help)) : undefined));
  }));
}

function drawUrls() {
  const list = $("urls");
  // The fields stay, so that typing in one is not disturbed.
  while (list.children.length > state.urls.length) list.lastChild.remove();
  while (list.children.length < state.urls.length) list.append(urlRow(list.children.length));
  state.urls.forEach((url, at) => {
    const row = list.children[at];
    const [status, input, told] = row.children;
    if (input.value !== url) input.value = url;
    const decision = answer.decisions?.[at];
    const isIts = decision?.url === url;
    status.textContent = isIts ? decision.status : "";
    status.className = `status ${!isIts ? "" : decision.status < 400 ? "good" : "bad"}`;
    told.replaceChildren(...(isIts ? outcome(decision) : []));
    row.className = at === chosen ? "chosen" : "";
  });
}

function urlRow(at) {
  const choose = () => {
    chosen = at;
    drawUrls();
    drawWhy();
  };
  const typed = (event) => {
    state.urls[at] = event.target.value;
    ask();
  };
  const keyed = (event) => {
    if (event.key === "Enter") addUrl("/");
  };
  const remove = () => {
    state.urls.splice(at, 1);
    if (state.urls.length === 0) state.urls.push("/");
    chosen = Math.min(chosen, state.urls.length - 1);
    drawUrls();
    ask();
  };
  return h("li", { onclick: choose },
    h("span", { className: "status" }),
    h("input", { spellcheck: false, autocapitalize: "off", autocomplete: "off", ariaLabel: `URL ${at + 1}`, oninput: typed, onfocus: choose, onkeydown: keyed }),
    h("span", { className: "outcome" }),
    h("button", { type: "button", ariaLabel: `Remove URL ${at + 1}`, onclick: (event) => (event.stopPropagation(), remove()) }, "×"));
}

function addUrl(url) {
  state.urls.push(url);
  chosen = state.urls.length - 1;
  drawUrls();
  $("urls").lastChild.querySelector("input").focus();
  ask();
}

function drawWhy() {
  const decision = answer.decisions?.[chosen];
  $("why").replaceChildren(...why(decision, addUrl));
  $("tree").replaceChildren(tree(answer.tree ?? [], decision, (route) => {
    link.route = route;
    link.values = { ...decision?.params };
    view("links");
    ask();
  }));
}

function drawLinks() {
  const routes = (answer.tree ?? []).filter((route) => route.page);
  link.route ??= routes[0]?.route;
  const route = routes.find((one) => one.route === link.route);
  const choose = h("select", { ariaLabel: "Route", onchange: (event) => { link.route = event.target.value; link.values = {}; drawLinks(); ask(); } },
    ...routes.map((one) => h("option", { value: one.route, selected: one.route === link.route }, one.route)));
  const made = h("p", { className: "made", role: "status" });
  const result = answer.made;
  if (result?.url !== undefined) {
    made.append(h("code", {}, result.url), " ", h("button", { type: "button", onclick: () => addUrl(result.url) }, "Try it"));
  } else if (result) {
    made.append(h("span", { className: "error" }, ...marked(result.error)));
  }
  const old = $("links").querySelector("form");
  if (old?.dataset.route === link.route && old?.dataset.fields === JSON.stringify(route?.params)) {
    // The fields stay, so that typing in one is not disturbed.
    $("links").querySelector(".made").replaceWith(made);
    return;
  }
  const field = ([name, rule]) => {
    const set = (event) => {
      const text = event.target.value;
      // A list is written with commas.
      const isList = route.path.includes(`${name}*`);
      if (text === "") delete link.values[name];
      else link.values[name] = isList ? text.split(",").map((one) => one.trim()) : text;
      ask();
    };
    return [h("label", { htmlFor: `value-${name}` }, name), h("input", { id: `value-${name}`, placeholder: rule, value: [link.values[name] ?? ""].flat().join(", "), oninput: set })];
  };
  const form = h("form", { onsubmit: (event) => event.preventDefault() }, h("span", {}, "Route"), choose, ...Object.entries(route?.params ?? {}).flatMap(field));
  form.dataset.route = link.route;
  form.dataset.fields = JSON.stringify(route?.params);
  $("links").replaceChildren(form, made);
}

const VIEWS = ["tree", "links", "changes"];
function view(name) {
  for (const one of VIEWS) {
    $(one).hidden = one !== name;
    $(`tab-${one}`).setAttribute("aria-selected", String(one === name));
    $(`tab-${one}`).tabIndex = one === name ? 0 : -1;
  }
}

for (const [at, name] of VIEWS.entries()) {
  $(`tab-${name}`).addEventListener("click", () => view(name));
  $(`tab-${name}`).addEventListener("keydown", (event) => {
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!step) return;
    const next = VIEWS[(at + step + VIEWS.length) % VIEWS.length];
    view(next);
    $(`tab-${next}`).focus();
  });
}
for (const key of ["method", "host", "meets", "lists"]) {
  $(key).addEventListener("input", (event) => {
    state.visitor[key] = event.target.value;
    ask();
  });
}
$("add").addEventListener("click", () => addUrl("/"));
$("example").append(h("option", { value: "", hidden: true }, "yours"), ...EXAMPLES.map((one, at) => h("option", { value: String(at) }, one.name)));
$("example").addEventListener("change", (event) => take(EXAMPLES[event.target.value]));
$("share").addEventListener("click", async () => {
  history.replaceState(null, "", `#${await toFragment(state)}`);
  try {
    await navigator.clipboard.writeText(location.href);
    say("copied");
  } catch {
    say("the link is in the address bar");
  }
});
addEventListener("hashchange", () => fromFragment(location.hash.slice(1)).then((found) => found && take(found)));

view("tree");
proof.start().then(async () => {
  const fragment = location.hash.slice(1);
  const named = EXAMPLES.findIndex((one) => one.id === fragment);
  const found = named < 0 ? await fromFragment(fragment) : undefined;
  $("example").value = found ? "" : String(Math.max(named, 0));
  take(found ?? EXAMPLES[Math.max(named, 0)]);
}, (error) => say(`The proof cannot start: ${error.message}`, true));
