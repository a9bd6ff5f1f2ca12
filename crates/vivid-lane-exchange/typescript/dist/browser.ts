// Navigation in a browser over the routes of a table: what a visitor takes for granted, with one place for each page and each frame.
// Made by `vivid-lane convert --to typescript --browser`; it is the same for every table.

import { Missing, dataOf, decide, decideAsync, frames as framesOf, levels, link, notFoundAt, place, returnAddressAsync, sentDecision, transition } from "./table.js";
import type { Answer, Asks, Decision, FallbackName, FrameName, Given, NotFound, Pages, Position, Redirect, RouteName, Sent, Transition } from "./table.js";

// The types of settings, and of what the module reports.

/** A decision that can be shown. Redirects are followed, and visitors who do not meet a need are sent to the page where they can. */
export type Decided = Exclude<Decision, Redirect>;

/**
 * How a visit came about: the first page of the document, a new entry of the history, one in the place of the last, a step through the
 * history, or the same address once more.
 */
export type Kind = "first" | "push" | "replace" | "traverse" | "refresh";

/** What a page or a frame is made with. */
export interface Context {
  /** The address that is visited: path and query. */
  readonly address: string;
  /** Aborted as soon as the visitor goes elsewhere: before the page is drawn, or when it is left. */
  readonly signal: AbortSignal;
  /** Is it made ahead, as a link is pointed at? */
  readonly isAhead: boolean;
}

/** Makes a page or a frame: fetches what it needs, and gives back what is drawn. It changes nothing that can be seen. */
export type Make<At, Content> = (at: At, context: Context) => Content | Titled<Content> | Promise<Content | Titled<Content>>;

/** A page or a frame: the function that makes it, or where its code is fetched from when it is needed first. */
export type Entry<At, Content> = Make<At, Content> | { readonly code: () => Promise<{ readonly default: Make<At, Content> }> };

/** One entry for each page of the table, also for those that show what is missing. */
export type PageEntries<Content> = { readonly [Name in keyof Pages]: Entry<Pages[Name], Content> } & { readonly [Name in FallbackName]: Entry<NotFound, Content> };

/** One entry for each frame of the table. A frame is made for the route that declares it; that of the site has none. */
export type FrameEntries<Framing> = { readonly [Name in FrameName]: Entry<Position | undefined, Framing> };

/** What went wrong, and where. */
export interface Failure {
  readonly error: unknown;
  readonly decision: Decided | undefined;
  /** Tries once more. */
  readonly retry: () => Promise<void>;
}

/** What each page and each frame is. */
export type Registry<Content, Framing> = {
  readonly pages: PageEntries<Content>;
  /** What is shown where there is no page: a need that nobody can meet, a list that cannot be asked, a URL that is none. */
  readonly otherwise: Make<Decided, Content>;
  /** What is shown in the place of a page that failed. */
  readonly failed: (failure: Failure) => Content | Titled<Content>;
} & ([FrameName] extends [never] ? { readonly frames?: {} } : { readonly frames: FrameEntries<Framing> });

/** A frame that is shown. */
export interface Frame<Framing> {
  readonly name: FrameName;
  /** The route that declares it, with the values that lead there; nothing for the frame of the site. */
  readonly at: Position | undefined;
  readonly content: Framing;
}

/** What is shown, all of it at once. */
export interface Shown<Content = unknown, Framing = unknown> {
  readonly decision: Decided;
  readonly address: string;
  readonly title: string;
  /** Outermost first. */
  readonly frames: readonly Frame<Framing>[];
  /** What the page made; nothing without a registry. */
  readonly content: Content | undefined;
  /** What is kept with this entry of the history. */
  readonly state: unknown;
  /** What the server has sent over with a page that it has drawn. */
  readonly data: unknown;
  readonly error: unknown;
  /** Aborted when the page is left. */
  readonly signal: AbortSignal;
}

/** What changes on the page. */
export interface Change extends Transition {
  readonly kind: Kind;
  /** The frames that stay around the page, outermost first, those of them that have other values, and those that come within them. */
  readonly framesKept: readonly FrameName[];
  readonly framesChanged: readonly FrameName[];
  readonly framesEntered: readonly FrameName[];
}

/** Where a visit is going that is not shown yet. */
export interface Going {
  readonly address: string;
  readonly kind: Kind;
  /** Nothing until lists and needs are answered. */
  readonly decision: Decided | undefined;
  /** Has it taken longer than `waitFor`? */
  readonly isLate: boolean;
}

/** The events of visits, in order. */
export type Happening =
  | { readonly type: "asked" | "waiting" | "overtaken"; readonly address: string; readonly kind: Kind }
  | { readonly type: "decided"; readonly address: string; readonly decision: Decided; /** The addresses that led here. */ readonly via: readonly string[] }
  | { readonly type: "fetched"; readonly address: string; readonly isAhead: boolean }
  | { readonly type: "drawn"; readonly address: string; readonly change: Change }
  | { readonly type: "failed"; readonly address: string; readonly error: unknown };

/** Who the visitor is: which needs they meet, and the live lists. */
export type Visitor = Pick<Asks<Answer | Promise<Answer>>, "meets" | "lists">;

