// Pages and frames, made by the functions that an application registers; a page also ahead, where a link to it is pointed at.

import { decideAsync, frames as framesOf, levels } from "../table/follows.js";
import { addressIn, linkIn, valuesIn, withoutPart } from "./addresses.js";
import { stored, RELOADED } from "./entries.js";
import { positionOf } from "./marks.js";
import { Titled, type Context, type Decided, type Entry, type Frame, type Happening, type Make, type Settings } from "./types.js";
import type { Decision, FrameName, Position } from "../table/follows.js";

/** A frame that is to be around a page, with the values of the path that lead there, and with all values, as texts. */
export interface Plan {
  readonly name: FrameName;
  readonly route: string | undefined;
  readonly at: Position | undefined;
  readonly values: string;
  readonly all: string;
}

/** The frames around what is decided, outermost first. */
export function planOf(decision: Decided): Plan[] {
  const position = positionOf(decision);
  const params: { [name: string]: unknown } = {};
  const own = (position ? levels(position) : []).flatMap((level): Plan[] => {
    Object.assign(params, level.params);
    if (level.frame === undefined) return [];
    const names = new Set(level.path.split(/[^\w%.]+/));
    const inPath = Object.fromEntries(Object.entries(params).filter(([name]) => names.has(name)));
    return [{ name: level.frame as FrameName, route: level.route, at: { route: level.route, params: { ...params } } as unknown as Position, values: valuesIn(inPath), all: valuesIn(params) }];
  });
  const [outermost] = framesOf(decision);
  if (framesOf(decision).length > own.length) own.unshift({ name: outermost!, route: undefined, at: undefined, values: "", all: "" });
  return own;
}

/** A frame as it was made, and what for. */
export interface MadeFrame<Framing> extends Frame<Framing> {
  readonly plan: Plan;
}

/** The frames around a page that is being made. */
export interface Frames<Framing> {
  readonly making: readonly Promise<MadeFrame<Framing>>[];
  readonly kept: number;
  readonly changed: readonly FrameName[];
}

/** Can a frame be told of other values? */
function isTold(framing: unknown): boolean {
  return typeof (framing as { readonly changed?: unknown } | null)?.changed === "function";
}

/** A page that is being made, and what ends it. */
export interface Making<Content> {
  readonly content: Promise<Content | Titled<Content>>;
  readonly controller: AbortController;
}

export interface Ahead<Content> {
  readonly making: Promise<Making<Content> | undefined>;
  readonly controller: AbortController;
  readonly until: number;
}

export const REST = 80;

/** Makes the pages and frames of a registry. */
export class Maker<Content, Framing> {
  declare private readonly settings: Settings<Content, Framing>;
  declare private readonly tell: (happening: Happening) => void;
  /** What was made ahead, by address. */
  declare private readonly ahead: Map<string, Ahead<Content>>;
  declare private resting: ReturnType<typeof setTimeout> | undefined;
  /** The address that is visited, which is made in any case. */
  declare private visited: string | undefined;

  constructor(settings: Settings<Content, Framing>, tell: (happening: Happening) => void) {
    this.settings = settings;
    this.tell = tell;
    this.ahead = new Map();
    this.resting = undefined;
    this.visited = undefined;
  }

  /** A visit begins, or is led on to another address. */
  visits(address: string): void {
    clearTimeout(this.resting);
    this.visited = withoutPart(address);
  }

  private async from<At, Made>(entry: Entry<At, Made> | undefined, name: string | undefined, at: At, context: Context): Promise<Made | Titled<Made>> {
    if (!entry) throw new Error(`nothing is registered for \`${name}\``);
    if (typeof entry === "function") return entry(at, context);
    let code: { readonly default: Make<At, Made> };
    try {
      code = await entry.code();
    } catch (error) {
      // The server may have newer code by now, so the document is loaded anew, once.
      const isNew = !context.isAhead && navigator.onLine && stored.read(RELOADED) !== context.address;
      throw isNew && stored.write(RELOADED, context.address) ? new Outdated() : error;
    }
    if (!context.isAhead && stored.read(RELOADED) !== null) stored.write(RELOADED, null);
    return code.default(at, context);
  }

