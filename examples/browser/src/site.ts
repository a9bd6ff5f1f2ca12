// Larkfell: what each page and each frame holds, as HTML. Addresses, links and the values in URLs come from the table.
// The browser draws it, and so does the server of `examples/javascript-server`.

import { dataOf, link, linkFrom, up, type FrameName, type FallbackName, type Match, type Pages, type Position } from "./routes/routes.js";

const nights = ["2031-04-01", "2031-04-02", "2031-04-03", "2031-04-04"];
const plates = [["b-1042", "b"], ["v-2210", "v"], ["u-0317", "u"], ["b-1043", "b"]] as const;
export const observers: ReadonlySet<string> = new Set(["ada", "grace"]);
const bands = ["u", "b", "v"] as const;

/** The contents of a page, or of the side of a frame: a heading, and HTML below it. */
export interface Part {
  readonly heading: string;
  readonly below: string;
}

export const text = (value: unknown): string => String(value).replace(/[&<>"]/g, (one) => `&#${one.charCodeAt(0)};`);
const a = (href: string, shown: unknown): string => `<a href="${text(href)}">${text(shown)}</a>`;
const list = (items: readonly string[]): string => `<ul>${items.map((item) => `<li>${item}</li>`).join("")}</ul>`;
const part = (heading: string, below: string = ""): Part => ({ heading, below });

/** The contents where there is no page. */
export const wrong = (heading: string, below: string = a(link("home"), "Home")): Part => part(heading, `<p class="wrong">${below}</p>`);

/** A page with nothing but its values. */
const plain = (found: Match): Part => part(found.page, `<p>${text(JSON.stringify(found.params))}</p>${list([a(up(found) ?? link("home"), "Up")])}`);

export const titleOf = ({ heading }: Part): string => `${heading} · Larkfell`;
export const pageIn = ({ heading, below }: Part): string => `<main><h1>${text(heading)}</h1>${below}</main>`;
export const frameIn = ({ heading, below }: Part, within: string = ""): string =>
  `<div class="frame"><aside><h2>${text(heading)}</h2>${below}</aside><div>${within}</div></div>`;

export const menu = (): string =>
  (["nights", "objects"] as const).map((name) => a(link(name), dataOf(name).title)).concat(a(link("plates"), "Plates"), a(link("observers"), "Observers")).join("");

export const frames: { readonly [Name in FrameName]: (at: Position | undefined) => Part } = {
  archive: () => part("The archive"),
  "object-frame": (at) => part(at?.route === "objects.object" ? at.params.object : "Object"),
  "with-calendar": () => part("Calendar", `<ol>${nights.map((date) => `<li>${a(link("nights.night", { date }), date)}</li>`).join("")}</ol>`),
  "with-map": () => part("The domes"),
};

export const pages: { readonly [Name in keyof Pages]: (found: Pages[Name]) => Part } & { readonly [Name in FallbackName]: () => Part } = {
  home: () =>
    part("The sky over Larkfell", `<p>A made-up observatory, and a route table that is real.</p>
      <p>Try ${a(link("plates", { band: ["b", "v"] }), "blue and visual plates")}, the
      ${a(link("observers.observer.logbook", { observer: "ada" }), "logbook of an observer")}, or ${a(link("plates") + "/nothing", "a plate that is lost")}.</p>`),
  "night-list": () => part("Nights", "<p>Choose a night from the calendar. It stays when you do.</p>"),
  night: ({ params: { date } }) =>
    part(`The night of ${date}`, list([1, 2, 3].map((number) => a(link("nights.night.exposures.exposure", { date, number }), `Exposure ${number}`)))),
  exposure: (found) => {
    const { number } = found.params;
    const other = (step: number, shown: string): string => a(linkFrom(found, "nights.night.exposures.exposure", { number: number + step }), shown);
    return part(`Exposure ${number}`, `<p>${number > 1 ? other(-1, "Back one") : "The first one"} · ${other(1, "On one")} · ${a(linkFrom(found, "nights.night"), "Its night")}</p>`);
  },
  "plate-list": ({ params: { band: chosen = [] } }) => {
    const boxes = bands.map((band) => `<label><input type="checkbox" name="band" value="${band}"${chosen.includes(band) ? " checked" : ""}> ${band}</label>`);
    const rows = plates.filter(([, band]) => chosen.length === 0 || chosen.includes(band));
    return part("Plates", `<form action="${text(link("plates"))}" data-stay><fieldset>${boxes.join("")}<button>Filter</button></fieldset></form>
      <table>${rows.map(([plate, band]) => `<tr><td>${a(link("plates.plate", { plate }), plate)}<td>${band}`).join("")}</table>`);
  },
  plate: ({ params }) => part(`Plate ${params.plate}`, `<p>${a(link("plates"), "All plates")}</p>`),
  "observer-list": () => part("Observers", list([...observers].map((observer) => a(link("observers.observer", { observer }), observer)))),
  observer: (found) => part(found.params.observer, `<p>${a(linkFrom(found, "observers.observer.logbook"), "The logbook")}</p>`),
  logbook: ({ params }) => part(`The logbook of ${params.observer}`, `<form id="entry"><label>A new entry <input name="entry"></label></form>`),
  "sign-in": (found) =>
    part("Sign in", `<p>Observers may read logbooks.</p><p><button id="in" type="button">I am an observer</button>
      · ${a(linkFrom(found, "observers.join", {}, { back: "carry" }), "Join first")}</p>`),
  join: (found) => part("Join", `<p>${a(linkFrom(found, "observers.sign-in", {}, { back: "carry" }), "Done: sign in")}</p>`),
  "exposure-list": plain, "night-report": plain, "object-list": plain, tonight: plain, "messier-object": plain, "object-comparison": plain,
  object: plain, "object-images": plain, "object-image": plain, "dome-list": plain, dome: plain, instrument: plain, "instrument-manual": plain,
  "plate-fits": plain, "plate-archive": plain, file: plain, "talk-list": plain, "next-talk": plain, "talk-year": plain, talk: plain, search: plain,
  history: plain, people: plain, visit: plain, directions: plain,
  lost: () => wrong("Nothing is here"),
  "no-such-plate": () => wrong("No such plate", a(link("plates"), "All plates")),
};
