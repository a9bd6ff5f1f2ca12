// What the module hands out, whatever the table.
/** A link that could not be made; the message says why and how to mend it. */
export class LinkError extends Error {
    constructor(kind, route, message, param) {
        super(message);
        this.name = "LinkError";
        this.kind = kind;
        this.route = route;
        this.param = param;
    }
}

// The functions of the module, with the types of the table.
function asker({ meets, lists }) {
    const put = (whom, value) => whom === undefined ? false : typeof whom === "function" ? whom(value) : whom.has(value);
    return (question) => {
        if ("need" in question)
            return put(meets, question.need);
        const own = lists ?? {};
        return put(Object.prototype.hasOwnProperty.call(own, question.list) ? own[question.list] : undefined, question.value);
    };
}
/** The page that a URL shows, and the values in it; nothing where a `GET` comes to anything else. Every need counts as met, and no value as listed. */
export function match(url, { host } = {}) {
    return matched(url, host);
}
/** Decides what to do with a request. Each question is asked once, where the decision hangs on it. */
export function decide(url, asks = {}) {
    const { method, host } = asks;
    return decided(url, { method, host, ask: asker(asks) });
}
/** The same, where lists and needs are asked over a network. An answer that fails makes the decision `unavailable`. */
export function decideAsync(url, asks = {}) {
    return decidedInSteps(url, asks, asker(asks));
}
/** The URL of a route. Throws a `LinkError` for what its rules refuse, and where another route would answer. */
export function link(name, ...[values, options]) {
    return linkOf(name, values, options);
}
/** Whether a link leads to the page that is shown (`"page"`), or to an ancestor of it (`"true"`): the value of `aria-current`. */
export function isActive(position, name, values = {}) {
    return activity(name, values, position);
}
/** The URL of the nearest ancestor with a page, with the same values. */
export function up(position) {
    return above(position);
}
/** What changes when `to` takes the place of `from`, or is the first page. */
export function transition(from, to) {
    return changeBetween(from, to);
}
/** The address to go back to after signing in, if it is one of this table that shows a page to this visitor; else the other one. */
export function returnAddress(wanted, otherwise, asks = {}) {
    return backTo(wanted, otherwise, { host: asks.host, ask: asker(asks) });
}
/** The data of a route. */
export function dataOf(name) {
    return (data.routes.find(([known]) => known === name)?.[5]?.data ?? {});
}

// The table as data. `convert` writes it from the frozen table; things refer to each other by their index.
//
// Tuples keep the data small: their names are in the types alone. What stands at the end of a tuple is left out where it has nothing to say.
/** Kinds of parameters, by their index in `lookup::ParamKind`. */
const SEGMENT = 0;
const ITEMS = 1;
const REST = 2;
const QUERY = 3;
const PAIRS = 4;
const HOST = 5;
const FRAGMENT = 6;
/** Flags of parameters. */
const OPTIONAL = 1;
const EXPLODED = 2;
const NUMBER = 4;
const BOOLEAN = 8;

