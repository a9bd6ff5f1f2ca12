import { Lane } from "./index.js";

export * from "./index.js";

/** Makes an instance at once. */
export function loadSync(): Lane;

export interface WriteModules {
  /** The table file; `routes.toml` in this folder or above it if left out. */
  table?: string;
  /** The folder to write into. */
  out: string;
  /** The module that navigates in a browser, too. */
  browser?: boolean;
  /** JavaScript with declarations instead of TypeScript. */
  javascript?: boolean;
  /** Writes again after each save of the table, until it is closed. */
  watch?: boolean;
  /** Told what was written, and what is wrong with the table. */
  report?: (text: string, isMistake: boolean) => void;
}

/** Writes the modules of a table, for the configuration of any build tool. Without `watch`, it throws if they cannot be written. */
export function writeModules(options: WriteModules): { close(): void };