interface Behaviour<Content, Framing> {
  /** Puts what was made on the page, in one go. Without it an application reads `current` and draws by itself. */
  readonly draw?: (shown: Shown<Content, Framing>, change: Change) => void | Promise<void>;
  /** Which needs the visitor meets now, and the live lists. */
  readonly visitor?: () => Visitor;
  /** The title of the document, for what is not `titled`; by default `data.title` of the nearest route that has one. */
  readonly title?: (shown: Shown<Content, Framing>) => string | undefined;
  /** Is there anything on the page that the visitor would lose? By default there may be, if there is `mayLeave`. */
  readonly unsaved?: () => boolean;
  /** May the visitor go there? Asked before the page is left; the answer may take its time. */
  readonly mayLeave?: (to: Going) => boolean | Promise<boolean>;
  /** After how many milliseconds a visit that is not shown yet is late: 200 by default. */
  readonly waitFor?: number;
  /** For how many milliseconds what was made ahead is good: 30,000 by default, and 0 makes nothing ahead. */
  readonly freshFor?: number;
  /** Called for each event; `"console"` prints them. */
  readonly observe?: "console" | ((happening: Happening) => void);
  /** Is the first page there already, drawn by the server? By default it is where the server says so in the document (`visit.sent()`). */
  readonly adopt?: boolean;
  /** Do pages change within view transitions, where the browser has them? Links cannot be clicked on while one runs. */
  readonly viewTransitions?: boolean;
}

export type Settings<Content, Framing> = Behaviour<Content, Framing> & (Registry<Content, Framing> | { readonly pages?: undefined });

/** How to go somewhere. */
export interface GoOptions {
  /** Kept with the entry of the history, and read by the page; what can be cloned. */
  readonly state?: unknown;
  /** Are focus and scroll position left where they are? */
  readonly stay?: boolean | undefined;
}

type GoArguments<Name> = [...Given<Name>, options?: GoOptions | undefined];

/** A running site: a store that is read and subscribed to, and the ways to go on. */
export interface Site<Content = unknown, Framing = unknown> {
  /** What is shown; nothing before the first page is drawn. */
  readonly current: Shown<Content, Framing> | undefined;
  /** Where the visitor is going; nothing once it is shown. */
  readonly going: Going | undefined;
  /** Does going back stay in the application? */
  readonly canGoBack: boolean;
  /** Calls a function after each change of `current` and `going`; gives back the function that ends it. */
  subscribe(listener: () => void): () => void;
  /** Goes to the page of a route. It ends when the page is drawn, or another visit has begun; it fails where there is no such link. */
  go<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: GoArguments<Name>): Promise<void>;
  /** The same, in the place of this page in the history. */
  replace<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: GoArguments<Name>): Promise<void>;
  /** Goes to an address. One that no route covers is left to the server. */
  open(url: string, kind?: "push" | "replace", options?: GoOptions): Promise<void>;
  /** Goes on after signing in: to the address that the visitor wanted, else to another one. */
  comeBack(otherwise: string): Promise<void>;
  /** Decides and makes the page at this address anew; focus and scroll position stay. */
  refresh(): Promise<void>;
  /** Keeps something else with this entry of the history. */
  keep(state: unknown): void;
  back(): void;
  forward(): void;
  /** Ends it: links are links again. */
  stop(): void;
}

/** A page with a title that is known only once it is made. */
export class Titled<Content> {
  readonly title: string;
  readonly content: Content;

  constructor(title: string, content: Content) {
    this.title = title;
    this.content = content;
  }
}

/** What a page is made of, with the title of the document. */
export function titled<Content>(title: string, content: Content): Titled<Content> {
  return new Titled(title, content);
}

export { Missing };

// Which URLs are addresses of the site, and which links and forms are its own to follow.

/** A URL without its fragment. */
const beforeHash = (url: string): string => url.split("#", 1)[0]!;

/** The part of a page that the fragment of a URL names (HTML, section 7.4.6.4). */
function partOf(hash: string): HTMLElement | null {
  const raw = hash.slice(1);
  if (raw === "") return null;
  let name = raw;
  try {
    name = decodeURIComponent(raw);
  } catch {
    // Use the name without decoding it.
  }
  return document.getElementById(raw) ?? document.getElementById(name);
}

