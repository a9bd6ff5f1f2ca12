// The functions of the package, on one instance of the module. Nothing here knows whether it runs in node or in a browser.

import { instance } from "./glue.js";
import { MemoryMachine, bytesOf } from "./memory.js";

/** An instance of the module that has broken down. That is a defect of Vivid Lane; the message says what to report. */
export class Broken extends Error {
  constructor(message) {
    super(`Vivid Lane has broken down, load it anew: ${message}`);
    this.name = "Broken";
  }
}

/** A source as its name, its text, and a machine that has what it includes. */
function parts(source) {
  if (typeof source === "string") return { name: "routes.toml", text: source, machine: new MemoryMachine({}) };
  const { name = "routes.toml", text, include } = source;
  const machine = new MemoryMachine({});
  if (include) {
    machine.read = (path) => {
      const found = include(path);
      if (found === undefined) throw new Error(`no file is called ${path}`);
      return bytesOf(path, found);
    };
  }
  return { name, text, machine };
}

/** Makes the functions on a compiled module, or on its bytes. Each time, the instance is a new one. */
export function lane(module) {
  let broken;
  const wasm = instance((message) => (broken = message));

  /** Calls into the module. What the module throws on purpose is a text. */
  const guarded = (call) => {
    if (broken !== undefined) throw new Broken(broken);
    try {
      return call();
    } catch (error) {
      if (error instanceof WebAssembly.RuntimeError || error instanceof RangeError) {
        broken ??= String(error);
        throw new Broken(broken);
      }
      throw error;
    }
  };
  /** The same, with what it throws as a value. */
  const attempt = (call) => {
    try {
      return { value: guarded(call) };
    } catch (error) {
      if (typeof error !== "string") throw error;
      return { error };
    }
  };

  const exports = guarded(() => wasm.initSync({ module }));

  /** A table that is built. */
  class Table {
    #table;
    constructor(table) {
      this.#table = table;
    }
    /** @internal */
    get built() {
      return this.#table;
    }
    site() {
      return JSON.parse(guarded(() => this.#table.site()));
    }
    tree() {
      return JSON.parse(guarded(() => this.#table.tree()));
    }
    match(url, { method = "GET", host, meets = [], lists = {}, explain = false } = {}) {
      const listed = JSON.stringify(Object.fromEntries(Object.entries(lists).map(([name, values]) => [name, [...values]])));
      return JSON.parse(guarded(() => this.#table.decide(String(url), method, host, [...meets], listed, explain)));
    }
    link(name, values = {}, { from, absolute = false } = {}) {
      const { value, error } = attempt(() => this.#table.link(name, JSON.stringify(values), from, absolute));
      return error === undefined ? { url: value } : { error };
    }
    free() {
      this.#table.free();
    }
  }

  /** Calls the tool on a machine, and gives what is still to be watched, too. */
  const callOn = (machine, words, { columns, colours = [false, false] } = {}) =>
    guarded(() => wasm.call(words, columns, machine, ...colours));

  const run = (words, { files = {}, input = "", columns = 100, colours = false } = {}) => {
    const machine = new MemoryMachine(files, input);
    const call = callOn(machine, [...words], { columns, colours: [colours, colours] });
    const status = call.status;
    call.free();
    return { status, out: machine.printed(1), err: machine.printed(2), files: machine.written() };
  };

  return {
    get broken() {
      return broken;
    },
    check(source, options) {
      const { findings, table } = this.review(source, options);
      table?.free();
      return findings;
    },
    review(source, { handlers } = {}) {
      const { name, text, machine } = parts(source);
      const reviewed = guarded(() => wasm.Reviewed.of(name, text, machine, handlers && [...handlers]));
      const table = reviewed.table();
      const findings = JSON.parse(reviewed.findings());
      reviewed.free();
      return { findings, table: table && new Table(table) };
    },
    table(source) {
      const { name, text, machine } = parts(source);
      const { value, error } = attempt(() => wasm.Table.build(name, text, machine));
      return error === undefined ? { table: new Table(value) } : { findings: JSON.parse(error) };
    },
    diff(before, after) {
      const old = before instanceof Table ? { table: before } : this.table(before);
      if (!old.table) return { findings: old.findings };
      const { name, text, machine } = parts(after);
      const { value, error } = attempt(() => wasm.diff(old.table.built, name, text, machine));
      if (old.table !== before) old.table.free();
      return error === undefined ? { changes: JSON.parse(value) } : { findings: JSON.parse(error) };
    },
    convert(source, { from = "table", to = "toml", browser = false, javascript = false, language, values = {}, lists = {}, endings } = {}) {
      const files = {};
      const words = ["--format", "json", "convert", "--from", from, "--to", to];
      if (browser) words.push("--browser");
      if (javascript) words.push("--javascript");
      if (language !== undefined) words.push("--language", language);
      for (const ending of endings ?? []) words.push("--ending", ending);
      for (const [option, named] of [["--values", values], ["--list", lists]]) {
        for (const [name, lines] of Object.entries(named)) {
          const file = `${option.slice(2)}/${Object.keys(files).length}`;
          files[file] = [...lines].map((line) => (typeof line === "string" ? line : JSON.stringify(line)) + "\n").join("");
          words.push(option, `${name}=${file}`);
        }
      }
      if (to === "typescript") words.push("--out", "modules");
      if (to === "sitemap") words.push("--out", "sitemap.xml");
      let include;
      if (from === "pages") {
        for (const [name, text] of Object.entries(source)) files[`pages/${name}`] = text;
        words.push("pages");
      } else {
        const read = typeof source === "string" ? { text: source } : source;
        const name = read.name ?? (from === "openapi" ? "description.yaml" : "routes.toml");
        files[name] = read.text;
        include = read.include;
        words.push("--", name);
      }
      const machine = new MemoryMachine(files, "", include);
      const call = callOn(machine, words);
      const status = call.status;
      call.free();
      const notes = [];
      let error = "";
      for (const line of machine.printed(2).split("\n")) {
        if (line.startsWith("{")) notes.push(JSON.parse(line));
        // What is told beside the notes of a call that went well is which files it wrote.
        else if (line && status !== 0) error += `${line}\n`;
      }
      const result = { status, text: machine.printed(1), files: machine.written(), notes };
      return error ? { ...result, error } : result;
    },
    run,
    callOn,
    memory: () => exports.memory.buffer.byteLength,
  };
}
