// The worker: one question at a time, and of those that wait only the newest. One that takes too long is cancelled.

import packed from "vivid-lane/vivid_lane.wasm.gz";
import text from "./worker.bundled.txt";

/** How long a table may take, in milliseconds. */
const PATIENCE = 3000;

export class Proof {
  #module;
  #worker;
  #waiting;
  #busy = false;
  #timer;

  async start() {
    const bytes = new Blob([packed]).stream().pipeThrough(new DecompressionStream("gzip"));
    this.#module = await WebAssembly.compile(await new Response(bytes).arrayBuffer());
    this.#begin();
  }

  #begin() {
    this.#worker?.terminate();
    const url = URL.createObjectURL(new Blob([text], { type: "text/javascript" }));
    this.#worker = new Worker(url);
    URL.revokeObjectURL(url);
    this.#worker.postMessage({ module: this.#module });
    this.#busy = false;
  }

  /** Asks a question. `answered` is called with the answer, or with `undefined` if it was cancelled; never for one that was overtaken. */
  ask(question, answered) {
    this.#waiting = { question, answered };
    this.#next();
  }

  #next() {
    if (this.#busy || !this.#waiting) return;
    const { question, answered } = this.#waiting;
    this.#waiting = undefined;
    this.#busy = true;
    const done = (answer) => {
      clearTimeout(this.#timer);
      this.#busy = false;
      answered(answer);
      this.#next();
    };
    const cancel = () => {
      this.#begin();
      done(undefined);
    };
    this.#timer = setTimeout(cancel, PATIENCE);
    this.#worker.onmessage = ({ data }) => done(data);
    this.#worker.onerror = cancel;
    this.#worker.postMessage(question);
  }
}