/** The address of a URL as the table knows it; nothing where it is none of the site. */
function addressOf(href: string): string | undefined {
  let url: URL;
  try {
    url = new URL(href, document.baseURI);
  } catch {
    return undefined;
  }
  if (url.origin !== location.origin) return undefined;
  const { base, isInFragment } = place();
  if (!isInFragment) {
    const below = url.pathname.startsWith(base) ? url.pathname.slice(base.length) : "-";
    return below === "" || below[0] === "/" ? url.pathname + url.search + url.hash : undefined;
  }
  // Older sites wrote their addresses after `#!/`.
  const hash = url.hash.replace(/^(#!?)?$|^#!(?=\/)/, (found) => (found === "#!" && url.hash !== "#!" ? "#" : "#/"));
  return url.pathname + url.search === location.pathname + location.search && hash.startsWith("#/") ? url.pathname + hash : undefined;
}

/** An address without the part of the page that its fragment names. */
function withoutPart(address: string): string {
  const end = address.indexOf("#", place().isInFragment ? address.indexOf("#") + 1 : 0);
  return end < 0 ? address : address.slice(0, end);
}

/** The path of an address below the base of the site, without a slash at its end. */
function pathOf(address: string): string {
  const { base, isInFragment } = place();
  const start = isInFragment ? address.indexOf("#") + 1 : base.length;
  return address.slice(start).replace(/[?#].*$/, "").replace(/\/$/, "");
}

/** What the server has sent over with a page that it has drawn. */
interface SentOver {
  readonly decision: Decided;
  readonly data: unknown;
}

/** The server's decision about an address, if the document contains one. */
function sentOver(address: string): SentOver | undefined {
  const { data, ...sent } = JSON.parse(document.getElementById("lane-page")?.textContent ?? "{}") as Sent & { readonly data: unknown };
  const decision = sent.address === withoutPart(address) ? sentDecision(sent, location.hostname) : undefined;
  return decision && { decision: decision as Decided, data };
}

/** Does an address in the fragment name a part of the page? */
function isPartInFragment(href: string): boolean {
  return place().isInFragment && beforeHash(href) === beforeHash(location.href) && addressOf(href) === undefined;
}

// All needs are met and all values are listed: where a link leads does not depend on the visitor.
const everyone: Asks = { meets: () => true, lists: () => true };

/** What a link leads to. */
interface Target {
  readonly decision: Decision;
  /** The route of its page, and its values as one text. */
  readonly route: string | undefined;
  readonly values: string;
}

const targets = /* @__PURE__ */ new Map<string, Target>();
const MOST_TARGETS = 5000;

function targetOf(address: string): Target {
  const known = targets.get(address);
  if (known) return known;
  const decision = decide(address, everyone);
  const isPage = decision.outcome === "page";
  const made: Target = {
    decision,
    route: isPage ? decision.route : undefined,
    values: isPage ? valuesIn(decision.params) : "",
  };
  if (targets.size >= MOST_TARGETS) targets.clear();
  targets.set(address, made);
  return made;
}

/** Values as one text, by which they are compared. */
function valuesIn(params: object): string {
  return JSON.stringify(params, (_, value: unknown) => (typeof value === "bigint" ? String(value) : value));
}

/** Does any route cover an address? The server answers those that none does. */
function isCovered(address: string): boolean {
  const { decision } = targetOf(address);
  return decision.outcome !== "bad-request" && (decision.outcome !== "not-found" || decision.position !== undefined);
}

/** The link that an event is about, also one in a shadow tree or in a drawing. */
function linkIn(event: Event): Element | undefined {
  return event.composedPath().find((one): one is Element => one instanceof Element && (one.localName === "a" || one.localName === "area") && hrefOf(one) !== undefined);
}

/** Where a link leads. */
function hrefOf(link: Element): string | undefined {
  const href = link.getAttribute("href") ?? link.getAttribute("xlink:href");
  if (href === null) return undefined;
  try {
    return new URL(href, document.baseURI).href;
  } catch {
    return undefined;
  }
}

/** The address to which a link leads, where it is followed within the page, as far as it says. */
function addressIn(link: Element): string | undefined {
  const [target, rel, href] = [link.getAttribute("target"), link.getAttribute("rel") ?? "", hrefOf(link)];
  const isPlain = !link.hasAttribute("download") && (!target || target === "_self") && !/(^|\s)external(\s|$)/.test(rel);
  return isPlain && href !== undefined ? addressOf(href) : undefined;
}

/** The address to which a form leads that asks, where that is the application's own to follow. */
function askedBy(form: HTMLFormElement, submitter: HTMLElement | null): string | undefined {
  const button = submitter instanceof HTMLButtonElement || submitter instanceof HTMLInputElement ? submitter : undefined;
  const said = (name: string): string | null => button?.getAttribute("form" + name) ?? form.getAttribute(name);
  const target = said("target");
  if ((said("method") ?? "get").toLowerCase() !== "get" || (target && target !== "_self")) return undefined;
  const url = new URL(said("action") || location.href, document.baseURI);
  const fields = new FormData(form);
  if (button?.name) fields.append(button.name, button.value);
  const query = "?" + new URLSearchParams([...fields].map(([name, value]) => [name, typeof value === "string" ? value : value.name])).toString();
  if (place().isInFragment) url.hash = (url.hash || "#/").split("?", 1)[0]! + query;
  else [url.search, url.hash] = [query, ""];
  return url.href;
}

// The entries of the history: each has a number, which grows from the first to the last, the scroll position at which it was left, and
// what the application keeps with it.

/** What we keep in the state of an entry, beside what others have there. */
interface Stamp {
  readonly at: number;
  /** The number of the first entry since the visitor came. */
  readonly since: number;
  /** Were focus and scroll position left alone on the way here? */
  readonly stay?: boolean | undefined;
  readonly state?: unknown;
}

const NAME = "lane";
const SCROLLED = "lane:scroll";
const RELOADED = "lane:reloaded";

/** What is kept for as long as the tab is open, if the browser lets us. */
const stored = {
  read(name: string): unknown {
    try {
      return JSON.parse(sessionStorage.getItem(name) ?? "null");
    } catch {
      return null;
    }
  },
  /** Says whether it is kept. */
  write(name: string, value: unknown): boolean {
    try {
      sessionStorage.setItem(name, JSON.stringify(value));
      return true;
    } catch {
      return false;
    }
  },
};

function stampIn(state: unknown): Stamp | undefined {
  const stamp = (state as { readonly [NAME]?: Partial<Stamp> } | null)?.[NAME];
  return typeof stamp?.at === "number" && typeof stamp.since === "number" ? (stamp as Stamp) : undefined;
}

class Entries {
  /** That of the entry in the address bar. */
  declare stamp: Stamp;
  /** The number of the entry whose page is drawn; -1 before there is one. */
  declare drawn: number;
  declare private readonly positions: { [at: number]: readonly [x: number, y: number] };

  constructor() {
    const kept = stored.read(SCROLLED);
    this.positions = typeof kept === "object" && kept !== null ? (kept as Entries["positions"]) : {};
    const known = stampIn(history.state);
    const last = Math.max(-1, ...Object.keys(this.positions).map(Number).filter((at) => at >= 0));
    this.stamp = known ?? { at: last + 1, since: last + 1 };
    this.drawn = -1;
    this.mark();
  }

  /** Marks the entry in the address bar as ours, also where other code has taken the mark away. */
  mark(): void {
    if (stampIn(history.state)?.at !== this.stamp.at) this.write("replace", location.href, this.stamp);
  }

  /** Writes an address; says whether that went well. */
  write(kind: "push" | "replace", url: string, stamp: Stamp): boolean {
    const others: unknown = kind === "replace" ? history.state : undefined;
    try {
      history[kind === "push" ? "pushState" : "replaceState"]({ ...(typeof others === "object" ? others : undefined), [NAME]: stamp }, "", url);
    } catch {
      // There is a limit to how often, and to what is kept.
      return false;
    }
    this.stamp = stamp;
    // What lay ahead is gone.
    if (kind === "push") for (const at of Object.keys(this.positions)) if (Number(at) >= stamp.at) delete this.positions[Number(at)];
    return true;
  }

  /** The stamp of an entry that follows this one. */
  following(options: Pick<Stamp, "stay" | "state">): Stamp {
    return { ...options, at: this.stamp.at + 1, since: this.stamp.since };
  }

  /** Remembers where the page that is drawn is scrolled to. */
  remember(): void {
    if (this.drawn >= 0) this.positions[this.drawn] = [scrollX, scrollY];
  }

  /** Keeps what is remembered over a reload. */
  store(): void {
    this.remember();
    this.mark();
    stored.write(SCROLLED, this.positions);
  }

  /** Where the page of this entry was scrolled to, if it was drawn before. */
  get position(): readonly [x: number, y: number] | undefined {
    return this.positions[this.stamp.at];
  }
}

// Sets `aria-current` on links to the current page and to its ancestors.

/** Where in the table a decision stands. */
function positionOf(decision: Decided | undefined): Position | undefined {
  return decision?.outcome === "page" ? decision : decision && "position" in decision ? decision.position : undefined;
}

class Marks {
  /** For each path that leads to what is shown, or to a level above it, the routes there. */
  declare private above: ReadonlyMap<string, readonly string[]>;
  declare private values: string | undefined;
  /** The links that this module has marked. It never changes marks that others have set. */
  declare private readonly own: WeakSet<Element>;
  declare private readonly watching: MutationObserver;

  constructor() {
    this.above = new Map();
    this.values = undefined;
    this.own = new WeakSet();
    this.watching = new MutationObserver((records) => {
      for (const { target, type, addedNodes } of records) {
        if (type === "attributes") this.mark(target as Element);
        else for (const node of addedNodes) if (node instanceof Element) this.within(node);
      }
    });
    this.watching.observe(document.body, { childList: true, subtree: true, attributes: true, attributeFilter: ["href"] });
  }

  /** Marks all links anew. */
  show(decision: Decided): void {
    const position = positionOf(decision);
    const above = new Map<string, string[]>();
    let path = "";
    for (const { route, path: template, covered } of position ? levels(position) : []) {
      path += covered;
      // A home page does not count as an ancestor.
      if (route === position!.route || !/^\/?$/.test(template.replace(/\{[/?&].*?\}/g, ""))) {
        const key = path.replace(/\/$/, "");
        above.set(key, [...(above.get(key) ?? []), route]);
      }
    }
    this.above = above;
    this.values = decision.outcome === "page" ? decision.route + valuesIn(decision.params) : undefined;
    // All links are marked below, so pending records are not needed.
    this.watching.takeRecords();
    this.within(document.body);
  }

  private within(root: Element): void {
    if (root.localName === "a") this.mark(root);
    for (const link of root.querySelectorAll("a[href]")) this.mark(link);
  }

  private mark(link: Element): void {
    const isOwn = this.own.has(link);
    if (link.hasAttribute("aria-current") && !isOwn) return;
    const address = addressIn(link);
    // Comparing paths rules out most links without deciding them.
    const routes = address === undefined ? undefined : this.above.get(pathOf(address));
    const { route, values } = (routes && targetOf(address!)) ?? {};
    if (route !== undefined && routes!.includes(route)) {
      link.setAttribute("aria-current", route + values === this.values ? "page" : "true");
      this.own.add(link);
    } else if (isOwn) {
      link.removeAttribute("aria-current");
      this.own.delete(link);
    }
  }

  stop(): void {
    this.watching.disconnect();
  }
}

// Pages and frames, made by the functions that an application registers; a page also ahead, where a link to it is pointed at.

/** A frame that is to be around a page, with the values of the path that lead there, and with all values, as texts. */
interface Plan {
  readonly name: FrameName;
  readonly route: string | undefined;
  readonly at: Position | undefined;
  readonly values: string;
  readonly all: string;
}

/** The frames around what is decided, outermost first. */
function planOf(decision: Decided): Plan[] {
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
interface MadeFrame<Framing> extends Frame<Framing> {
  readonly plan: Plan;
}

/** The frames around a page that is being made. */
interface Frames<Framing> {
  readonly making: readonly Promise<MadeFrame<Framing>>[];
  readonly kept: number;
  readonly changed: readonly FrameName[];
}

/** Can a frame be told of other values? */
function isTold(framing: unknown): boolean {
  return typeof (framing as { readonly changed?: unknown } | null)?.changed === "function";
}

/** A page that is being made, and what ends it. */
interface Making<Content> {
  readonly content: Promise<Content | Titled<Content>>;
  readonly controller: AbortController;
}

interface Ahead<Content> {
  readonly making: Promise<Making<Content> | undefined>;
  readonly controller: AbortController;
  readonly until: number;
}

const REST = 80;

/** Makes the pages and frames of a registry. */
class Maker<Content, Framing> {
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
class Outdated extends Error {}

// Drawing without a library: each page and each frame is drawn into an element of the frame around it.

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

// What a visitor perceives of a new page beside what is drawn: its title, what is read out, what has the focus, and where it is scrolled to.

/** What has the focus, in words that find it again once the page is drawn anew. */
function focusFinder(): () => HTMLElement | undefined {
  const had = document.activeElement;
  if (!(had instanceof HTMLElement) || had === document.body) return () => undefined;
  const { id, localName } = had;
  const [name] = ["href", "name", "value"].filter((one) => had.hasAttribute(one));
  const selector = id ? "#" + CSS.escape(id) : localName + (name ? `[${name}="${CSS.escape(had.getAttribute(name)!)}"]` : "");
  const index = [...document.querySelectorAll(selector)].indexOf(had);
  return () => (had.isConnected ? had : document.querySelectorAll<HTMLElement>(selector)[index]);
}

/** The title that the table has for what is decided: that of the nearest route with one, in the language of the document. */
function titleInTable(decision: Decided): string | undefined {
  const position = positionOf(decision);
  const titles = (position ? levels(position) : []).map(({ data }) => {
    const { title } = data as { readonly title?: string | { readonly [language: string]: unknown } };
    const { lang } = document.documentElement;
    return typeof title === "object" ? (title[lang] ?? title[lang.split("-", 1)[0]!]) : title;
  });
  return titles.filter((one): one is string => typeof one === "string").pop();
}

class Screen {
  /** That of the document, before we came. */
  declare readonly title: string;
  declare private readonly status: HTMLElement;

  constructor() {
    this.title = document.title;
    this.status = document.createElement("div");
    this.status.setAttribute("role", "status");
    this.status.style.cssText = "position:fixed;clip-path:circle(0)";
    document.body.append(this.status);
  }

  /** A new page is read from its heading on, unless it has put the focus somewhere itself. */
  arrive(had: Element | null): void {
    const heading = document.querySelector<HTMLElement>("main h1, h1");
    const now = document.activeElement;
    if (!now || now === document.body || now === had) {
      const first = heading ?? document.body;
      if (!first.hasAttribute("tabindex")) first.tabIndex = -1;
      first.focus({ preventScroll: true });
    }
    // The application may have drawn all of the body anew.
    if (!this.status.isConnected) document.body.append(this.status);
    const text = document.title === this.title && heading ? heading.textContent! : document.title;
    // The same words are read out once more if the text differs.
    this.status.textContent = text + (text === this.status.textContent ? "\u00a0" : "");
  }

  /** Goes to the part of the page that the address names, to a position, or to the top. */
  scroll(position?: readonly [x: number, y: number]): void {
    const part = position ? null : partOf(location.hash);
    if (part) part.scrollIntoView();
    else scrollTo(...(position ?? [0, 0]));
  }

  stop(): void {
    this.status.remove();
  }
}

// A running site: what the visitor does becomes a visit; a visit is decided, made, and shown all at once.

const MOST_STEPS = 10;

/** What was made to be shown. */
interface Made<Content, Framing> {
  readonly decision: Decided;
  readonly frames: readonly MadeFrame<Framing>[];
  /** How many of the frames that are drawn stay, and which of these have other values. */
  readonly kept: number;
  readonly changed: readonly FrameName[];
  readonly content?: Content | Titled<Content> | undefined;
  readonly data?: unknown;
  readonly error?: unknown;
}

/** A visit that is not shown yet. */
interface Visit {
  readonly address: string;
  readonly kind: Kind;
  readonly way: GoOptions;
  readonly controller: AbortController;
}

/** Makes a link whose name and values were checked where it was asked for. */
const linkTo = link as unknown as (name: string, values: unknown) => string;

/** Calls what is not ours, and which must not break us. */
function guarded(call: () => unknown): void {
  try {
    call();
  } catch (error) {
    reportError(error);
  }
}

/** Once a library that was told has drawn, before the next frame of the screen is shown. */
function settled(): Promise<void> {
  return new Promise((done) => (document.hidden ? setTimeout(done) : requestAnimationFrame(() => setTimeout(done))));
}

/** Does a route say that those who come from beside it, or from above it, stay where they are on the page? */
function staysAt(decision: Decided, { kept }: Transition): boolean {
  if (decision.outcome !== "page" || (dataOf(decision.route) as { readonly stay?: unknown }).stay !== true) return false;
  const [own, parent = own] = levels(decision).map(({ route }) => route).reverse();
  return kept.includes(parent!);
}

/** Starts the site. */
export function start<Content = unknown, Framing = unknown>(settings: Settings<Content, Framing> = {}): Site<Content, Framing> {
  type Now = Shown<Content, Framing>;
  type Ready = Made<Content, Framing>;
  const { isInFragment } = place();
  const ending = new AbortController();
  const listeners = new Set<() => unknown>();
  const entries = new Entries();
  const marks = new Marks();
  const screen = new Screen();
  const maker = new Maker(settings, tell);
  let current: Now | undefined;
  let going: Going | undefined;
  /** The frames that are drawn. */
  let frames: readonly MadeFrame<Framing>[] = [];
  let running = new AbortController();
  let living = running;
  /** The last question whether the page may be left, and the step back through the history that it waits for. */
  let asking = {};
  let steppedBack: (() => void) | undefined;

  function tell(happening: Happening): void {
    const { observe } = settings;
    if (observe === "console") console.debug(happening.type, happening.address, happening);
    else if (observe) guarded(() => observe(happening));
  }

  function goes(next: Going | undefined): void {
    going = next;
    document.documentElement.toggleAttribute("data-waiting", next?.isLate === true);
    for (const listener of listeners) guarded(listener);
  }

  /** Shows the page of an address. */
  async function visit(wanted: string, kind: Kind, way: GoOptions = {}): Promise<void> {
    if (going) tell({ type: "overtaken", address: going.address, kind: going.kind });
    running.abort();
    const controller = (running = new AbortController());
    const { signal } = controller;
    tell({ type: "asked", address: wanted, kind });
    goes({ address: wanted, kind, decision: undefined, isLate: false });
    const late = setTimeout(() => {
      goes({ ...going!, isLate: true });
      tell({ type: "waiting", address: wanted, kind });
    }, settings.waitFor ?? 200);
    signal.addEventListener("abort", () => clearTimeout(late));
    let address = wanted;
    let decision: Decided | undefined;
    maker.visits(address);
    const visiting = (): Visit => ({ address, kind, way, controller });
    try {
      const via: string[] = [];
      const sent = kind === "first" && settings.adopt !== false ? sentOver(address) : undefined;
      for (;;) {
        // The server has decided already, so the visitor's needs are not looked up again.
        const step = sent?.decision ?? (await decideAsync(address, settings.visitor?.() ?? {}));
        if (signal.aborted) return;
        if (step.outcome !== "redirect") decision = step;
        const next = step.outcome === "redirect" || step.outcome === "unmet" ? step.location : undefined;
        if (next === undefined) break;
        const target = addressOf(next);
        if (target === undefined) return location.replace(next);
        via.push(address);
        if (via.length > MOST_STEPS) throw new Error(`${wanted} leads in a circle`);
        // The fragment of the address that was asked for holds for the one that it leads to (RFC 9110, section 10.2.2).
        address = isInFragment || target.includes("#") ? target : target + new URL(address, location.href).hash;
      }
      maker.visits(address);
      tell({ type: "decided", address, decision: decision!, via });
      goes({ ...going!, address, decision: decision! });
      const isAdopted = kind === "first" && (settings.adopt ?? sent !== undefined);
      const made: Ready = isAdopted ? { decision: decision!, frames: [], kept: 0, changed: [], data: sent?.data } : await make(decision!, visiting());
      if (!signal.aborted) await showOr(made, visiting(), isAdopted);
    } catch (error) {
      if (signal.aborted) return;
      if (error instanceof Outdated) {
        // The server has other code by now.
        arrive(visiting());
        location.reload();
      } else await showOr(failure(error, decision, { frames: [], kept: 0, changed: [] }, visiting()), visiting(), false);
    } finally {
      clearTimeout(late);
      if (running === controller) {
        // What is shown lives on until the next page takes its place.
        running = new AbortController();
        goes(undefined);
      }
    }
  }

  /** Makes a page and its frames, or what is shown instead. */
  async function make(decision: Decided, visit: Visit): Promise<Ready> {
    const { address, controller } = visit;
    const page = maker.page(decision, address, controller, visit.kind === "refresh");
    const { making, kept, changed } = maker.frames(planOf(decision), frames, address, controller.signal);
    // All begin at once, and the first that fails is the one that counts.
    for (const one of [page, ...making]) one.catch(() => undefined);
    const made: MadeFrame<Framing>[] = [];
    try {
      for (const frame of making) made.push(await frame);
      return { decision, frames: made, kept, changed, content: await page };
    } catch (error) {
      if (controller.signal.aborted || error instanceof Outdated) throw error;
      if (!(error instanceof Missing) || decision.outcome !== "page") return failure(error, decision, { frames: made, kept: Math.min(kept, made.length), changed }, visit);
      return make(notFoundAt(decision, error.message), visit);
    }
  }

  /** What is shown in the place of what failed. */
  function failure(error: unknown, decision: Decided | undefined, around: Pick<Ready, "frames" | "kept" | "changed">, { address }: Visit): Ready {
    const { failed } = settings as { readonly failed?: (failure: Failure) => Content | Titled<Content> };
    tell({ type: "failed", address, error });
    let content: Ready["content"];
    if (!failed) reportError(error);
    else guarded(() => (content = failed({ error, decision, retry: () => visit(address, "refresh") })));
    return { decision: decision ?? { outcome: "bad-request", status: 400, reason: String(error) }, ...around, content, error };
  }

  /** Shows what was made; where that fails what is shown instead, within its frames or, if these fail, without. */
  async function showOr(made: Ready, visit: Visit, isAdopted: boolean): Promise<void> {
    let next = made;
    for (const frames of [made.frames, [], []]) {
      try {
        return await show(next, visit, isAdopted);
      } catch (error) {
        if (visit.controller.signal.aborted) return;
        // Nobody knows what there is on the page now, so nothing stays.
        next = failure(error, made.decision, { frames, kept: 0, changed: [] }, visit);
      }
    }
  }

  async function show({ decision, frames: around, kept, changed, content, data, error }: Ready, visit: Visit, isAdopted: boolean): Promise<void> {
    const { address, kind, way, controller } = visit;
    const { signal } = controller;
    const names = around.map(({ name }) => name);
    const change: Change = { ...changeTo(decision), kind, framesKept: names.slice(0, kept), framesChanged: changed, framesEntered: names.slice(kept) };
    const isTitled = content instanceof Titled;
    const plain = isTitled ? content.content : content;
    const isSame = current !== undefined && kind === "traverse" && beforeHash(current.address) === beforeHash(address) && !isInFragment;
    const stays = kind === "first" || kind === "refresh" || isSame || (way.stay ?? staysAt(decision, change));
    const put = async (): Promise<void> => {
      // It may have been overtaken while the browser was getting ready.
      if (signal.aborted) return;
      const had = document.activeElement;
      const findFocus = focusFinder();
      arrive(visit);
      if (living !== controller) living.abort();
      living = controller;
      const now: Now = { decision, address, title: "", frames: around, content: plain, state: entries.stamp.state, data, error, signal };
      // What the server has drawn has its title.
      let title = isAdopted ? document.title : isTitled ? content.title : undefined;
      if (title === undefined) guarded(() => (title = settings.title?.(now)));
      title ??= (error === undefined ? titleInTable(decision) : undefined) ?? screen.title;
      current = { ...now, title };
      document.title = title;
      for (const listener of listeners) guarded(listener);
      if (!isAdopted) {
        const drawing = settings.draw?.(current, change);
        if (drawing) await drawing;
        else if (!settings.draw) await settled();
        if (living !== controller) return;
      }
      frames = isAdopted ? [] : around;
      marks.show(decision);
      if (!stays) screen.arrive(had);
      else if (document.activeElement !== had) findFocus()?.focus({ preventScroll: true });
      // What had the focus may be gone for good.
      if (stays && kind !== "first" && had !== document.body && had?.isConnected === false && document.activeElement === document.body) screen.arrive(had);
      if (kind === "traverse") screen.scroll(entries.position);
      else if (kind === "first" ? entries.position || !isAdopted : !stays) screen.scroll(kind === "first" ? entries.position : undefined);
      tell({ type: "drawn", address, change });
    };
    const { startViewTransition } = document as Document & { startViewTransition?: (update: () => Promise<void>) => { readonly [part in "ready" | "finished" | "updateCallbackDone"]: Promise<void> } };
    const isStill = kind === "first" || kind === "refresh" || matchMedia("(prefers-reduced-motion: reduce)").matches;
    if (isStill || !settings.viewTransitions || !settings.draw || !startViewTransition) return put();
    const changing = startViewTransition.call(document, put);
    // A transition that is skipped is no error.
    for (const part of [changing.ready, changing.finished]) part.catch(() => undefined);
    await changing.updateCallbackDone;
  }

  /** The address bar shows the address of what is shown now. */
  function arrive({ address, kind, way }: Visit): void {
    const { stay, state } = way;
    if (kind === "push") {
      entries.remember();
      if (!entries.write("push", address, entries.following({ stay, state }))) location.assign(address);
    } else if (kind === "replace") {
      if (!entries.write("replace", address, { ...entries.stamp, stay, state })) location.replace(address);
    } else if (new URL(address, location.href).href !== location.href) entries.write("replace", address, entries.stamp);
    entries.drawn = entries.stamp.at;
  }

  /** What changes among the levels of the table. */
  function changeTo(decision: Decided): Transition {
    const [from, to] = [positionOf(current?.decision), positionOf(decision)];
    if (to) return transition(from, to);
    return { kept: [], left: from ? levels(from).map(({ route }) => route).reverse() : [], entered: [], changed: [] };
  }

  /** May the visitor leave the page? */
  function mayLeave(address: string, kind: Kind): boolean | Promise<boolean> {
    if (!settings.mayLeave || settings.unsaved?.() === false) return true;
    return settings.mayLeave({ address, kind, decision: undefined, isLate: false });
  }

  async function open(url: string, wanted: "push" | "replace" = "push", way: GoOptions = {}): Promise<void> {
    const { href, protocol } = new URL(url, document.baseURI);
    if (!/^https?:$/.test(protocol)) throw new TypeError(`expected an address of http or https, found \`${protocol}\``);
    const address = addressOf(href);
    if (address === undefined || !isCovered(address)) return location[wanted === "push" ? "assign" : "replace"](href);
    // The same address once more takes no entry of its own.
    const kind = new URL(address, location.href).href === location.href ? "replace" : wanted;
    const own = (asking = {});
    const answer = mayLeave(address, kind);
    if (answer === true || ((await answer) && own === asking)) await visit(address, kind, way);
  }

  function follow(event: Event, href: string, way: GoOptions): void {
    event.preventDefault();
    open(href, "push", way).catch(reportError);
  }

  /** What a link or a form says of how it is followed. */
  function wayOf(element: Element): GoOptions {
    const said = element.closest("[data-stay]")?.getAttribute("data-stay");
    const stay = typeof said === "string" ? { stay: said !== "false" } : {};
    try {
      return { ...stay, state: JSON.parse(element.getAttribute("data-state") ?? "null") ?? undefined };
    } catch {
      return stay;
    }
  }

  function clicked(event: MouseEvent): void {
    entries.remember();
    entries.mark();
    const found = linkIn(event);
    if (!found || event.defaultPrevented || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
    const href = hrefOf(found)!;
    if (isPartInFragment(href)) {
      event.preventDefault();
      return goToPart(new URL(href).hash);
    }
    const address = addressIn(found);
    // A part of the page is the browser's own business, and what no route covers is the server's.
    const isPart = !isInFragment && href.includes("#") && beforeHash(href) === beforeHash(location.href);
    if (address !== undefined && !isPart && isCovered(address)) follow(event, href, wayOf(found));
  }

  function goToPart(hash: string): void {
    const part = partOf(hash);
    if (!part) return;
    part.scrollIntoView();
    part.focus({ preventScroll: true });
  }

  function submitted(event: SubmitEvent): void {
    const { target: form, submitter } = event;
    if (event.defaultPrevented || !(form instanceof HTMLFormElement)) return;
    const href = askedBy(form, submitter);
    const address = href === undefined ? undefined : addressOf(href);
    if (address !== undefined && isCovered(address)) follow(event, href!, wayOf(submitter?.hasAttribute("data-stay") ? submitter : form));
  }

  /** The history has moved. */
  async function stepped(event: PopStateEvent): Promise<void> {
    if (steppedBack) return steppedBack();
    const { href } = location;
    const before = entries.stamp;
    const known = stampIn(event.state);
    const shownHref = new URL(current?.address ?? href, href).href;
    if (isPartInFragment(href)) {
      // Other code has gone to a part of the page; the address is that of the page.
      history.replaceState(history.state, "", shownHref);
      return goToPart(new URL(href).hash);
    }
    const isNew = !known;
    // An entry without our mark is one that the browser has made for a part of the page, or another code.
    entries.stamp = known ?? (href === shownHref ? before : entries.following({ stay: undefined, state: undefined }));
    if (isNew) entries.mark();
    const address = addressOf(href);
    if (address === undefined) return;
    if (!going && !isInFragment && beforeHash(href) === beforeHash(shownHref)) {
      entries.drawn = entries.stamp.at;
      if (current) current = { ...current, address, state: entries.stamp.state };
      if (!isNew) screen.scroll(entries.position);
      for (const listener of listeners) guarded(listener);
      return;
    }
    const own = (asking = {});
    const answer = mayLeave(address, "traverse");
    const way = { stay: Math.abs(entries.stamp.at - before.at) === 1 && (entries.stamp.at > before.at ? entries.stamp : before).stay === true || undefined };
    if (answer !== true) {
      // The history has moved already. It moves back until there is an answer.
      const steps = entries.stamp.at - before.at;
      const wanted = entries.stamp;
      entries.stamp = before;
      if (steps !== 0) await moved(-steps);
      if (!(await answer) || own !== asking) return;
      if (steps !== 0) await moved(steps);
      entries.stamp = wanted;
    }
    await visit(address, "traverse", way);
  }

  /** Moves through the history without a visit. */
  function moved(steps: number): Promise<void> {
    return new Promise((done) => {
      steppedBack = () => {
        steppedBack = undefined;
        done();
      };
      history.go(steps);
    });
  }

  const { signal } = ending;
  const restoration = history.scrollRestoration;
  history.scrollRestoration = "manual";
  addEventListener("popstate", (event) => void stepped(event).catch(reportError), { signal });
  addEventListener("scroll", () => entries.remember(), { signal, passive: true });
  document.addEventListener("click", clicked, { signal });
  document.addEventListener("submit", submitted, { signal });
  addEventListener("pagehide", () => entries.store(), { signal });
  addEventListener("beforeunload", (event) => void (settings.unsaved?.() && event.preventDefault()), { signal });
  if (settings.pages && settings.freshFor !== 0) {
    for (const kind of ["pointerover", "focusin", "touchstart", "pointerdown"]) document.addEventListener(kind, (event) => maker.near(event), { signal, passive: true });
  }
  const first = addressOf(location.href) ?? (isInFragment ? addressOf(beforeHash(location.href) + "#/") : undefined);
  if (first !== undefined) void visit(first, "first");

  return {
    get current() {
      return current;
    },
    get going() {
      return going;
    },
    get canGoBack() {
      return entries.stamp.at > entries.stamp.since;
    },
    subscribe(listener) {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    async go(name, ...[values, options]) {
      return open(linkTo(name as string, values), "push", options as GoOptions | undefined);
    },
    async replace(name, ...[values, options]) {
      return open(linkTo(name as string, values), "replace", options as GoOptions | undefined);
    },
    open,
    async comeBack(otherwise) {
      const decision = current?.decision;
      const wanted: unknown = decision?.outcome === "page" ? (decision.params as { return?: unknown }).return : undefined;
      const visitor = settings.visitor?.() ?? {};
      const address = await returnAddressAsync(typeof wanted === "string" ? wanted : undefined, otherwise, visitor);
      // A visitor who has signed in does not go to the sign-in page again.
      const there = await decideAsync(address, visitor);
      const isHere = there.outcome === "page" && there.route === positionOf(decision)?.route;
      return open(isHere ? otherwise : address, "replace");
    },
    refresh: () => visit(current?.address ?? addressOf(location.href) ?? "/", "refresh"),
    keep(state) {
      entries.write("replace", location.href, { ...entries.stamp, state });
      if (current) current = { ...current, state };
    },
    back: () => history.back(),
    forward: () => history.forward(),
    stop() {
      for (const one of [ending, running, living]) one.abort();
      maker.stop();
      marks.stop();
      screen.stop();
      history.scrollRestoration = restoration;
    },
  };
}
