// The archive, drawn by React: a page is an element, a frame is a component.

import { useState, useSyncExternalStore, type ComponentType, type ReactNode } from "react";
import { createRoot } from "react-dom/client";
import { ROWS, plates } from "./data.js";
import { start } from "./routes/browser.js";
import { link, type Position } from "./routes/routes.js";

// The binding: a store that is read, and frames around a page.
type Frame = ComponentType<{ at: Position | undefined; children: ReactNode }>;

function View(): ReactNode {
  const shown = useSyncExternalStore(site.subscribe, () => site.current);
  return shown?.frames.reduceRight<ReactNode>((inner, { name, at, content: Frame }) => <Frame key={name} at={at}>{inner}</Frame>, shown.content);
}

function Waiting(): ReactNode {
  const going = useSyncExternalStore(site.subscribe, () => site.going);
  return going?.isLate && <p id="waiting">On the way to {going.address}</p>;
}

/** The frame of the archive, which counts how often one has looked at something. */
function Archive({ at, children }: { at: Position | undefined; children: ReactNode }): ReactNode {
  const [looks, look] = useState(0);
  return (
    <section>
      <aside id="archive">
        The archive{at?.route === "plates" && `, page ${at.params.page}`}
        <button onClick={() => look(looks + 1)}>{looks} looks</button>
      </aside>
      {children}
    </section>
  );
}

const site = start<ReactNode, Frame>({
  frames: { archive: () => Archive },
  pages: {
    home: () => <h1>Larkfell</h1>,
    plates: async ({ params: { page } }, { signal }) => {
      const all = await plates(signal);
      const rows = all.slice((page - 1) * ROWS, page * ROWS);
      return (
        <>
          <h1>Plates, page {page}</h1>
          <ul>{rows.map(({ plate }) => <li key={plate}><a href={link("plates.plate", { plate })}>{plate}</a></li>)}</ul>
          <a id="more" href={link("plates", { page: page + 1 })}>More</a>
        </>
      );
    },
    // Its code is fetched when it is needed first.
    plate: { code: () => import("./plate.js") },
    note: () => <><h1>A note</h1><textarea id="note" /></>,
    "no-plate": ({ reason }) => <h1>No such plate: {reason}</h1>,
  },
  otherwise: ({ outcome }) => <h1>{outcome === "not-found" ? "Nothing is here" : outcome}</h1>,
  failed: ({ error, retry }) => <><h1>It failed</h1><p>{String(error)}</p><button id="again" onClick={retry}>Again</button></>,
  unsaved: () => !!document.querySelector<HTMLTextAreaElement>("#note")?.value,
  mayLeave: () => confirm("The note is not kept. Leave it?"),
});

createRoot(document.querySelector("#root")!).render(
  <>
    <nav><a href={link("home")}>Larkfell</a> <a href={link("plates")}>Plates</a> <a href={link("note")}>A note</a></nav>
    <Waiting />
    <main><View /></main>
  </>,
);
