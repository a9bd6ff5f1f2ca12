// An application for tests: pages that take their time, pages that fail, and a record of what happens.

import { start } from "./routes/browser.js";
import { link } from "./routes/routes.js";

const seen = (window.seen = []);
document.addEventListener("securitypolicyviolation", (event) => seen.push(`violation ${event.violatedDirective}`));
const wait = (time, signal) =>
  new Promise((done, failed) => {
    setTimeout(done, time);
    signal.addEventListener("abort", () => (seen.push(`aborted ${time}`), failed(signal.reason)));
  });
const adopt = new URLSearchParams(location.search).has("adopt");
const transition = document.startViewTransition?.bind(document);
if (transition) document.startViewTransition = (update) => (seen.push("transition"), transition(update));

const site = (window.site = start({
  adopt,
  async show(decision, change, { signal }) {
    if (decision.outcome === "page" && decision.page === "talk-list") await wait(400, signal);
    if (decision.outcome === "page" && decision.page === "dome-list") throw new Error("the domes are closed");
    return () => {
      document.querySelector("main").innerHTML = `<h1>${decision.page ?? decision.outcome}</h1>${"<br>".repeat(200)}<p id="low">low</p>`;
      seen.push(`drawn ${decision.page ?? decision.outcome} ${change.kind} kept=${change.framesKept} entered=${change.framesEntered} changed=${change.changed.map(({ name }) => name)}`);
    };
  },
  failed(error, decision) {
    document.querySelector("main").innerHTML = "<h1>failed</h1>";
    seen.push(`failed ${error.message} ${decision?.page}`);
  },
}));
site.subscribe(() => seen.push(`current ${site.current.page}`));
window.link = link;
