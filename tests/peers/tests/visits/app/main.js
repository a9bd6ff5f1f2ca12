// The application on which visits are tried. What goes slowly or wrong is said in `rig`, which survives a reload.

import { drawIn, Missing, start, titled } from "./routes/browser.js";
import { link } from "./routes/routes.js";

const memory = {};
const kept = () => {
  try {
    return sessionStorage;
  } catch {
    return memory;
  }
};
const rig = () => JSON.parse(kept().rig ?? "{}");
window.set = (more) => (kept().rig = JSON.stringify({ ...rig(), ...more }));
window.wrong = [];
addEventListener("error", (event) => window.wrong.push(`error ${event.message}`));
addEventListener("unhandledrejection", (event) => window.wrong.push(`rejection ${event.reason}`));
document.addEventListener("securitypolicyviolation", (event) => window.wrong.push(`violation ${event.violatedDirective}`));
window.made = [];
window.events = [];

const element = (name, attributes, ...children) => {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  made.append(...children);
  return made;
};
const a = (href, text, attributes = {}) => element("a", { href, ...attributes }, text);

/** Fetches for as long as `rig` says, and fails as it says. */
async function wait(name, { signal, isAhead }) {
  const { slow = {}, broken = [], missing = [] } = rig();
  window.made.push(isAhead ? `${name} ahead` : name);
  if (slow[name]) {
    await new Promise((done, failed) => {
      setTimeout(done, slow[name]);
      signal.addEventListener("abort", () => failed(signal.reason));
    });
  }
  if (broken.includes(name)) throw new Error(`${name} broke`);
  if (missing.includes(name)) throw new Missing(`there is no ${name}`);
}

/** A page that is higher than the window. */
export const page = (heading, ...more) => (place, { state }) => {
  if (rig().undrawable === heading) throw new Error(`${heading} cannot be drawn`);
  place.append(
    element("h1", {}, heading), ...more,
    element("p", { id: "state" }, JSON.stringify(state ?? null)),
    ...Array.from({ length: 60 }, (_, at) => element("p", {}, `line ${at}`)),
    element("h2", { id: "low" }, "Low"), element("p", {}, a("#low", "to the low part", { id: "to-low" })),
    ...Array.from({ length: 60 }, (_, at) => element("p", {}, `line ${60 + at}`)),
  );
};

const pages = {
  home: async (_, context) => {
    await wait("home", context);
    return page("Home", a(link("help"), "Help", { id: "help" }), a("/paper.pdf", "A file", { id: "file" }), a("/nowhere", "Nowhere", { id: "nowhere" }));
  },
  tools: async ({ params }, context) => {
    await wait("tools", context);
    const next = link("tools", { page: params.page + 1 });
    return page(`Tools ${params.page}`, a(next, "Next", { id: "next" }), a(next, "Next in place", { id: "next-here", "data-stay": "" }),
      a("/tools/none", "No tool", { id: "none" }), ...[1, 2, 3].map((tool) => element("p", {}, a(link("tools.tool", { tool }), `Tool ${tool}`, { id: `tool-${tool}` }))),
      a(link("tools", { sort: "name" }), "By name", { id: "with-state", "data-state": '{"from":"list"}' }),
      element("form", { action: link("tools") }, element("input", { name: "sort", id: "sort" }), element("button", { id: "ask" }, "Sort")));
  },
  tool: async ({ params: { tool } }, context) => {
    await wait("tool", context);
    return titled(`Tool ${tool} of many`, page(`Tool ${tool}`, a(link("tools.tool.parts", { tool, part: 1 }), "Part 1", { id: "part" })));
  },
  part: ({ params: { tool, part } }) => page(`Part ${part} of ${tool}`, a(link("tools.tool.parts", { tool, part: part + 1 }), "Next part", { id: "next-part" })),
  tabs: ({ params }) => page(`Tab ${params.tab ?? "one"}`, ...["one", "two"].map((tab) => a(link("tabs", { tab }), tab, { id: tab }))),
  help: async (_, context) => {
    await wait("help", context);
    return page("Help", a(link("help") + "#100%", "A hundred per cent", { id: "percent" }));
  },
  lazy: { code: () => import("./lazy.js") },
  draft: () => page("Draft", element("input", { id: "text" })),
  member: async ({ params }, context) => {
    await wait("member", context);
    return page(`Member ${params.member}`);
  },
  account: () => page("Account"),
  "sign-in": () => page("Sign in", element("button", { id: "in" }, "It is me")),
  lost: ({ reason }) => page("Nothing here", String(reason)),
  "no-tool": ({ reason }) => titled("No such tool", page("No such tool", String(reason))),
};

// As if the server had drawn it.
const adopt = new URLSearchParams(location.search).has("adopt");
if (adopt) page("Served")(document.querySelector("#root"), {});

// The links at the head can be reached from everywhere.
const header = { "to-home": link("home"), "to-tools": link("tools"), "to-help": link("help"), "to-member": link("members", { member: "ada" }) };
for (const [id, href] of Object.entries(header)) document.getElementById(id).href = href;
document.querySelector("header").style.cssText = "position:fixed;top:0;background:white";
document.body.style.paddingTop = "40px";

let frames = 0;
const frame = (name) => (place, at) => {
  const inner = element("div", { class: "within" });
  place.append(element("aside", { id: name, "data-made": String((frames += 1)) }, `${name} ${at?.params.tool ?? ""}`, a(link("tools.tool", { tool: 2 }), "two", { class: "in-frame" })), inner);
  return inner;
};

window.entries = { pages };
const site = (window.site = start({
  pages,
  frames: {
    shell: () => frame("shell"),
    rack: async (_, context) => (await wait("rack", context), { draw: frame("rack"), changed: (at) => document.querySelector("#rack").setAttribute("data-changed", JSON.stringify(at.params)) }),
    bench: () => frame("bench"),
  },
  otherwise: (decision) => page(decision.outcome),
  failed: ({ error, retry }) => {
    const again = element("button", { id: "again" }, "Again");
    again.addEventListener("click", () => void retry());
    return titled("It failed", page("It failed", String(error.message), again));
  },
  draw: drawIn(document.querySelector("#root")),
  visitor: () => ({ meets: new Set(rig().isMember ? ["member"] : []), lists: { members: async (name) => name === "ada" } }),
  unsaved: () => !!document.querySelector("#text")?.value,
  mayLeave: (to) =>
    new Promise((answer) => {
      const dialog = element("dialog", { id: "leave" }, `Leave for ${to.address}?`, element("button", { id: "leave-yes" }, "Yes"), element("button", { id: "leave-no" }, "No"));
      document.body.append(dialog);
      dialog.showModal();
      for (const id of ["yes", "no"]) dialog.querySelector(`#leave-${id}`).addEventListener("click", () => (dialog.remove(), answer(id === "yes")));
    }),
  observe: ({ type, address }) => window.events.push(`${type} ${address}`),
  adopt,
  viewTransitions: rig().transitions === true,
}));

document.addEventListener("click", ({ target }) => {
  if (target.id === "in") (window.set({ isMember: true }), void site.comeBack("/"));
});
