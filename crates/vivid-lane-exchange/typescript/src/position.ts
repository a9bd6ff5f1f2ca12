// Where in the table a URL stands, and links from there.

import { type Value } from "./data.js";
import { FRAGMENT, PAIRS, QUERY, type Param, type Route } from "./model.js";
import { table } from "./table.js";
import { addressOf } from "./url.js";
import { type Reading } from "./find.js";
import { chainOf, isSame, levelsOf, typed, type LevelData, type Values } from "./values.js";
import { givenFor, linkable, RETURN, textsOf, urlOf, type Texts } from "./link.js";
import { partsOf, type Part } from "./template.js";
import { LinkError } from "./types.js";

const READ: unique symbol = /* @__PURE__ */ Symbol("read");

/**
 * The deepest route that covers a URL, the routes above it, their frames, and the values that were read on the way. What few readers ask
 * for is worked out when they do.
 */
export class At {
  declare readonly route: string;
  declare readonly params: { readonly [name: string]: unknown };
  // Only the functions of this module have a use for it; what has a symbol for a name is neither copied nor written as JSON.
  declare readonly [READ]: Read;

  constructor(reading: Reading, values: Values) {
    const { route } = reading.leaf;
    const params: { [name: string]: unknown } = { ...route.blank };
    for (let index = 0; index < route.params.length; index += 1) {
      const param = route.params[index]!;
      if (param.kind !== FRAGMENT || param.fallback !== undefined) params[param.name] = typed(param, values[index]);
    }
    this.route = route.name;
    this.params = params;
    this[READ] = { reading, values };
  }

  /** The address as it was asked: path and query, without scheme and host. */
  get address(): string {
    return addressOf(this[READ].reading.parts);
  }

  get levels(): readonly LevelData[] {
    const { reading, values } = this[READ];
    return levelsOf(reading, values);
  }

  get frames(): readonly string[] {
    return framesOf(routeOf(this));
  }

  get data(): unknown {
    return routeOf(this).data;
  }
}

export class Page extends At {
  declare readonly outcome: "page";
  declare readonly status: 200;
  declare readonly page: string;

  constructor(reading: Reading, values: readonly (Value | undefined)[], page: string) {
    super(reading, values);
    this.outcome = "page";
    this.status = 200;
    this.page = page;
  }
}

interface Read {
  readonly reading: Reading;
  readonly values: Values;
}

function routeOf(at: At): Route {
  return at[READ].reading.leaf.route;
}

/** The value of a parameter, by its name. */
function valueOf(at: At, name: string): Value | undefined {
  const { reading, values } = at[READ];
  return values[reading.leaf.route.params.findIndex((param) => param.name === name)];
}

/** The frames around a route, outermost first: the site's, then those of the levels. */
export function framesOf(route: Route | undefined): readonly string[] {
  return [table.data.site, ...chainOf(route)].flatMap(({ frame }) => frame ?? []);
}

/** The variables in the parts with which both templates begin. */
function commonBeginning(own: string, target: string): string[] {
  const shown = (part: Part | undefined): string => JSON.stringify(part, ["operator", "variables", "name"]);
  const [left, right] = [partsOf(own), partsOf(target)];
  const differs = right.findIndex((part, at) => shown(part) !== shown(left[at]));
  const same = differs < 0 ? right : right.slice(0, differs);
  return same.flatMap((part) => (typeof part === "string" ? [] : part.variables.map(({ name }) => name)));
}

/** What a link inherits from a position: what the two addresses share, and what the target cannot do without. */
function inheritedFrom(at: At, target: Route): Map<string, Value> {
  const own = routeOf(at);
  const shared = commonBeginning(own.path, target.path);
  const [ownNames, names] = [own.name.split("."), target.name.split(".")];
  const differs = ownNames.findIndex((name, index) => name !== names[index]);
  const common = differs < 0 ? ownNames.length : differs;
  const inherited = new Map<string, Value>();
  for (const { name, level, kind, isOptional, fallback } of target.params) {
    const isNeeded = !isOptional && fallback === undefined;
    const isOfAncestor = level < common && kind !== QUERY;
    const value = valueOf(at, name);
    const isInQuery = own.params.some((param) => param.name === name && param.kind === QUERY);
    if (value !== undefined && !isInQuery && (isNeeded || shared.includes(name) || isOfAncestor)) inherited.set(name, value);
  }
  return inherited;
}

/** How a link is made. */
export interface LinkFrom {
  readonly from?: At | undefined;
  readonly absolute?: boolean | undefined;
  readonly back?: "carry" | "here" | undefined;
}

export function linkOf(name: string, given: object = {}, { from, absolute, back }: LinkFrom = {}): string {
  const route = linkable(name);
  const texts = textsOf(given);
  const inherited = from ? inheritedFrom(from, route) : new Map<string, Value>();
  // A value that is set to nothing takes back what is inherited.
  for (const [key, value] of Object.entries(given)) if (value === undefined || value === null) inherited.delete(key);
  const address = from && (back === "here" ? from.address : back === "carry" ? valueOf(from, RETURN) : undefined);
  if (address !== undefined) texts.set(RETURN, address);
  const url = urlOf(route, texts, inherited);
  if (!absolute || url[0] !== "/") return url;
  if (table.data.site.origin !== "") return table.data.site.origin + url;
  const mend = 'set `origin = "https://…"` under `[site]`';
  throw new LinkError("no-origin", name, `an absolute link to \`${name}\` needs the origin of the site; ${mend}`);
}

/** Whether a link leads to the page that is shown (`page`), or to an ancestor of it (`true`): a value for `aria-current`. */
export function activity(name: string, given: object, at: At): "page" | "true" | undefined {
  const shown = routeOf(at);
  const route = chainOf(shown).find((one) => one.name === name);
  const texts: Texts = textsOf(given);
  const isSameValue = (param: Param): boolean => {
    const isOfQuery = param.kind === QUERY || param.kind === PAIRS;
    if (param.kind === FRAGMENT || (isOfQuery && !texts.has(param.name))) return true;
    // The query of an ancestor is not in the URL of its descendants.
    return (!isOfQuery || route === shown) && isSame(givenFor(param, texts), valueOf(at, param.name));
  };
  if (!route || !route.params.every(isSameValue)) return undefined;
  return route === shown ? "page" : "true";
}

/** The URL of the nearest ancestor with a page, with the same values. */
export function above(at: At): string | undefined {
  for (let { parent } = routeOf(at); parent; { parent } = parent) {
    if (parent.page === undefined) continue;
    try {
      return linkOf(parent.name, {}, { from: at });
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
  readonly kept: readonly string[];
  readonly left: readonly string[];
  readonly entered: readonly string[];
  readonly changed: readonly ChangeData[];
}

/** What changes when one page takes the place of another, or is the first. */
export function changeBetween(from: At | undefined, to: At): TransitionData {
  const [old, next] = [from?.levels ?? [], to.levels];
  const differs = next.findIndex(({ route }, level) => route !== old[level]?.route);
  const same = differs < 0 ? next.length : differs;
  const changed = next.slice(0, same).flatMap((after, level): ChangeData[] => {
    const before = old[level]!;
    const names = new Set(Object.keys({ ...before.params, ...after.params }));
    const changes = [...names].map((name) => ({ name, route: after.route, before: before.params[name], after: after.params[name] }));
    return changes.filter((change) => !isSame(change.before, change.after));
  });
  const names = (levels: readonly LevelData[]): string[] => levels.map(({ route }) => route);
  return { kept: names(next.slice(0, same)), left: names(old.slice(same)).reverse(), entered: names(next.slice(same)), changed };
}
