// What the pages show, as a server has it.

import { Missing } from "./routes/browser.js";

export interface Plate {
  readonly plate: string;
  readonly band: string;
}

export async function plates(signal: AbortSignal): Promise<readonly Plate[]> {
  const answer = await fetch("/plates.json", { signal });
  if (!answer.ok) throw new Error(`the archive answered ${answer.status}`);
  return answer.json() as Promise<readonly Plate[]>;
}

export async function plate(name: string, signal: AbortSignal): Promise<Plate> {
  const found = (await plates(signal)).find((one) => one.plate === name);
  if (!found) throw new Missing(`there is no plate ${name}`);
  return found;
}

export const ROWS = 3;
