#!/usr/bin/env node
// The command-line tool.

import { setFlagsFromString } from "node:v8";
import { Disk } from "./disk.js";
import { Broken, loadSync, watchFiles } from "./node.js";

// A call is mostly over before optimised code pays; what runs longer is optimised all the same, a little later.
setFlagsFromString("--wasm-tiering-budget=200000000");

/** Has a stream colours? By the variables that many programs read. */
function hasColours(stream) {
  const { NO_COLOR, CLICOLOR, CLICOLOR_FORCE, TERM, CI } = process.env;
  if (NO_COLOR) return false;
  if (CLICOLOR_FORCE) return true;
  if (CLICOLOR === "0") return false;
  const isAble = TERM === undefined ? process.platform === "win32" : TERM !== "dumb";
  return Boolean(stream.isTTY) && (isAble || CLICOLOR !== undefined || CI !== undefined);
}

const colours = [hasColours(process.stdout), hasColours(process.stderr)];
const columns = process.stdout.columns ?? process.stderr.columns;
const machine = new Disk();

try {
  const call = loadSync().callOn(machine, process.argv.slice(2), { columns, colours });
  process.exitCode = call.status;
  const files = call.watched();
  if (files) {
    watchFiles(files, () => {
      call.look(machine, ...colours);
      return call.watched();
    });
  }
} catch (error) {
  if (!(error instanceof Broken)) throw error;
  console.error(`error: ${error.message}`);
  process.exitCode = 2;
}
