// Navigation in a browser over the routes of a table: what a visitor takes for granted, with one place for each page and each frame.
// Made by `vivid-lane convert --to typescript --browser`; it is the same for every table.

import { Missing, dataOf, decide, decideAsync, frames as framesOf, levels, link, notFoundAt, place, returnAddressAsync, sentDecision, transition } from "./table.js";
export class Titled {
    constructor(title, content) {
        this.title = title;
        this.content = content;
    }
}
export function titled(title, content) {
    return new Titled(title, content);
}
export { Missing };
const beforeHash = (url) => url.split("#", 1)[0];
function partOf(hash) {
    const raw = hash.slice(1);
    if (raw === "")
        return null;
    let name = raw;
    try {
        name = decodeURIComponent(raw);
    }
    catch {
    }
    return document.getElementById(raw) ?? document.getElementById(name);
}
function addressOf(href) {
    let url;
    try {
        url = new URL(href, document.baseURI);
    }
    catch {
        return undefined;
    }
    if (url.origin !== location.origin)
        return undefined;
    const { base, isInFragment } = place();
    if (!isInFragment) {
        const below = url.pathname.startsWith(base) ? url.pathname.slice(base.length) : "-";
        return below === "" || below[0] === "/" ? url.pathname + url.search + url.hash : undefined;
    }
    const hash = url.hash.replace(/^(#!?)?$|^#!(?=\/)/, (found) => (found === "#!" && url.hash !== "#!" ? "#" : "#/"));
    return url.pathname + url.search === location.pathname + location.search && hash.startsWith("#/") ? url.pathname + hash : undefined;
}
function withoutPart(address) {
    const end = address.indexOf("#", place().isInFragment ? address.indexOf("#") + 1 : 0);
    return end < 0 ? address : address.slice(0, end);
}
function pathOf(address) {
    const { base, isInFragment } = place();
    const start = isInFragment ? address.indexOf("#") + 1 : base.length;
    return address.slice(start).replace(/[?#].*$/, "").replace(/\/$/, "");
}
function sentOver(address) {
    const { data, ...sent } = JSON.parse(document.getElementById("lane-page")?.textContent ?? "{}");
    const decision = sent.address === withoutPart(address) ? sentDecision(sent, location.hostname) : undefined;
    return decision && { decision: decision, data };
}
function isPartInFragment(href) {
    return place().isInFragment && beforeHash(href) === beforeHash(location.href) && addressOf(href) === undefined;
}
const everyone = { meets: () => true, lists: () => true };
const targets = /* @__PURE__ */ new Map();
const MOST_TARGETS = 5000;
function targetOf(address) {
    const known = targets.get(address);
    if (known)
        return known;
    const decision = decide(address, everyone);
    const isPage = decision.outcome === "page";
    const made = {
        decision,
        route: isPage ? decision.route : undefined,
        values: isPage ? valuesIn(decision.params) : "",
    };
    if (targets.size >= MOST_TARGETS)
        targets.clear();
    targets.set(address, made);
    return made;
}
function valuesIn(params) {
    return JSON.stringify(params, (_, value) => (typeof value === "bigint" ? String(value) : value));
}
function isCovered(address) {
    const { decision } = targetOf(address);
    return decision.outcome !== "bad-request" && (decision.outcome !== "not-found" || decision.position !== undefined);
}
function linkIn(event) {
    return event.composedPath().find((one) => one instanceof Element && (one.localName === "a" || one.localName === "area") && hrefOf(one) !== undefined);
}
function hrefOf(link) {
    const href = link.getAttribute("href") ?? link.getAttribute("xlink:href");
    if (href === null)
        return undefined;
    try {
        return new URL(href, document.baseURI).href;
    }
    catch {
        return undefined;
    }
}
function addressIn(link) {
    const [target, rel, href] = [link.getAttribute("target"), link.getAttribute("rel") ?? "", hrefOf(link)];
    const isPlain = !link.hasAttribute("download") && (!target || target === "_self") && !/(^|\s)external(\s|$)/.test(rel);
    return isPlain && href !== undefined ? addressOf(href) : undefined;
}
function askedBy(form, submitter) {
    const button = submitter instanceof HTMLButtonElement || submitter instanceof HTMLInputElement ? submitter : undefined;
    const said = (name) => button?.getAttribute("form" + name) ?? form.getAttribute(name);
    const target = said("target");
    if ((said("method") ?? "get").toLowerCase() !== "get" || (target && target !== "_self"))
        return undefined;
    const url = new URL(said("action") || location.href, document.baseURI);
    const fields = new FormData(form);
    if (button?.name)
        fields.append(button.name, button.value);
    const query = "?" + new URLSearchParams([...fields].map(([name, value]) => [name, typeof value === "string" ? value : value.name])).toString();
    if (place().isInFragment)
        url.hash = (url.hash || "#/").split("?", 1)[0] + query;
    else
        [url.search, url.hash] = [query, ""];
    return url.href;
}
const NAME = "lane";
const SCROLLED = "lane:scroll";
const RELOADED = "lane:reloaded";
const stored = {
    read(name) {
        try {
            return JSON.parse(sessionStorage.getItem(name) ?? "null");
        }
        catch {
            return null;
        }
    },
    write(name, value) {
        try {
            sessionStorage.setItem(name, JSON.stringify(value));
            return true;
        }
        catch {
            return false;
        }
    },
};
function stampIn(state) {
    const stamp = state?.[NAME];
    return typeof stamp?.at === "number" && typeof stamp.since === "number" ? stamp : undefined;
}
class Entries {
    constructor() {
        const kept = stored.read(SCROLLED);
        this.positions = typeof kept === "object" && kept !== null ? kept : {};
        const known = stampIn(history.state);
        const last = Math.max(-1, ...Object.keys(this.positions).map(Number).filter((at) => at >= 0));
        this.stamp = known ?? { at: last + 1, since: last + 1 };
        this.drawn = -1;
        this.mark();
    }
    mark() {
        if (stampIn(history.state)?.at !== this.stamp.at)
            this.write("replace", location.href, this.stamp);
    }
    write(kind, url, stamp) {
        const others = kind === "replace" ? history.state : undefined;
        try {
            history[kind === "push" ? "pushState" : "replaceState"]({ ...(typeof others === "object" ? others : undefined), [NAME]: stamp }, "", url);
        }
        catch {
            return false;
        }
        this.stamp = stamp;
        if (kind === "push")
            for (const at of Object.keys(this.positions))
                if (Number(at) >= stamp.at)
                    delete this.positions[Number(at)];
        return true;
    }
    following(options) {
        return { ...options, at: this.stamp.at + 1, since: this.stamp.since };
    }
    remember() {
        if (this.drawn >= 0)
            this.positions[this.drawn] = [scrollX, scrollY];
    }
    store() {
        this.remember();
        this.mark();
        stored.write(SCROLLED, this.positions);
    }
    get position() {
        return this.positions[this.stamp.at];
    }
}
function positionOf(decision) {
    return decision?.outcome === "page" ? decision : decision && "position" in decision ? decision.position : undefined;
}
class Marks {
    constructor() {
        this.above = new Map();
        this.values = undefined;
        this.own = new WeakSet();
        this.watching = new MutationObserver((records) => {
            for (const { target, type, addedNodes } of records) {
                if (type === "attributes")
                    this.mark(target);
                else
                    for (const node of addedNodes)
                        if (node instanceof Element)
                            this.within(node);
            }
        });
        this.watching.observe(document.body, { childList: true, subtree: true, attributes: true, attributeFilter: ["href"] });
    }
    show(decision) {
        const position = positionOf(decision);
        const above = new Map();
        let path = "";
        for (const { route, path: template, covered } of position ? levels(position) : []) {
            path += covered;
            if (route === position.route || !/^\/?$/.test(template.replace(/\{[/?&].*?\}/g, ""))) {
                const key = path.replace(/\/$/, "");
                above.set(key, [...(above.get(key) ?? []), route]);
            }
        }
        this.above = above;
        this.values = decision.outcome === "page" ? decision.route + valuesIn(decision.params) : undefined;
        this.watching.takeRecords();
        this.within(document.body);
    }
    within(root) {
        if (root.localName === "a")
            this.mark(root);
        for (const link of root.querySelectorAll("a[href]"))
            this.mark(link);
    }
    mark(link) {
        const isOwn = this.own.has(link);
        if (link.hasAttribute("aria-current") && !isOwn)
            return;
        const address = addressIn(link);
        const routes = address === undefined ? undefined : this.above.get(pathOf(address));
        const { route, values } = (routes && targetOf(address)) ?? {};
        if (route !== undefined && routes.includes(route)) {
            link.setAttribute("aria-current", route + values === this.values ? "page" : "true");
            this.own.add(link);
        }
        else if (isOwn) {
            link.removeAttribute("aria-current");
            this.own.delete(link);
        }
    }
    stop() {
        this.watching.disconnect();
    }
}
function planOf(decision) {
    const position = positionOf(decision);
    const params = {};
    const own = (position ? levels(position) : []).flatMap((level) => {
        Object.assign(params, level.params);
        if (level.frame === undefined)
            return [];
        const names = new Set(level.path.split(/[^\w%.]+/));
        const inPath = Object.fromEntries(Object.entries(params).filter(([name]) => names.has(name)));
        return [{ name: level.frame, route: level.route, at: { route: level.route, params: { ...params } }, values: valuesIn(inPath), all: valuesIn(params) }];
    });
    const [outermost] = framesOf(decision);
    if (framesOf(decision).length > own.length)
        own.unshift({ name: outermost, route: undefined, at: undefined, values: "", all: "" });
    return own;
}
function isTold(framing) {
    return typeof framing?.changed === "function";
}
const REST = 80;
class Maker {
    constructor(settings, tell) {
        this.settings = settings;
        this.tell = tell;
        this.ahead = new Map();
        this.resting = undefined;
        this.visited = undefined;
    }
    visits(address) {
        clearTimeout(this.resting);
        this.visited = withoutPart(address);
    }
    async from(entry, name, at, context) {
        if (!entry)
            throw new Error(`nothing is registered for \`${name}\``);
        if (typeof entry === "function")
            return entry(at, context);
        let code;
        try {
            code = await entry.code();
        }
        catch (error) {
            const isNew = !context.isAhead && navigator.onLine && stored.read(RELOADED) !== context.address;
            throw isNew && stored.write(RELOADED, context.address) ? new Outdated() : error;
        }
        if (!context.isAhead && stored.read(RELOADED) !== null)
            stored.write(RELOADED, null);
        return code.default(at, context);
    }
    begin(decision, context) {
        const { pages, otherwise } = this.settings;
        if (!pages)
            return Promise.resolve(undefined);
        const entries = pages;
        const name = decision.outcome === "page" || decision.outcome === "not-found" ? decision.page : undefined;
        const making = name === undefined ? Promise.resolve().then(() => otherwise(decision, context)) : this.from(entries[name], name, decision, context);
        return making.then((made) => {
            this.tell({ type: "fetched", address: context.address, isAhead: context.isAhead });
            return made;
        });
    }
    async page(decision, address, controller, isAnew) {
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
    frames(plan, shown, address, signal) {
        const { frames = {} } = this.settings;
        const isKept = ({ name, route, values }, index) => {
            const frame = shown[index];
            return frame?.name === name && frame.plan.route === route && (frame.plan.values === values || isTold(frame.content));
        };
        const differs = plan.findIndex((one, index) => !isKept(one, index));
        const kept = differs < 0 ? plan.length : differs;
        const making = plan.map(async (one, index) => {
            const { name, at } = one;
            const made = index < kept ? shown[index].content : this.settings.pages && (await this.from(frames[name], name, at, { address, signal, isAhead: false }));
            return { name, at, content: made instanceof Titled ? made.content : made, plan: one };
        });
        return { making, kept, changed: plan.slice(0, kept).flatMap(({ name, all }, at) => (all !== shown[at].plan.all && isTold(shown[at].content) ? [name] : [])) };
    }
    near(event) {
        clearTimeout(this.resting);
        const link = linkIn(event);
        const whole = link && addressIn(link);
        const isSaving = navigator.connection?.saveData === true;
        if (whole === undefined || isSaving || withoutPart(whole) === this.visited)
            return;
        this.resting = setTimeout(() => this.prepare(withoutPart(whole)), /^pointerd|^t/.test(event.type) ? 0 : REST);
    }
    prepare(address) {
        const now = Date.now();
        for (const [known, { until, controller }] of this.ahead) {
            if (until > now)
                continue;
            this.ahead.delete(known);
            controller.abort();
        }
        if (this.ahead.has(address))
            return;
        const controller = new AbortController();
        const context = { address, signal: controller.signal, isAhead: true };
        const making = decideAsync(address, this.settings.visitor?.() ?? {}).then((decision) => {
            if (decision.outcome !== "page")
                return undefined;
            const content = this.begin(decision, context);
            content.catch(() => this.ahead.delete(address));
            return { content, controller };
        });
        making.catch(() => this.ahead.delete(address));
        this.ahead.set(address, { making, controller, until: now + (this.settings.freshFor ?? 30000) });
    }
    stop() {
        clearTimeout(this.resting);
        for (const { controller } of this.ahead.values())
            controller.abort();
        this.ahead.clear();
    }
}
class Outdated extends Error {
}
export function drawIn(root) {
    let places = [root];
    return ({ frames, content, ...more }, { framesKept, framesChanged }) => {
        const tell = ({ name, at, content }) => {
            if (typeof content === "object" && framesChanged.includes(name))
                content.changed(at);
        };
        frames.slice(0, framesKept.length).forEach(tell);
        places = places.slice(0, framesKept.length + 1);
        for (const frame of frames.slice(framesKept.length)) {
            const place = places[places.length - 1];
            place.replaceChildren();
            places.push((typeof frame.content === "object" ? frame.content.draw : frame.content)(place, frame.at));
        }
        const place = places[places.length - 1];
        if (typeof content !== "function")
            place.replaceChildren(...(content ? [content] : []));
        else {
            place.replaceChildren();
            content(place, { frames, content, ...more });
        }
    };
}
function focusFinder() {
    const had = document.activeElement;
    if (!(had instanceof HTMLElement) || had === document.body)
        return () => undefined;
    const { id, localName } = had;
    const [name] = ["href", "name", "value"].filter((one) => had.hasAttribute(one));
    const selector = id ? "#" + CSS.escape(id) : localName + (name ? `[${name}="${CSS.escape(had.getAttribute(name))}"]` : "");
    const index = [...document.querySelectorAll(selector)].indexOf(had);
    return () => (had.isConnected ? had : document.querySelectorAll(selector)[index]);
}
function titleInTable(decision) {
    const position = positionOf(decision);
    const titles = (position ? levels(position) : []).map(({ data }) => {
        const { title } = data;
        const { lang } = document.documentElement;
        return typeof title === "object" ? (title[lang] ?? title[lang.split("-", 1)[0]]) : title;
    });
    return titles.filter((one) => typeof one === "string").pop();
}
class Screen {
    constructor() {
        this.title = document.title;
        this.status = document.createElement("div");
        this.status.setAttribute("role", "status");
        this.status.style.cssText = "position:fixed;clip-path:circle(0)";
        document.body.append(this.status);
    }
    arrive(had) {
        const heading = document.querySelector("main h1, h1");
        const now = document.activeElement;
        if (!now || now === document.body || now === had) {
            const first = heading ?? document.body;
            if (!first.hasAttribute("tabindex"))
                first.tabIndex = -1;
            first.focus({ preventScroll: true });
        }
        if (!this.status.isConnected)
            document.body.append(this.status);
        const text = document.title === this.title && heading ? heading.textContent : document.title;
        this.status.textContent = text + (text === this.status.textContent ? "\u00a0" : "");
    }
    scroll(position) {
        const part = position ? null : partOf(location.hash);
        if (part)
            part.scrollIntoView();
        else
            scrollTo(...(position ?? [0, 0]));
    }
    stop() {
        this.status.remove();
    }
}
const MOST_STEPS = 10;
const linkTo = link;
function guarded(call) {
    try {
        call();
    }
    catch (error) {
        reportError(error);
    }
}
function settled() {
    return new Promise((done) => (document.hidden ? setTimeout(done) : requestAnimationFrame(() => setTimeout(done))));
}
function staysAt(decision, { kept }) {
    if (decision.outcome !== "page" || dataOf(decision.route).stay !== true)
        return false;
    const [own, parent = own] = levels(decision).map(({ route }) => route).reverse();
    return kept.includes(parent);
}
export function start(settings = {}) {
    const { isInFragment } = place();
    const ending = new AbortController();
    const listeners = new Set();
    const entries = new Entries();
    const marks = new Marks();
    const screen = new Screen();
    const maker = new Maker(settings, tell);
    let current;
    let going;
    let frames = [];
    let running = new AbortController();
    let living = running;
    let asking = {};
    let steppedBack;
    function tell(happening) {
        const { observe } = settings;
        if (observe === "console")
            console.debug(happening.type, happening.address, happening);
        else if (observe)
            guarded(() => observe(happening));
    }
    function goes(next) {
        going = next;
        document.documentElement.toggleAttribute("data-waiting", next?.isLate === true);
        for (const listener of listeners)
            guarded(listener);
    }
    async function visit(wanted, kind, way = {}) {
        if (going)
            tell({ type: "overtaken", address: going.address, kind: going.kind });
        running.abort();
        const controller = (running = new AbortController());
        const { signal } = controller;
        tell({ type: "asked", address: wanted, kind });
        goes({ address: wanted, kind, decision: undefined, isLate: false });
        const late = setTimeout(() => {
            goes({ ...going, isLate: true });
            tell({ type: "waiting", address: wanted, kind });
        }, settings.waitFor ?? 200);
        signal.addEventListener("abort", () => clearTimeout(late));
        let address = wanted;
        let decision;
        maker.visits(address);
        const visiting = () => ({ address, kind, way, controller });
        try {
            const via = [];
            const sent = kind === "first" && settings.adopt !== false ? sentOver(address) : undefined;
            for (;;) {
                const step = sent?.decision ?? (await decideAsync(address, settings.visitor?.() ?? {}));
                if (signal.aborted)
                    return;
                if (step.outcome !== "redirect")
                    decision = step;
                const next = step.outcome === "redirect" || step.outcome === "unmet" ? step.location : undefined;
                if (next === undefined)
                    break;
                const target = addressOf(next);
                if (target === undefined)
                    return location.replace(next);
                via.push(address);
                if (via.length > MOST_STEPS)
                    throw new Error(`${wanted} leads in a circle`);
                address = isInFragment || target.includes("#") ? target : target + new URL(address, location.href).hash;
            }
            maker.visits(address);
            tell({ type: "decided", address, decision: decision, via });
            goes({ ...going, address, decision: decision });
            const isAdopted = kind === "first" && (settings.adopt ?? sent !== undefined);
            const made = isAdopted ? { decision: decision, frames: [], kept: 0, changed: [], data: sent?.data } : await make(decision, visiting());
            if (!signal.aborted)
                await showOr(made, visiting(), isAdopted);
        }
        catch (error) {
            if (signal.aborted)
                return;
            if (error instanceof Outdated) {
                arrive(visiting());
                location.reload();
            }
            else
                await showOr(failure(error, decision, { frames: [], kept: 0, changed: [] }, visiting()), visiting(), false);
        }
        finally {
            clearTimeout(late);
            if (running === controller) {
                running = new AbortController();
                goes(undefined);
            }
        }
    }
    async function make(decision, visit) {
        const { address, controller } = visit;
        const page = maker.page(decision, address, controller, visit.kind === "refresh");
        const { making, kept, changed } = maker.frames(planOf(decision), frames, address, controller.signal);
        for (const one of [page, ...making])
            one.catch(() => undefined);
        const made = [];
        try {
            for (const frame of making)
                made.push(await frame);
            return { decision, frames: made, kept, changed, content: await page };
        }
        catch (error) {
            if (controller.signal.aborted || error instanceof Outdated)
                throw error;
            if (!(error instanceof Missing) || decision.outcome !== "page")
                return failure(error, decision, { frames: made, kept: Math.min(kept, made.length), changed }, visit);
            return make(notFoundAt(decision, error.message), visit);
        }
    }
    function failure(error, decision, around, { address }) {
        const { failed } = settings;
        tell({ type: "failed", address, error });
        let content;
        if (!failed)
            reportError(error);
        else
            guarded(() => (content = failed({ error, decision, retry: () => visit(address, "refresh") })));
        return { decision: decision ?? { outcome: "bad-request", status: 400, reason: String(error) }, ...around, content, error };
    }
    async function showOr(made, visit, isAdopted) {
        let next = made;
        for (const frames of [made.frames, [], []]) {
            try {
                return await show(next, visit, isAdopted);
            }
            catch (error) {
                if (visit.controller.signal.aborted)
                    return;
                next = failure(error, made.decision, { frames, kept: 0, changed: [] }, visit);
            }
        }
    }
    async function show({ decision, frames: around, kept, changed, content, data, error }, visit, isAdopted) {
        const { address, kind, way, controller } = visit;
        const { signal } = controller;
        const names = around.map(({ name }) => name);
        const change = { ...changeTo(decision), kind, framesKept: names.slice(0, kept), framesChanged: changed, framesEntered: names.slice(kept) };
        const isTitled = content instanceof Titled;
        const plain = isTitled ? content.content : content;
        const isSame = current !== undefined && kind === "traverse" && beforeHash(current.address) === beforeHash(address) && !isInFragment;
        const stays = kind === "first" || kind === "refresh" || isSame || (way.stay ?? staysAt(decision, change));
        const put = async () => {
            if (signal.aborted)
                return;
            const had = document.activeElement;
            const findFocus = focusFinder();
            arrive(visit);
            if (living !== controller)
                living.abort();
            living = controller;
            const now = { decision, address, title: "", frames: around, content: plain, state: entries.stamp.state, data, error, signal };
            let title = isAdopted ? document.title : isTitled ? content.title : undefined;
            if (title === undefined)
                guarded(() => (title = settings.title?.(now)));
            title ?? (title = (error === undefined ? titleInTable(decision) : undefined) ?? screen.title);
            current = { ...now, title };
            document.title = title;
            for (const listener of listeners)
                guarded(listener);
            if (!isAdopted) {
                const drawing = settings.draw?.(current, change);
                if (drawing)
                    await drawing;
                else if (!settings.draw)
                    await settled();
                if (living !== controller)
                    return;
            }
            frames = isAdopted ? [] : around;
            marks.show(decision);
            if (!stays)
                screen.arrive(had);
            else if (document.activeElement !== had)
                findFocus()?.focus({ preventScroll: true });
            if (stays && kind !== "first" && had !== document.body && had?.isConnected === false && document.activeElement === document.body)
                screen.arrive(had);
            if (kind === "traverse")
                screen.scroll(entries.position);
            else if (kind === "first" ? entries.position || !isAdopted : !stays)
                screen.scroll(kind === "first" ? entries.position : undefined);
            tell({ type: "drawn", address, change });
        };
        const { startViewTransition } = document;
        const isStill = kind === "first" || kind === "refresh" || matchMedia("(prefers-reduced-motion: reduce)").matches;
        if (isStill || !settings.viewTransitions || !settings.draw || !startViewTransition)
            return put();
        const changing = startViewTransition.call(document, put);
        for (const part of [changing.ready, changing.finished])
            part.catch(() => undefined);
        await changing.updateCallbackDone;
    }
    function arrive({ address, kind, way }) {
        const { stay, state } = way;
        if (kind === "push") {
            entries.remember();
            if (!entries.write("push", address, entries.following({ stay, state })))
                location.assign(address);
        }
        else if (kind === "replace") {
            if (!entries.write("replace", address, { ...entries.stamp, stay, state }))
                location.replace(address);
        }
        else if (new URL(address, location.href).href !== location.href)
            entries.write("replace", address, entries.stamp);
        entries.drawn = entries.stamp.at;
    }
    function changeTo(decision) {
        const [from, to] = [positionOf(current?.decision), positionOf(decision)];
        if (to)
            return transition(from, to);
        return { kept: [], left: from ? levels(from).map(({ route }) => route).reverse() : [], entered: [], changed: [] };
    }
    function mayLeave(address, kind) {
        if (!settings.mayLeave || settings.unsaved?.() === false)
            return true;
        return settings.mayLeave({ address, kind, decision: undefined, isLate: false });
    }
    async function open(url, wanted = "push", way = {}) {
        const { href, protocol } = new URL(url, document.baseURI);
        if (!/^https?:$/.test(protocol))
            throw new TypeError(`expected an address of http or https, found \`${protocol}\``);
        const address = addressOf(href);
        if (address === undefined || !isCovered(address))
            return location[wanted === "push" ? "assign" : "replace"](href);
        const kind = new URL(address, location.href).href === location.href ? "replace" : wanted;
        const own = (asking = {});
        const answer = mayLeave(address, kind);
        if (answer === true || ((await answer) && own === asking))
            await visit(address, kind, way);
    }
    function follow(event, href, way) {
        event.preventDefault();
        open(href, "push", way).catch(reportError);
    }
    function wayOf(element) {
        const said = element.closest("[data-stay]")?.getAttribute("data-stay");
        const stay = typeof said === "string" ? { stay: said !== "false" } : {};
        try {
            return { ...stay, state: JSON.parse(element.getAttribute("data-state") ?? "null") ?? undefined };
        }
        catch {
            return stay;
        }
    }
    function clicked(event) {
        entries.remember();
        entries.mark();
        const found = linkIn(event);
        if (!found || event.defaultPrevented || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.altKey)
            return;
        const href = hrefOf(found);
        if (isPartInFragment(href)) {
            event.preventDefault();
            return goToPart(new URL(href).hash);
        }
        const address = addressIn(found);
        const isPart = !isInFragment && href.includes("#") && beforeHash(href) === beforeHash(location.href);
        if (address !== undefined && !isPart && isCovered(address))
            follow(event, href, wayOf(found));
    }
    function goToPart(hash) {
        const part = partOf(hash);
        if (!part)
            return;
        part.scrollIntoView();
        part.focus({ preventScroll: true });
    }
    function submitted(event) {
        const { target: form, submitter } = event;
        if (event.defaultPrevented || !(form instanceof HTMLFormElement))
            return;
        const href = askedBy(form, submitter);
        const address = href === undefined ? undefined : addressOf(href);
        if (address !== undefined && isCovered(address))
            follow(event, href, wayOf(submitter?.hasAttribute("data-stay") ? submitter : form));
    }
    async function stepped(event) {
        if (steppedBack)
            return steppedBack();
        const { href } = location;
        const before = entries.stamp;
        const known = stampIn(event.state);
        const shownHref = new URL(current?.address ?? href, href).href;
        if (isPartInFragment(href)) {
            history.replaceState(history.state, "", shownHref);
            return goToPart(new URL(href).hash);
        }
        const isNew = !known;
        entries.stamp = known ?? (href === shownHref ? before : entries.following({ stay: undefined, state: undefined }));
        if (isNew)
            entries.mark();
        const address = addressOf(href);
        if (address === undefined)
            return;
        if (!going && !isInFragment && beforeHash(href) === beforeHash(shownHref)) {
            entries.drawn = entries.stamp.at;
            if (current)
                current = { ...current, address, state: entries.stamp.state };
            if (!isNew)
                screen.scroll(entries.position);
            for (const listener of listeners)
                guarded(listener);
            return;
        }
        const own = (asking = {});
        const answer = mayLeave(address, "traverse");
        const way = { stay: Math.abs(entries.stamp.at - before.at) === 1 && (entries.stamp.at > before.at ? entries.stamp : before).stay === true || undefined };
        if (answer !== true) {
            const steps = entries.stamp.at - before.at;
            const wanted = entries.stamp;
            entries.stamp = before;
            if (steps !== 0)
                await moved(-steps);
            if (!(await answer) || own !== asking)
                return;
            if (steps !== 0)
                await moved(steps);
            entries.stamp = wanted;
        }
        await visit(address, "traverse", way);
    }
    function moved(steps) {
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
        for (const kind of ["pointerover", "focusin", "touchstart", "pointerdown"])
            document.addEventListener(kind, (event) => maker.near(event), { signal, passive: true });
    }
    const first = addressOf(location.href) ?? (isInFragment ? addressOf(beforeHash(location.href) + "#/") : undefined);
    if (first !== undefined)
        void visit(first, "first");
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
            return open(linkTo(name, values), "push", options);
        },
        async replace(name, ...[values, options]) {
            return open(linkTo(name, values), "replace", options);
        },
        open,
        async comeBack(otherwise) {
            const decision = current?.decision;
            const wanted = decision?.outcome === "page" ? decision.params.return : undefined;
            const visitor = settings.visitor?.() ?? {};
            const address = await returnAddressAsync(typeof wanted === "string" ? wanted : undefined, otherwise, visitor);
            const there = await decideAsync(address, visitor);
            const isHere = there.outcome === "page" && there.route === positionOf(decision)?.route;
            return open(isHere ? otherwise : address, "replace");
        },
        refresh: () => visit(current?.address ?? addressOf(location.href) ?? "/", "refresh"),
        keep(state) {
            entries.write("replace", location.href, { ...entries.stamp, state });
            if (current)
                current = { ...current, state };
        },
        back: () => history.back(),
        forward: () => history.forward(),
        stop() {
            for (const one of [ending, running, living])
                one.abort();
            maker.stop();
            marks.stop();
            screen.stop();
            history.scrollRestoration = restoration;
        },
    };
}
