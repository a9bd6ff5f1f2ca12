// What a visitor perceives of a new page beside what is drawn: its title, what is read out, what has the focus, and where it is scrolled to.

import { levels } from "../table/follows.js";
import { partOf } from "./addresses.js";
import { positionOf } from "./marks.js";
import type { Decided } from "./types.js";

/** What has the focus, in words that find it again once the page is drawn anew. */
export function focusFinder(): () => HTMLElement | undefined {
  const had = document.activeElement;
  if (!(had instanceof HTMLElement) || had === document.body) return () => undefined;
  const { id, localName } = had;
  const [name] = ["href", "name", "value"].filter((one) => had.hasAttribute(one));
  const selector = id ? "#" + CSS.escape(id) : localName + (name ? `[${name}="${CSS.escape(had.getAttribute(name)!)}"]` : "");
  const index = [...document.querySelectorAll(selector)].indexOf(had);
  return () => (had.isConnected ? had : document.querySelectorAll<HTMLElement>(selector)[index]);
}

/** The title that the table has for what is decided: that of the nearest route with one, in the language of the document. */
export function titleInTable(decision: Decided): string | undefined {
  const position = positionOf(decision);
  const titles = (position ? levels(position) : []).map(({ data }) => {
    const { title } = data as { readonly title?: string | { readonly [language: string]: unknown } };
    const { lang } = document.documentElement;
    return typeof title === "object" ? (title[lang] ?? title[lang.split("-", 1)[0]!]) : title;
  });
  return titles.filter((one): one is string => typeof one === "string").pop();
}

export class Screen {
  /** That of the document, before we came. */
  declare readonly title: string;
  declare private readonly status: HTMLElement;

  constructor() {
    this.title = document.title;
    this.status = document.createElement("div");
    this.status.setAttribute("role", "status");
    this.status.style.cssText = "position:fixed;clip-path:circle(0)";
    document.body.append(this.status);
  }

  /** A new page is read from its heading on, unless it has put the focus somewhere itself. */
  arrive(had: Element | null): void {
    const heading = document.querySelector<HTMLElement>("main h1, h1");
    const now = document.activeElement;
    if (!now || now === document.body || now === had) {
      const first = heading ?? document.body;
      if (!first.hasAttribute("tabindex")) first.tabIndex = -1;
      first.focus({ preventScroll: true });
    }
    // The application may have drawn all of the body anew.
    if (!this.status.isConnected) document.body.append(this.status);
    const text = document.title === this.title && heading ? heading.textContent! : document.title;
    // The same words are read out once more if the text differs.
    this.status.textContent = text + (text === this.status.textContent ? "\u00a0" : "");
  }

  /** Goes to the part of the page that the address names, to a position, or to the top. */
  scroll(position?: readonly [x: number, y: number]): void {
    const part = position ? null : partOf(location.hash);
    if (part) part.scrollIntoView();
    else scrollTo(...(position ?? [0, 0]));
  }

  stop(): void {
    this.status.remove();
  }
}
