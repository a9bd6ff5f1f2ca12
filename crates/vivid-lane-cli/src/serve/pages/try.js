// Shows what comes of a form while one types. Without it, the buttons do the same.
"use strict";
let waiting;
let asked = 0;

const show = async (form, changed) => {
  asked += 1;
  const mine = asked;
  const query = new URLSearchParams(new FormData(form)).toString();
  const response = await fetch(`/-/try?${query}`);
  const next = new DOMParser().parseFromString(await response.text(), "text/html");
  // Only the last answer counts.
  if (mine !== asked) return;
  const parts = ["answer", "made", "routes"];
  // The fields are those of a route, and stay while one types into them.
  if (changed.name === "link") parts.push("fields");
  for (const id of parts) document.getElementById(id)?.replaceWith(next.getElementById(id));
  for (const field of form.querySelectorAll("[name^='p.']")) {
    field.ariaInvalid = next.getElementById(field.id)?.ariaInvalid ?? null;
  }
  const url = document.querySelector("[name=url]");
  if (url !== changed) url.value = next.querySelector("[name=url]").value;
  document.title = next.title;
  history.replaceState(null, "", `?${query}`);
};

document.addEventListener("input", (event) => {
  const form = event.target.closest("form.live");
  if (!form) return;
  clearTimeout(waiting);
  waiting = setTimeout(() => show(form, event.target), 150);
});
