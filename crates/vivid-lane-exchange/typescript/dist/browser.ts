// Navigation in a browser over the routes of a table: clicks, history, focus, scroll positions, titles, sign-in and back.
// Made by `vivid-lane convert --to typescript --browser`; it is the same for every table.

import { decideAsync, frames as framesOf, isActive, levels as levelsOf, link, match, place, returnAddressAsync, transition } from "./table.js";
import type { Answer, Asks, Decision, FrameName, Given, Match, Redirect, RouteName, Somewhere, Transition } from "./table.js";

/** A decision that is shown. Redirects are followed, and visitors who do not meet a need are taken to where they can. */
export type Shown = Exclude<Decision, Redirect>;

/** What changes on the page. */
export interface Change extends Transition {
  /** The frames that stay around the page, outermost first, and those that come within them. */
  readonly framesKept: readonly FrameName[];
  readonly framesEntered: readonly FrameName[];
  /** How it came: the first page, a new one, one that takes the place of the last, or a step through the history. */
  readonly kind: "first" | "push" | "replace" | "traverse";
}

/** What is handed on with each navigation. */
export interface Context {
  /** Aborted as soon as another navigation begins. */
  readonly signal: AbortSignal;
}

type Visitor = Pick<Asks<Answer | Promise<Answer>>, "meets" | "lists">;

export interface Settings {
  /**
   * Draws a page, or fetches what it needs and gives back the function that draws it, which is not called once another navigation
   * has begun. It runs within a view transition where the browser has them.
   */
  readonly show?: (decision: Shown, change: Change, context: Context) => void | (() => void) | Promise<void | (() => void)>;
  /** Shows what went wrong while a page was drawn. */
  readonly failed?: (error: unknown, decision: Shown | undefined) => void;
  /** Which needs the visitor meets now, and the live lists. */
  readonly visitor?: () => Visitor;
  /** Gets ready what a page will need, where the visitor is about to follow a link; once for each address. */
  readonly prepare?: (found: Match, context: Context) => unknown;
  /** The title of the document; by default `data.title` of the route, or of the nearest one above it that has one. */
  readonly title?: (decision: Shown) => string | undefined;
  /** May the visitor leave the page? Asked before each navigation. */
  readonly mayLeave?: () => boolean;
  /** Is the first page there already, drawn by the server? */
  readonly adopt?: boolean;
}

/** A running site: a store that is read and subscribed to, and the ways to go on. */
export interface Site {
  /** What is shown; nothing before the first page is drawn. */
  readonly current: Shown | undefined;
  /** Calls a function after each change of `current`; gives back the function that ends it. */
  subscribe(listener: () => void): () => void;
  /** Goes to the page of a route. It ends when the page is drawn, or another navigation has begun. */
  go<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: Given<Name>): Promise<void>;
  /** The same, in the place of this page in the history. */
  replace<Name extends string>(name: Name extends RouteName ? Name : RouteName, ...given: Given<Name>): Promise<void>;
  /** Goes to an address of the site. */
  open(url: string, kind?: "push" | "replace"): Promise<void>;
  /** Goes on after signing in: to the address that the visitor wanted, else to another one. */
  comeBack(otherwise: string): Promise<void>;
  /** Decides the same address anew, as the visitor may be another now. */
  refresh(): Promise<void>;
  back(): void;
  forward(): void;
  /** Ends it: links are links again. */
  stop(): void;
}

// What the platform has that the declarations of older compilers do not.
interface NavigateEvent extends Event {
  readonly canIntercept: boolean;
  readonly cancelable: boolean;
  readonly hashChange: boolean;
  readonly downloadRequest: string | null;
  readonly formData: FormData | null;
  readonly navigationType: "push" | "replace" | "reload" | "traverse";
  readonly destination: { readonly url: string };
  intercept(options: { handler: () => Promise<void>; scroll: "manual"; focusReset: "manual" }): void;
}

interface Navigation extends EventTarget {
  readonly currentEntry: { readonly key: string } | null;
  navigate(url: string, options: { history: "push" | "replace" }): { readonly finished: Promise<unknown> };
}

interface Platform {
  readonly navigation?: Navigation;
}

/** Makes a link whose name and values were checked where it was asked for. */
const linkTo = link as unknown as (name: string, values: unknown) => string;

const MOST_STEPS = 10;
const STORED = "lane:scroll";

