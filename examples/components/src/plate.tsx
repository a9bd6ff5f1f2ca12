// One plate: a page in a file of its own.

import type { ReactNode } from "react";
import { plate as fetched } from "./data.js";
import { titled, type Context, type Titled } from "./routes/browser.js";
import type { Found } from "./routes/routes.js";

export default async function plate({ params }: Found<"plates.plate">, { signal }: Context): Promise<Titled<ReactNode>> {
  const { plate, band } = await fetched(params.plate, signal);
  return titled(`Plate ${plate}`, <><h1>Plate {plate}</h1><p>{band}</p></>);
}
