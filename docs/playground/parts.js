// The parts of the page that are drawn from an answer.

/** An element, with its properties and what is in it. */
export function h(tag, properties = {}, ...children) {
  const element = document.createElement(tag);
  for (const [key, value] of Object.entries(properties)) {
    if (key.startsWith("on")) element.addEventListener(key.slice(2), value);
    else if (key in element && key !== "list") element[key] = value;
    else element.setAttribute(key, value);
  }
  element.append(...children.filter((child) => child !== undefined && child !== false));
  return element;
}

/** A text in which what stands in backticks is code. */
export const marked = (text) => text.split("`").map((part, at) => (at % 2 === 1 ? h("code", {}, part) : part));

const valueText = (value) =>
  typeof value === "string" ? value : `[${value.map((one) => (Array.isArray(one) ? one.join("=") : one)).join(", ")}]`;
const paramsText = (params = {}) => Object.entries(params).map(([name, value]) => `${name} = ${valueText(value)}`).join(", ");

/** What a URL leads to, in a line. */
export function outcome(decision) {
  if (!decision) return [];
  const name = (text) => h("b", {}, text);
  switch (decision.outcome) {
    case "page":
      return [name(decision.page), ` ${paramsText(decision.params)}`];
    case "redirect":
      return ["→ ", name(decision.location)];
    case "unmet":
      return [`wants ${decision.need}`, ...(decision.location ? [" → ", name(decision.location)] : [])];
    case "not-found": {
      const near = decision.suggestions?.[0];
      return [name(decision.page ?? "not found"), near ? ` near: ${near.url}` : ` ${decision.reason ?? ""}`];
    }
    default:
      return [decision.allow ? `allows ${decision.allow.join(", ")}` : (decision.reason ?? decision.outcome)];
  }
}

/** Why it does. */
export function why(decision, follow) {
  if (!decision) return [];
  const facts = [
    ["route", decision.route ?? (decision.under && `under ${decision.under}`)],
    ["page", decision.page],
    ["location", decision.location],
    ["values", paramsText(decision.params)],
    ["frames", decision.frames?.join(" › ")],
    ["because", decision.reason],
    ["need", decision.need],
    ["allow", decision.allow?.join(", ")],
  ].filter(([, text]) => text);
  const rows = facts.map(([label, text]) => h("tr", {}, h("th", {}, label), h("td", {}, ...marked(text))));
  const near = decision.suggestions ?? [];
  if (near.length > 0) {
    const links = near.flatMap((one) => [h("button", { type: "button", onclick: () => follow(one.url) }, one.url), ` ${one.reason} `]);
    rows.push(h("tr", {}, h("th", {}, "near"), h("td", {}, ...links)));
  }
  const candidates = (decision.candidates ?? []).map((one) =>
    h("tr", { className: one.verdict === "answers" ? "answers" : "" },
      h("td", {}, one.verdict === "answers" ? "✓" : "·"), h("td", {}, one.route),
      h("td", { className: "path" }, h("code", {}, one.path)), h("td", {}, ...marked(one.reason))),
  );
  const table = h("table", {}, ...rows);
  if (candidates.length === 0) return [table];
  return [table, h("h2", {}, "It could have meant"), h("table", {}, ...candidates)];
}

/** The tree of routes; those on the way to a page are lit. */
export function tree(routes, decision, choose) {
  const way = decision?.route ?? decision?.under ?? "";
  const isLit = (name) => way === name || way.startsWith(`${name}.`);
  const below = new Map();
  for (const route of routes) {
    const list = below.get(route.parent) ?? [];
    list.push(route);
    below.set(route.parent, list);
  }
  const branch = (parent, className) =>
    h("ul", { className }, ...(below.get(parent) ?? []).map((route) => {
      const goal = route.page ?? (route.redirect ? `→ ${route.redirect.to ?? route.redirect.url}` : "");
      const row = h("button", { type: "button", title: "Make a link to it", onclick: () => choose(route.route) },
        h("span", {}, route.route.split(".").pop()), h("code", {}, route.path), h("span", { className: "faint" }, goal));
      const item = h("li", { className: isLit(route.route) ? "lit" : "" }, row);
      if (below.has(route.route)) item.append(branch(route.route, ""));
      return item;
    }));
  return branch(undefined, "tree");
}

/** What becomes of addresses since the start. */
export function changes(all, startAnew) {
  if (all.length === 0) return [h("p", { className: "faint" }, "Every address means what it meant at the start.")];
  const items = all.map((one) => {
    const what = [one.before, one.after].filter(Boolean).join("  →  ") || one.message || "";
    const label = one.change.replaceAll("-", " ");
    const style = one.change === "added" ? "note" : "error";
    return h("li", {}, h("span", { className: style }, `${label} `), h("b", {}, one.route ?? ""), h("code", {}, ` ${what}`),
      one.witness ? h("span", { className: "mend" }, `such as ${one.witness}`) : undefined,
      one.redirect ? h("pre", {}, one.redirect) : undefined);
  });
  const hint = all.some((one) => one.redirect) ? "The entries below keep old addresses alive." : "";
  return [h("button", { type: "button", onclick: startAnew }, "Compare with the table of now"), h("p", { className: "faint" }, hint), h("ul", {}, ...items)];
}
