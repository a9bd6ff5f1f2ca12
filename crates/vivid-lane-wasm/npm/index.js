// For browsers, workers and bundlers.

import { lane } from "./lane.js";

export { Broken } from "./lane.js";

let compiled;

/**
 * Loads the module, and makes an instance of its own. It is compiled once. `source` is where its file is, an answer of `fetch`, its bytes,
 * or a compiled module; the file beside this one if left out.
 */
export async function load(source) {
  if (source === undefined) {
    compiled ??= compile(new URL("./vivid_lane.wasm", import.meta.url));
    return lane(await compiled.catch((error) => ((compiled = undefined), Promise.reject(error))));
  }
  return lane(await compile(source));
}

async function compile(source) {
  if (source instanceof WebAssembly.Module) return source;
  if (ArrayBuffer.isView(source) || source instanceof ArrayBuffer) return WebAssembly.compile(source);
  const response = source instanceof Response ? source : await fetch(source);
  if (!response.ok) throw new Error(`${response.url} answers ${response.status}; expected vivid_lane.wasm there`);
  return WebAssembly.compile(await response.arrayBuffer());
}
