// Stands for the table while the matcher is checked on its own; `convert` writes a real one in its place. What a table does not have is
// known as it is written, so that a bundler can leave out the code for it.

import { type Data } from "./data.js";
import { Table } from "./model.js";

/** Is there a host? */
export const HOSTS: boolean = true;
/** Is there a list or are there pairs in the path, so that a delimiter differs from the same character as text? */
export const JOINS: boolean = true;
/** Is there a segment of several pieces, of which one is found by its automaton? */
export const CUTS: boolean = true;
/** Is there a tail of one value? */
export const TAILS: boolean = true;
/** Is there a parameter that takes all that is left of the query? */
export const PAIRS_OF_QUERY: boolean = true;
/** Is there a `multipleOf`, and are there lengths? */
export const MULTIPLES: boolean = true;
export const LENGTHS: boolean = true;
/** Does letter case not count? */
export const FOLDS: boolean = true;
/** Do addresses stand in the fragment? */
export const IN_FRAGMENT: boolean = true;
/** Can one URL lead to several leaves? */
export const SEVERAL: boolean = true;

const data: Data = {
  site: { origin: "", base: "", slash: 0, bytes: 8192, segments: 128 },
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

export const table: Table = /* @__PURE__ */ new Table(data);
