// Drawing without a library: each page and each frame into the place that the frame around it has for it.

import type { Change, Frame, Shown } from "./types.js";
import type { Position } from "../table/follows.js";

/** What a page is drawn with: a node, or a function that fills its place. */
export type Drawing = Node | ((place: Element, shown: Shown<Drawing, Framing>) => void);

/** Fills the place of a frame, and gives back the place for what stands within. */
export type DrawFrame = (place: Element, at: Position | undefined) => Element;

/**
 * What a frame is drawn with. One that is `changed` stays when other values lead to it, and is told; one that is not is made and drawn
 * anew.
 */
export type Framing = DrawFrame | { readonly draw: DrawFrame; readonly changed: (at: Position | undefined) => void };

/** Draws within an element. */
export function drawIn(root: Element): (shown: Shown<Drawing, Framing>, change: Change) => void {
  let places = [root];
  return ({ frames, content, ...more }, { framesKept, framesChanged }) => {
    const tell = ({ name, at, content }: Frame<Framing>): void => {
      if (typeof content === "object" && framesChanged.includes(name)) content.changed(at);
    };
    frames.slice(0, framesKept.length).forEach(tell);
    places = places.slice(0, framesKept.length + 1);
    for (const frame of frames.slice(framesKept.length)) {
      const place = places[places.length - 1]!;
      place.replaceChildren();
      places.push((typeof frame.content === "object" ? frame.content.draw : frame.content)(place, frame.at));
    }
    const place = places[places.length - 1]!;
    if (typeof content !== "function") place.replaceChildren(...(content ? [content] : []));
    else {
      place.replaceChildren();
      content(place, { frames, content, ...more });
    }
  };
}