  /** Begins to make the page of a decision. */
  private begin(decision: Decided, context: Context): Promise<Content | Titled<Content>> {
    const { pages, otherwise } = this.settings as Extract<Settings<Content, Framing>, { otherwise: unknown }>;
    if (!pages) return Promise.resolve(undefined as never);
    const entries = pages as { readonly [name: string]: Entry<never, Content> };
    const name = decision.outcome === "page" || decision.outcome === "not-found" ? decision.page : undefined;
    const making = name === undefined ? Promise.resolve().then(() => otherwise(decision, context)) : this.from(entries[name], name, decision as never, context);
    return making.then((made) => {
      this.tell({ type: "fetched", address: context.address, isAhead: context.isAhead });
      return made;
    });
  }

  /** The page of a decision: what was made ahead, or made now. */
  async page(decision: Decided, address: string, controller: AbortController, isAnew: boolean): Promise<Content | Titled<Content>> {
    const { signal } = controller;
    const key = withoutPart(address);
    const known = this.ahead.get(key);
    this.ahead.delete(key);
    if (known && known.until > Date.now() && decision.outcome === "page" && !isAnew) {
      const making = await known.making;
      if (making) {
        signal.addEventListener("abort", () => known.controller.abort());
        return making.content;
      }
    }
    return this.begin(decision, { address, signal, isAhead: false });
  }

  /** The frames of a plan: how many of those that are shown stay, and which of these have other values; the others begin to be made. */
  frames(plan: readonly Plan[], shown: readonly MadeFrame<Framing>[], address: string, signal: AbortSignal): Frames<Framing> {
    const { frames = {} } = this.settings as { readonly frames?: { readonly [name: string]: Entry<Position | undefined, Framing> } };
    const isKept = ({ name, route, values }: Plan, index: number): boolean => {
      const frame = shown[index];
      return frame?.name === name && frame.plan.route === route && (frame.plan.values === values || isTold(frame.content));
    };
    const differs = plan.findIndex((one, index) => !isKept(one, index));
    const kept = differs < 0 ? plan.length : differs;
    const making = plan.map(async (one, index) => {
      const { name, at } = one;
      const made = index < kept ? shown[index]!.content : this.settings.pages && (await this.from(frames[name], name, at, { address, signal, isAhead: false }));
      return { name, at, content: made instanceof Titled ? made.content : made!, plan: one };
    });
    return { making, kept, changed: plan.slice(0, kept).flatMap(({ name, all }, at) => (all !== shown[at]!.plan.all && isTold(shown[at]!.content) ? [name] : [])) };
  }

  /** A link was come near to: its page is made once that is for good. */
  near(event: Event): void {
    clearTimeout(this.resting);
    const link = linkIn(event);
    const whole = link && addressIn(link);
    const isSaving = (navigator as Navigator & { connection?: { saveData?: boolean } }).connection?.saveData === true;
    if (whole === undefined || isSaving || withoutPart(whole) === this.visited) return;
    this.resting = setTimeout(() => this.prepare(withoutPart(whole)), /^pointerd|^t/.test(event.type) ? 0 : REST);
  }

  private prepare(address: string): void {
    const now = Date.now();
    for (const [known, { until, controller }] of this.ahead) {
      if (until > now) continue;
      this.ahead.delete(known);
      controller.abort();
    }
    if (this.ahead.has(address)) return;
    const controller = new AbortController();
    const context: Context = { address, signal: controller.signal, isAhead: true };
    const making = decideAsync(address, this.settings.visitor?.() ?? {}).then((decision: Decision): Making<Content> | undefined => {
      if (decision.outcome !== "page") return undefined;
      const content = this.begin(decision, context);
      // What fails ahead is tried again when the visitor goes there.
      content.catch(() => this.ahead.delete(address));
      return { content, controller };
    });
    making.catch(() => this.ahead.delete(address));
    this.ahead.set(address, { making, controller, until: now + (this.settings.freshFor ?? 30_000) });
  }

  stop(): void {
    clearTimeout(this.resting);
    for (const { controller } of this.ahead.values()) controller.abort();
    this.ahead.clear();
  }
}

/** The code of a page is not to be had any more. */
export class Outdated extends Error {}