/** Starts the site. */
export function start(settings: Settings = {}): Site {
  const { base, isInFragment } = place();
  const navigation = (window as unknown as Platform).navigation;
  const ending = new AbortController();
  const listeners = new Set<() => void>();
  const prepared = new Set<string>();
  const scrolled: { [key: string]: [number, number] } = JSON.parse(sessionStorage.getItem(STORED) ?? "{}");
  let current: Shown | undefined;
  let running = new AbortController();
  /** Is a change of the address our own, and so nothing to act on? */
  let isOwn = false;
  /** The address of what was drawn last, and the last one that was acted on; its place in the history where that is ours to number. */
  let drawnUrl = location.href;
  let actedUrl = location.href;
  let place_ = Number(history.state?.lane ?? 0);

  const keyOf = (): string => navigation?.currentEntry?.key ?? String(place_);

  function hrefOf(address: string): string {
    return new URL(address, location.href).href;
  }

  /** The address of a URL as the table knows it; nothing where it is none of the site. */
  function addressOf(href: string): string | undefined {
    const url = new URL(href, document.baseURI);
    if (url.origin !== location.origin) return undefined;
    if (isInFragment) return url.pathname === location.pathname && url.search === location.search ? url.pathname + url.hash : undefined;
    const below = url.pathname.startsWith(base) ? url.pathname.slice(base.length) : "-";
    return below === "" || below[0] === "/" ? url.pathname + url.search + url.hash : undefined;
  }

  /** The link that an event is about, where following it is ours. */
  function linkOf(event: Event): HTMLAnchorElement | undefined {
    const found = event.target instanceof Element ? event.target.closest<HTMLAnchorElement>("a[href]") : null;
    const isPlain = found && !found.matches('[download], [rel~="external"], [target]:not([target="_self"])');
    return isPlain && addressOf(found.href) !== undefined ? found : undefined;
  }

  function positionOf(decision: Shown | undefined): Somewhere | undefined {
    return decision?.outcome === "page" ? decision : decision && "position" in decision ? decision.position : undefined;
  }

  function change(kind: Change["kind"], next: Shown): Change {
    const [from, to] = [positionOf(current), positionOf(next)];
    const none: Transition = { kept: [], left: from ? levelsOf(from).map(({ route }) => route).reverse() : [], entered: [], changed: [] };
    const levels = to ? transition(from, to) : none;
    const hasFrames = (decision: Shown): boolean => decision.outcome === "not-found" || positionOf(decision) !== undefined;
    const [old, frames] = [current, next].map((decision) => (decision && hasFrames(decision) ? framesOf(decision) : [])) as [FrameName[], FrameName[]];
    // Those of routes that are entered come, and so does the site's with the first page.
    const entered = !to ? 0 : levelsOf(to).filter(({ route, frame }) => frame !== undefined && levels.entered.includes(route)).length;
    const stay = current ? frames.slice(0, frames.length - entered).filter((frame, at) => frame === old[at]) : [];
    return { ...levels, framesKept: stay, framesEntered: frames.slice(stay.length), kind };
  }

  /** Shows the page of an address that stands in the address bar, or is to stand there. */
  async function run(wanted: string, kind: Change["kind"]): Promise<void> {
    running.abort();
    const own = (running = new AbortController());
    const { signal } = own;
    let url = wanted;
    actedUrl = hrefOf(url);
    let decision: Decision | undefined;
    try {
      for (let steps = 0; steps < MOST_STEPS; steps += 1) {
        decision = await decideAsync(url, settings.visitor?.() ?? {});
        if (signal.aborted) return;
        const next = decision.outcome === "redirect" || decision.outcome === "unmet" ? decision.location : undefined;
        if (next === undefined) break;
        const target = addressOf(next);
        if (target === undefined) return location.replace(next);
        // The fragment of the address that was asked for holds for the one that it leads to (RFC 9110, section 10.2.2).
        url = isInFragment || target.includes("#") ? target : target + new URL(url, location.href).hash;
      }
      if (!decision || decision.outcome === "redirect") throw new Error(`${wanted} leads in a circle`);
      if (url !== wanted) written(url, "replace");
      actedUrl = hrefOf(url);
      await draw(decision, change(kind, decision), signal, url);
    } catch (error) {
      if (signal.aborted) return;
      if (settings.failed) settings.failed(error, decision?.outcome === "redirect" ? undefined : decision);
      else reportError(error);
    }
  }

  async function draw(decision: Shown, changed: Change, signal: AbortSignal, url: string): Promise<void> {
    const isFirst = changed.kind === "first";
    const had = document.activeElement;
    const isElsewhere = new URL(url, location.href).pathname !== new URL(drawnUrl).pathname || isInFragment;
    if (!isFirst || !settings.adopt) {
      const drawn = await settings.show?.(decision, changed, { signal });
      if (signal.aborted) return;
      const document_ = document as Document & { startViewTransition?: (update: () => void) => { readonly updateCallbackDone: Promise<void> } };
      const isStill = isFirst || matchMedia("(prefers-reduced-motion: reduce)").matches || !document_.startViewTransition;
      if (drawn && isStill) drawn();
      else if (drawn) await document_.startViewTransition!(drawn).updateCallbackDone;
    }
    current = decision;
    drawnUrl = hrefOf(url);
    const at = positionOf(decision);
    const titles = (at ? levelsOf(at) : []).map(({ data }) => (data as { readonly title?: unknown }).title);
    const title = settings.title?.(decision) ?? titles.filter((one) => typeof one === "string").pop();
    if (typeof title === "string") document.title = title;
    marked();
    if (!isFirst) {
      // What had the focus may be gone.
      if (isElsewhere || had?.isConnected === false) focused();
      if (isElsewhere) spoken.textContent = document.title;
      scrolledTo(changed.kind, isElsewhere);
    }
    for (const listener of listeners) listener();
  }

  /** The new page is read from its heading on. */
  function focused(): void {
    const heading = document.querySelector<HTMLElement>("main h1, h1") ?? document.body;
    if (heading.contains(document.activeElement) && document.activeElement !== document.body) return;
    if (!heading.hasAttribute("tabindex")) heading.tabIndex = -1;
    heading.focus({ preventScroll: true });
  }

  function scrolledTo(kind: Change["kind"], isElsewhere: boolean): void {
    const [x, y] = (kind === "traverse" && scrolled[keyOf()]) || [0, 0];
    const part = isInFragment || kind === "traverse" ? undefined : document.getElementById(decodeURIComponent(location.hash.slice(1)));
    if (part) part.scrollIntoView();
    else if (kind === "traverse" || isElsewhere) scrollTo(x, y);
  }

  function remembered(): void {
    scrolled[keyOf()] = [scrollX, scrollY];
    sessionStorage.setItem(STORED, JSON.stringify(scrolled));
  }

  /** `aria-current` on the links to what is shown, and to what stands above it. */
  function marked(): void {
    const shown = current?.outcome === "page" ? current : undefined;
    for (const one of document.querySelectorAll<HTMLAnchorElement>("a[href]")) {
      const address = addressOf(one.href);
      if (address === undefined) continue;
      const found = shown && match(address);
      const active = found && isActive(shown, found.route, found.params as never);
      if (active) one.setAttribute("aria-current", active);
      else one.removeAttribute("aria-current");
    }
  }

  /** Writes an address into the address bar. */
  function written(url: string, kind: "push" | "replace"): void {
    isOwn = true;
    if (kind === "push") place_ += 1;
    history[kind === "push" ? "pushState" : "replaceState"]({ ...history.state, lane: place_ }, "", url);
    isOwn = false;
  }

  function mayLeave(): boolean {
    return settings.mayLeave?.() ?? true;
  }

  async function open(url: string, kind: "push" | "replace" = "push"): Promise<void> {
    const address = addressOf(url);
    if (address === undefined) return location.assign(url);
    if (navigation) {
      // One that is overtaken, or that the visitor does not want, is no error.
      await navigation.navigate(address, { history: kind }).finished.catch(() => undefined);
      return;
    }
    if (!mayLeave()) return;
    remembered();
    written(address, kind);
    await run(address, kind);
  }

  function intercepted(event: NavigateEvent): void {
    const { url } = event.destination;
    const address = addressOf(url);
    const isOurs = event.canIntercept && address !== undefined && event.downloadRequest === null && !event.formData && event.navigationType !== "reload";
    const isPart = event.hashChange && !isInFragment;
    if (isOwn || !isOurs || isPart || external) return;
    if (!mayLeave()) {
      if (event.cancelable) event.preventDefault();
      return;
    }
    remembered();
    const kind = event.navigationType as Change["kind"];
    event.intercept({ handler: () => run(address, kind), scroll: "manual", focusReset: "manual" });
  }

  /** Was a link followed that is not ours to follow? */
  let external = false;

  function clicked(event: MouseEvent): void {
    const found = linkOf(event);
    if (navigation) {
      external = !found && event.target instanceof Element && event.target.closest("a[href]") !== null;
      setTimeout(() => (external = false));
      return;
    }
    if (!found || event.defaultPrevented || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
    const url = new URL(found.href);
    const isPart = !isInFragment && url.hash !== "" && url.pathname + url.search === location.pathname + location.search;
    if (isPart) return;
    event.preventDefault();
    void open(found.href, found.href === location.href ? "replace" : "push");
  }

  function submitted(event: SubmitEvent): void {
    const { target: form, submitter } = event;
    if (navigation || event.defaultPrevented || !(form instanceof HTMLFormElement)) return;
    const button = submitter instanceof HTMLButtonElement || submitter instanceof HTMLInputElement ? submitter : undefined;
    const url = new URL(button?.hasAttribute("formaction") ? button.formAction : form.action);
    const isGet = (button?.hasAttribute("formmethod") ? button.formMethod : form.method) === "get";
    if (!isGet || isInFragment || form.target || addressOf(url.href) === undefined) return;
    event.preventDefault();
    const fields = new FormData(form);
    if (button?.name) fields.append(button.name, button.value);
    url.search = new URLSearchParams([...fields].map(([name, value]) => [name, String(value)])).toString();
    void open(url.href);
  }

  function stepped(event: PopStateEvent): void {
    if (navigation || isOwn) return;
    const address = addressOf(location.href);
    const next = Number((event.state as { lane?: unknown } | null)?.lane ?? 0);
    const isPart = !isInFragment && location.href.split("#")[0] === actedUrl.split("#")[0];
    if (address === undefined || isPart) return;
    if (!mayLeave()) {
      // The history has moved already; it moves back, which is nothing to act on.
      if (next !== place_) {
        addEventListener("popstate", (again) => again.stopImmediatePropagation(), { once: true, capture: true });
        history.go(place_ - next);
      }
      return;
    }
    remembered();
    place_ = next;
    void run(address, "traverse");
  }

  function approached(event: Event): void {
    const found = linkOf(event);
    const address = found && addressOf(found.href);
    const isSaving = (navigator as Navigator & { connection?: { saveData?: boolean } }).connection?.saveData === true;
    if (address === undefined || isSaving || prepared.has(address)) return;
    const target = match(address);
    if (!target) return;
    prepared.add(address);
    void Promise.resolve(settings.prepare!(target, { signal: ending.signal })).catch(() => prepared.delete(address));
  }

  const spoken = document.createElement("div");
  spoken.setAttribute("role", "status");
  spoken.style.cssText = "position:fixed;clip-path:circle(0)";
  document.body.append(spoken);
  const restoration = history.scrollRestoration;
  history.scrollRestoration = "manual";
  const { signal } = ending;
  navigation?.addEventListener("navigate", (event) => intercepted(event as NavigateEvent), { signal });
  addEventListener("popstate", stepped, { signal });
  document.addEventListener("click", clicked, { signal });
  document.addEventListener("submit", submitted, { signal });
  addEventListener("pagehide", remembered, { signal });
  addEventListener("beforeunload", (event) => void (mayLeave() || event.preventDefault()), { signal });
  if (settings.prepare) {
    for (const kind of ["pointerover", "focusin", "touchstart"]) document.addEventListener(kind, approached, { signal, passive: true });
  }
  const watching = new MutationObserver(marked);
  watching.observe(document.body, { childList: true, subtree: true, attributes: true, attributeFilter: ["href"] });
  const first = addressOf(location.href);
  if (first !== undefined) void run(isInFragment && !location.hash ? first + "#/" : first, "first");

  return {
    get current() {
      return current;
    },
    subscribe(listener) {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    go: (name, ...[values]) => open(linkTo(name as string, values)),
    replace: (name, ...[values]) => open(linkTo(name as string, values), "replace"),
    open,
    async comeBack(otherwise) {
      const wanted: unknown = current?.outcome === "page" ? (current.params as { return?: unknown }).return : undefined;
      const address = typeof wanted === "string" ? wanted : undefined;
      return open(await returnAddressAsync(address, otherwise, settings.visitor?.() ?? {}), "replace");
    },
    refresh: () => run(addressOf(location.href) ?? "/", "replace"),
    back: () => history.back(),
    forward: () => history.forward(),
    stop() {
      ending.abort();
      running.abort();
      watching.disconnect();
      spoken.remove();
      history.scrollRestoration = restoration;
    },
  };
}
