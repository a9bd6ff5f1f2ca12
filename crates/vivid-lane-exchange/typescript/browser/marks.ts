// Sets `aria-current` on links to the current page and to its ancestors.

import { levels } from "../table/follows.js";
import { addressIn, pathOf, targetOf, valuesIn } from "./addresses.js";
import type { Decided } from "./types.js";
import type { Position } from "../table/follows.js";

/** Where in the table a decision stands. */
export function positionOf(decision: Decided | undefined): Position | undefined {
  return decision?.outcome === "page" ? decision : decision && "position" in decision ? decision.position : undefined;
}

export class Marks {
  /** For each path that leads to what is shown, or to a level above it, the routes there. */
  declare private above: ReadonlyMap<string, readonly string[]>;
  declare private values: string | undefined;
  /** The links that this module has marked. It never changes marks that others have set. */
  declare private readonly own: WeakSet<Element>;
  declare private readonly watching: MutationObserver;

  constructor() {
    this.above = new Map();
    this.values = undefined;
    this.own = new WeakSet();
    this.watching = new MutationObserver((records) => {
      for (const { target, type, addedNodes } of records) {
        if (type === "attributes") this.mark(target as Element);
        else for (const node of addedNodes) if (node instanceof Element) this.within(node);
      }
    });
    this.watching.observe(document.body, { childList: true, subtree: true, attributes: true, attributeFilter: ["href"] });
  }

  /** Marks all links anew. */
  show(decision: Decided): void {
    const position = positionOf(decision);
    const above = new Map<string, string[]>();
    let path = "";
    for (const { route, path: template, covered } of position ? levels(position) : []) {
      path += covered;
      // A home page does not count as an ancestor.
      if (route === position!.route || !/^\/?$/.test(template.replace(/\{[/?&].*?\}/g, ""))) {
        const key = path.replace(/\/$/, "");
        above.set(key, [...(above.get(key) ?? []), route]);
      }
    }
    this.above = above;
    this.values = decision.outcome === "page" ? decision.route + valuesIn(decision.params) : undefined;
    // All links are marked below, so pending records are not needed.
    this.watching.takeRecords();
    this.within(document.body);
  }

  private within(root: Element): void {
    if (root.localName === "a") this.mark(root);
    for (const link of root.querySelectorAll("a[href]")) this.mark(link);
  }

  private mark(link: Element): void {
    const isOwn = this.own.has(link);
    if (link.hasAttribute("aria-current") && !isOwn) return;
    const address = addressIn(link);
    // Comparing paths rules out most links without deciding them.
    const routes = address === undefined ? undefined : this.above.get(pathOf(address));
    const { route, values } = (routes && targetOf(address!)) ?? {};
    if (route !== undefined && routes!.includes(route)) {
      link.setAttribute("aria-current", route + values === this.values ? "page" : "true");
      this.own.add(link);
    } else if (isOwn) {
      link.removeAttribute("aria-current");
      this.own.delete(link);
    }
  }

  stop(): void {
    this.watching.disconnect();
  }
}
