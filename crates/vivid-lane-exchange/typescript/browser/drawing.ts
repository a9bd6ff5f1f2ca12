// Drawing without a library: each page and each frame is drawn into an element of the frame around it.

import type { Change, Frame, Shown } from "./types.js";
import type { Position } from "../table/follows.js";

/** What a page is drawn with: a node, or a function that fills its place. */
export type Drawing = Node | ((place: Element, shown: Shown<Drawing, Framing>) => void);

/** Fills the place of a frame, and returns the element for its contents. */
export type DrawFrame = (place: Element, at: Position | undefined) => Element;

/**
 * What a frame is drawn with. If it has `changed`, it stays on the page when its values change, and `changed` is called; otherwise it is
 * made and drawn again.
 */
export type Framing = DrawFrame | { readonly draw: DrawFrame; readonly changed: (at: Position | undefined) => void };

/** Draws pages and frames into an element. */
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
