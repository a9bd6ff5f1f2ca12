// A machine whose files are in memory.

const failure = (code, message) => Object.assign(new Error(message), { code });
const missing = () => failure("ENOENT", "No such file or directory (os error 2)");

/** A path without `.`, `..` and doubled slashes, below `/`. */
const whole = (path) => {
  const parts = [];
  for (const part of path.split("/")) {
    if (part === "..") parts.pop();
    else if (part !== "" && part !== ".") parts.push(part);
  }
  return "/" + parts.join("/");
};

export class MemoryMachine {
  #files = new Map();
  #written = new Set();
  #printed = { 1: [], 2: [] };
  #input;
  #include;

  /** Files by their paths, texts or bytes; what standard input holds; and a function for files that are in neither. */
  constructor(files, input = "", include = undefined) {
    for (const [path, content] of Object.entries(files)) this.#files.set(whole(path), bytes(content));
    this.#input = bytes(input);
    this.#include = include;
  }

  read(path) {
    const found = this.#files.get(whole(path));
    if (found !== undefined) return found;
    if (this.#isFolder(whole(path))) throw failure("EISDIR", "Is a directory (os error 21)");
    const included = this.#include?.(path);
    if (included === undefined) throw missing();
    return bytesOf(path, included);
  }

  input() {
    const rest = this.#input;
    this.#input = new Uint8Array();
    return rest;
  }

  isFile(path) {
    return this.#files.has(whole(path));
  }

  here() {
    return "/";
  }

  entries(folder) {
    const start = whole(folder) === "/" ? "/" : `${whole(folder)}/`;
    const names = new Map();
    for (const path of this.#files.keys()) {
      if (!path.startsWith(start)) continue;
      const [name, ...below] = path.slice(start.length).split("/");
      names.set(name, below.length === 0 ? "f" : "d");
    }
    if (names.size === 0) throw missing();
    return [...names].map(([name, kind]) => kind + name);
  }

  save(path, content) {
    this.#files.set(whole(path), content);
    this.#written.add(whole(path));
  }

  create(path) {
    this.save(path, new Uint8Array());
  }

  append(path, content) {
    const known = this.#files.get(whole(path));
    const longer = new Uint8Array(known.length + content.length);
    longer.set(known);
    longer.set(content, known.length);
    this.save(path, longer);
  }

  rename(from, to) {
    this.save(to, this.read(from));
    this.#files.delete(whole(from));
    this.#written.delete(whole(from));
  }

  createFolders() {}

  print(stream, content) {
    this.#printed[stream].push(content);
  }

  /** What was printed: 1 results, 2 what is said of them. */
  printed(stream) {
    const decoder = new TextDecoder();
    return this.#printed[stream].map((content) => decoder.decode(content, { stream: true })).join("") + decoder.decode();
  }

  /** The files that were written, as texts. */
  written() {
    const decoder = new TextDecoder();
    return Object.fromEntries([...this.#written].map((path) => [path.slice(1), decoder.decode(this.#files.get(path))]));
  }

  #isFolder(path) {
    return [...this.#files.keys()].some((file) => file.startsWith(path === "/" ? "/" : `${path}/`));
  }
}

/** What a function gave for a file that is included: its text, or its bytes. */
export function bytesOf(path, found) {
  if (typeof found === "string" || found instanceof Uint8Array) return bytes(found);
  const what = typeof found?.then === "function" ? "a promise: read the file first" : found === null ? "null" : typeof found === "object" ? "an object" : `a ${typeof found}`;
  throw new TypeError(`expected a text or a Uint8Array from \`include\` for ${path}, found ${what}`);
}

function bytes(content) {
  return typeof content === "string" ? new TextEncoder().encode(content) : content;
}
