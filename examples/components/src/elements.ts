// The archive, drawn by custom elements: a page is an element, and so is a frame, with a slot for its page.

import { ROWS, plate, plates, type Plate } from "./data.js";
import { drawIn, start, titled, type Drawing, type Framing } from "./routes/browser.js";
import { link, type Position } from "./routes/routes.js";

// The binding: an element with values; a frame whose element gets new values.
const element = (name: string, values: object = {}): HTMLElement => Object.assign(document.createElement(name), values);

function framed(name: string): Framing {
  const one = element(name);
  return {
    draw: (place, at) => (place.append(Object.assign(one, { at })), one),
    changed: (at) => Object.assign(one, { at }),
  };
}

class ArchiveFrame extends HTMLElement {
  readonly #note: HTMLElement = element("aside", { textContent: "The archive" });

  constructor() {
    super();
    this.attachShadow({ mode: "open" }).append(this.#note, element("slot"));
  }

  set at(at: Position | undefined) {
    this.#note.textContent = at?.route === "plates" ? `The archive, page ${at.params.page}` : "The archive";
  }
}

class PlateList extends HTMLElement {
  rows: readonly Plate[] = [];
  page = 1;

  connectedCallback(): void {
    const rows = this.rows.map(({ plate }) => element("a", { href: link("plates.plate", { plate }), textContent: plate }));
    const more = element("a", { id: "more", href: link("plates", { page: this.page + 1 }), textContent: "More" });
    this.append(element("h1", { textContent: `Plates, page ${this.page}` }), ...rows.map((row) => (row.style.display = "block", row)), more);
  }
}

customElements.define("archive-frame", ArchiveFrame);
customElements.define("plate-list", PlateList);
const heading = (textContent: string): Node => element("h1", { textContent });

document.querySelector("#root")!.append(element("nav"), element("main"));
for (const [name, text] of [["home", "Larkfell"], ["plates", "Plates"], ["note", "A note"]] as const) {
  document.querySelector("nav")!.append(element("a", { href: link(name), textContent: text }), " ");
}

start<Drawing, Framing>({
  draw: drawIn(document.querySelector("main")!),
  frames: { archive: () => framed("archive-frame") },
  pages: {
    home: () => heading("Larkfell"),
    plates: async ({ params: { page } }, { signal }) => element("plate-list", { page, rows: (await plates(signal)).slice((page - 1) * ROWS, page * ROWS) }),
    plate: async ({ params }, { signal }) => titled(`Plate ${params.plate}`, heading(`Plate ${(await plate(params.plate, signal)).plate}`)),
    note: () => (place) => place.append(heading("A note"), element("textarea", { id: "note" })),
    "no-plate": ({ reason }) => heading(`No such plate: ${reason}`),
  },
  otherwise: () => heading("Nothing is here"),
  failed: ({ error, retry }) => {
    const again = element("button", { id: "again", textContent: "Again", onclick: () => void retry() });
    const all = element("div");
    all.append(heading("It failed"), String(error), again);
    return all;
  },
});
