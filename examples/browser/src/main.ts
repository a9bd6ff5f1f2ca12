// Larkfell as a single-page application: the pages and frames of `site.ts`, drawn in the browser; also where the server has drawn the first.

import { drawIn, start, titled, type Drawing, type FrameEntries, type Framing, type PageEntries, type Titled } from "./routes/browser.js";
import { link } from "./routes/routes.js";
import { frameIn, frames, menu, observers, pageIn, pages, text, titleOf, wrong, type Part } from "./site.js";

/** Which needs the visitor meets, as the server remembers them; asked when that is needed first. */
let met: Promise<ReadonlySet<string>> | undefined;

async function session(needs?: string): Promise<ReadonlySet<string>> {
  const options = needs === undefined ? {} : { method: "POST", body: new URLSearchParams(needs && { need: needs }) };
  const known = (await (await fetch("/-/session", { ...options, headers: { accept: "application/json" } })).json()) as { needs: string[] };
  document.querySelector<HTMLButtonElement>("#session")!.hidden = !known.needs.includes("observer");
  return new Set(known.needs);
}

const page = (part: Part): Titled<Drawing> => titled(titleOf(part), (place) => (place.innerHTML = pageIn(part)));

/** A frame with the time at which it was drawn: it stays while the pages within it change. */
function beside(part: Part): Framing {
  const below = `${part.below}<small>drawn at ${new Date().toLocaleTimeString("en-GB")}</small>`;
  return (place) => {
    place.innerHTML = frameIn({ ...part, below });
    return place.querySelector(".frame > div")!;
  };
}

/** Each function of a registry, with what is made of what it gives. */
function each<Given>(entries: object, made: (part: Part) => Given): unknown {
  return Object.fromEntries(Object.entries(entries).map(([name, entry]: [string, (at: unknown) => Part]) => [name, (at: unknown) => made(entry(at))]));
}

document.querySelector<HTMLAnchorElement>("a.name")!.href = link("home");
document.querySelector("#menu")!.innerHTML = menu();

const site = start<Drawing, Framing>({
  draw: drawIn(document.querySelector("#frames")!),
  visitor: () => ({ meets: async (need) => (await (met ??= session())).has(need), lists: { observers } }),
  unsaved: () => !!document.querySelector<HTMLInputElement>("#entry input")?.value,
  mayLeave: () => confirm("The entry is not kept. Leave it?"),
  frames: each(frames, beside) as FrameEntries<Framing>,
  pages: each(pages, page) as PageEntries<Drawing>,
  otherwise: ({ outcome }) => page(wrong(outcome)),
  failed: ({ error }) => page(wrong("This went wrong", text(error))),
});
// A server that has drawn the page has said who the visitor is, too.
const sent = site.current?.data as { readonly needs: readonly string[] } | undefined;
if (sent) met = Promise.resolve(new Set(sent.needs));
else met ??= session();

document.addEventListener("click", async ({ target }) => {
  if (!(target instanceof HTMLButtonElement)) return;
  if (target.id === "in") (met = session("observer")), await met, await site.comeBack(link("home"));
  if (target.id === "session") (met = session("")), await met, await site.refresh();
});
