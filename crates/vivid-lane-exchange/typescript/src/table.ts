// Stands for the data of a table while the matcher is checked on its own; `convert` writes that of a real one in its place.

import type { Data } from "./data.js";

export * from "./data.js";

export const data: Data = {
  site: { origin: "", base: "", slash: 0, inFragment: false, folds: false, bytes: 8192, segments: 128 },
  pages: ["home"],
  needs: [],
  rules: [],
  automata: [],
  patterns: [],
  singles: [],
  order: [],
  leafOrder: [],
  routes: [["home", -1, "/", 0, []]],
  leaves: [[0, 0, [0]]],
  tree: [0, 0, [0]],
};