// Percent-encoding (RFC 3986, section 2.1). Texts are well-formed: lone surrogates were replaced when the URL came in.
/** Escapes all but unreserved characters. */
function encodeUnreserved(text) {
    return encodeURIComponent(text).replace(/[!'()*]/g, (one) => "%" + one.charCodeAt(0).toString(16).toUpperCase());
}
/** Escapes what is neither unreserved, nor reserved, nor an escape (RFC 6570, section 3.2.1). */
function encodeReserved(text) {
    return text.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:/?#[\]@!$&'()*+,;=]/gu, (one, escape) => escape ?? encodeURIComponent(one));
}
/** Escapes what may not stand in a segment. */
function encodeSegment(text) {
    return text.replace(/[^\w\-.~:[\]@!$&'()*+,;=]/gu, encodeURIComponent);
}
/** A segment in its normal form (RFC 3986, section 6.2.2). */
function normalSegment(raw) {
    return raw.replace(/%([0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=]/gu, (one, digits) => {
        if (digits === undefined)
            return encodeURIComponent(one);
        const character = String.fromCharCode(parseInt(digits, 16));
        return /[\w\-.~]/.test(character) ? character : one.toUpperCase();
    });
}
/** A query in which nothing stands that a URL cannot hold. */
function cleanQuery(raw) {
    return raw.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=/?]/gu, (one, escape) => escape ?? encodeURIComponent(one));
}
function hasControl(text) {
    return /[\0-\x1f\x7f]/.test(text);
}
/** A segment without its escapes; a number says why it has no such form: 0 escape, 1 UTF-8, 2 control character. */
function decode(raw) {
    if (/%(?![0-9A-Fa-f]{2})/.test(raw))
        return 0;
    try {
        const text = decodeURIComponent(raw);
        return hasControl(text) ? 2 : text;
    }
    catch {
        return 1;
    }
}
/** A name or value of a query (WHATWG, URL, section 5.1); nothing in it is wrong. */
function decodeForm(raw) {
    return raw.replace(/\+/g, " ").replace(/(?:%[0-9A-Fa-f]{2})+/g, (escapes) => {
        try {
            return decodeURIComponent(escapes);
        }
        catch {
            return lossy(escapes);
        }
    });
}
/** Escapes of bytes that are not all UTF-8: each part that cannot be read becomes U+FFFD (WHATWG, Encoding, section 8.1.1). */
function lossy(escapes) {
    const byte = (at) => parseInt(escapes.slice(3 * at + 1, 3 * at + 3), 16);
    let out = "";
    for (let at = 0; at < escapes.length / 3;) {
        const first = byte(at);
        const more = first < 0x80 ? 0 : first < 0xc2 || first > 0xf4 ? -1 : first < 0xe0 ? 1 : first < 0xf0 ? 2 : 3;
        let low = first === 0xe0 ? 0xa0 : first === 0xf0 ? 0x90 : 0x80;
        let high = first === 0xed ? 0x9f : first === 0xf4 ? 0x8f : 0xbf;
        let end = at + 1;
        while (end - at <= more && byte(end) >= low && byte(end) <= high) {
            end += 1;
            low = 0x80;
            high = 0xbf;
        }
        out += end - at === more + 1 ? decodeURIComponent(escapes.slice(3 * at, 3 * end)) : "\ufffd";
        at = end;
    }
    return out;
}
/** The bytes of a text in UTF-8. */
function bytesOf(text) {
    const bytes = [];
    for (const one of text) {
        const code = one.codePointAt(0);
        if (code < 0x80)
            bytes.push(code);
        else if (code < 0x800)
            bytes.push(0xc0 | (code >> 6), 0x80 | (code & 63));
        else if (code < 0x10000)
            bytes.push(0xe0 | (code >> 12), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63));
        else
            bytes.push(0xf0 | (code >> 18), 0x80 | ((code >> 12) & 63), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63));
    }
    return bytes;
}
/** How many bytes a text has, if it may have more than a limit. */
function isLonger(text, limit) {
    return text.length > limit || (text.length * 3 > limit && bytesOf(text).length > limit);
}

// What a value may be. Rules are automata and plain code, linear in the length of the value.
function ruleAt(index) {
    return data.rules[index];
}
// A delimiter that was not escaped is a mark: a control character, which no segment holds otherwise.
const MARKS = ",=;";
/** A segment as it was sent, decoded, with its delimiters as marks. It was decoded before, so it can be. */
function marked(raw) {
    return decodeURIComponent(raw.replace(/[,=;]/g, (one) => String.fromCharCode(MARKS.indexOf(one) + 1)));
}
/** Marked text as plain text. */
function plain(text) {
    return text.replace(/[\x01-\x03]/g, (one) => MARKS[one.charCodeAt(0) - 1]);
}
function stepped(state, byte) {
    for (let at = 1; at < state.length; at += 3) {
        if (byte >= state[at] && byte <= state[at + 1])
            return state[at + 2];
    }
    return -1;
}
function contains(automaton, text) {
    let state = 0;
    for (const byte of bytesOf(text)) {
        state = stepped(automaton[state], byte);
        if (state < 0)
            return false;
    }
    return automaton[state][0] === 1;
}
/** Sign, digits before and after the point of a decimal number in its one spelling. */
function decimal(text) {
    return text === "-0" ? null : /^(-?)(0|[1-9][0-9]*)(?:\.([0-9]*[1-9]))?$/.exec(text);
}
function compare(left, right) {
    if (left[1] !== right[1])
        return left[1] ? -1 : 1;
    const order = (a, b) => (a < b ? -1 : a > b ? 1 : 0);
    const magnitude = left[2].length - right[2].length || order(left[2], right[2]) || order(left[3] ?? "", right[3] ?? "");
    return left[1] ? -magnitude : magnitude;
}
function isMultiple(number, step) {
    const places = (step[3] ?? "").length;
    const fraction = number[3] ?? "";
    const units = Number(step[2] + (step[3] ?? ""));
    let rest = 0;
    for (const digit of number[2] + fraction.padEnd(places, "0"))
        rest = (rest * 10 + Number(digit)) % units;
    return fraction.length <= places && rest === 0;
}
/** Why a keyword refuses a text. */
function refusalOfTest(test, text) {
    const [kind, words] = test;
    if (kind instanceof RegExp)
        return kind.test(text) ? undefined : words;
    if (typeof kind === "number")
        return contains(data.automata[kind], text) ? undefined : words;
    if (typeof kind === "object") {
        if (kind.includes(text))
            return undefined;
        const shown = kind.slice(0, 8).map((word) => `\`${word}\``);
        const more = kind.length > 8 ? ` or ${kind.length - 8} others` : "";
        return `expected ${kind.length === 1 ? "" : "one of "}${shown.join(", ")}${more}`;
    }
    if (kind === "min" || kind === "max") {
        const [found, count] = [Array.from(text).length, Number(words)];
        const isWrong = kind === "min" ? found < count : found > count;
        return isWrong ? `${kind === "min" ? "shorter" : "longer"} than ${count} character${count === 1 ? "" : "s"}` : undefined;
    }
    const [number, limit] = [decimal(text), decimal(words)];
    // What is no number is refused by the type.
    if (!number || !limit)
        return undefined;
    if (kind === "%")
        return isMultiple(number, limit) ? undefined : `not a multiple of ${words}`;
    const order = compare(number, limit);
    const [isRight, reason] = kind === ">=" ? [order >= 0, "below the minimum"]
        : kind === "<=" ? [order <= 0, "above the maximum"]
            : kind === ">" ? [order > 0, "not above"]
                : [order < 0, "not below"];
    return isRight ? undefined : `${reason} ${words}`;
}
/** Why a rule refuses one text, as far as the rule alone can tell. */
function refusal([tests], text) {
    for (const test of tests || []) {
        const reason = refusalOfTest(test, text);
        if (reason !== undefined)
            return reason;
    }
    return undefined;
}
/** Is the rule about one text, and does every text pass? */
function isAny([tests, list, many]) {
    return !tests && !list && !many;
}
/** Does a rule take a text that is no list? */
function takes(rule, text, asked) {
    if (isAny(rule))
        return true;
    const [tests, list] = rule;
    // A rule is a set of texts without control characters, none of them empty.
    if (text === "" || hasControl(text) || (tests && refusal(rule, text) !== undefined))
        return false;
    return !list || asked.isListed(list, text);
}
/** How many there may be at most, where there is no limit. */
const NO_LIMIT = 65535;
/** Are there as many items as there may be, and is none there twice that must not be? */
function fitsNumber([, values, least, most, unique], items) {
    const count = values < 0 ? items.length : items.length / 2;
    return count >= least && count <= most && !(unique && new Set(items).size < items.length);
}
/** Does a rule take a list, or names and values in turn? */
function takesItems([, , many], items, asked) {
    if (!many)
        return true;
    const [first, second] = many;
    return ((second < 0 || items.length % 2 === 0) &&
        items.every((item, at) => takes(ruleAt(second >= 0 && at % 2 === 1 ? second : first), item, asked)) &&
        fitsNumber(many, items));
}
/** Does every value of its form pass? */
function isAnyOfItsForm(rule) {
    const many = rule[2];
    if (!many)
        return isAny(rule);
    const [first, second, least, most, unique] = many;
    return isAny(ruleAt(first)) && (second < 0 || isAny(ruleAt(second))) && least <= 1 && most === NO_LIMIT && !unique;
}
/** The items of a marked text, plain; names and values in turn. Nothing where it cannot be cut. */
function itemsOf([separator, named, name], isPairs, text) {
    let items = separator === "" ? [text]
        : separator === "," ? text.split("\x01")
            : separator === "+" ? text.split(/[\x01,]/)
                : separator === ";" ? text.split("\x03")
                    : text.split(".");
    if (name !== undefined) {
        // The first item has its name before it already.
        const start = name + "\x02";
        if (items.some((item, at) => at > 0 && !item.startsWith(start)))
            return undefined;
        items = items.map((item, at) => (at > 0 ? item.slice(start.length) : item));
    }
    if (isPairs && named) {
        // An item without a sign is one too few, which the check of their number finds.
        const sign = separator === "+" ? /[\x02=]/ : /\x02/;
        items = items.flatMap((item) => [item.split(sign, 1)[0], item.slice(item.search(sign) + 1 || item.length)]);
    }
    items = items.map(plain);
    return items.includes("") || (isPairs && items.length % 2 === 1) ? undefined : items;
}
/** Does a rule take what stands for it in a segment, which may hold marks? */
function takesPiece(rule, text, asked) {
    const [, , many, join] = rule;
    if (!join || !many)
        return text !== "" && takes(rule, plain(text), asked);
    const items = itemsOf(join, many[1] >= 0, text);
    return items !== undefined && takesItems(rule, items, asked);
}
/** Does one of the values of a pattern have items, so that a delimiter differs from the same character as text? */
function isMarked(pattern) {
    return pattern.some((piece) => typeof piece === "number" && !!ruleAt(piece)[3]);
}
/**
 * Reads a segment: of all ways in which every piece fits, the one whose first value is the shortest, then the second, and so on. From
 * the right it finds where the pieces that follow can begin, then it goes from the left; linear for each state of the rules.
 */
function split(pattern, text) {
    const [first, second] = pattern;
    if (pattern.length === 1)
        return { texts: [text], starts: [0] };
    if (pattern.length === 2 && typeof first === "string") {
        if (!plain(text.slice(0, first.length)).startsWith(first) || text.length === first.length)
            return undefined;
        return { texts: [first, text.slice(first.length)], starts: [0, bytesOf(first).length] };
    }
    if (pattern.length === 2 && typeof second === "string") {
        const cut = text.length - second.length;
        if (cut <= 0 || plain(text.slice(cut)) !== second)
            return undefined;
        return { texts: [text.slice(0, cut), second], starts: [0, bytesOf(text.slice(0, cut)).length] };
    }
    const bytes = bytesOf(text);
    const isBoundary = (at) => at === bytes.length || (bytes[at] & 0xc0) !== 0x80;
    // For each piece where the text can be cut so that it and all that follow fit.
    const ends = [];
    let good = bytes.map(() => false).concat(true);
    for (let at = pattern.length - 1; at >= 0; at -= 1) {
        ends[at] = good;
        good = startsOf(pattern[at], bytes, good).map((isGood, start) => isGood && isBoundary(start));
    }
    if (!good[0])
        return undefined;
    const starts = [0];
    for (const [at, piece] of pattern.entries()) {
        starts.push(shortest(piece, bytes, starts[at], ends[at]));
    }
    // Where in the text each byte is that begins a character.
    const units = [];
    let unit = 0;
    for (const one of text) {
        units.push(unit, ...bytesOf(one).slice(1).map(() => unit));
        unit += one.length;
    }
    units.push(unit);
    return { texts: pattern.map((_, at) => text.slice(units[starts[at]], units[starts[at + 1]])), starts: starts.slice(0, -1) };
}
function automatonOf(rule) {
    const index = ruleAt(rule)[4];
    return index === undefined ? undefined : data.automata[index];
}
/** Where a piece can start so that it ends at a good place. */
function startsOf(piece, bytes, good) {
    if (typeof piece === "string") {
        const wanted = bytesOf(piece);
        const fits = (at) => wanted.every((byte, index) => bytes[at + index] === byte || MARKS.charCodeAt(bytes[at + index] - 1) === byte);
        return good.map((_, at) => good[at + wanted.length] === true && fits(at));
    }
    const automaton = automatonOf(piece);
    const starts = [];
    let isGoodAfter = false;
    let alive = [];
    for (let at = bytes.length; at >= 0; at -= 1) {
        if (automaton) {
            const byte = bytes[at];
            const next = automaton.map((state) => {
                return (good[at] && state[0] === 1) || (byte !== undefined && alive[stepped(state, byte)] === true);
            });
            alive = next;
            starts[at] = alive[0];
        }
        else {
            starts[at] = isGoodAfter;
            isGoodAfter || (isGoodAfter = good[at]);
        }
    }
    return starts;
}
/** The first good place where a piece can end. */
function shortest(piece, bytes, start, good) {
    if (typeof piece === "string")
        return start + bytesOf(piece).length;
    const automaton = automatonOf(piece);
    let state = 0;
    for (let at = start; at < bytes.length; at += 1) {
        if (automaton)
            state = stepped(automaton[state], bytes[at]);
        if (good[at + 1] && (!automaton || automaton[state][0] === 1))
            return at + 1;
    }
    return bytes.length;
}
/** Does a segment, which is decoded and marked where the pattern wants it, fit? */
function fits(pattern, text, asked) {
    // Only the pattern of a host may be one text.
    if (pattern.length === 1 && typeof pattern[0] === "string")
        return text === pattern[0];
    const pieces = split(pattern, text);
    return (pieces !== undefined &&
        pattern.every((piece, at) => typeof piece === "string" || takesPiece(ruleAt(piece), pieces.texts[at], asked)));
}

// The one spelling of a host (RFC 3986, section 3.2; RFC 5890, section 2.3.2.1; RFC 3492).
/** The host that an authority names: without user and port. */
function hostOf(authority) {
    return authority.slice(authority.lastIndexOf("@") + 1).replace(/:[0-9]*$/, "");
}
/** Small letters, without the dot at the end, labels that are not ASCII encoded. */
function normalHost(host) {
    let name = host.replace(/\.$/, "");
    if (!/%(?![0-9A-Fa-f]{2})/.test(name)) {
        try {
            const decoded = decodeURIComponent(name);
            if (!/[\0-\x1f\x7f]/.test(decoded))
                name = decoded;
        }
        catch {
            // It stays as it is.
        }
    }
    const isAscii = (text) => !/[^\0-\x7f]/.test(text);
    if (isAscii(name))
        return name.replace(/[A-Z]/g, (one) => one.toLowerCase());
    return name
        .split(/[.\u3002\uff0e\uff61]/)
        .map((label) => label.toLowerCase())
        .map((label) => (isAscii(label) || Array.from(label).length > 63 ? label : "xn--" + punycode(label)))
        .join(".");
}
function punycode(label) {
    const points = Array.from(label, (one) => one.codePointAt(0));
    const digit = (value) => value.toString(36);
    const basic = points.filter((point) => point < 128);
    let out = String.fromCharCode(...basic) + (basic.length > 0 ? "-" : "");
    let [code, delta, bias, handled] = [128, 0, 72, basic.length];
    while (handled < points.length) {
        const next = Math.min(...points.filter((point) => point >= code));
        delta += (next - code) * (handled + 1);
        code = next;
        for (const point of points) {
            if (point < code)
                delta += 1;
            if (point !== code)
                continue;
            let rest = delta;
            for (let base = 36;; base += 36) {
                const least = base <= bias ? 1 : base >= bias + 26 ? 26 : base - bias;
                if (rest < least)
                    break;
                out += digits(least + ((rest - least) % (36 - least)));
                rest = Math.floor((rest - least) / (36 - least));
            }
            out += digits(rest);
            let scaled = Math.floor(delta / (handled === basic.length ? 700 : 2));
            scaled += Math.floor(scaled / (handled + 1));
            let steps = 0;
            for (; scaled > 455; steps += 36)
                scaled = Math.floor(scaled / 35);
            bias = steps + Math.floor((36 * scaled) / (scaled + 38));
            delta = 0;
            handled += 1;
        }
        delta += 1;
        code += 1;
    }
    return out;
    /** a to z are 0 to 25, 0 to 9 are 26 to 35. */
    function digits(value) {
        return value < 26 ? String.fromCharCode(97 + value) : digit(value - 26);
    }
}

// A URL in its parts (RFC 3986, section 3), and its normal form (section 6.2.2).
function isBad(parsed) {
    return typeof parsed === "object" && "reason" in parsed;
}
function cut(url) {
    const end = url.search(/[?#]/);
    if (end < 0)
        return [url, undefined];
    return [url.slice(0, end), url[end] === "?" ? url.slice(end + 1).split("#", 1)[0] : undefined];
}
/** Cuts a path with an optional query, or an absolute URL. */
function targetOf(url, inFragment) {
    if (inFragment) {
        const hash = url.indexOf("#");
        const [sent, query] = cut(hash < 0 ? "" : url.slice(hash + 1).split("#", 1)[0]);
        return { host: targetOf(hash < 0 ? url : url.slice(0, hash), false).host, sent, query };
    }
    const [before, query] = cut(url);
    const absolute = /^https?:\/\/([^/]*)(.*)$/is.exec(before);
    if (!absolute)
        return { host: undefined, sent: before, query };
    return { host: hostOf(absolute[1]), sent: absolute[2] || "/", query };
}
const NEVER = 0;
const ALWAYS = 1;
/** The part of a path below the base. */
function inside(path) {
    const { base } = data.site;
    if (!path.startsWith(base))
        return undefined;
    const rest = path.slice(base.length);
    return rest === "" || rest[0] === "/" ? rest : undefined;
}
/** Does the URL name the document that the site is, before its fragment? A fragment alone does. */
function isDocument(url) {
    const before = url.split("#", 1)[0];
    const trimmed = (path) => path.replace(/\/+$/, "");
    return before === "" || trimmed(targetOf(before, false).sent) === trimmed(data.site.base);
}
function isRoot(path) {
    const { base, inFragment, slash } = data.site;
    if (base === "" || inFragment)
        return inFragment || path === "/";
    return slash === NEVER ? path === "" : slash === ALWAYS ? path !== "" : true;
}
const UNDECODABLE = [
    "expected two hexadecimal digits after `%`",
    "the URL is not UTF-8",
    "the URL holds a control character",
];
/** Takes a URL apart; the host is one that was asked beside it. */
function parse(url, host) {
    const { site } = data;
    const target = targetOf(url, site.inFragment);
    const below = site.inFragment ? (isDocument(url) ? target.sent : undefined) : inside(target.sent);
    const bad = (reason, status = 400) => ({ status, reason });
    if (!site.inFragment && target.sent[0] !== "/")
        return bad(NO_SLASH);
    let path = below ?? target.sent;
    if (isLonger(path, site.bytes))
        return bad(tooLong(), 414);
    let isNormal = true;
    let raws = [];
    let texts = [];
    if (path !== "" && path !== "/") {
        if (path[0] !== "/")
            return bad(NO_SLASH);
        const hasSlash = path.endsWith("/");
        isNormal = site.slash === NEVER ? !hasSlash : site.slash === ALWAYS ? hasSlash : true;
        if (hasSlash)
            path = path.slice(0, -1);
        raws = texts = path.slice(1).split("/");
        if (raws.length > site.segments)
            return bad(`the path has more than ${site.segments} segments`, 414);
        if (!/^[\w\-.~:[\]@!$&'()*+,;=/]*$/.test(path)) {
            if (hasControl(path))
                return bad(UNDECODABLE[2]);
            const decoded = [];
            for (const raw of raws) {
                const text = decode(raw);
                if (typeof text === "number")
                    return bad(UNDECODABLE[text]);
                decoded.push(text);
                isNormal && (isNormal = normalSegment(raw) === raw);
            }
            texts = decoded;
        }
        isNormal && (isNormal = !texts.some((text) => text === "" || text === "." || text === ".."));
    }
    else {
        path = "";
    }
    const isVacant = target.query !== undefined && /^&*$/.test(target.query);
    if (below !== undefined && isNormal && !isVacant && (raws.length > 0 || isRoot(below))) {
        const pairs = (target.query ?? "").split("&").filter((pair) => pair !== "");
        return {
            ...target,
            host: target.host ?? host,
            path,
            raws,
            texts,
            isEscaped: texts !== raws,
            pairs: pairs.map((pair) => [decodeForm(pair.split("=", 1)[0]), pair.includes("=") ? pair.slice(pair.indexOf("=") + 1) : ""]),
        };
    }
    return site.inFragment && below === undefined ? undefined : normalAddress(target);
}
const NO_SLASH = "expected a path that starts with `/`";
function tooLong() {
    return `the URL is longer than ${data.site.bytes} bytes`;
}
/** The address of a URL that is not in its normal form; nothing for one outside of the site. */
function normalAddress({ sent, query }) {
    const kept = [];
    let endsWithSlash = false;
    for (const raw of sent.replace(/^\//, "").split("/")) {
        const decoded = decode(raw);
        const text = typeof decoded === "number" ? raw : decoded;
        endsWithSlash = text === "" || text === "." || text === "..";
        if (text === "..")
            kept.pop();
        else if (text !== ".")
            kept.push(raw);
    }
    const path = kept.filter((raw) => raw !== "").map((raw) => "/" + normalSegment(raw)).join("");
    const below = data.site.inFragment ? path : inside(path);
    return below === undefined ? undefined : prefix() + withSlash(below, endsWithSlash) + queryOf(query);
}
/** What an address starts with before the path of the page. */
function prefix() {
    const { base, inFragment } = data.site;
    return inFragment ? (base || "/") + "#" : base;
}
/** A path in its normal form, with a slash at its end as the site has it. */
function withSlash(path, hadSlash) {
    const { base, inFragment, slash } = data.site;
    const trimmed = path.replace(/\/+$/, "");
    const isBareRoot = trimmed === "" && (base === "" || inFragment);
    return trimmed + (isBareRoot || slash === ALWAYS || (slash !== NEVER && hadSlash) ? "/" : "");
}
/** A query with its mark, as far as a URL can hold it; nothing for one that says nothing. */
function queryOf(query) {
    return query === undefined || /^&*$/.test(query) ? "" : "?" + cleanQuery(query);
}
/** The address of a page whose template expanded to this, or whose path this is. */
function addressFor(expanded, query) {
    const end = expanded.search(/[?#]/);
    const path = end < 0 ? expanded : expanded.slice(0, end);
    const normal = path.split("/").slice(1).map((raw) => "/" + normalSegment(raw)).join("");
    return prefix() + withSlash(normal, false) + (end < 0 ? "" : expanded.slice(end)) + queryOf(query);
}
/** The address that a URL was asked under: without scheme, host and fragment. */
function addressOf({ sent, query }) {
    return (data.site.inFragment ? prefix() : "") + (sent || "/") + queryOf(query);
}

// The walk through the tree, and the choice of the narrowest route.
function leafAt(index) {
    return data.leaves[index];
}
function routeAt(index) {
    return data.routes[index];
}
function routeOf({ leaf }) {
    return routeAt(leafAt(leaf)[0]);
}
function methodsOf(route) {
    return route[5]?.methods ?? ["GET"];
}
/** Does a route answer a method? `GET` brings `HEAD` (RFC 9110, section 9.3.2). */
function allows(route, method) {
    const methods = methodsOf(route);
    return methods.includes(method) || (method === "HEAD" && methods.includes("GET"));
}
const literals = new WeakMap();
/** The node that a literal leads to. The map of a node is made when it is first asked. */
function literalAfter(node, text) {
    if (!node[0])
        return undefined;
    let map = literals.get(node);
    if (!map) {
        map = new Map();
        for (let at = 0; at < node[0].length; at += 2)
            map.set(node[0][at], node[0][at + 1]);
        literals.set(node, map);
    }
    return map.get(data.site.folds ? text.toLowerCase() : text);
}
function fitsSegment(index, parts, at, asked) {
    const pattern = data.patterns[index];
    return fits(pattern, isMarked(pattern) ? marked(parts.raws[at]) : parts.texts[at], asked);
}
/** The name of a parameter in the query. */
function queryName({ 5: more }, index, [name]) {
    return more?.names?.[index] ?? (name.includes("%") ? decodeURIComponent(name) : name);
}
/** Does the query name a parameter that must be there? */
function isRequired(route, index, [, , , flags]) {
    return !(flags & OPTIONAL) || route[5]?.names?.[index] !== undefined;
}
/** Does an empty value count as if it were not there, as a form sends the fields that nobody filled in? */
function countsAsAbsent(route, index, param, raw) {
    if (raw !== "")
        return false;
    const rule = ruleAt(param[4]);
    const takesEmpty = rule[2] ? rule[2][1] < 0 && isAny(ruleAt(rule[2][0])) : isAny(rule);
    return !takesEmpty && (!isRequired(route, index, param) || (param[3] & EXPLODED) !== 0);
}
/** The value of a name in the query, as it was sent; the first counts. */
function queryValue(route, index, param, { pairs }) {
    const wanted = queryName(route, index, param);
    return pairs.find(([name]) => name === wanted)?.[1];
}
/** Each item of a name in the query. */
function queryItems(route, index, param, { pairs }) {
    const wanted = queryName(route, index, param);
    return pairs
        .filter(([name, raw]) => name === wanted && !countsAsAbsent(route, index, param, raw))
        .map(([, raw]) => decodeForm(raw));
}
/** Is a name in the query one that the route reads for itself? */
function readsName(route, wanted) {
    return ((route[5]?.query ?? []).some(([name]) => name === wanted) ||
        route[4].some((param, index) => param[2] === QUERY && queryName(route, index, param) === wanted));
}
/** The pairs of the query that no other parameter takes. */
function restOfQuery(route, { pairs }) {
    return pairs.filter(([name]) => !readsName(route, name)).map(([name, raw]) => [name, decodeForm(raw)]);
}
function takesQuery(route, parts, asked) {
    const { pairs } = parts;
    const hasLiterals = (route[5]?.query ?? []).every(([name, value]) => pairs.some(([known, raw]) => known === name && decodeForm(raw) === value));
    // Single values before lists, as questions to live lists have an order.
    const all = (isWanted) => route[4].every((param, index) => !isWanted(param) || takesValue(route, index, param, parts, asked));
    return (hasLiterals &&
        all(([, , kind, flags]) => kind === QUERY && !(flags & EXPLODED)) &&
        all(([, , kind, flags]) => kind === QUERY && (flags & EXPLODED) !== 0) &&
        all(([, , kind]) => kind === PAIRS));
}
function takesValue(route, index, param, parts, asked) {
    const rule = ruleAt(param[4]);
    if (param[2] === PAIRS) {
        if (param[3] & OPTIONAL && isAnyOfItsForm(rule))
            return true;
        const items = restOfQuery(route, parts).flat();
        return items.length === 0 ? (param[3] & OPTIONAL) !== 0 : takesItems(rule, items, asked);
    }
    const raw = queryValue(route, index, param, parts);
    if (raw === undefined)
        return !isRequired(route, index, param);
    if (param[3] & EXPLODED) {
        const items = queryItems(route, index, param, parts);
        return items.length === 0 ? !isRequired(route, index, param) : takesItems(rule, items, asked);
    }
    if (countsAsAbsent(route, index, param, raw))
        return true;
    if (!rule[2])
        return takes(rule, decodeForm(raw), asked);
    return takesItems(rule, raw.split(",").map(decodeForm), asked);
}
function takesHost(route, { host }, asked) {
    const own = route[5]?.host;
    return !own || (host !== undefined && fits(own[1], normalHost(host), asked));
}
/** Can a link write a tail of this value? Nothing else is accepted, so that no tail leads out of a folder. */
function isWritable(value) {
    return !/[?#]|%[0-9A-Fa-f]{2}/.test(value) && value.split("/").every((one) => one !== "" && one !== "." && one !== "..");
}
function takesTail(leaf, route, parts, asked) {
    const tail = leaf[3];
    if (!tail)
        return true;
    const [index, first, isOneValue] = tail;
    const [, , , , rule, texts] = route[4][index];
    const items = parts.texts.slice(first);
    if (!isOneValue) {
        const many = ruleAt(rule)[2];
        if (!many)
            return true;
        const [one, , least, most, unique] = many;
        return fitsNumber([one, -1, least, most, unique ?? 0], items);
    }
    const value = items.join("/");
    if (parts.isEscaped && !isWritable(value))
        return false;
    return takesPiece(ruleAt(texts), value, asked);
}
/** The leaves that answer a URL, each no wider than any other that accepts it. */
function find(parts, asked) {
    const accepted = [];
    const steps = [];
    const walk = (node, at) => {
        if (at === parts.texts.length) {
            for (const index of node[2] || []) {
                const leaf = leafAt(index);
                const route = routeAt(leaf[0]);
                if (takesHost(route, parts, asked) && takesQuery(route, parts, asked) && takesTail(leaf, route, parts, asked)) {
                    accepted.push({ leaf: index, steps: steps.slice(0, at) });
                }
            }
            return;
        }
        const before = accepted.length;
        const target = literalAfter(node, parts.texts[at]);
        if (target) {
            steps[at] = -1;
            walk(target, at + 1);
        }
        const edges = node[1] || [];
        for (let edge = 0; edge < edges.length; edge += 2) {
            if (!node[4] && accepted.length > before)
                return;
            const pattern = edges[edge];
            if (fitsSegment(pattern, parts, at, asked)) {
                steps[at] = pattern;
                walk(edges[edge + 1] || node, at + 1);
            }
        }
    };
    walk(data.tree, 0);
    return accepted.length > 1 ? narrowest(accepted) : accepted;
}
let orders;
/** Which of two is the narrower: 0 the left, 1 the right, 2 both accept the same, nothing where neither is. */
function ordered(which, left, right) {
    const map = (pairs) => new Map(pairs.map(([a, b, side]) => [a * 4294967296 + b, side]));
    orders ?? (orders = [map(data.order), map(data.leafOrder)]);
    const side = orders[which].get(Math.min(left, right) * 4294967296 + Math.max(left, right));
    return side === undefined || side === 2 || left <= right ? side : 1 - side;
}
function beats(left, right) {
    for (let at = 0; at < left.steps.length; at += 1) {
        const [one, other] = [left.steps[at], right.steps[at]];
        if (one === other)
            continue;
        const single = (pattern) => data.singles.includes(pattern);
        const side = one < 0 ? (single(other) ? 2 : 0)
            : other < 0 ? (single(one) ? 2 : 1)
                : ordered(0, one, other);
        if (side === 2)
            continue;
        return side === 0 || (side === undefined && isOfOneRoute(left, right) && left.leaf < right.leaf);
    }
    const side = ordered(1, left.leaf, right.leaf);
    if (side === 0 || side === 1)
        return side === 0;
    // Two ways through one route: the one that fills more from the left was made first.
    return isOfOneRoute(left, right) && left.leaf < right.leaf;
}
function isOfOneRoute(left, right) {
    return leafAt(left.leaf)[0] === leafAt(right.leaf)[0];
}
/** Each route has its narrowest leaf before routes are compared. */
function narrowest(accepted) {
    let left = accepted.slice();
    for (const isOwn of [true, false]) {
        const all = left;
        left = all.filter((one) => !all.some((other) => other !== one && isOfOneRoute(one, other) === isOwn && beats(other, one)));
    }
    return left;
}
/** Of leaves none of which is the narrower, the one that answers a method: that of the highest priority, else the first. */
function choose(accepted, method) {
    let best;
    for (const one of accepted) {
        if (!allows(routeOf(one), method))
            continue;
        const rank = ({ leaf }) => [-(routeAt(leafAt(leaf)[0])[5]?.priority ?? 0), leafAt(leaf)[0], leaf];
        const [own, known] = [rank(one), best && rank(best)];
        const differs = known ? own.findIndex((part, at) => part !== known[at]) : 0;
        if (!known || (differs >= 0 && own[differs] < known[differs]))
            best = one;
    }
    return best;
}
/** Of the wanted routes that cover the path, seen from the root, the one that covers the most of it. */
function covering(parts, method, asked, isWanted) {
    let best;
    const steps = [];
    const walk = (node, at) => {
        for (const leaf of [...(node[2] || []), ...(node[3] || [])]) {
            const id = leafAt(leaf)[0];
            const route = routeAt(id);
            // A page at the root covers the root alone, unless something is declared below it.
            const isArea = at > 0 || route[5]?.fallback !== undefined || data.routes.some(([, parent]) => parent === id);
            if (!isArea || !takesHost(route, parts, asked) || !isWanted(id))
                continue;
            const isFit = allows(route, method) && takesQuery(route, parts, asked);
            if (!best || at > best[0] || (at === best[0] && isFit && !best[1]))
                best = [at, isFit, { leaf, steps: steps.slice(0, at) }];
        }
        if (at === parts.texts.length)
            return;
        const target = literalAfter(node, parts.texts[at]);
        if (target) {
            steps[at] = -1;
            walk(target, at + 1);
        }
        const edges = node[1] || [];
        for (let edge = 0; edge < edges.length; edge += 2) {
            const next = edges[edge + 1];
            // Only the node of a tail leads to itself.
            const isTail = !next || (next[1] || []).some((target, index) => index % 2 === 1 && target === 0);
            if (!isTail && fitsSegment(edges[edge], parts, at, asked)) {
                steps[at] = edges[edge];
                walk(next, at + 1);
            }
        }
    };
    walk(data.tree, 0);
    return best?.[2];
}
/** Looks a URL up. */
function lookup(url, host, method, asked) {
    const parts = parse(url, host);
    if (parts === undefined)
        return undefined;
    if (typeof parts === "string")
        return { address: parts };
    if (isBad(parts))
        return { bad: parts };
    const accepted = find(parts, asked);
    if (accepted.length === 0)
        return undefined;
    const chosen = choose(accepted, method);
    if (!chosen)
        return { others: accepted };
    const path = respelt(chosen, parts) ?? withSlashes(chosen, parts);
    return path === undefined ? { reading: { ...chosen, parts } } : { address: addressFor(path, parts.query) };
}
/** The path with its literals as the route declares them, where that is another letter case. */
function respelt({ leaf, steps }, { texts, raws }) {
    if (!data.site.folds)
        return undefined;
    const spelling = new Map(leafAt(leaf)[4] ?? []);
    const wanted = texts.map((text, at) => (steps[at] < 0 ? (spelling.get(at) ?? text.toLowerCase()) : undefined));
    if (!wanted.some((text, at) => text !== undefined && text !== texts[at]))
        return undefined;
    return wanted.map((text, at) => "/" + (text === undefined ? raws[at] : encodeSegment(text))).join("");
}
/** The path with its tail as a link writes it, where a slash in it is escaped. */
function withSlashes({ leaf }, { raws }) {
    const tail = leafAt(leaf)[3];
    if (!tail || !tail[2] || !raws.slice(tail[1]).some((raw) => raw.includes("%2F")))
        return undefined;
    return "/" + raws.map((raw, at) => (at < tail[1] ? raw : raw.replace(/%2F/g, "/"))).join("/");
}
/** Where the values of the segments stand, by their parameter. */
function places({ leaf, steps, parts }) {
    const [, captures, , tail] = leafAt(leaf);
    const found = new Map();
    let count = 0;
    for (let segment = 0; segment < (tail ? tail[1] : steps.length); segment += 1) {
        const pattern = steps[segment] < 0 ? [] : data.patterns[steps[segment]];
        const text = isMarked(pattern) ? marked(parts.raws[segment]) : parts.texts[segment];
        const texts = pattern.length > 1 ? split(pattern, text)?.texts : [text];
        for (const [piece, one] of pattern.entries()) {
            if (typeof one === "string")
                continue;
            const param = captures ? captures[count] : count;
            count += 1;
            if (param >= 0 && !found.has(param))
                found.set(param, { segment, piece, text: texts?.[piece] ?? text });
        }
    }
    return found;
}

// Templates (RFC 6570).
const parsed = new Map();
function partsOf(template) {
    let parts = parsed.get(template);
    if (!parts) {
        parts = template.split(/\{(.*?)\}/).map((piece, at) => {
            if (at % 2 === 0)
                return piece;
            const operator = /^\w|^%/.test(piece) ? "" : piece[0];
            const names = piece.slice(operator.length).split(",");
            return { operator, variables: names.map((name) => ({ name: name.replace("*", ""), isExploded: name.endsWith("*") })) };
        });
        parts = parts.filter((part) => part !== "");
        parsed.set(template, parts);
    }
    return parts;
}
/** Expands a template (RFC 6570, section 3.2.1 and appendix A). */
function expand(template, value) {
    let out = "";
    for (const part of partsOf(template)) {
        if (typeof part === "string") {
            out += encodeReserved(part);
            continue;
        }
        const { operator, variables } = part;
        const separator = operator === "?" ? "&" : operator === "" || operator === "+" || operator === "#" ? "," : operator;
        const isNamed = operator === ";" || operator === "?" || operator === "&";
        const encode = operator === "+" || operator === "#" ? encodeReserved : encodeUnreserved;
        const named = (name, text) => !isNamed ? text : encodeReserved(name) + (text === "" && operator === ";" ? "" : "=") + text;
        let lead = operator === "+" ? "" : operator;
        for (const { name, isExploded } of variables) {
            const given = value(name);
            if (given === undefined)
                continue;
            out += lead;
            lead = separator;
            if (typeof given === "string") {
                out += named(name, encode(given));
            }
            else if (!isExploded) {
                const items = given.map((item) => (typeof item === "string" ? encode(item) : `${encode(item[0])},${encode(item[1])}`));
                out += (isNamed ? encodeReserved(name) + "=" : "") + items.join(",");
            }
            else {
                const items = given.map((item) => {
                    if (typeof item === "string")
                        return named(name, encode(item));
                    return encode(item[0]) + (operator === ";" && item[1] === "" ? "" : "=") + encode(item[1]);
                });
                out += items.join(separator);
            }
        }
    }
    return out;
}

// The values that a URL holds, as a route reads them.
/** One text, a list, or pairs? */
function shapeOf([, , , , rule]) {
    const many = ruleAt(rule)[2];
    return !many ? "one" : many[1] < 0 ? "list" : "pairs";
}
function paired(items) {
    return items.flatMap((item, at) => (at % 2 === 1 ? [[items[at - 1], item]] : []));
}
function isSame(left, right) {
    return JSON.stringify(left) === JSON.stringify(right);
}
/** The segments that the tail takes, as they were sent. */
function tailOf({ leaf, parts }) {
    const tail = leafAt(leaf)[3];
    return tail ? parts.raws.slice(tail[1]) : undefined;
}
/** Does the URL say anything of a parameter? Lists of the query, pairs of it and hosts always count. */
function isThere(reading, index, param, found) {
    switch (param[2]) {
        case SEGMENT:
            return found.has(index);
        case ITEMS:
        case REST:
            return tailOf(reading) !== undefined;
        case QUERY: {
            if (param[3] & EXPLODED)
                return true;
            const raw = queryValue(routeOf(reading), index, param, reading.parts);
            return raw !== undefined && !countsAsAbsent(routeOf(reading), index, param, raw);
        }
        default:
            return param[2] !== FRAGMENT;
    }
}
/** The texts that the URL has for a parameter: one, items, or names and values in turn; nothing where it is absent. */
function sent(reading, index, param, found) {
    const [, , kind, flags, , texts] = param;
    const { parts } = reading;
    const route = routeOf(reading);
    const join = ruleAt(texts)[3];
    const isPairs = shapeOf(param) === "pairs";
    const joined = (text) => (join ? (itemsOf(join, isPairs, text) ?? []) : [text]);
    switch (kind) {
        case SEGMENT: {
            const text = found.get(index)?.text;
            return text === undefined ? undefined : shapeOf(param) === "one" ? [plain(text)] : joined(text);
        }
        case ITEMS: {
            const raws = tailOf(reading);
            return raws && (isPairs ? raws.flatMap((raw) => joined(marked(raw))) : raws.map((raw) => decodeURIComponent(raw)));
        }
        case REST: {
            const raws = tailOf(reading);
            return raws && (join ? joined(marked(raws.join("/"))) : [decodeURIComponent(raws.join("/"))]);
        }
        case QUERY: {
            if (flags & EXPLODED)
                return queryItems(route, index, param, parts);
            const raw = queryValue(route, index, param, parts);
            if (raw === undefined || countsAsAbsent(route, index, param, raw))
                return undefined;
            return shapeOf(param) === "one" ? [decodeForm(raw)] : raw.split(",").map(decodeForm);
        }
        case PAIRS:
            return restOfQuery(route, parts).flat();
        case HOST: {
            const [, pattern, params] = route[5].host;
            const text = split(pattern, normalHost(parts.host ?? ""))?.texts[params.indexOf(index)];
            return text === undefined ? undefined : [text];
        }
        default:
            return undefined;
    }
}
/** The value of each parameter, by its index; of an absent one the default of its rule. */
function valuesOf(reading, found = places(reading)) {
    return routeOf(reading)[4].map((param, index) => {
        const fallback = param[6];
        const texts = sent(reading, index, param, found);
        const shape = shapeOf(param);
        if (shape === "one")
            return texts ? texts[0] : param[2] === HOST ? undefined : fallback;
        if (!texts || texts.length === 0)
            return fallback;
        return shape === "list" ? texts : paired(texts);
    });
}
/** How many values the URL spells out that it could leave out: defaults, and what is empty and counts as absent. */
function needless(reading) {
    const route = routeOf(reading);
    const hasEmpty = reading.parts.pairs.some(([, raw]) => raw === "");
    const hasDefaults = route[4].some(([, , , flags, , , fallback]) => flags & OPTIONAL && fallback !== undefined);
    if (!hasEmpty && !hasDefaults)
        return 0;
    const found = places(reading);
    const values = valuesOf(reading, found);
    return route[4].filter((param, index) => {
        const isSpelt = param[3] & OPTIONAL && param[6] !== undefined && isThere(reading, index, param, found) && isSame(values[index], param[6]);
        if (isSpelt || !hasEmpty || param[2] !== QUERY)
            return isSpelt;
        if (!(param[3] & EXPLODED)) {
            const raw = queryValue(route, index, param, reading.parts);
            return raw !== undefined && countsAsAbsent(route, index, param, raw);
        }
        const all = queryItems(route, index, [...param.slice(0, 3), 0, ...param.slice(4)], reading.parts);
        return all.length > queryItems(route, index, param, reading.parts).length;
    }).length;
}
/** The pairs of the query that the route does not know, as they were sent. */
function unknownPairs(reading) {
    const route = routeOf(reading);
    if (route[4].some(([, , kind]) => kind === PAIRS))
        return [];
    const sentPairs = (reading.parts.query ?? "").split("&").filter((pair) => pair !== "");
    return sentPairs.filter((pair) => !readsName(route, decodeForm(pair.split("=", 1)[0])));
}
/** A value as its rule types it: numbers, true and false, lists of these. */
function typed([, , , flags], value) {
    const one = (text) => {
        if (flags & NUMBER && /^-?(0|[1-9][0-9]*)(\.[0-9]*[1-9])?$/.test(text))
            return Number(text);
        return flags & BOOLEAN && (text === "true" || text === "false") ? text === "true" : text;
    };
    if (value === undefined || typeof value === "string")
        return value && one(value);
    return value.map((item) => (typeof item === "string" ? one(item) : [item[0], one(item[1])]));
}
/** The offset in the sent form of a segment of one in its bytes. */
function rawOffset(raw, bytes) {
    let at = 0;
    for (let count = 0; count < bytes; count += 1)
        at += raw[at] === "%" ? 3 : 1;
    return at;
}
/** The chain from the outermost ancestor to the route. */
function levelsOf(reading, values) {
    const { leaf, parts, steps } = reading;
    const [id, , covers] = leafAt(leaf);
    const chain = [];
    for (let at = id; at >= 0; at = routeAt(at)[1])
        chain.unshift(at);
    const endOf = (segments) => parts.raws.slice(0, segments).reduce((sum, raw) => sum + 1 + raw.length, 0);
    let start = 0;
    return covers.map((cover, level) => {
        let end = parts.path.length;
        if (typeof cover === "object") {
            const [segments, pieces] = cover;
            const last = segments - 1;
            const pattern = steps[last] < 0 ? undefined : data.patterns[steps[last]];
            if (segments === 0)
                end = 0;
            else if (!pattern || pattern.length === 1)
                end = endOf(last) + 1;
            else {
                const text = isMarked(pattern) ? marked(parts.raws[last]) : parts.texts[last];
                end = endOf(last) + 1 + rawOffset(parts.raws[last], split(pattern, text)?.starts[pieces] ?? 0);
            }
        }
        else if (cover >= 0) {
            end = endOf(cover);
        }
        const [name, , path, , , more] = routeAt(chain[level]);
        const own = routeAt(id)[4].map((param, index) => [param, values[index]]);
        const params = {};
        for (const [param, value] of own) {
            if (param[1] === level && value !== undefined)
                setOwn(params, param[0], typed(param, value));
        }
        const covered = parts.path.slice(start, end);
        start = end;
        return { route: name, path, covered, frame: more?.frame, params, data: more?.data ?? {} };
    });
}
/** Sets a property, whatever its name. */
function setOwn(object, name, value) {
    Object.defineProperty(object, name, { value, enumerable: true, configurable: true, writable: true });
}

// Name and values → URL: the inverse of matching.
const RETURN = "return";
/** A text as it is shown in a message. */
function escaped(text, quotes = /['"\\]/g, odd = /(?! )[\p{C}\p{Z}]|^\p{Grapheme_Extend}/gu) {
    const named = { "\t": "\\t", "\n": "\\n", "\r": "\\r", "\0": "\\0" };
    const code = (one) => named[one] ?? `\\u{${one.codePointAt(0).toString(16)}}`;
    return text.replace(quotes, "\\$&").replace(odd, code);
}
function shown(value) {
    if (value === undefined)
        return "nothing";
    if (typeof value === "string")
        return `\`${escaped(value)}\``;
    const quoted = (text) => `"${escaped(text, /["\\]/g, /(?! )[\p{C}\p{Z}\p{Grapheme_Extend}]/gu)}"`;
    return `[${value.map((one) => (typeof one === "string" ? quoted(one) : `(${quoted(one[0])}, ${quoted(one[1])})`)).join(", ")}]`;
}
/** The candidate that the fewest slips of the keyboard turn into a word; nothing where that would be a guess. */
function nearest(word, candidates) {
    let best;
    const wanted = Array.from(word);
    for (const candidate of candidates) {
        const known = Array.from(candidate);
        const allowed = Math.max(Math.floor(Math.max(wanted.length, known.length) / 3), 1);
        if (wanted.length > 64 || known.length > 64 || Math.abs(wanted.length - known.length) > allowed)
            continue;
        // The optimal string alignment distance.
        let before = [];
        let above = [0, ...known.map((_, at) => at + 1)];
        for (const [row, a] of wanted.entries()) {
            const own = [row + 1];
            for (const [column, b] of known.entries()) {
                let least = Math.min(above[column] + (a === b ? 0 : 1), above[column + 1] + 1, own[column] + 1);
                if (row > 0 && column > 0 && a === known[column - 1] && wanted[row - 1] === b)
                    least = Math.min(least, before[column - 1] + 1);
                own.push(least);
            }
            [before, above] = [above, own];
        }
        const slips = above[known.length];
        if (slips <= allowed && (!best || slips < best[0]))
            best = [slips, candidate];
    }
    return best ? `; did you mean \`${best[1]}\`?` : "";
}
/** The index of a route to which links can be made. */
function linkable(name) {
    const id = data.routes.findIndex(([known]) => known === name);
    const route = data.routes[id];
    const quoted = escaped(name);
    if (!route) {
        throw new LinkError("unknown-route", name, `no route is named \`${quoted}\`${nearest(name, data.routes.map(([known]) => known))}`);
    }
    const redirect = route[5]?.redirect;
    if (redirect) {
        const to = typeof redirect[1] === "number" ? `\`${data.routes[redirect[1]][0]}\`` : "another site";
        throw new LinkError("redirect", name, `\`${quoted}\` only redirects to ${to}; link to that`);
    }
    if (route[3] < 0) {
        throw new LinkError("group", name, `\`${quoted}\` has no page: it only groups other routes; link to one of those`);
    }
    return id;
}
/** A value in the form that its parameter has. */
function inForm(param, value) {
    if (typeof value !== "string")
        return value;
    if (shapeOf(param) === "list")
        return [value];
    return param[2] === HOST ? normalHost(value) : value;
}
function givenFor(param, given, inherited) {
    const value = given.get(param[0]) ?? inherited.get(param[0]);
    return value === undefined ? param[6] : inForm(param, value);
}
/** The values that go into the template: all checked, defaults filled in or left out. */
function checked(route, given, inherited, leaveOut) {
    const [name, , path, , params] = route;
    for (const key of given.keys()) {
        if (!params.some(([known]) => known === key)) {
            const near = nearest(key, params.map(([known]) => known));
            throw new LinkError("unknown-param", name, `\`${name}\` has no parameter \`${escaped(key)}\`${near}`, key);
        }
    }
    const all = new Map();
    for (const param of params) {
        const [key, , kind, flags, , , fallback] = param;
        const isOptional = (flags & OPTIONAL) !== 0;
        const mayGo = isOptional && (leaveOut || kind === QUERY);
        const own = given.get(key) ?? inherited.get(key);
        if (own === undefined) {
            if (mayGo || (isOptional && fallback === undefined))
                continue;
            if (fallback === undefined)
                throw new LinkError("missing", name, `a link to \`${name}\` needs a value for \`${key}\``, key);
            all.set(key, fallback);
            continue;
        }
        const value = inForm(param, own);
        if (mayGo && fallback !== undefined && isSame(fallback, value))
            continue;
        check(name, param, value);
        all.set(key, value);
    }
    // What is filled from left to right has no gaps: the default of a value before another is written after all.
    for (const part of partsOf(path)) {
        if (typeof part === "string" || (part.operator !== "/" && part.operator !== "."))
            continue;
        const names = part.variables.map((variable) => variable.name);
        let last = names.length - 1;
        while (last > 0 && !all.has(names[last]))
            last -= 1;
        for (const key of names.slice(0, Math.max(last, 0))) {
            if (all.has(key))
                continue;
            const fallback = params.find(([known]) => known === key)?.[6];
            if (fallback === undefined) {
                throw new LinkError("gap", name, `\`${names[last]}\` of \`${name}\` stands after \`${key}\`, which has no value`, names[last]);
            }
            all.set(key, fallback);
        }
    }
    return all;
}
/** Checks the form of a value, then each text of it. */
function check(route, param, value) {
    const [name, , , , index] = param;
    const many = ruleAt(index)[2];
    const wrong = (expected) => new LinkError("form", route, `expected ${expected} for \`${name}\` of \`${route}\``, name);
    if (!many) {
        if (typeof value !== "string")
            throw wrong("one value");
        checkText(route, param, index, value);
        return;
    }
    const [first, second, least, most, unique] = many;
    const isPairs = second >= 0;
    if (typeof value === "string" || value.some((item) => (typeof item === "string") === isPairs)) {
        throw wrong(isPairs ? "a list of pairs" : "a list of texts");
    }
    if (value.length < least || value.length > most) {
        const limit = most === NO_LIMIT ? "" : `and at most ${most} `;
        const message = `expected at least ${least} ${limit}items for \`${name}\` of \`${route}\`, found ${value.length}`;
        throw new LinkError("form", route, message, name);
    }
    for (const item of value) {
        checkText(route, param, first, typeof item === "string" ? item : item[0]);
        if (typeof item !== "string")
            checkText(route, param, second, item[1]);
    }
    const texts = value;
    const twice = unique ? texts.find((item, at) => texts.indexOf(item) < at) : undefined;
    if (twice !== undefined) {
        const all = texts.join(",");
        throw new LinkError("refused", route, `\`${name}\` of \`${route}\` refused \`${escaped(all)}\`: \`${twice}\` is there twice`, name);
    }
}
function checkText(route, [name, , kind], index, text) {
    const rule = ruleAt(index);
    const isInQuery = kind === QUERY || kind === PAIRS;
    const isFree = isAny(rule);
    const refused = (message) => new LinkError("refused", route, message, name);
    if ((!isInQuery || !isFree) && hasControl(text)) {
        const found = escaped(/[\0-\x1f\x7f]/.exec(text)[0], /['\\]/g);
        throw refused(`the value for \`${name}\` of \`${route}\` holds the control character '${found}', which no URL may hold`);
    }
    if (isFree && (isInQuery || kind === FRAGMENT))
        return;
    if (text === "")
        throw refused(`expected at least one character for \`${name}\` of \`${route}\`, found none`);
    const reason = refusal(rule, text);
    if (reason !== undefined)
        throw refused(`\`${name}\` of \`${route}\` refused \`${escaped(text)}\`: ${reason}`);
}
function written([name, , template, , , more], values) {
    const value = (key) => values.get(key);
    let path = expand(template, value);
    // A path whose only segments are optional expands to nothing at all.
    if (path[0] !== "/")
        path = "/" + path;
    const dots = path.split(/[?#]/, 1)[0].split("/").find((segment) => segment === "." || segment === "..");
    if (dots !== undefined) {
        throw new LinkError("refused", name, `the link to \`${name}\` would have a segment \`${dots}\`, which is removed from every URL`);
    }
    const scheme = data.site.origin.split("://", 1)[0] || "https";
    const url = (more?.host ? `${scheme}://${expand(more.host[0], value)}` : "") + addressFor(path);
    if (isLonger(url, data.site.bytes)) {
        throw new LinkError("long", name, `the link to \`${name}\` would have ${url.length} bytes; a URL may have ${data.site.bytes}`);
    }
    return url;
}
/** Why a URL would not be read as a route with these values, if so. */
function misread(route, values, url) {
    const [name, , , , params] = route;
    const isOwn = (list, value) => (param) => {
        const many = ruleAt(param[4])[2];
        const lists = many ? [many[0], many[1]].map((index) => (index < 0 ? 0 : ruleAt(index)[1])) : [ruleAt(param[4])[1]];
        const own = values.get(param[0]);
        const texts = own === undefined ? [] : typeof own === "string" ? [own] : own.flat();
        return lists.includes(list) && texts.includes(value);
    };
    const asked = { isListed: (list, value) => params.some(isOwn(list, value)), isMet: () => true };
    const found = lookup(url, undefined, methodsOf(route)[0] ?? "GET", asked);
    if (!found || !("reading" in found)) {
        return new LinkError("not-reversible", name, `\`${url}\` would not be read as \`${name}\`: a value holds a character that means something else in a URL`);
    }
    const by = routeOf(found.reading)[0];
    if (by !== name) {
        return new LinkError("captured", name, `\`${url}\` would be answered by \`${by}\`, not by \`${name}\`; link to \`${by}\` instead`);
    }
    const read = valuesOf(found.reading);
    for (const [index, param] of params.entries()) {
        const [key, , kind, , , , fallback] = param;
        const given = values.get(key);
        if (kind === FRAGMENT || isSame(read[index], given) || (given === undefined && isSame(read[index], fallback)))
            continue;
        const message = `\`${url}\` would be read as \`${name}\` with ${shown(read[index])} for \`${key}\`, not with ${shown(given)}`;
        return new LinkError("not-reversible", name, message, key);
    }
    return undefined;
}
/** The URL of a redirect: whatever answers it. */
function urlOfAny(id, given) {
    linkable(data.routes[id][0]);
    return written(data.routes[id], checked(data.routes[id], given, new Map(), true));
}
/** The URL of a route, with every word about what is wrong with it. */
function urlOf(id, given, inherited = new Map()) {
    const route = data.routes[id];
    const short = checked(route, given, inherited, true);
    const url = written(route, short);
    const error = misread(route, short, url);
    if (!error)
        return url;
    // Where leaving a default out lets another reading in, it is written.
    const long = checked(route, given, inherited, false);
    const longUrl = written(route, long);
    const isSameValues = isSame([...long.entries()].flat(), [...short.entries()].flat());
    if (isSameValues || misread(route, long, longUrl))
        throw error;
    return longUrl;
}
/** The values of a call as texts; what is absent or a list without items is none. */
function textsOf(values) {
    const text = (one) => String(one).replace(/\p{Surrogate}/gu, "\ufffd");
    const all = new Map();
    for (const [name, value] of Object.entries(values)) {
        if (value === undefined || value === null)
            continue;
        if (typeof value !== "object") {
            all.set(name, text(value));
            continue;
        }
        const items = Array.isArray(value) ? value : Object.entries(value);
        const texts = items.map((item) => (Array.isArray(item) ? [text(item[0]), text(item[1])] : text(item)));
        if (texts.length > 0)
            all.set(name, texts);
    }
    return all;
}

// Where in the table a URL stands, and links from there.
// What the functions of this module know of a position, and its reader need not.
const reads = new WeakMap();
function readOf(position) {
    const read = reads.get(position);
    if (!read)
        throw new TypeError("expected what `match` or `decide` of this module gave");
    return read;
}
function positionOf(reading) {
    return remember({}, reading);
}
function matchOf(reading, page) {
    return remember({ outcome: "page", status: 200, page: data.pages[page] }, reading);
}
function remember(own, reading) {
    const values = valuesOf(reading);
    const id = leafAt(reading.leaf)[0];
    const params = {};
    for (const [index, param] of routeAt(id)[4].entries()) {
        // A fragment is never sent, so all that can be known of it is a default.
        if (param[2] !== FRAGMENT || param[6] !== undefined)
            setOwn(params, param[0], typed(param, values[index]));
    }
    let levels;
    const position = {
        ...own,
        route: routeAt(id)[0],
        params,
        address: addressOf(reading.parts),
        // Most readers ask for the page and its values alone.
        get levels() {
            return (levels ?? (levels = levelsOf(reading, values)));
        },
        get frames() {
            return framesOf(id);
        },
        data: routeAt(id)[5]?.data ?? {},
    };
    reads.set(position, { reading, values });
    return position;
}
/** The frames around a route, outermost first: the site's, then those of the levels. */
function framesOf(id) {
    const frames = [];
    for (let at = id; at >= 0; at = routeAt(at)[1]) {
        const frame = routeAt(at)[5]?.frame;
        if (frame !== undefined)
            frames.unshift(frame);
    }
    return data.site.frame === undefined ? frames : [data.site.frame, ...frames];
}
/** The value of a parameter of a position, by its name. */
function valueOf(position, name) {
    const { reading, values } = readOf(position);
    return values[routeAt(leafAt(reading.leaf)[0])[4].findIndex(([known]) => known === name)];
}
/** The variables in the parts with which both templates begin. */
function commonBeginning(own, target) {
    const [left, right] = [partsOf(own), partsOf(target)];
    const names = (part) => (typeof part === "string" ? part : part.operator + part.variables.map(({ name }) => name).join());
    const shared = [];
    for (const [at, part] of right.entries()) {
        const other = left[at];
        if (other === undefined || typeof other !== typeof part || names(other) !== names(part))
            break;
        if (typeof part !== "string")
            shared.push(...part.variables.map(({ name }) => name));
    }
    return shared;
}
/** What a link inherits from a position: what the two addresses share, and what the target cannot do without. */
function inheritedFrom(position, target) {
    const { reading, values } = readOf(position);
    const own = routeAt(leafAt(reading.leaf)[0]);
    const shared = commonBeginning(own[2], target[2]);
    const [ownNames, names] = [own[0].split("."), target[0].split(".")];
    const differs = names.findIndex((name, at) => name !== ownNames[at]);
    const common = differs < 0 ? names.length : differs;
    const isShared = ([name, level, kind, flags, , , fallback]) => (!(flags & OPTIONAL) && fallback === undefined) || shared.includes(name) || (level < common && kind !== QUERY);
    const inherited = new Map();
    for (const param of target[4].filter(isShared)) {
        const index = own[4].findIndex(([known]) => known === param[0]);
        const value = values[index];
        if (value !== undefined && own[4][index][2] !== QUERY)
            inherited.set(param[0], value);
    }
    return inherited;
}
function linkOf(name, given = {}, { from, absolute, back } = {}) {
    const id = linkable(name);
    const texts = textsOf(given);
    const inherited = from ? inheritedFrom(from, routeAt(id)) : new Map();
    // A value that is set to nothing takes back what is inherited.
    for (const [key, value] of Object.entries(given))
        if (value === undefined || value === null)
            inherited.delete(key);
    const address = from && (back === "here" ? from.address : back === "carry" ? valueOf(from, RETURN) : undefined);
    if (typeof address === "string")
        texts.set(RETURN, address);
    const url = urlOf(id, texts, inherited);
    if (!absolute || url[0] !== "/")
        return url;
    if (data.site.origin !== "")
        return data.site.origin + url;
    throw new LinkError("no-origin", name, `an absolute link to \`${name}\` needs the origin of the site; set \`origin = "https://…"\` under \`[site]\``);
}
/** Whether a link leads to the page that is shown (`page`), or to an ancestor of it (`true`): a value for `aria-current`. */
function activity(name, given, position) {
    const { reading } = readOf(position);
    const shown = leafAt(reading.leaf)[0];
    let at = shown;
    while (at >= 0 && routeAt(at)[0] !== name)
        at = routeAt(at)[1];
    if (at < 0)
        return undefined;
    const texts = textsOf(given);
    const isSameValue = (param) => {
        const [key, , kind] = param;
        if (kind === FRAGMENT || ((kind === QUERY || kind === PAIRS) && !texts.has(key)))
            return true;
        // The query of an ancestor is not in the URL of its descendants.
        if ((kind === QUERY || kind === PAIRS) && at !== shown)
            return false;
        return isSame(givenFor(param, texts, new Map()), valueOf(position, key));
    };
    if (!routeAt(at)[4].every(isSameValue))
        return undefined;
    return at === shown ? "page" : "true";
}
/** The URL of the nearest ancestor with a page, with the same values. */
function above(position) {
    const { reading } = readOf(position);
    for (let at = routeAt(leafAt(reading.leaf)[0])[1]; at >= 0; at = routeAt(at)[1]) {
        if (routeAt(at)[3] < 0)
            continue;
        try {
            return linkOf(routeAt(at)[0], {}, { from: position });
        }
        catch {
            // The next one may have a link.
        }
    }
    return undefined;
}
/** What changes when one page takes the place of another, or is the first. */
function changeBetween(from, to) {
    const [old, next] = [from?.levels ?? [], to.levels];
    let same = 0;
    while (same < old.length && same < next.length && old[same].route === next[same].route)
        same += 1;
    const changed = [];
    for (const [level, after] of next.slice(0, same).entries()) {
        const before = old[level];
        for (const name of new Set([...Object.keys(before.params), ...Object.keys(after.params)])) {
            const [one, other] = [before.params[name], after.params[name]];
            if (JSON.stringify(one) !== JSON.stringify(other))
                changed.push({ name, route: after.route, before: one, after: other });
        }
    }
    const names = (levels) => levels.map(({ route }) => route);
    return { kept: names(next.slice(0, same)), left: names(old.slice(same)).reverse(), entered: names(next.slice(same)), changed };
}

// From a request to a decision.
/** The answers to the questions of one request. Each question is asked once. */
class Answers {
    constructor(ask) {
        this.known = new Map();
        this.ask = ask;
    }
    isListed(list, value) {
        return this.isSo({ list, value });
    }
    isMet(need) {
        return this.isSo({ need });
    }
    isSo(question) {
        const key = JSON.stringify(question);
        if (!this.known.has(key))
            this.known.set(key, this.ask(question, key));
        const answer = this.known.get(key);
        if (typeof answer !== "boolean")
            this.stopped ?? (this.stopped = question);
        return answer === true;
    }
}
/** No value is in a list, and every need is met. */
const nobody = { isListed: () => false, isMet: () => true };
const MOST_STEPS = 8;
function canonical(location) {
    return { step: { status: 308, location, route: undefined, isExternal: false } };
}
/** One look at the table. */
function look(url, { method, host, asked }) {
    const found = lookup(url, host, method, asked);
    if (!found)
        return { missing: undefined };
    if ("address" in found)
        return canonical(found.address);
    if (!("reading" in found))
        return found;
    const { reading } = found;
    const route = routeOf(reading);
    const redirect = route[5]?.redirect;
    if (redirect)
        return redirected(redirect, reading);
    const address = needless(reading) > 0 ? withoutNeedless(reading, asked) : undefined;
    if (address !== undefined)
        return canonical(address);
    const need = (route[5]?.needs ?? []).find((one) => !asked.isMet(data.needs[one][0]));
    if (need !== undefined)
        return { need, location: signInFor(need, reading, url, { method, host, asked }) };
    return { found: matchOf(reading, route[3]) };
}
/** The names of parameters with their values. */
function named(route, values) {
    const all = new Map();
    for (const [index, [name]] of route[4].entries()) {
        const value = values[index];
        if (value !== undefined)
            all.set(name, value);
    }
    return all;
}
function redirected([status, to, fillings], reading) {
    const values = valuesOf(reading);
    const step = (url, isExternal) => {
        return { step: { status, location: withRest(url, reading), route: leafAt(reading.leaf)[0], isExternal } };
    };
    if (typeof to === "string") {
        const all = named(routeOf(reading), values);
        return step(expand(to, (name) => all.get(name)), true);
    }
    const given = new Map();
    for (const [name, ...pieces] of fillings ?? []) {
        const all = pieces.map((piece) => (typeof piece === "number" ? values[piece] : piece));
        const value = all.length === 1 ? all[0] : all.every((piece) => typeof piece === "string") ? all.join("") : undefined;
        if (value !== undefined)
            given.set(name, value);
    }
    try {
        return step(urlOfAny(to, given), false);
    }
    catch (error) {
        if (error instanceof LinkError)
            return { missing: [to, error.message] };
        throw error;
    }
}
/** The address without the values that are there for nothing; nothing where none can be left out. */
function withoutNeedless(reading, asked) {
    const id = leafAt(reading.leaf)[0];
    try {
        const short = urlOf(id, named(routeAt(id), valuesOf(reading)));
        const found = lookup(short, undefined, methodsOf(routeAt(id))[0] ?? "GET", asked);
        if (!found || !("reading" in found) || leafAt(found.reading.leaf)[0] !== id)
            return undefined;
        return needless(found.reading) < needless(reading) ? withRest(short, reading) : undefined;
    }
    catch {
        return undefined;
    }
}
/** A URL with the pairs of the query that the route does not know, as they were sent. */
function withRest(url, reading) {
    const hash = data.site.inFragment ? -1 : url.indexOf("#");
    const fragment = hash < 0 ? "" : url.slice(hash);
    let out = hash < 0 ? url : url.slice(0, hash);
    const nameOf = (pair) => pair.split("=", 1)[0];
    const mark = out.indexOf("?");
    const known = (mark < 0 ? "" : out.slice(mark + 1)).split("&").map(nameOf);
    for (const pair of unknownPairs(reading)) {
        if (!known.includes(nameOf(pair)))
            out += (out.includes("?") ? "&" : "?") + cleanQuery(pair);
    }
    return out + fragment;
}
/** The page to which people are sent who do not meet a need, with the way back. */
function signInFor(need, reading, url, { method, host, asked }) {
    const to = data.needs[need][1];
    if (to === undefined)
        return undefined;
    const own = routeOf(reading);
    const values = valuesOf(reading);
    const given = new Map();
    for (const [name, , kind] of routeAt(to)[4]) {
        const value = values[own[4].findIndex(([known, , ofKind]) => known === name && ofKind === kind)];
        if (name !== RETURN && value !== undefined)
            given.set(name, value);
    }
    // Coming back is a `GET`, so only what answers one is a place to come back to.
    const isRead = method === "GET" || method === "HEAD" || showsPage(url, host ?? reading.parts.host, asked);
    const attempts = [given];
    if (isRead)
        attempts.unshift(new Map(given).set(RETURN, addressOf(reading.parts)));
    for (const attempt of attempts) {
        try {
            return urlOf(to, attempt);
        }
        catch {
            // Without the way back, perhaps.
        }
    }
    return undefined;
}
function showsPage(url, host, asked) {
    const found = lookup(url, host, "GET", asked);
    return found !== undefined && "reading" in found && routeOf(found.reading)[3] >= 0;
}
/** The methods as they are listed: `GET` brings `HEAD`, and `OPTIONS` is answered everywhere. */
function allowed(routes) {
    const methods = new Set(routes.flatMap(methodsOf)).add("OPTIONS");
    if (methods.has("GET"))
        methods.add("HEAD");
    return [...methods].sort();
}
/** Decides with these answers. */
function decideWith(url, request) {
    if (isLonger(url, data.site.bytes))
        return { outcome: "bad-request", status: 414, reason: tooLong() };
    if (url === "*" && request.method === "OPTIONS") {
        const answering = data.routes.filter((route) => route[3] >= 0 || route[5]?.redirect);
        return { outcome: "options", status: 204, allow: allowed(answering) };
    }
    let outcome = look(url, request);
    if (!("step" in outcome))
        return decision(url, outcome, undefined, request);
    const host = targetOf(url, false).host ?? request.host;
    let { step } = outcome;
    let { method } = request;
    for (let count = 0; count < MOST_STEPS; count += 1) {
        if (step.status === 303 || (step.status < 303 && method === "POST"))
            method = "GET";
        if (step.isExternal)
            return redirect(step);
        outcome = look(step.location, { ...request, method, host });
        if ("found" in outcome)
            return redirect(step);
        // The request stands where the address does that it leads to.
        if (!("step" in outcome))
            return decision(url, outcome, step.location, request);
        const next = outcome.step;
        const isForGood = (status) => status === 301 || status === 308;
        // A redirect for now must not be taken for one for good.
        const takesOver = step.route === undefined ? next.route !== undefined : isForGood(step.status) && !isForGood(next.status);
        step = { ...next, status: takesOver ? next.status : step.status, route: step.route ?? next.route };
    }
    const why = step.route === undefined ? undefined : [step.route, "its redirects lead in a circle"];
    return decision(url, { missing: why }, undefined, request);
}
function redirect({ status, location, route, isExternal }) {
    return { outcome: "redirect", status, location, route: route === undefined ? undefined : routeAt(route)[0], isExternal };
}
function decision(url, outcome, address, request) {
    if ("found" in outcome)
        return outcome.found;
    if ("bad" in outcome)
        return { outcome: "bad-request", ...outcome.bad };
    if ("need" in outcome) {
        const location = outcome.location === undefined ? undefined : lastSignIn(outcome.location, request);
        const position = placeOf(address ?? url, request)?.position;
        return { outcome: "unmet", status: location === undefined ? 403 : 303, need: data.needs[outcome.need][0], location, position };
    }
    if ("others" in outcome) {
        const allow = allowed(outcome.others.map(routeOf));
        if (request.method === "OPTIONS")
            return { outcome: "options", status: 204, allow };
        return { outcome: "wrong-method", status: 405, allow, position: placeOf(address ?? url, request)?.position };
    }
    const missing = "missing" in outcome ? outcome.missing : undefined;
    const place = placeOf(address ?? url, request);
    let page = place?.owner === undefined ? undefined : routeAt(place.owner)[5]?.fallback;
    for (let at = missing ? missing[0] : -1; missing && at >= 0; at = routeAt(at)[1]) {
        page = routeAt(at)[5]?.fallback;
        if (page !== undefined)
            break;
    }
    page ?? (page = data.site.fallback ?? -1);
    const position = place?.position;
    const frames = position ? position.frames : framesOf(-1);
    return { outcome: "not-found", status: 404, page: data.pages[page], frames, position, reason: missing?.[1] };
}
/** The place to sign in may have needs of its own, which are met elsewhere: where does one begin? */
function lastSignIn(first, request) {
    let location = first;
    for (let count = 0; count < MOST_STEPS; count += 1) {
        const outcome = look(location, { ...request, method: "GET" });
        if (!("need" in outcome) || outcome.location === undefined)
            break;
        location = outcome.location;
    }
    return location;
}
/** Where a request stands that leads to no page, and the route that says what is shown where something is missing. */
function placeOf(url, { method, host, asked }) {
    const parts = parse(url, host);
    if (parts === undefined || typeof parts === "string" || isBad(parts))
        return undefined;
    const silent = new Answers((_, key) => (asked instanceof Answers ? asked.known.get(key) : undefined));
    const hasFallbacks = data.routes.some((route) => route[5]?.fallback !== undefined);
    const says = (id) => routeAt(id)[5]?.fallback !== undefined;
    const covered = (isWanted) => covering(parts, method, silent, isWanted);
    const owning = hasFallbacks ? covered(says) : undefined;
    const owner = owning && leafAt(owning.leaf)[0];
    const accepted = find(parts, silent);
    const isBelow = (id) => {
        for (let at = id; at >= 0; at = routeAt(at)[1])
            if (at === owner)
                return true;
        return owner === undefined;
    };
    const reached = choose(accepted, method) ?? accepted[0] ?? covered(isBelow);
    return { owner, position: reached && positionOf({ ...reached, parts }) };
}
function settled(decision, answers) {
    const question = answers.stopped;
    if (!question)
        return decision;
    const answer = answers.known.get(JSON.stringify(question));
    const retryAfter = typeof answer === "object" ? answer.retryAfter : undefined;
    return { outcome: "unavailable", status: 503, question, retryAfter };
}
function wellFormed(url) {
    return url.replace(/\p{Surrogate}/gu, "\ufffd");
}
function decided(url, { method = "GET", host, ask = () => false }) {
    const answers = new Answers(ask);
    return settled(decideWith(wellFormed(url), { method, host, asked: answers }), answers);
}
/** The same, for questions that take their time: it stops at each question on which it hangs, and goes on with the answer. */
async function decidedInSteps(url, { method = "GET", host }, ask) {
    const known = new Map();
    for (;;) {
        let open;
        const answers = new Answers((question, key) => {
            if (!known.has(key))
                open ?? (open = [question, key]);
            return known.get(key);
        });
        const decision = decideWith(wellFormed(url), { method, host, asked: answers });
        const stopped = answers.stopped && JSON.stringify(answers.stopped);
        if (!open || open[1] !== stopped)
            return settled(decision, answers);
        try {
            known.set(open[1], await ask(open[0]));
        }
        catch {
            known.set(open[1], undefined);
        }
    }
}
/** The page that answers a `GET`, whatever it asks of the visitor; no value counts as listed. */
function matched(url, host) {
    const outcome = look(wellFormed(url), { method: "GET", host, asked: nobody });
    return "found" in outcome ? outcome.found : undefined;
}
/** The address to go back to, where that is one of this table that decides to a page; else the default. */
function backTo(wanted, standard, request) {
    if (typeof wanted !== "string" || !/^\/(?![/\\])[!-[\]-~]*$/.test(wanted))
        return standard;
    return decided(wanted, request).outcome === "page" ? wanted : standard;
}
