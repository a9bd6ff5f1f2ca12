// For node.

import { readFileSync, watch } from "node:fs";
import { dirname } from "node:path";
import { lane } from "./lane.js";
import { Disk } from "./disk.js";

export { Broken } from "./lane.js";

let compiled;

/** Makes an instance at once. The module is compiled once. */
export function loadSync() {
  compiled ??= new WebAssembly.Module(readFileSync(new URL("./vivid_lane.wasm", import.meta.url)));
  return lane(compiled);
}

/** Makes an instance, as in a browser. `source` is the bytes of the module or a compiled one; the file beside this one if left out. */
export async function load(source) {
  if (source === undefined) return loadSync();
  return lane(source instanceof WebAssembly.Module ? source : await WebAssembly.compile(source));
}

/** How long the file system must be quiet before files are read again, in milliseconds: editors write in several steps. */
const QUIET = 60;

/** Calls a function each time that something beside the files has changed and is quiet again; it gives the files to watch from then on. */
export function watchFiles(files, changed) {
  const watchers = new Map();
  let timer;
  const look = () => {
    clearTimeout(timer);
    timer = setTimeout(() => add(changed()), QUIET);
  };
  const add = (paths) => {
    // The folders, as many editors write a new file and put it in the place of the old one.
    for (const folder of new Set(paths.map((path) => dirname(path)))) {
      if (watchers.has(folder)) continue;
      try {
        const watcher = watch(folder, look);
        watcher.on("error", () => watchers.delete(folder));
        watchers.set(folder, watcher);
      } catch (error) {
        // A folder that cannot be watched is found to be missing when it is read.
        if (watchers.size === 0) throw error;
      }
    }
  };
  add(files);
  // What has changed between the first reading and now is not to be missed.
  look();
  return {
    close() {
      clearTimeout(timer);
      for (const watcher of watchers.values()) watcher.close();
      watchers.clear();
    },
  };
}

/**
 * Writes the modules of a table now and after each save, until `close` is called. What there is to say goes to `report`: a text, and whether
 * it is a mistake in the table. It throws an `Error` if the modules cannot be written the first time and `watch` is off.
 */
export function writeModules({ table, out, browser = false, javascript = false, watch = false, report = () => {} }) {
  const lane = loadSync();
  const said = [];
  const machine = new Disk((stream, bytes) => stream === 2 && said.push(Buffer.from(bytes)));
  const tell = (isMistake) => {
    const text = Buffer.concat(said.splice(0)).toString().trimEnd();
    if (text) report(text, isMistake);
  };
  const words = ["convert", "--to", "typescript", "--out", out];
  if (table !== undefined) words.unshift("--table", table);
  if (browser) words.push("--browser");
  if (javascript) words.push("--javascript");
  let call = lane.callOn(machine, watch ? [...words, "--watch"] : words);
  if (call.status !== 0 && !watch) {
    throw new Error(Buffer.concat(said).toString().trimEnd());
  }
  tell(call.status !== 0);
  if (!watch) return { close() {} };
  // A table that is broken at the start is tried again at each save, too.
  const files = () => call.watched() ?? [table ?? "routes.toml"];
  return watchFiles(files(), () => {
    if (call.watched()) {
      tell(!call.look(machine, false, false));
    } else {
      call = lane.callOn(machine, [...words, "--watch"]);
      tell(call.status !== 0);
    }
    return files();
  });
}
