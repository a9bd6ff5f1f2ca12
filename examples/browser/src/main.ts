// Larkfell as a single-page application: what each page and each frame shows. Where they stand, how links are made, and how one gets from
// one to the other is known from the table.

import { drawIn, start, titled, type Drawing, type Framing, type Titled } from "./routes/browser.js";
import { dataOf, link, linkFrom, up, type Match } from "./routes/routes.js";

const nights = ["2031-04-01", "2031-04-02", "2031-04-03", "2031-04-04"];
const plates = [["b-1042", "b"], ["v-2210", "v"], ["u-0317", "u"], ["b-1043", "b"]] as const;
const observers = new Set(["ada", "grace"]);
const bands = ["u", "b", "v"] as const;

/** Which needs the visitor meets, as `serve` remembers them. */
const met = new Set<"observer">();

async function session(needs?: string): Promise<void> {
  const options = needs === undefined ? {} : { method: "POST", body: new URLSearchParams(needs && { need: needs }) };
  const { needs: known } = (await (await fetch("/-/session", { ...options, headers: { accept: "application/json" } })).json()) as { needs: "observer"[] };
  met.clear();
  known.forEach((need) => met.add(need));
  const button = document.querySelector<HTMLButtonElement>("#session")!;
  button.hidden = !met.has("observer");
}

const text = (value: unknown): string => String(value).replace(/[&<>"]/g, (one) => `&#${one.charCodeAt(0)};`);
const a = (href: string, shown: unknown): string => `<a href="${text(href)}">${text(shown)}</a>`;
const list = (items: readonly string[]): string => `<ul>${items.map((item) => `<li>${item}</li>`).join("")}</ul>`;

/** A page: its heading, which is its title too, and what stands below. */
function page(heading: string, below: string = ""): Titled<Drawing> {
  return titled(`${heading} · Larkfell`, (place) => (place.innerHTML = `<main><h1>${text(heading)}</h1>${below}</main>`));
}

/** What stands where there is no page. */
const wrong = (heading: string, below: string): Titled<Drawing> => page(heading, `<p class="wrong">${below}</p>`);

/** A page with nothing but its values. */
const plain = (found: Match): Titled<Drawing> => page(found.page, `<p>${text(JSON.stringify(found.params))}</p>${list([up(found) ?? link("home")].map((href) => a(href, "Up")))}`);

/** A frame: what stands beside what is within it. */
function beside(heading: string, below: string = ""): Framing {
  const made = new Date().toLocaleTimeString("en-GB");
  return (place) => {
    place.innerHTML = `<div class="frame"><aside><h2>${text(heading)}</h2>${below}<small>drawn at ${made}</small></aside><div></div></div>`;
    return place.querySelector(".frame > div")!;
  };
}

await session();
document.querySelector<HTMLAnchorElement>("a.name")!.href = link("home");
document.querySelector("#menu")!.innerHTML = (["nights", "objects"] as const)
  .map((name) => a(link(name), dataOf(name).title))
  .concat(a(link("plates"), "Plates"), a(link("observers"), "Observers"))
  .join("");

const site = start<Drawing, Framing>({
  draw: drawIn(document.querySelector("#frames")!),
  visitor: () => ({ meets: met, lists: { observers } }),
  unsaved: () => !!document.querySelector<HTMLInputElement>("#entry input")?.value,
  mayLeave: () => confirm("The entry is not kept. Leave it?"),
  frames: {
    archive: () => beside("The archive"),
    "object-frame": (at) => beside(at?.route === "objects.object" ? at.params.object : "Object"),
    "with-calendar": () => beside("Calendar", `<ol>${nights.map((date) => `<li>${a(link("nights.night", { date }), date)}</li>`).join("")}</ol>`),
    "with-map": () => beside("The domes"),
  },
  pages: {
    home: () =>
      page("The sky over Larkfell", `<p>A made-up observatory, and a route table that is real.</p>
        <p>Try ${a(link("plates", { band: ["b", "v"] }), "blue and visual plates")}, the
        ${a(link("observers.observer.logbook", { observer: "ada" }), "logbook of an observer")}, or ${a(link("plates") + "/nothing", "a plate that is lost")}.</p>`),
    "night-list": () => page("Nights", "<p>Choose a night from the calendar. It stays when you do.</p>"),
    night: ({ params: { date } }) =>
      page(`The night of ${date}`, list([1, 2, 3].map((number) => a(link("nights.night.exposures.exposure", { date, number }), `Exposure ${number}`)))),
    exposure: (found) => {
      const { number } = found.params;
      const other = (step: number, shown: string): string => a(linkFrom(found, "nights.night.exposures.exposure", { number: number + step }), shown);
      return page(`Exposure ${number}`, `<p>${number > 1 ? other(-1, "Back one") : "The first one"} · ${other(1, "On one")} · ${a(linkFrom(found, "nights.night"), "Its night")}</p>`);
    },
    "plate-list": ({ params: { band: chosen = [] } }) => {
      const boxes = bands.map((band) => `<label><input type="checkbox" name="band" value="${band}"${chosen.includes(band) ? " checked" : ""}> ${band}</label>`);
      const rows = plates.filter(([, band]) => chosen.length === 0 || chosen.includes(band));
      return page("Plates", `<form action="${text(link("plates"))}" data-stay><fieldset>${boxes.join("")}<button>Filter</button></fieldset></form>
        <table>${rows.map(([plate, band]) => `<tr><td>${a(link("plates.plate", { plate }), plate)}<td>${band}`).join("")}</table>`);
    },
    plate: ({ params }) => page(`Plate ${params.plate}`, `<p>${a(link("plates"), "All plates")}</p>`),
    "observer-list": () => page("Observers", list([...observers].map((observer) => a(link("observers.observer", { observer }), observer)))),
    observer: (found) => page(found.params.observer, `<p>${a(linkFrom(found, "observers.observer.logbook"), "The logbook")}</p>`),
    logbook: ({ params }) => page(`The logbook of ${params.observer}`, `<form id="entry"><label>A new entry <input name="entry"></label></form>`),
    "sign-in": (found) =>
      page("Sign in", `<p>Observers may read logbooks.</p><p><button id="in" type="button">I am an observer</button>
        · ${a(linkFrom(found, "observers.join", {}, { back: "carry" }), "Join first")}</p>`),
    join: (found) => page("Join", `<p>${a(linkFrom(found, "observers.sign-in", {}, { back: "carry" }), "Done: sign in")}</p>`),
    "exposure-list": plain, "night-report": plain, "object-list": plain, tonight: plain, "messier-object": plain, "object-comparison": plain,
    object: plain, "object-images": plain, "object-image": plain, "dome-list": plain, dome: plain, instrument: plain, "instrument-manual": plain,
    "plate-fits": plain, "plate-archive": plain, file: plain, "talk-list": plain, "next-talk": plain, "talk-year": plain, talk: plain, search: plain,
    history: plain, people: plain, visit: plain, directions: plain,
    lost: () => wrong("Nothing is here", a(link("home"), "Home")),
    "no-such-plate": () => wrong("No such plate", a(link("plates"), "All plates")),
  },
  otherwise: ({ outcome }) => wrong(outcome, a(link("home"), "Home")),
  failed: ({ error }) => wrong("This went wrong", text(error)),
});

document.addEventListener("click", async ({ target }) => {
  if (!(target instanceof HTMLButtonElement)) return;
  if (target.id === "in") await session("observer").then(() => site.comeBack(link("home")));
  if (target.id === "session") await session("").then(() => site.refresh());
});
