// A running site: what the visitor does becomes a visit; a visit is decided, made, and shown all at once.

import { dataOf, decideAsync, levels, link, notFoundAt, place, returnAddressAsync, transition } from "../table/follows.js";
import { addressIn, addressOf, askedBy, beforeHash, hrefOf, isCovered, isPartInFragment, linkIn, partOf, sentOver } from "./addresses.js";
import { Entries, stampIn } from "./entries.js";
import { Maker, Outdated, planOf, type MadeFrame } from "./making.js";
import { Marks, positionOf } from "./marks.js";
import { focusFinder, Screen, titleInTable } from "./screen.js";
import { Missing, Titled, type Change, type Decided, type Failure, type GoOptions, type Going, type Happening, type Kind, type Settings, type Shown, type Site } from "./types.js";
import type { FrameName, Transition } from "../table/follows.js";

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
