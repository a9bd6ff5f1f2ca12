// Where in the table a URL stands, and links from there.

import { data, FRAGMENT, OPTIONAL, PAIRS, QUERY, type Param, type Route, type Value } from "./table.js";
import { addressOf } from "./url.js";
import { leafAt, routeAt, type Reading } from "./find.js";
import { isSame, levelsOf, setOwn, typed, valuesOf, type LevelData } from "./values.js";
import { givenFor, linkable, RETURN, textsOf, urlOf, type Values } from "./link.js";
import { partsOf, type Part } from "./template.js";
import { LinkError } from "./types.js";

/** The deepest route that covers a URL, the routes above it, their frames, and the values that were read on the way. */
export interface PositionData {
  readonly route: string;
  /** The address as it was asked: path and query, without scheme and host. */
  readonly address: string;
  readonly params: { readonly [name: string]: unknown };
  readonly levels: readonly LevelData[];
  readonly frames: readonly string[];
  readonly data: unknown;
}

export interface MatchData extends PositionData {
  readonly outcome: "page";
  readonly status: 200;
  readonly page: string;
}

interface Read {
  readonly reading: Reading;
  readonly values: readonly (Value | undefined)[];
}

// What the functions of this module know of a position, and its reader need not.
const reads = new WeakMap<object, Read>();

export function readOf(position: object): Read {
  const read = reads.get(position);
  if (!read) throw new TypeError("expected what `match` or `decide` of this module gave");
  return read;
}

export function positionOf(reading: Reading): PositionData {
  return remember({}, reading);
}

export function matchOf(reading: Reading, page: number): MatchData {
  return remember({ outcome: "page", status: 200, page: data.pages[page]! }, reading);
}

function remember<T extends object>(own: T, reading: Reading): T & PositionData {
  const values = valuesOf(reading);
  const id = leafAt(reading.leaf)[0];
  const params: { [name: string]: unknown } = {};
  for (const [index, param] of routeAt(id)[4].entries()) {
    // A fragment is never sent, so all that can be known of it is a default.
    if (param[2] !== FRAGMENT || param[6] !== undefined) setOwn(params, param[0], typed(param, values[index]));
  }
  let levels: readonly LevelData[] | undefined;
  const position = {
    ...own,
    route: routeAt(id)[0],
    params,
    address: addressOf(reading.parts),
    // Most readers ask for the page and its values alone.
    get levels(): readonly LevelData[] {
      return (levels ??= levelsOf(reading, values));
    },
    get frames(): readonly string[] {
      return framesOf(id);
    },
    data: routeAt(id)[5]?.data ?? {},
  };
  reads.set(position, { reading, values });
  return position;
}

/** The frames around a route, outermost first: the site's, then those of the levels. */
export function framesOf(id: number): readonly string[] {
  const frames: string[] = [];
  for (let at = id; at >= 0; at = routeAt(at)[1]) {
    const frame = routeAt(at)[5]?.frame;
    if (frame !== undefined) frames.unshift(frame);
  }
  return data.site.frame === undefined ? frames : [data.site.frame, ...frames];
}

/** The value of a parameter of a position, by its name. */
export function valueOf(position: object, name: string): Value | undefined {
  const { reading, values } = readOf(position);
  return values[routeAt(leafAt(reading.leaf)[0])[4].findIndex(([known]) => known === name)];
}

/** The variables in the parts with which both templates begin. */
function commonBeginning(own: string, target: string): string[] {
  const [left, right] = [partsOf(own), partsOf(target)];
  const names = (part: Part): string => (typeof part === "string" ? part : part.operator + part.variables.map(({ name }) => name).join());
  const shared: string[] = [];
  for (const [at, part] of right.entries()) {
    const other = left[at];
    if (other === undefined || typeof other !== typeof part || names(other) !== names(part)) break;
    if (typeof part !== "string") shared.push(...part.variables.map(({ name }) => name));
  }
  return shared;
}

/** What a link inherits from a position: what the two addresses share, and what the target cannot do without. */
function inheritedFrom(position: PositionData, target: Route): Map<string, Value> {
  const { reading, values } = readOf(position);
  const own = routeAt(leafAt(reading.leaf)[0]);
  const shared = commonBeginning(own[2], target[2]);
  const [ownNames, names] = [own[0].split("."), target[0].split(".")];
  const differs = names.findIndex((name, at) => name !== ownNames[at]);
  const common = differs < 0 ? names.length : differs;
  const isShared = ([name, level, kind, flags, , , fallback]: Param): boolean =>
    (!(flags & OPTIONAL) && fallback === undefined) || shared.includes(name) || (level < common && kind !== QUERY);
  const inherited = new Map<string, Value>();
  for (const param of target[4].filter(isShared)) {
    const index = own[4].findIndex(([known]) => known === param[0]);
    const value = values[index];
    if (value !== undefined && own[4][index]![2] !== QUERY) inherited.set(param[0], value);
  }
  return inherited;
}

