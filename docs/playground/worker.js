// The proof, beside the page: it reads tables while one goes on typing.

import { lane } from "vivid-lane/lane.js";

let functions;
/** The table as it was at the start, and what it was made of. */
let start = { key: undefined, table: undefined };

const source = (files, main) => ({ name: main, text: files[main], include: (file) => files[file] });

function before(files, main) {
  const key = JSON.stringify([files, main]);
  if (start.key !== key) {
    start.table?.free();
    start = { key, table: functions.table(source(files, main)).table };
  }
  return start.table;
}

function look({ files, main, urls, visitor, link, started }) {
  const now = source(files, main);
  const { findings, table } = functions.review(now);
  if (!table) return { findings };
  try {
    const old = JSON.stringify(files) === JSON.stringify(started) ? undefined : before(started, main);
    return {
      findings,
      tree: table.tree(),
      decisions: urls.map((url) => table.match(url, { ...visitor, explain: true })),
      made: link.route ? table.link(link.route, link.values) : undefined,
      changes: old ? functions.diff(old, now).changes : [],
    };
  } finally {
    table.free();
  }
}

onmessage = ({ data }) => {
  if (data.module) functions = lane(data.module);
  else postMessage(look(data));
};
