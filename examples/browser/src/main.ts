// Larkfell as a single-page application: what the pages show. Where they stand, how links are made, and how one gets from one to the
// other is known from the table.

import { start, type Change, type Shown, type Site } from "./routes/browser.js";
import { address, dataOf, link, linkFrom, place, type FrameName, type Match } from "./routes/routes.js";

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
}

const text = (value: unknown): string => String(value).replace(/[&<>"]/g, (one) => `&#${one.charCodeAt(0)};`);
const a = (href: string, shown: unknown): string => `<a href="${text(href)}">${text(shown)}</a>`;
const list = (items: readonly string[]): string => `<ul>${items.map((item) => `<li>${item}</li>`).join("")}</ul>`;

/** What a page shows in its frames. */
function page(found: Match): string {
  switch (found.page) {
    case "home":
      return `<h1>The sky over Larkfell</h1><p>A made-up observatory, and a route table that is real.</p>
        <p>Try ${a(link("plates", { band: ["b", "v"] }), "blue and visual plates")}, the
        ${a(link("observers.observer.logbook", { observer: "ada" }), "logbook of an observer")}, or ${a(link("plates") + "/nothing", "a plate that is lost")}.</p>`;
    case "night-list":
      return `<h1>Nights</h1><p>Choose a night from the calendar. It stays when you do.</p>`;
    case "night":
      return `<h1>The night of ${text(found.params.date)}</h1>
        ${list([1, 2, 3].map((number) => a(link("nights.night.exposures.exposure", { date: found.params.date, number }), `Exposure ${number}`)))}`;
    case "exposure": {
      const { number } = found.params;
      return `<h1>Exposure ${number}</h1><p>${number > 1 ? a(linkFrom(found, "nights.night.exposures.exposure", { number: number - 1 }), "Back one") : "The first one"}
        · ${a(linkFrom(found, "nights.night.exposures.exposure", { number: number + 1 }), "On one")}
        · ${a(linkFrom(found, "nights.night"), "Its night")}</p>`;
    }
    case "plate-list": {
      const chosen = found.params.band ?? [];
      const boxes = bands.map((band) => `<label><input type="checkbox" name="band" value="${band}"${chosen.includes(band) ? " checked" : ""}> ${band}</label>`);
      const rows = plates.filter(([, band]) => chosen.length === 0 || chosen.includes(band));
      return `<h1>Plates</h1><form action="${text(link("plates"))}"><fieldset>${boxes.join("")}<button>Filter</button></fieldset></form>
        <table>${rows.map(([plate, band]) => `<tr><td>${a(link("plates.plate", { plate }), plate)}<td>${band}`).join("")}</table>`;
    }
    case "plate":
      return `<h1>Plate ${text(found.params.plate)}</h1><p>${a(link("plates"), "All plates")}</p>`;
    case "observer-list":
      return `<h1>Observers</h1>${list([...observers].map((observer) => a(link("observers.observer", { observer }), observer)))}`;
    case "observer":
      return `<h1>${text(found.params.observer)}</h1><p>${a(linkFrom(found, "observers.observer.logbook"), "The logbook")}</p>`;
    case "logbook":
      return `<h1>The logbook of ${text(found.params.observer)}</h1>
        <form id="entry"><label>A new entry <input name="entry"></label></form><p id="kept"></p>`;
    case "sign-in":
      return `<h1>Sign in</h1><p>Observers may read logbooks.</p><p><button id="in" type="button">I am an observer</button>
        · ${a(linkFrom(found, "observers.join", {}, { back: "carry" }), "Join first")}</p>`;
    case "join":
      return `<h1>Join</h1><p>${a(linkFrom(found, "observers.sign-in", {}, { back: "carry" }), "Done: sign in")}</p>`;
    default:
      return `<h1>${text(found.page)}</h1><p>${text(JSON.stringify(found.params))}</p>`;
  }
}

/** What stands where there is no page. */
function instead(decision: Exclude<Shown, Match>): string {
  const back = decision.outcome === "not-found" && decision.page === "no-such-plate" ? a(link("plates"), "All plates") : a(link("home"), "Home");
  return `<div class="wrong"><h1>${decision.outcome === "not-found" ? (decision.page === "no-such-plate" ? "No such plate" : "Nothing is here") : decision.outcome}</h1><p>${back}</p></div>`;
}

/** The frames, each drawn once and then kept around what changes. */
function framed(frame: FrameName): string {
  const made = new Date().toLocaleTimeString("en-GB");
  if (frame === "with-calendar") {
    const days = nights.map((date) => `<li>${a(link("nights.night", { date }), date)}</li>`);
    return `<aside><h2>Calendar</h2><ol>${days.join("")}</ol><small>drawn at ${made}</small></aside>`;
  }
  return `<aside><h2>${text(frame === "archive" ? "The archive" : frame)}</h2><small>drawn at ${made}</small></aside>`;
}

/** Draws the frames that are new around the page, and leaves those that stay. */
function draw(decision: Shown, { framesKept, framesEntered }: Change): void {
  let within: Element = document.querySelector("#frames")!;
  framesKept.forEach(() => (within = within.querySelector(":scope > .frame > .within")!));
  within.innerHTML = framesEntered.reduceRight(
    (inner, frame) => `<div class="frame">${framed(frame)}<div class="within">${inner}</div></div>`,
    `<main>${decision.outcome === "page" ? page(decision) : instead(decision)}</main>`,
  );
  const button = document.querySelector<HTMLButtonElement>("#session")!;
  button.hidden = !met.has("observer");
  button.textContent = "Sign out";
}

await session();
const { isInFragment } = place();
document.querySelector<HTMLAnchorElement>("a.name")!.href = link("home");
document.querySelector("#menu")!.innerHTML = (["nights", "objects"] as const)
  .map((name) => a(link(name), dataOf(name).title))
  .concat(a(link("plates"), "Plates"), a(link("observers"), "Observers"))
  .join("");

const site: Site = start({
  show: (decision, change) => () => draw(decision, change),
  visitor: () => ({ meets: met, lists: { observers } }),
  prepare: (found) => {
    // Here the data of the page would be fetched; the dot shows which pages are ready.
    for (const one of document.querySelectorAll(`a[href="${CSS.escape(address(found))}"]`)) one.classList.add("ready");
  },
  title: (decision) => `${document.querySelector("h1")?.textContent} · Larkfell${isInFragment && decision.status !== 200 ? " (lost)" : ""}`,
  mayLeave: () => !document.querySelector<HTMLInputElement>("#entry input")?.value || confirm("The entry is not kept. Leave it?"),
  failed: (error) => (document.querySelector("#frames")!.innerHTML = `<div class="wrong"><h1>This went wrong</h1><p>${text(error)}</p></div>`),
});

document.addEventListener("click", async ({ target }) => {
  if (!(target instanceof HTMLButtonElement)) return;
  if (target.id === "in") await session("observer").then(() => site.comeBack(link("home")));
  if (target.id === "session") await session("").then(() => site.refresh());
});