/** How a link is made. */
export interface LinkFrom {
  readonly from?: PositionData | undefined;
  readonly absolute?: boolean | undefined;
  /** `carry`: hands the address to come back to on to another page; `here`: leads back to the page that is shown. */
  readonly back?: "carry" | "here" | undefined;
}

export function linkOf(name: string, given: object = {}, { from, absolute, back }: LinkFrom = {}): string {
  const id = linkable(name);
  const texts = textsOf(given);
  const inherited = from ? inheritedFrom(from, routeAt(id)) : new Map<string, Value>();
  // A value that is set to nothing takes back what is inherited.
  for (const [key, value] of Object.entries(given)) if (value === undefined || value === null) inherited.delete(key);
  const address = from && (back === "here" ? from.address : back === "carry" ? valueOf(from, RETURN) : undefined);
  if (typeof address === "string") texts.set(RETURN, address);
  const url = urlOf(id, texts, inherited);
  if (!absolute || url[0] !== "/") return url;
  if (data.site.origin !== "") return data.site.origin + url;
  throw new LinkError(
    "no-origin",
    name,
    `an absolute link to \`${name}\` needs the origin of the site; set \`origin = "https://…"\` under \`[site]\``,
  );
}

/** Whether a link leads to the page that is shown (`page`), or to an ancestor of it (`true`): a value for `aria-current`. */
export function activity(name: string, given: object, position: PositionData): "page" | "true" | undefined {
  const { reading } = readOf(position);
  const shown = leafAt(reading.leaf)[0];
  let at = shown;
  while (at >= 0 && routeAt(at)[0] !== name) at = routeAt(at)[1];
  if (at < 0) return undefined;
  const texts: Values = textsOf(given);
  const isSameValue = (param: Param): boolean => {
    const [key, , kind] = param;
    if (kind === FRAGMENT || ((kind === QUERY || kind === PAIRS) && !texts.has(key))) return true;
    // The query of an ancestor is not in the URL of its descendants.
    if ((kind === QUERY || kind === PAIRS) && at !== shown) return false;
    return isSame(givenFor(param, texts, new Map()), valueOf(position, key));
  };
  if (!routeAt(at)[4].every(isSameValue)) return undefined;
  return at === shown ? "page" : "true";
}

/** The URL of the nearest ancestor with a page, with the same values. */
export function above(position: PositionData): string | undefined {
  const { reading } = readOf(position);
  for (let at = routeAt(leafAt(reading.leaf)[0])[1]; at >= 0; at = routeAt(at)[1]) {
    if (routeAt(at)[3] < 0) continue;
    try {
      return linkOf(routeAt(at)[0], {}, { from: position });
    } catch {
      // The next one may have a link.
    }
  }
  return undefined;
}

/** A parameter of a level that stays, and whose value differs. */
export interface ChangeData {
  readonly name: string;
  readonly route: string;
  readonly before: unknown;
  readonly after: unknown;
}

export interface TransitionData {
  /** The routes that stay, outermost first. */
  readonly kept: readonly string[];
  /** The routes that are left, innermost first. */
  readonly left: readonly string[];
  /** The routes that are entered, outermost first. */
  readonly entered: readonly string[];
  readonly changed: readonly ChangeData[];
}

/** What changes when one page takes the place of another, or is the first. */
export function changeBetween(from: PositionData | undefined, to: PositionData): TransitionData {
  const [old, next] = [from?.levels ?? [], to.levels];
  let same = 0;
  while (same < old.length && same < next.length && old[same]!.route === next[same]!.route) same += 1;
  const changed: ChangeData[] = [];
  for (const [level, after] of next.slice(0, same).entries()) {
    const before = old[level]!;
    for (const name of new Set([...Object.keys(before.params), ...Object.keys(after.params)])) {
      const [one, other] = [before.params[name], after.params[name]];
      if (JSON.stringify(one) !== JSON.stringify(other)) changed.push({ name, route: after.route, before: one, after: other });
    }
  }
  const names = (levels: readonly LevelData[]): string[] => levels.map(({ route }) => route);
  return { kept: names(next.slice(0, same)), left: names(old.slice(same)).reverse(), entered: names(next.slice(same)), changed };
}

