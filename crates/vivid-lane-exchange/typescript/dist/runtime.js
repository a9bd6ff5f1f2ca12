// The runtime of route tables: matching, links and decisions. Made by `vivid-lane convert --to typescript`; it is the same for every table.

export class LinkError extends Error {
    constructor(kind, route, param, details = {}) {
        super(speech.sentence ? speech.sentence(kind, route, param, details) : kind + ": " + route + (param === undefined ? "" : " " + param));
        this.name = "LinkError";
        this.kind = kind;
        this.route = route;
        this.param = param;
    }
}
export class Missing extends Error {
    constructor(reason = "") {
        super(reason);
        this.name = "Missing";
    }
}
export const speech = { sentence: undefined };
export function speakBy(sentence) {
    speech.sentence = sentence;
}

export class Rule {
    constructor(takes, read, facts) {
        this.takes = takes;
        this.read = read;
        this.facts = facts;
    }
}
export function hasControl(text) {
    return /[\0-\x1f\x7f]/.test(text);
}
function isDigits(text, from, to) {
    for (let at = from; at < to; at += 1) {
        const code = text.charCodeAt(at);
        if (code < 48 || code > 57)
            return false;
    }
    return to > from;
}
const isWhole = (text, from, to) => (text.charCodeAt(from) === 48 ? to === from + 1 : isDigits(text, from, to));
function wholeNumber(text, from, to) {
    if (to - from > 15 || text.charCodeAt(from) === 45)
        return +text.slice(from, to);
    let value = 0;
    for (let at = from; at < to; at += 1)
        value = value * 10 + text.charCodeAt(at) - 48;
    return value;
}
function byExpression(expression, read, facts) {
    return new Rule((text, from, to) => to > from && expression.test(text.slice(from, to)), read, facts);
}
export const any = /* @__PURE__ */ new Rule(() => true);
export const natural = /* @__PURE__ */ new Rule(isWhole, wholeNumber);
export const integer = /* @__PURE__ */ new Rule((text, from, to) => (text.charCodeAt(from) === 45 ? text.charCodeAt(from + 1) !== 48 && isWhole(text, from + 1, to) : isWhole(text, from, to)), wholeNumber);
export function range(least, most = Infinity, base = integer) {
    const takes = (text, from, to) => {
        if (!base.takes(text, from, to))
            return false;
        const value = wholeNumber(text, from, to);
        return value >= least && value <= most;
    };
    return new Rule(takes, wholeNumber, { base, least, most });
}
export const number = /* @__PURE__ */ byExpression(/^(?:0|-?(?:0\.\d*[1-9]|[1-9]\d*(?:\.\d*[1-9])?))$/, (text, from, to) => +text.slice(from, to));
export const boolean = /* @__PURE__ */ byExpression(/^(?:true|false)$/, (text, from) => text[from] === "t");
export const digits = /* @__PURE__ */ new Rule(isDigits);
export const date = /* @__PURE__ */ new Rule((text, from, to) => {
    const isDash = (at) => text.charCodeAt(at) === 45;
    const hasShape = to - from === 10 && isDigits(text, from, from + 4) && isDash(from + 4) && isDigits(text, from + 5, from + 7) && isDash(from + 7) && isDigits(text, from + 8, to);
    if (!hasShape)
        return false;
    const [year, month, day] = [wholeNumber(text, from, from + 4), wholeNumber(text, from + 5, from + 7), wholeNumber(text, from + 8, to)];
    const isLeap = year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
    return month > 0 && month < 13 && day > 0 && day <= (month === 2 ? (isLeap ? 29 : 28) : month === 4 || month === 6 || month === 9 || month === 11 ? 30 : 31);
});
export const slug = /* @__PURE__ */ new Rule((text, from, to) => {
    let isDash = true;
    for (let at = from; at < to; at += 1) {
        const code = text.charCodeAt(at);
        const wasDash = isDash;
        isDash = code === 45;
        if (isDash ? wasDash : !((code > 96 && code < 123) || (code > 47 && code < 58)))
            return false;
    }
    return !isDash;
});
const TIME = "(?:[01]\\d|2[0-3]):[0-5]\\d:(?:[0-5]\\d|60)(?:\\.\\d+)?(?:Z|[+-](?:[01]\\d|2[0-3]):[0-5]\\d)";
const LABEL = "[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?";
const BYTE = "(?:25[0-5]|2[0-4]\\d|1\\d\\d|[1-9]?\\d)";
function byText(expression) {
    return byExpression(new RegExp(`^(?:${expression()})$`));
}
function afterDay(ofDay) {
    return new Rule((text, from, to) => to - from > 10 && date.takes(text, from, from + 10) && ofDay.test(text.slice(from + 10, to)));
}
export const time = /* @__PURE__ */ byText(() => TIME);
export const dateTime = /* @__PURE__ */ (() => afterDay(new RegExp(`^T${TIME}$`)))();
export const uuid = /* @__PURE__ */ byText(() => "[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}");
export const hex = /* @__PURE__ */ byText(() => "[0-9a-fA-F]+");
export const email = /* @__PURE__ */ byText(() => `[a-zA-Z0-9.!#$%&'*+/=?^_\`{|}~-]+@${LABEL}(?:\\.${LABEL})*`);
export const ipv4 = /* @__PURE__ */ byText(() => `${BYTE}(?:\\.${BYTE}){3}`);
export const alpha = /* @__PURE__ */ byText(() => "[A-Za-z]+");
export const alnum = /* @__PURE__ */ byText(() => "[A-Za-z0-9]+");
export const fileName = /* @__PURE__ */ byExpression(/^(?!(?:[cC][oO][nN]|[pP][rR][nN]|[aA][uU][xX]|[nN][uU][lL]|(?:[cC][oO][mM]|[lL][pP][tT])[0-9¹²³]) *(?:\.[^]*)?$)[^/\\:\0-\x1f\x7f]*[^/\\:. \0-\x1f\x7f]$/);
export function oneOf(...words) {
    const good = words.filter((word) => word !== "" && !hasControl(word));
    const set = new Set(good);
    const takes = good.length > 8
        ? (text, from, to) => set.has(text.slice(from, to))
        : (text, from, to) => good.some((word) => word.length === to - from && text.startsWith(word, from));
    return new Rule(takes, undefined, { words });
}
export function pattern(expression, source = expression.source) {
    return byExpression(expression, undefined, { source });
}
export function automaton(states, facts) {
    return new Rule((text, from, to) => to > from && accepts(states, text.slice(from, to)), undefined, facts);
}
export function bytesOf(text) {
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
export function stepped(state, byte) {
    for (let at = 1; at < state.length; at += 3) {
        if (byte >= state[at] && byte <= state[at + 1])
            return state[at + 2];
    }
    return -1;
}
function accepts(states, text) {
    let state = 0;
    for (const byte of bytesOf(text)) {
        state = stepped(states[state], byte);
        if (state < 0)
            return false;
    }
    return states[state][0] === 1;
}
export function all(...rules) {
    return new Rule((text, from, to) => rules.every((rule) => rule.takes(text, from, to)), rules[0]?.read, { all: rules });
}
export function either(...rules) {
    return new Rule((text, from, to) => rules.some((rule) => rule.takes(text, from, to)), undefined, { either: rules });
}
const isNumeral = /^-?(0|[1-9][0-9]*)(\.[0-9]*[1-9])?$/;
export function numbers(rule) {
    const read = (text, from, to) => {
        const own = text.slice(from, to);
        return isNumeral.test(own) ? +own : rule.read ? rule.read(text, from, to) : own;
    };
    return new Rule(rule.takes, read, rule.facts);
}
export function booleans(rule) {
    const read = (text, from, to) => {
        const own = text.slice(from, to);
        return own === "true" || own === "false" ? own === "true" : rule.read ? rule.read(text, from, to) : own;
    };
    return new Rule(rule.takes, read, rule.facts);
}
export function decimal(text) {
    return text === "-0" ? null : /^(-?)(0|[1-9][0-9]*)(?:\.([0-9]*[1-9]))?$/.exec(text);
}
function compare(left, right) {
    if (left[1] !== right[1])
        return left[1] ? -1 : 1;
    const order = (a, b) => (a < b ? -1 : a > b ? 1 : 0);
    const magnitude = left[2].length - right[2].length || order(left[2], right[2]) || order(left[3] ?? "", right[3] ?? "");
    return left[1] ? -magnitude : magnitude;
}
function byNumber(test, facts) {
    return new Rule((text, from, to) => {
        const own = decimal(text.slice(from, to));
        return own === null || test(own);
    }, undefined, facts);
}
export function bound(sign, limit) {
    const side = decimal(limit);
    const test = (own) => {
        const order = compare(own, side);
        return sign === ">=" ? order >= 0 : sign === "<=" ? order <= 0 : sign === ">" ? order > 0 : order < 0;
    };
    return byNumber(test, { sign, limit });
}
export function multipleOf(limit) {
    const step = decimal(limit);
    const places = (step[3] ?? "").length;
    const units = Number(step[2] + (step[3] ?? ""));
    const test = (own) => {
        const fraction = own[3] ?? "";
        let rest = 0;
        for (const digit of own[2] + fraction.padEnd(places, "0"))
            rest = (rest * 10 + Number(digit)) % units;
        return fraction.length <= places && rest === 0;
    };
    return byNumber(test, { sign: "%", limit });
}
export function length(least, most = Infinity) {
    const takes = (text, from, to) => {
        const own = text.slice(from, to);
        const count = Array.from(own).length;
        return count > 0 && count >= least && count <= most && !hasControl(own);
    };
    return new Rule(takes, undefined, { shortest: least, longest: most });
}
export function listed(list, rule = any) {
    const takes = (text, from, to, url) => {
        if (to === from || !rule.takes(text, from, to))
            return false;
        const own = text.slice(from, to);
        return !url || (!hasControl(own) && url.asked.isListed(list, own));
    };
    return new Rule(takes, rule.read, { listed: rule, list });
}

export const nobody = { isListed: () => false, isMet: () => true };
export const NEVER = 0;
export const ALWAYS = 1;
export class Reading {
    constructor() {
        this.url = "";
        this.text = "";
        this.count = 0;
        this.starts = [];
        this.ends = [];
        this.numbers = [];
        this.start = 0;
        this.from = 0;
        this.to = 0;
        this.stop = 0;
        this.isEscaped = false;
        this.query = "";
        this.pairs = undefined;
        this.host = undefined;
        this.asked = nobody;
        this.end = undefined;
        this.found = [];
        this.visit = undefined;
    }
    segment(at) {
        return this.text.slice(this.starts[at], this.ends[at]);
    }
    path() {
        return this.text.slice(this.from, this.to);
    }
    raw(at) {
        return this.isEscaped ? this.path().split("/")[at + 1] : this.segment(at);
    }
}
let free;
export function take(asked, host) {
    const reading = free ?? new Reading();
    free = undefined;
    reading.asked = asked;
    reading.host = host;
    return reading;
}
export function giveBack(reading) {
    free = reading;
}
function plainCodes(folds) {
    const codes = new Uint8Array(128);
    for (let code = 33; code < 127; code += 1) {
        const one = String.fromCharCode(code);
        if (/[\w\-.~:[\]@!$&'()*+,;=]/.test(one))
            codes[code] = folds ? one.toLowerCase().charCodeAt(0) : code;
    }
    return codes;
}
const PLAIN = /* @__PURE__ */ plainCodes(false);
let folded;
export function numberOf(text) {
    let number = 0;
    for (let at = 0; at < text.length; at += 1)
        number = (Math.imul(number, 31) + text.charCodeAt(at)) | 0;
    return number & 0x3fffffff;
}
const isHex = (code) => (code > 47 && code < 58) || (code > 64 && code < 71);
const hexOf = (code) => code - (code > 64 ? 55 : 48);
function isEscape(text, at) {
    const [high, low] = [text.charCodeAt(at + 1), text.charCodeAt(at + 2)];
    if (!isHex(high) || !isHex(low))
        return false;
    const code = hexOf(high) * 16 + hexOf(low);
    return code > 31 && code !== 127 && !/[\w\-.~]/.test(code < 128 ? String.fromCharCode(code) : "/");
}
export function scan(reading, url, site) {
    reading.url = url;
    const { locate } = site;
    if (locate)
        return locate.scan(reading, url, site);
    if (url.charCodeAt(0) === 47)
        return scanPath(reading, url, 0, site, false);
    const authority = /^https?:\/\/([^/?#]*)/i.exec(url);
    if (!authority)
        return false;
    reading.host = authority[1].slice(authority[1].lastIndexOf("@") + 1).replace(/:[0-9]*$/, "");
    return scanPath(reading, url, authority[0].length, site, true);
}
export function scanPath(reading, url, start, site, isBareRoot) {
    const { base, slash } = site;
    const { starts, ends, numbers } = reading;
    const { length } = url;
    const codes = site.fold ? (folded ?? (folded = plainCodes(true))) : PLAIN;
    if (base && !url.startsWith(base, start))
        return false;
    const from = start + (base ? base.length : 0);
    let at = from;
    let count = 0;
    let decoded = "";
    if (url.charCodeAt(at) === 47) {
        at += 1;
        let begin = at;
        let number = 0;
        let hasEscape = false;
        for (;; at += 1) {
            const code = at < length ? url.charCodeAt(at) : 63;
            const plain = code < 128 ? codes[code] : 0;
            if (plain !== 0) {
                number = (Math.imul(number, 31) + plain) | 0;
                continue;
            }
            if (code === 37 && isEscape(url, at)) {
                hasEscape = true;
                at += 2;
                continue;
            }
            const isEnd = code === 63 || code === 35;
            if (code !== 47 && !isEnd)
                return false;
            if (at === begin) {
                if (!isEnd || (count === 0 ? base && slash === NEVER : slash === NEVER))
                    return false;
                break;
            }
            if (url.charCodeAt(begin) === 46 && (at === begin + 1 || (at === begin + 2 && url.charCodeAt(begin + 1) === 46)))
                return false;
            if (count === site.segments)
                return false;
            if (hasEscape) {
                let text;
                try {
                    text = decodeURIComponent(url.slice(begin, at));
                }
                catch {
                    return false;
                }
                starts[count] = length + decoded.length;
                decoded += text;
                ends[count] = length + decoded.length;
                numbers[count] = numberOf(site.fold ? site.fold(text) : text);
                hasEscape = false;
            }
            else {
                starts[count] = begin;
                ends[count] = at;
                numbers[count] = number & 0x3fffffff;
            }
            count += 1;
            if (isEnd) {
                if (slash === ALWAYS)
                    return false;
                break;
            }
            begin = at + 1;
            number = 0;
        }
    }
    else {
        const isEnd = at >= length || url[at] === "?" || url[at] === "#";
        if (!isEnd || (base ? slash === ALWAYS : !isBareRoot))
            return false;
    }
    if (at - from > site.bytes)
        return false;
    reading.count = count;
    reading.start = start;
    reading.from = from;
    reading.to = at > from && url.charCodeAt(at - 1) === 47 ? at - 1 : at;
    reading.stop = at;
    reading.text = url;
    reading.isEscaped = decoded !== "";
    if (reading.isEscaped)
        reading.text += decoded;
    reading.query = "";
    reading.pairs = undefined;
    if (at < length && url.charCodeAt(at) === 63) {
        const hash = url.indexOf("#", at);
        reading.query = wellFormed(url.slice(at + 1, hash < 0 ? length : hash));
        return !isVacant(reading.query);
    }
    return true;
}
export function isVacant(query) {
    let at = 0;
    while (query.charCodeAt(at) === 38)
        at += 1;
    return at === query.length;
}
export function wellFormed(text) {
    return /[\ud800-\udfff]/.test(text) ? text.replace(/\p{Surrogate}/gu, "\ufffd") : text;
}

export function decodeForm(raw) {
    if (!raw.includes("%") && !raw.includes("+"))
        return raw;
    try {
        return decodeURIComponent(raw.replace(/\+/g, " "));
    }
    catch {
        return new URLSearchParams("a=" + raw.replace(/[^\0-\x7f]+/g, encodeURIComponent)).get("a");
    }
}
export function pairsOf(reading) {
    if (!reading.pairs) {
        const pairs = [];
        const { query } = reading;
        for (let at = 0; at < query.length;) {
            const next = query.indexOf("&", at);
            const end = next < 0 ? query.length : next;
            const pair = query.slice(at, end);
            const sign = pair.indexOf("=");
            if (pair !== "")
                pairs.push(decodeForm(sign < 0 ? pair : pair.slice(0, sign)), sign < 0 ? "" : pair.slice(sign + 1));
            at = end + 1;
        }
        reading.pairs = pairs;
    }
    return reading.pairs;
}
export function rawsOf(reading, key) {
    return pairsOf(reading).filter((_, at, pairs) => at % 2 === 1 && pairs[at - 1] === key);
}
export function rawOf(reading, key) {
    const pairs = pairsOf(reading);
    for (let at = 0; at < pairs.length; at += 2)
        if (pairs[at] === key)
            return pairs[at + 1];
    return undefined;
}

export const SEGMENT = 0;
export const QUERY = 1;
export const REPEATED = 2;
export const PAIRS = 3;
export const ITEMS = 4;
export const REST = 5;
export const HOST = 6;
export const FRAGMENT = 7;
export const isInQuery = ({ kind }) => kind > SEGMENT && kind < ITEMS;
const SPEC = {
    kind: SEGMENT,
    rule: any,
    texts: any,
    many: undefined,
    fallback: undefined,
    isOptional: false,
    isRequired: false,
    isTail: false,
    key: undefined,
    find: undefined,
    judge: undefined,
    isNeedless: undefined,
};
export function segment(rule, fallback) {
    return { ...SPEC, rule, texts: rule, fallback };
}
export function optional(rule) {
    return { ...SPEC, rule, texts: rule, isOptional: true };
}
export function standard(spec, fallback) {
    return { ...spec, fallback, isNeedless: isStandard };
}
function isStandard(reading, { fallback }, end, index) {
    const value = sent(reading, end, index);
    return value !== undefined && isSame(value, fallback);
}
export function items(rule, least = 0, most = Infinity, isUnique = false) {
    return { items: rule, values: undefined, least, most, isUnique };
}
export function pairs(names, values, least = 0, most = Infinity) {
    return { items: names, values, least, most, isUnique: false };
}
const ofMany = (many) => many.values ?? many.items;
export function tail(many, texts = many.items) {
    return { ...SPEC, kind: ITEMS, rule: ofMany(many), texts, many, isOptional: true, isTail: true, find: findItems, judge: fitsTail };
}
export function rest(rule, fallback) {
    return { ...SPEC, kind: REST, rule, isTail: true, fallback, find: findRest, judge: fitsRest };
}
export function query(rule, fallback) {
    return { ...SPEC, kind: QUERY, rule, texts: rule, fallback, isOptional: true, find: findQuery, judge: judgeQuery, isNeedless: isNeedlessInQuery };
}
export function required(rule, fallback) {
    return { ...query(rule, fallback), isOptional: false, isRequired: true };
}
export function repeated(many, fallback) {
    return { ...query(ofMany(many), fallback), kind: REPEATED, many, find: findRepeated, judge: judgeRepeated, isNeedless: isNeedlessList };
}
export function commas(many, fallback) {
    return { ...query(ofMany(many), fallback), many, find: findCommas, judge: judgeCommas, isNeedless: isNeedlessList };
}
export function others(many, fallback) {
    return { ...SPEC, kind: PAIRS, rule: ofMany(many), many, fallback, isOptional: true, find: findOthers, judge: judgeOthers };
}
export function inHost(rule, texts, find, fallback) {
    return { ...SPEC, kind: HOST, rule, texts, fallback, find };
}
export function inFragment(rule, fallback, many) {
    return { ...SPEC, kind: FRAGMENT, rule, texts: rule, many, fallback, isOptional: true, find: () => undefined };
}
export function but(spec, changes) {
    return { ...spec, ...changes };
}
export function isUnfilled({ kind, rule, many, isRequired }, raw) {
    return raw === "" && !(many ? !many.values && many.items === any : rule === any) && (!isRequired || kind === REPEATED);
}
function isNeedlessInQuery(reading, param) {
    const raw = rawOf(reading, param.key);
    return raw !== undefined && (isUnfilled(param, raw) || (param.isOptional && param.fallback !== undefined && decodeForm(raw) === param.fallback));
}
function isNeedlessList(reading, param) {
    const { kind, fallback, isOptional } = param;
    const raws = rawsOf(reading, param.key);
    if (kind === REPEATED)
        return raws.some((raw) => isUnfilled(param, raw));
    const [raw] = raws;
    return raw !== undefined && (isUnfilled(param, raw) || (isOptional && fallback !== undefined && isSame(findCommas(reading, param), fallback)));
}
function findQuery(reading, param) {
    const raw = rawOf(reading, param.key);
    return raw === undefined || isUnfilled(param, raw) ? undefined : decodeForm(raw);
}
function judgeQuery(reading, param) {
    const text = findQuery(reading, param);
    return text === undefined ? !param.isRequired : param.rule === any || param.rule.takes(text, 0, text.length, reading);
}
function paired(texts) {
    return texts.flatMap((text, at) => (at % 2 === 1 ? [[texts[at - 1], text]] : []));
}
export function valueOfMany({ values }, texts) {
    const value = values ? paired(texts) : texts;
    return value.length === 0 ? undefined : value;
}
export function fitsNumber({ least, most, isUnique }, count, texts) {
    return count >= least && count <= most && !(isUnique && new Set(texts).size < texts.length);
}
export function takesItems(many, texts, reading) {
    const { items: first, values } = many;
    return ((!values || texts.length % 2 === 0) &&
        texts.every((text, at) => {
            const rule = values && at % 2 === 1 ? values : first;
            return rule === any || rule.takes(text, 0, text.length, reading);
        }) &&
        fitsNumber(many, values ? texts.length / 2 : texts.length, texts));
}
function repeatedTexts(reading, param) {
    return rawsOf(reading, param.key).filter((raw) => !isUnfilled(param, raw)).map(decodeForm);
}
function findRepeated(reading, param) {
    return valueOfMany(param.many, repeatedTexts(reading, param));
}
function judgeRepeated(reading, param) {
    const texts = repeatedTexts(reading, param);
    return texts.length === 0 ? !param.isRequired : takesItems(param.many, texts, reading);
}
function commaTexts(reading, param) {
    const raw = rawOf(reading, param.key);
    return raw === undefined || isUnfilled(param, raw) ? [] : raw.split(",").map(decodeForm);
}
function findCommas(reading, param) {
    return valueOfMany(param.many, commaTexts(reading, param));
}
function judgeCommas(reading, param) {
    const texts = commaTexts(reading, param);
    return texts.length === 0 ? !param.isRequired : takesItems(param.many, texts, reading);
}
export function readsName(route, wanted) {
    return (route.more.query ?? []).some(({ name }) => name === wanted) || route.params().some(({ kind, key }) => (kind === QUERY || kind === REPEATED) && key === wanted);
}
function otherTexts(reading, { route }) {
    const pairs = pairsOf(reading);
    return pairs.flatMap((name, at) => (at % 2 === 0 && !readsName(route, name) ? [name, decodeForm(pairs[at + 1])] : []));
}
function findOthers(reading, param, end) {
    return valueOfMany(param.many, otherTexts(reading, end));
}
function judgeOthers(reading, param, end) {
    const texts = otherTexts(reading, end);
    return texts.length === 0 ? param.isOptional : takesItems(param.many, texts, reading);
}
export function exact(name, value) {
    return { name, value, judge: (reading) => rawsOf(reading, name).some((raw) => decodeForm(raw) === value) };
}
function tailTexts(reading, { node }) {
    if (!node.isTail)
        return undefined;
    const texts = [];
    for (let at = node.depth - 1; at < reading.count; at += 1)
        texts.push(reading.segment(at));
    return texts;
}
function findItems(reading, { many }, end) {
    return valueOfMany(many, tailTexts(reading, end) ?? []);
}
function fitsTail(reading, { many }, end) {
    const texts = tailTexts(reading, end);
    return !texts || fitsNumber(many, texts.length, texts);
}
function findRest(reading, _, end) {
    return tailTexts(reading, end)?.join("/");
}
export function isWritable(value) {
    return !/[?#]|%[0-9A-Fa-f]{2}/.test(value) && value.split("/").every((one) => one !== "" && one !== "." && one !== "..");
}
function fitsRest(reading, { rule }, end) {
    const value = tailTexts(reading, end)?.join("/");
    return value === undefined || ((!reading.isEscaped || isWritable(value)) && rule.takes(value, 0, value.length, reading));
}
export function typed(param, value) {
    const { rule } = param;
    const { read } = rule;
    if (!read || value === undefined)
        return value;
    const one = (text) => (!isInQuery(param) || rule.takes(text, 0, text.length) ? read(text, 0, text.length) : text);
    return typeof value === "string" ? one(value) : value.map((item) => (typeof item === "string" ? one(item) : [item[0], one(item[1])]));
}
export function isSame(left, right) {
    return left === right || (typeof left === "object" && JSON.stringify(left) === JSON.stringify(right));
}
export function put(all, name, value) {
    if (name === "__proto__")
        Object.defineProperty(all, name, { value, enumerable: true, writable: true, configurable: true });
    else
        all[name] = value;
}

const NONE = [];
export function pathOf(template) {
    return /^(?:[^?{]|\{[^?&#}][^}]*\})*/.exec(template)[0];
}
export function namesIn(template) {
    return (template.match(/\{.*?\}/g) ?? []).flatMap((one) => one.replace(/^\{[+#./;?&]?|[*}]/g, "").split(","));
}
export function chainOf(route) {
    return route.parent ? [...chainOf(route.parent), route] : [route];
}
export class Route {
    constructor(table, index, [name, page, path, more = {}], parent) {
        this.table = table;
        this.index = index;
        this.name = name;
        this.page = page === 0 ? undefined : page;
        this.path = path;
        this.parent = parent;
        this.more = more;
        this.children = NONE;
        this.isParent = false;
        this.ends = undefined;
        this.own = undefined;
        this.judging = undefined;
        this.whole = undefined;
    }
    get isAnswering() {
        const { to, out } = this.more;
        return this.page !== undefined || !!(to || out);
    }
    template() {
        return (this.whole ?? (this.whole = this.more.template ?? (((this.parent ? pathOf(this.parent.template()).replace(/^\/$/, "") : "") + this.path) || "/")));
    }
    params() {
        return (this.own ?? (this.own = (this.more.names ?? namesIn(this.template())).map((name) => {
            let param;
            for (let route = this; route && !param; route = route.parent)
                param = this.table.param(route.name + "." + name, name);
            return param ?? this.table.param(name, name);
        })));
    }
    judges() {
        const { query = NONE } = this.more;
        return (this.judging ?? (this.judging = [...query, ...this.params().filter(({ judge }) => judge).sort((one, other) => one.kind - other.kind)]));
    }
    grow() {
        if (this.ends)
            return;
        const { parent, more, path, isAnswering } = this;
        const { paths, ways = [pathOf(path)] } = more;
        const ends = [];
        if (paths)
            for (const [way, covers, isArea] of paths)
                ends.push(this.end(way, undefined, isArea === 1, covers));
        else
            for (const above of parent ? parent.ends : [undefined])
                for (const way of ways)
                    ends.push(this.end(way, above, !isAnswering));
        this.ends = ends;
        for (const { node } of ends)
            node.waiting = [...node.waiting, ...this.children];
    }
    end(text, above, isArea, covers) {
        const { site, root } = this.table;
        const way = above ? [...above.way] : [];
        let node = above ? above.node : root;
        for (const segment of text.length > 1 ? text.slice(1).split("/") : NONE) {
            const pieces = segment.split(/(\{.*?\})/).filter((piece) => piece !== "").map((raw) => {
                if (raw[0] === "{")
                    return this.params().find(({ name }) => name === raw.slice(1, -1));
                return raw.includes("%") ? decodeURIComponent(raw) : raw;
            });
            const [first] = pieces;
            way.push(pieces);
            if (pieces.length > 1)
                node = site.pieces.grow(this.table, node, pieces, segment);
            else if (typeof first === "object")
                node = node.edge(this.table, first.texts, first.isTail);
            else
                node = node.literal(site.fold ? site.fold(first ?? "") : first ?? "");
        }
        const end = new End(this, node, way, above, covers);
        if (isArea)
            node.areas = [...node.areas, end];
        else
            node.ends = [...node.ends, end];
        return end;
    }
}
export class Node {
    constructor(above, text, rule, isTail = false) {
        this.above = above;
        this.text = text;
        this.rule = rule;
        this.depth = above ? above.depth + 1 : 0;
        this.isTail = isTail;
        this.literals = undefined;
        this.next = undefined;
        this.edges = isTail ? [this] : NONE;
        this.ends = NONE;
        this.areas = NONE;
        this.waiting = NONE;
        this.isOrdered = undefined;
    }
    literal(text) {
        const number = numberOf(text);
        const literals = (this.literals ?? (this.literals = new Map()));
        const first = literals.get(number);
        for (let one = first; one; one = one.next)
            if (one.text === text)
                return one;
        const made = new Node(this, text);
        made.next = first;
        literals.set(number, made);
        this.isOrdered = undefined;
        return made;
    }
    edge(table, rule, isTail) {
        const known = this.edges.find((one) => one.rule === rule && one.isTail === isTail);
        if (known)
            return known;
        const made = new Node(this, "", rule, isTail);
        this.edges = [...this.edges, made].sort((one, other) => table.rank(one) - table.rank(other));
        this.isOrdered = undefined;
        return made;
    }
}
export class End {
    constructor(route, node, way, above, covers) {
        this.route = route;
        this.node = node;
        this.way = way;
        this.above = above;
        this.covers = covers;
        this.places = undefined;
    }
    spots() {
        return (this.places ?? (this.places = this.route.params().map(({ name }) => {
            const isIt = (piece) => piece.name === name;
            const segment = this.way.findIndex((pieces) => pieces.some(isIt));
            const pieces = this.way[segment] ?? NONE;
            return { segment, piece: pieces.length > 1 ? pieces.findIndex(isIt) : -1 };
        })));
    }
}

export const VERSION = "0.1.0";
export class Table {
    constructor(version, lines, params, site) {
        if (version !== VERSION)
            throw new Error(`this table is for version ${version} of the runtime, not ${VERSION}: write both with \`vivid-lane convert\``);
        this.site = { slash: 0, bytes: 8192, segments: 128, ...site };
        this.params = params;
        this.routes = new Map();
        this.root = new Node(undefined, "");
        this.rules = new Map();
        this.known = new Map();
        const waiting = [];
        for (const line of lines) {
            const [name] = line;
            const parent = this.routes.get(name.slice(0, Math.max(name.lastIndexOf("."), 0)));
            const route = new Route(this, this.routes.size, line, parent);
            this.routes.set(name, route);
            if (parent)
                parent.isParent = true;
            if (!parent || route.more.paths)
                waiting.push(route);
            else if (parent.children.length > 0)
                parent.children.push(route);
            else
                parent.children = [route];
        }
        this.root.waiting = waiting;
        for (const name in params) {
            const found = params[name];
            const { kind, texts } = "kind" in found ? found : segment(found);
            if ((kind === SEGMENT || kind === ITEMS || kind === HOST) && !this.rules.has(texts))
                this.rules.set(texts, [this.rules.size, name]);
        }
    }
    param(key, name) {
        let param = this.known.get(key);
        if (!param && Object.prototype.hasOwnProperty.call(this.params, key)) {
            const found = this.params[key];
            const spec = "kind" in found ? found : segment(found);
            param = { ...spec, name, key: spec.key ?? decodeURIComponent(name) };
            this.known.set(key, param);
        }
        return param;
    }
    rank(edge) {
        const { rank } = this.site;
        return rank ? rank(this, edge) : (this.rules.get(edge.rule)?.[0] ?? -1);
    }
    open(node) {
        const { waiting } = node;
        node.waiting = [];
        for (const route of waiting)
            route.grow();
    }
}

export function keyOf(table, rule) {
    return rule.facts?.["key"] ?? `{${table.rules.get(rule)?.[1] ?? ""}}`;
}
export function ranked(...keys) {
    const ranks = new Map(keys.map((key, rank) => [key, rank]));
    return (table, edge) => rankOf(ranks, keyOf(table, edge.rule), edge.isTail);
}
function rankOf(ranks, key, isTail) {
    return (isTail ? ranks.get(key + "*") : undefined) ?? ranks.get(key) ?? ranks.get(key + "*") ?? -1;
}
export function stepsTo(last, count) {
    const steps = [];
    for (let node = last; node.above; node = node.above)
        steps[node.depth - 1] = node.rule ? node : undefined;
    while (steps.length < count)
        steps.push(last);
    return steps;
}

export function takesQuery(reading, end) {
    const judges = end.route.judges();
    for (let at = 0; at < judges.length; at += 1) {
        const one = judges[at];
        if (!one.judge(reading, one, end))
            return false;
    }
    return true;
}
export function walk(table, reading, start, first) {
    const { text, starts, ends, count, visit } = reading;
    const { several, host } = table.site;
    let node = start;
    let at = first;
    for (;;) {
        while (node.waiting.length > 0)
            table.open(node);
        if (visit)
            visit(node, at);
        if (at === count) {
            let isFound = false;
            if (visit)
                return false;
            for (const end of several ? [...node.ends].sort(inOrder) : node.ends) {
                if ((host && !host(reading, end.route)) || !takesQuery(reading, end))
                    continue;
                reading.end = end;
                if (!several)
                    return true;
                reading.found.push(end);
                isFound = true;
            }
            return isFound;
        }
        const from = starts[at];
        const to = ends[at];
        const next = literalAt(table, reading, node, at);
        const { edges } = node;
        if (next && edges.length === 0) {
            node = next;
            at += 1;
            continue;
        }
        let isFound = next !== undefined && walk(table, reading, next, at + 1);
        if (isFound && (!several || isOrdered(table, node)))
            return true;
        for (let index = 0; index < edges.length; index += 1) {
            const edge = edges[index];
            if (visit && edge.isTail)
                continue;
            if (edge.rule.takes(text, from, to, reading, at) && walk(table, reading, edge, at + 1)) {
                if (!several || isOrdered(table, node))
                    return true;
                isFound = true;
            }
        }
        return isFound;
    }
}
export function literalAt(table, { text, starts, ends, numbers }, node, at) {
    const { fold } = table.site;
    const from = starts[at];
    const to = ends[at];
    let next = node.literals && node.literals.get(numbers[at]);
    while (next && !(fold ? next.text === fold(text.slice(from, to)) : next.text.length === to - from && text.startsWith(next.text, from)))
        next = next.next;
    return next;
}
export function inOrder(one, other) {
    return one.route.index - other.route.index;
}
function isOrdered(table, node) {
    return (node.isOrdered ?? (node.isOrdered = table.site.several.isOrdered(table, node)));
}
const GET = ["GET"];
export function methodsOf({ more }) {
    return more.methods ?? GET;
}
export function allows(route, method) {
    const { methods } = route.more;
    if (!methods)
        return method === "GET" || method === "HEAD";
    return methods.includes(method) || (method === "HEAD" && methods.includes("GET"));
}
export function find(table, reading) {
    const { several } = table.site;
    if (several)
        reading.found.length = 0;
    if (!walk(table, reading, table.root, 0))
        return [];
    return several ? several.narrowest(table, reading) : [reading.end];
}
export function choose({ site: { several } }, found, method) {
    const [first] = found;
    return several ? several.choose(found, method) : first && allows(first.route, method) ? first : undefined;
}
export function seek(table, reading, method) {
    if (table.site.several)
        return choose(table, find(table, reading), method);
    return walk(table, reading, table.root, 0) && allows(reading.end.route, method) ? reading.end : undefined;
}
export function textOf(reading, end, index) {
    const { segment, piece } = end.spots()[index];
    return segment < 0 ? undefined : piece < 0 ? reading.segment(segment) : end.route.table.site.pieces.text(reading, end, segment, piece);
}
export function sent(reading, end, index) {
    const param = end.route.params()[index];
    return param.find ? param.find(reading, param, end) : textOf(reading, end, index);
}
export function valueOf(reading, end, index) {
    return sent(reading, end, index) ?? end.route.params()[index].fallback;
}
export function valuesOf(reading, end) {
    return end.route.params().map((_, index) => valueOf(reading, end, index));
}
export function countNeedless(reading, end) {
    const params = end.route.params();
    let count = 0;
    for (let index = 0; index < params.length; index += 1) {
        const param = params[index];
        if (param.isNeedless && param.isNeedless(reading, param, end, index))
            count += 1;
    }
    return count;
}
export function typedParams(reading, end) {
    const params = end.route.params();
    const spots = end.spots();
    const all = {};
    for (let index = 0; index < params.length; index += 1) {
        const param = params[index];
        const { segment, piece } = spots[index];
        const { name, kind } = param;
        if (segment >= 0 && piece < 0 && !param.find) {
            const { read } = param.rule;
            const { text } = reading;
            const from = reading.starts[segment];
            const to = reading.ends[segment];
            put(all, name, read ? read(text, from, to) : text.slice(from, to));
        }
        else if (kind !== FRAGMENT || param.fallback !== undefined) {
            put(all, name, typed(param, valueOf(reading, end, index)));
        }
    }
    return all;
}

export function encodeUnreserved(text) {
    return encodeURIComponent(text).replace(/[!'()*]/g, (one) => "%" + one.charCodeAt(0).toString(16).toUpperCase());
}
export function encodeReserved(text) {
    return text.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:/?#[\]@!$&'()*+,;=]/gu, (one, escape) => escape ?? encodeURIComponent(one));
}
export function normalSegment(raw) {
    return raw.replace(/%([0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=]/gu, (one, digits) => {
        if (digits === undefined)
            return encodeURIComponent(one);
        const character = String.fromCharCode(parseInt(digits, 16));
        return /[\w\-.~]/.test(character) ? character : one.toUpperCase();
    });
}
export function cleanQuery(raw) {
    return raw.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=/?]/gu, (one, escape) => escape ?? encodeURIComponent(one));
}
export function isLonger(text, limit) {
    return text.length > limit || (text.length * 3 > limit && bytesOf(text).length > limit);
}
export function cutAtQuery(url) {
    const end = url.search(/[?#]/);
    if (end < 0)
        return [url, undefined];
    return [url.slice(0, end), url[end] === "?" ? url.slice(end + 1).split("#", 1)[0] : undefined];
}
export function targetOf(url) {
    const [before, query] = cutAtQuery(url);
    const absolute = before[0] === "/" ? null : /^https?:\/\/([^/]*)(.*)$/is.exec(before);
    if (!absolute)
        return { host: undefined, sent: before, query };
    const authority = absolute[1];
    return { host: authority.slice(authority.lastIndexOf("@") + 1).replace(/:[0-9]*$/, ""), sent: absolute[2] || "/", query };
}
export const tooLong = ({ bytes }) => `the URL is longer than ${bytes} bytes`;
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
export function normalized(table, url) {
    const { site } = table;
    const bad = (reason, status = 400) => ({ status, reason });
    const { locate } = site;
    const target = locate ? locate.target(url) : targetOf(url);
    const noSlash = bad("expected a path that starts with `/`");
    if (target.sent[0] !== "/" && (!locate || target.sent !== ""))
        return noSlash;
    const path = (locate ? target.sent : inside(target.sent, site)) ?? target.sent;
    if (isLonger(path, site.bytes))
        return bad(tooLong(site), 414);
    if (path.length > 1) {
        const raws = path.replace(/\/$/, "").slice(1).split("/");
        if (raws.length > site.segments)
            return bad(`the path has more than ${site.segments} segments`, 414);
        if (hasControl(path))
            return bad("the URL holds a control character");
        const wrong = raws.map(decode).find((text) => typeof text === "number");
        if (wrong !== undefined)
            return bad(["expected two hexadecimal digits after `%`", "the URL is not UTF-8", "the URL holds a control character"][wrong]);
    }
    return locate && !locate.isInside(url) ? undefined : normalAddress(target, site);
}
function inside(path, { base = "" }) {
    if (!path.startsWith(base))
        return undefined;
    const rest = path.slice(base.length);
    return rest === "" || rest[0] === "/" ? rest : undefined;
}
function normalAddress({ sent, query }, site) {
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
    const below = site.locate ? path : inside(path, site);
    return below === undefined ? undefined : prefixOf(site) + withSlash(below, endsWithSlash, site) + queryOf(query);
}
export function prefixOf({ base = "", locate }) {
    return locate ? locate.prefix : base;
}
function withSlash(path, hadSlash, { base, slash, locate }) {
    const trimmed = path.replace(/\/+$/, "");
    const isBareRoot = trimmed === "" && (!base || locate);
    return trimmed + (isBareRoot || slash === ALWAYS || (slash !== NEVER && hadSlash) ? "/" : "");
}
export function queryOf(query) {
    return query === undefined || isVacant(query) ? "" : "?" + cleanQuery(query);
}
export function addressFor(expanded, site) {
    const end = expanded.search(/[?#]/);
    const path = end < 0 ? expanded : expanded.slice(0, end);
    const normal = path.split("/").slice(1).map((raw) => "/" + normalSegment(raw)).join("");
    return prefixOf(site) + withSlash(normal, false, site) + (end < 0 ? "" : expanded.slice(end));
}
export function addressOf(reading, site) {
    const { locate } = site;
    const sent = reading.text.slice(reading.start, reading.stop) || "/";
    return (locate ? locate.prefix + sent : sent) + queryOf(reading.query);
}
export function respelt(reading, end, site) {
    const path = (site.fold ? inCase(reading, end) : undefined) ?? withSlashes(reading, end);
    return path === undefined ? undefined : addressFor(path, site) + queryOf(reading.query);
}
function withSlashes(reading, { node: { isTail, depth }, route }) {
    if (!isTail || !reading.isEscaped || !route.params().some(({ kind }) => kind === REST))
        return undefined;
    const raws = reading.path().split("/").slice(1);
    if (!raws.slice(depth - 1).some((raw) => raw.includes("%2F")))
        return undefined;
    return "/" + raws.map((raw, at) => (at < depth - 1 ? raw : raw.replace(/%2F/g, "/"))).join("/");
}
export function lowerCase(text) {
    return text.toLowerCase();
}
function inCase(reading, { way }) {
    const words = way.map((pieces) => (pieces.every((piece) => typeof piece === "string") ? pieces.join("") : undefined));
    if (!words.some((word, at) => word !== undefined && word !== reading.segment(at)))
        return undefined;
    return Array.from({ length: reading.count }, (_, at) => "/" + (words[at] === undefined ? reading.raw(at) : encodeSegment(words[at]))).join("");
}
function encodeSegment(text) {
    return text.replace(/[^\w\-.~:[\]@!$&'()*+,;=]/gu, encodeURIComponent);
}

const MARKS = ",=;";
export function marked(raw) {
    return decodeURIComponent(raw.replace(/[,=;]/g, (one) => String.fromCharCode(MARKS.indexOf(one) + 1)));
}
export function plain(text) {
    return text.replace(/[\x01-\x03]/g, (one) => MARKS[one.charCodeAt(0) - 1]);
}
export const marks = { marked, plain };
export function itemsOf({ many, separator, isNamed, name }, text) {
    let texts = separator === "" ? [text]
        : separator === "," ? text.split("\x01")
            : separator === "+" ? text.split(/[\x01,]/)
                : separator === ";" ? text.split("\x03")
                    : text.split(".");
    if (name !== undefined) {
        const start = name + "\x02";
        if (texts.some((one, at) => at > 0 && !one.startsWith(start)))
            return undefined;
        texts = texts.map((one, at) => (at > 0 ? one.slice(start.length) : one));
    }
    if (many.values && isNamed) {
        const sign = separator === "+" ? /[\x02=]/ : /\x02/;
        texts = texts.flatMap((one) => [one.split(sign, 1)[0], one.slice(one.search(sign) + 1 || one.length)]);
    }
    texts = texts.map(plain);
    return texts.includes("") || (many.values && texts.length % 2 === 1) ? undefined : texts;
}
export function joined(many, separator, isNamed = false, name) {
    const join = { many, separator, isNamed, name };
    return new Rule((text, from, to, reading, segment) => {
        const own = segment === undefined ? text.slice(from, to) : marked(reading.raw(segment));
        const texts = itemsOf(join, own);
        return texts !== undefined && takesItems(many, texts, reading);
    }, undefined, { join });
}
export function joinOf({ facts }) {
    return facts?.["join"];
}
function itemsIn(texts, text) {
    const join = joinOf(texts);
    return valueOfMany(join.many, itemsOf(join, text) ?? []);
}
function findJoined(reading, param, end) {
    const index = end.route.params().indexOf(param);
    const { segment, piece } = end.spots()[index];
    if (segment < 0)
        return undefined;
    return itemsIn(param.texts, piece < 0 ? marked(reading.raw(segment)) : textOf(reading, end, index));
}
const one = (many) => many.values ?? many.items;
export function list(many, texts, fallback) {
    return { ...segment(texts, fallback), rule: one(many), many, find: findJoined };
}
function rawTail(reading, { node: { isTail, depth } }) {
    return isTail ? Array.from({ length: reading.count - depth + 1 }, (_, at) => reading.raw(depth - 1 + at)) : undefined;
}
export function tailOfPairs(many, texts) {
    const find = (reading, _, end) => {
        const raws = rawTail(reading, end);
        return raws && valueOfMany(many, raws.flatMap((raw) => itemsOf(joinOf(texts), marked(raw)) ?? []));
    };
    return { ...tail(many, texts), find };
}
export function restOfMany(many, texts, fallback) {
    const whole = (reading, end) => {
        const raws = rawTail(reading, end);
        return raws && marked(raws.join("/"));
    };
    return {
        ...segment(any, fallback),
        kind: REST,
        isTail: true,
        rule: one(many),
        many,
        find: (reading, _, end) => {
            const text = whole(reading, end);
            return text === undefined ? undefined : itemsIn(texts, text);
        },
        judge: (reading, _, end) => {
            const text = whole(reading, end);
            return text === undefined || ((!reading.isEscaped || isWritable(plain(text))) && texts.takes(text, 0, text.length, reading));
        },
    };
}

function piecesBy(make) {
    return {
        grow(table, node, pieces, segment) {
            const key = keyOfPieces(table, pieces, segment);
            const known = node.edges.find(({ rule }) => rule.facts?.["key"] === key);
            return node.edge(table, known?.rule ?? make(pieces, table.site, key), false);
        },
        text(reading, { node: last }, segment, piece) {
            let node = last;
            while (node.depth > segment + 1)
                node = node.above;
            return node.rule.facts["cut"](reading, segment)[piece];
        },
    };
}
function keyOfPieces(table, pieces, segment) {
    const raws = segment.split(/(\{.*?\})/).filter((piece) => piece !== "");
    return pieces.map((piece, at) => (typeof piece === "string" ? raws[at] : keyOf(table, piece.texts))).join("");
}
export const apart = /* @__PURE__ */ piecesBy((pieces, _, key) => {
    const textsOf = (text) => {
        const texts = [];
        let start = 0;
        for (const [at, piece] of pieces.entries()) {
            const next = pieces[at + 1];
            const end = typeof piece === "string" ? (text.startsWith(piece, start) ? start + piece.length : -1)
                : next === undefined ? text.length
                    : at + 2 < pieces.length ? text.indexOf(next, start + 1)
                        : text.endsWith(next) ? text.length - next.length
                            : -1;
            if (end <= start)
                return undefined;
            texts.push(text.slice(start, end));
            start = end;
        }
        return texts;
    };
    const takes = (text, from, to, reading) => {
        const texts = textsOf(text.slice(from, to));
        return texts !== undefined && pieces.every((piece, at) => typeof piece === "string" || piece.texts.takes(texts[at], 0, texts[at].length, reading));
    };
    const cut = (reading, segment) => textsOf(reading.segment(segment));
    return new Rule(takes, undefined, { key, cut });
});
export const cut = /* @__PURE__ */ piecesBy((pieces, site, key) => {
    const rules = pieces.map((piece) => (typeof piece === "string" ? piece : piece.texts));
    const isJoined = (rule) => typeof rule === "object" && rule.facts?.["join"] !== undefined;
    const marks = rules.some(isJoined) ? site.marks : undefined;
    const whole = (reading, segment) => (marks ? marks.marked(reading.raw(segment)) : reading.segment(segment));
    const unmarked = (text) => (marks ? marks.plain(text) : text);
    const partOf = (rule, text) => (typeof rule === "string" || isJoined(rule) ? text : unmarked(text));
    const textsOf = (text) => split(rules, text, site.cuts, unmarked);
    const cut = (reading, segment) => textsOf(whole(reading, segment)).map((text, at) => partOf(rules[at], text));
    return new Rule((text, from, to, reading, segment) => {
        const texts = textsOf(segment === undefined ? text.slice(from, to) : whole(reading, segment));
        return (texts !== undefined &&
            rules.every((rule, at) => {
                if (typeof rule === "string")
                    return true;
                const part = partOf(rule, texts[at]);
                return part !== "" && (rule === any || rule.takes(part, 0, part.length, reading));
            }));
    }, undefined, { key, cut });
});
export function split(rules, text, cuts, plainOf) {
    const automatonOf = (rule) => cuts?.get(rule);
    const chars = Array.from(text);
    const bytes = chars.map(bytesOf);
    function startsOf(piece, good) {
        if (typeof piece === "string") {
            const wanted = Array.from(piece);
            return good.map((_, at) => good[at + wanted.length] === true && wanted.every((one, index) => plainOf(chars[at + index]) === one));
        }
        const automaton = automatonOf(piece);
        const starts = [];
        let isGoodAfter = false;
        let alive = [];
        for (let at = chars.length; at >= 0; at -= 1) {
            if (automaton) {
                const before = alive;
                const read = (from) => bytes[at]?.reduce((state, byte) => (state < 0 ? state : stepped(automaton[state], byte)), from) ?? -1;
                alive = automaton.map((state, from) => (good[at] && state[0] === 1) || before[read(from)] === true);
                starts[at] = alive[0];
            }
            else {
                starts[at] = isGoodAfter;
                isGoodAfter || (isGoodAfter = good[at]);
            }
        }
        return starts;
    }
    function shortest(piece, start, good) {
        if (typeof piece === "string")
            return start + Array.from(piece).length;
        const automaton = automatonOf(piece);
        let state = 0;
        for (let at = start; at < bytes.length; at += 1) {
            if (automaton)
                state = bytes[at].reduce((from, byte) => stepped(automaton[from], byte), state);
            if (good[at + 1] && (!automaton || automaton[state][0] === 1))
                return at + 1;
        }
        return bytes.length;
    }
    const ends = [];
    let good = [...chars.map(() => false), true];
    for (let at = rules.length - 1; at >= 0; at -= 1) {
        ends[at] = good;
        good = startsOf(rules[at], good);
    }
    if (!good[0])
        return undefined;
    let start = 0;
    return rules.map((rule, at) => {
        const end = shortest(rule, start, ends[at]);
        const own = chars.slice(start, end).join("");
        start = end;
        return own;
    });
}

function piecesOf(route) {
    const pieces = hostOf(route).split(/(\{.*?\})/).filter((piece) => piece !== "");
    const names = pieces.map((piece) => (piece[0] === "{" ? piece.slice(1, -1) : undefined));
    const rules = pieces.map((piece, at) => (names[at] === undefined ? piece : route.params().find(({ name }) => name === names[at]).texts));
    return { names, rules };
}
function textsOfHost(rules, host, route) {
    return rules.length === 1 ? [host] : split(rules, host, route.table.site.cuts, (text) => text);
}
export function hostOf({ more, parent }) {
    return more.host ?? (parent && hostOf(parent));
}
export function isHostOf(reading, route) {
    if (hostOf(route) === undefined)
        return true;
    if (reading.host === undefined)
        return false;
    const { rules } = piecesOf(route);
    const texts = textsOfHost(rules, normalHost(reading.host), route);
    if (!texts)
        return false;
    return rules.every((rule, at) => {
        const text = texts[at];
        return typeof rule === "string" ? rules.length > 1 || text === rule : text !== "" && (rule === any || rule.takes(text, 0, text.length, reading));
    });
}
export function findInHost(reading, param, { route }) {
    const { names, rules } = piecesOf(route);
    return textsOfHost(rules, normalHost(reading.host ?? ""), route)?.[names.indexOf(param.name)];
}
export function normalHost(host) {
    let name = host.replace(/\.$/, "");
    if (!/%(?![0-9A-Fa-f]{2})/.test(name)) {
        try {
            const decoded = decodeURIComponent(name);
            if (!/[\0-\x1f\x7f]/.test(decoded))
                name = decoded;
        }
        catch {
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
    function digits(value) {
        return value < 26 ? String.fromCharCode(97 + value) : digit(value - 26);
    }
}

export function fragment(base) {
    const trimmed = (path) => path.replace(/\/+$/, "");
    const documentOf = (url) => url.split("#", 1)[0];
    const within = (url) => url.slice(documentOf(url).length + 1).split("#", 1)[0];
    function isInside(url) {
        const document = documentOf(url);
        return document === "" || trimmed(targetOf(document).sent) === trimmed(base);
    }
    return {
        base,
        prefix: (base || "/") + "#",
        isInside,
        scan(reading, url, site) {
            reading.host = targetOf(documentOf(url)).host ?? reading.host;
            return isInside(url) && scanPath(reading, within(url), 0, site, true);
        },
        target(url) {
            const [sent, query] = cutAtQuery(within(url));
            return { host: targetOf(documentOf(url)).host, sent, query };
        },
    };
}

const LEFT = -1;
const RIGHT = 1;
const SAME = 0;
const OTHER = 2;
export function several(steps, single, ends) {
    const [ofSteps, ofEnds] = [sidesOf(steps), sidesOf(ends)];
    function sideOfSteps(table, left, right) {
        const side = sideOfKeys(table, left, right);
        return side === OTHER ? (table.rank(left) < table.rank(right) ? LEFT : RIGHT) : side;
    }
    function sideOfKeys(table, { rule: left }, { rule: right }) {
        const [one, other] = [keyOf(table, left), keyOf(table, right)];
        return one === other ? SAME : ofSteps(one, other);
    }
    const isSole = (table, { rule }) => single.includes(keyOf(table, rule));
    function nameOf(end) {
        const at = end.route.ends.indexOf(end);
        return end.route.name + (at > 0 ? " " + at : "");
    }
    function beats(table, count, left, right) {
        let side = SAME;
        const [ours, others] = [stepsTo(left.node, count), stepsTo(right.node, count)];
        for (let at = 0; side === SAME && at < count; at += 1) {
            const [one, other] = [ours[at], others[at]];
            if (one === other)
                continue;
            side = one && other ? sideOfSteps(table, one, other) : isSole(table, (one ?? other)) ? SAME : one ? RIGHT : LEFT;
        }
        if (side === SAME)
            side = ofEnds(nameOf(left), nameOf(right));
        if (side !== LEFT && side !== RIGHT)
            return left.route === right.route && left.route.ends.indexOf(left) < left.route.ends.indexOf(right);
        return side === LEFT;
    }
    return {
        isOrdered(table, { edges, literals }) {
            const isBefore = (one, other) => {
                const side = sideOfKeys(table, one, other);
                return side === LEFT || side === OTHER;
            };
            return edges.every((one, at) => edges.slice(at + 1).every((other) => isBefore(one, other))) && !(literals && edges.some((edge) => isSole(table, edge)));
        },
        narrowest(table, { found, count }) {
            let left = [...found];
            for (const isOwn of [true, false]) {
                const all = left;
                left = all.filter((one) => !all.some((other) => other !== one && (one.route === other.route) === isOwn && beats(table, count, other, one)));
            }
            return left;
        },
        choose(found, method) {
            let best;
            for (const one of found) {
                if (!allows(one.route, method))
                    continue;
                const [a, b] = [one.route, best?.route];
                if (!b || ((b.more.priority ?? 0) - (a.more.priority ?? 0) || a.index - b.index || a.ends.indexOf(one) - b.ends.indexOf(best)) < 0)
                    best = one;
            }
            return best;
        },
    };
}
function sidesOf(pairs) {
    const sides = new Map();
    for (const [left, right, equal] of pairs) {
        sides.set(left + "\n" + right, equal === 1 ? SAME : equal === 2 ? undefined : LEFT);
        sides.set(right + "\n" + left, equal === 1 ? SAME : equal === 2 ? undefined : RIGHT);
    }
    return (left, right) => {
        const key = left + "\n" + right;
        return sides.has(key) ? sides.get(key) : OTHER;
    };
}

const compiled = /* @__PURE__ */ new WeakMap();
function partsOf(names, template, { raw }) {
    const parts = template.split(/\{(.*?)\}/).map((piece, at) => {
        if (at % 2 === 0)
            return raw ? raw.encode(piece) : piece;
        const operator = /^[\w%]/.test(piece) ? "" : piece[0];
        const isRaw = operator === "+" || operator === "#";
        const variables = piece.slice(operator.length).split(",").map((one) => {
            const name = one.replace("*", "");
            return { index: names.indexOf(name), name: raw ? raw.encode(name) : name, isExploded: name !== one };
        });
        return {
            operator,
            isNamed: /[;?&]/.test(operator),
            separator: operator === "?" ? "&" : operator === "" || isRaw ? "," : operator,
            encode: isRaw ? raw.encode : encodeText,
            variables,
        };
    });
    return parts.filter((part) => part !== "");
}
function isPlain(text) {
    for (let at = 0; at < text.length; at += 1) {
        const code = text.charCodeAt(at);
        if (!((code > 96 && code < 123) || (code > 64 && code < 91) || (code > 44 && code < 58 && code !== 47) || code === 95 || code === 126))
            return false;
    }
    return text !== "";
}
function encodeText(text) {
    return isPlain(text) ? text : encodeUnreserved(text);
}
function expand(parts, texts, { lists }) {
    let out = "";
    for (let at = 0; at < parts.length; at += 1) {
        const part = parts[at];
        if (typeof part === "string") {
            out += part;
            continue;
        }
        const { operator, isNamed, separator, encode, variables } = part;
        let lead = operator === "+" ? "" : operator;
        for (let index = 0; index < variables.length; index += 1) {
            const { index: place, name, isExploded } = variables[index];
            const value = texts[place];
            if (value === undefined)
                continue;
            out += lead;
            lead = separator;
            if (typeof value !== "string")
                out += lists.write(value, part, name, isExploded);
            else
                out += (isNamed ? name + (value === "" && operator === ";" ? "" : "=") : "") + encode(value);
        }
    }
    return out;
}
export function expandTemplate(template, valueOf, tools) {
    const names = namesIn(template);
    return expand(partsOf(names, template, tools), names.map(valueOf), tools);
}
export function linkable(table, name) {
    const route = table.routes.get(name);
    if (route?.page === undefined) {
        const { to, out } = route?.more ?? {};
        throw new LinkError(route ? (to || out ? "redirect" : "group") : "unknown-route", name, undefined, { table, to: to?.[0] });
    }
    return route;
}
const hasOwn = Object.prototype.hasOwnProperty;
function isNone(value) {
    return value === undefined || value === null || (typeof value === "object" && Object.keys(value).length === 0);
}
export function formOf(param, text, { host }) {
    const { many } = param;
    return many ? (many.values ? text : [text]) : host ? host.form(param, text) : text;
}
export function textsOf(route, given, tools) {
    return route.params().map((param) => {
        const value = hasOwn.call(given, param.name) ? given[param.name] : undefined;
        if (typeof value === "string")
            return formOf(param, wellFormed(value), tools);
        if (isNone(value))
            return undefined;
        return typeof value !== "object" ? formOf(param, String(value), tools) : tools.lists ? tools.lists.texts(value) : [];
    });
}
export function givenTo(route, given, tools) {
    const params = route.params();
    for (const key in given) {
        if (params.some(({ name }) => name === key) || isNone(given[key]))
            continue;
        throw new LinkError("unknown-param", route.name, key, { names: params.map(({ name }) => name) });
    }
    return textsOf(route, given, tools);
}
export function checked(route, given, leaveOut, { lists }) {
    return route.params().map((param, index) => {
        const { name, kind, isOptional, fallback, many } = param;
        const mayGo = isOptional && (leaveOut || kind === QUERY || kind === REPEATED);
        const value = given[index];
        if (value === undefined) {
            if (!isOptional && fallback === undefined)
                throw new LinkError("missing", route.name, name);
            return mayGo ? undefined : fallback;
        }
        if (mayGo && fallback !== undefined && isSame(fallback, value))
            return undefined;
        if (typeof value === "string" && !many)
            checkText(route, param, param.rule, value);
        else if (lists)
            lists.check(route, param, value);
        else
            throw new LinkError("form", route.name, name, { expected: "one value" });
        return value;
    });
}
export function checkText(route, param, rule, text) {
    const isAny = rule === any;
    const takes = isAny || rule.takes(text, 0, text.length);
    if ((takes && isPlain(text)) || (isAny && isInQuery(param)))
        return;
    if (!takes || hasControl(text) || (text === "" && !(isAny && param.kind === FRAGMENT)))
        throw new LinkError("refused", route.name, param.name, { value: text, rule });
}
export function written(route, texts, tools) {
    const { site } = route.table;
    const { fillGaps, raw, host } = tools;
    let parts = compiled.get(route);
    if (!parts) {
        const template = route.template();
        const path = pathOf(template);
        const names = route.params().map(({ name }) => name);
        parts = [partsOf(names, path, tools), partsOf(names, template.slice(path.length), tools)];
        compiled.set(route, parts);
    }
    fillGaps?.(route, parts[0], texts);
    let path = expand(parts[0], texts, tools);
    let rest = expand(parts[1], texts, tools);
    if (path.charCodeAt(0) !== 47)
        path = "/" + path;
    if (raw) {
        const end = path.search(/[?#]|$/);
        [path, rest] = [path.slice(0, end), path.slice(end) + rest];
    }
    const dots = path.includes("/.") && /\/(\.\.?)(?![^/])/.exec(path);
    if (raw)
        path = raw.normal(path);
    if (dots)
        throw new LinkError("refused", route.name, undefined, { dots: dots[1] });
    if (path !== "/")
        path += site.slash === ALWAYS ? "/" : "";
    else if (site.base)
        path = site.slash === ALWAYS ? "/" : "";
    let url = prefixOf(site) + path + rest;
    if (host)
        url = host.write(route, (name) => texts[route.params().findIndex((param) => param.name === name)]) + url;
    if (url.length > site.bytes)
        throw new LinkError("long", route.name, undefined, { length: url.length, bytes: site.bytes });
    return url;
}
export function valuesOfFields(table, tools, name, fields) {
    const route = linkable(table, name);
    const params = route.params();
    const given = {};
    for (const [key, value] of fields) {
        const param = params.find((one) => one.name === key);
        if (!param || value === undefined || value === null || (value === "" && (param.isOptional || param.fallback !== undefined)))
            continue;
        const isList = param.many !== undefined && !param.many.values && !Array.isArray(value);
        put(given, key, isList ? [...(given[key] ?? []), value] : value);
    }
    const texts = checked(route, textsOf(route, given, tools), false, tools);
    const values = {};
    params.forEach((param, index) => {
        const value = typed(param, texts[index] ?? param.fallback);
        if (value !== undefined)
            put(values, param.name, value);
    });
    return values;
}
export function urlOfAny(route, given, tools) {
    linkable(route.table, route.name);
    return written(route, checked(route, given, true, tools), tools);
}
export function urlOf(route, given, tools) {
    const texts = checked(route, given, true, tools);
    const url = written(route, texts, tools);
    return route.more.check ? tools.readBack(route, given, texts, url, tools) : url;
}
export function linkIn(table, tools, name, values = {}) {
    const route = linkable(table, name);
    return urlOf(route, givenTo(route, values, tools), tools);
}
export function fillGaps(route, parts, texts) {
    for (const part of parts) {
        if (typeof part === "string" || (part.operator !== "/" && part.operator !== "."))
            continue;
        const { variables } = part;
        let last = variables.length - 1;
        while (last >= 0 && texts[variables[last].index] === undefined)
            last -= 1;
        for (const { index, name } of variables.slice(0, Math.max(last, 0))) {
            if (texts[index] !== undefined)
                continue;
            const { fallback } = route.params()[index];
            if (fallback === undefined)
                throw new LinkError("gap", route.name, variables[last].name, { before: name });
            texts[index] = fallback;
        }
    }
}
export function readBack(route, given, short, url, tools) {
    const error = misread(route, short, url);
    if (!error)
        return url;
    const long = checked(route, given, false, tools);
    const longUrl = written(route, long, tools);
    if (isSame(long, short) || misread(route, long, longUrl))
        throw error;
    return longUrl;
}
function listsOf({ rule, many }) {
    return (many ? [many.items, many.values] : [rule]).map((one) => one?.facts?.["list"]);
}
function misread(route, texts, url) {
    const { table, name } = route;
    const { site } = table;
    const params = route.params();
    const isOwn = (list, value) => params.some((param, index) => listsOf(param).includes(list) && [texts[index]].flat(2).includes(value));
    const asked = { isListed: isOwn, isMet: () => true };
    const reading = take(asked, undefined);
    let error;
    const end = scan(reading, url, site) ? seek(table, reading, methodsOf(route)[0] ?? "GET") : undefined;
    if (!end || site.respelt?.(reading, end, site) !== undefined) {
        error = new LinkError("not-reversible", name, undefined, { url });
    }
    else if (end.route !== route) {
        error = new LinkError("captured", name, undefined, { url, by: end.route.name });
    }
    else {
        const read = valuesOf(reading, end);
        const at = params.findIndex(({ kind, fallback }, index) => kind !== FRAGMENT && !isSame(read[index], texts[index] ?? fallback));
        if (at >= 0)
            error = new LinkError("not-reversible", name, params[at].name, { url, read: read[at], given: texts[at] });
    }
    giveBack(reading);
    return error;
}

export const lists = {
    texts(value) {
        const text = (one) => wellFormed(String(one));
        const items = Array.isArray(value) ? value : Object.entries(value);
        return items.map((item) => (Array.isArray(item) ? [text(item[0]), text(item[1])] : text(item)));
    },
    check(route, param, value) {
        const { name, rule, many } = param;
        const wrong = (expected, found) => new LinkError("form", route.name, name, { expected, found });
        if (!many) {
            if (typeof value !== "string")
                throw wrong("one value");
            checkText(route, param, rule, value);
            return;
        }
        const { items, values, least, most, isUnique } = many;
        if (typeof value === "string" || value.some((item) => (typeof item === "string") === (values !== undefined))) {
            throw wrong(values ? "a list of pairs" : "a list of texts");
        }
        if (value.length < least || value.length > most) {
            throw wrong(`at least ${least} ${most === Infinity ? "" : `and at most ${most} `}items`, value.length);
        }
        for (const item of value) {
            const [first, second] = typeof item === "string" ? [item] : item;
            checkText(route, param, items, first);
            if (values)
                checkText(route, param, values, second);
        }
        const twice = value.find((item, at) => isUnique && value.indexOf(item) < at);
        if (twice !== undefined)
            throw new LinkError("refused", route.name, name, { value: value.join(","), twice });
    },
    write(given, { operator, isNamed, separator, encode }, name, isExploded) {
        const value = given;
        const named = (text) => (!isNamed ? text : name + (text === "" && operator === ";" ? "" : "=") + text);
        if (!isExploded) {
            const items = value.map((item) => (typeof item === "string" ? encode(item) : `${encode(item[0])},${encode(item[1])}`));
            return (isNamed ? name + "=" : "") + items.join(",");
        }
        const items = value.map((item) => {
            if (typeof item === "string")
                return named(encode(item));
            return encode(item[0]) + (operator === ";" && item[1] === "" ? "" : "=") + encode(item[1]);
        });
        return items.join(separator);
    },
};
export const hosts = {
    form: ({ kind }, host) => (kind === HOST ? normalHost(host) : host),
    write(route, valueOf) {
        const host = hostOf(route);
        return host === undefined ? "" : `${(route.table.site.origin ?? "").split("://", 1)[0] || "https"}://` + expandTemplate(host, valueOf, {});
    },
};
export const raw = {
    encode: encodeReserved,
    normal: (path) => path.split("/").map(normalSegment).join("/").replace(/(?!^)\/+$/, ""),
};

function again(at, use) {
    const { end, url, host } = readOf(at);
    const reading = take(nobody, host);
    scan(reading, url, end.route.table.site);
    const result = use(reading, end);
    giveBack(reading);
    return result;
}
export function addressAt(at) {
    return again(at, (reading, { route }) => addressOf(reading, route.table.site));
}
export function framesIn({ site }, shown) {
    const read = readOf(shown) ?? readOf(shown.position ?? {});
    return [site, ...(read ? chainOf(read.end.route).map(({ more }) => more) : [])].flatMap(({ frame }) => frame ?? []);
}
export function notFoundIn({ site }, at, reason) {
    const owner = (at ? chainOf(readOf(at).end.route) : []).reverse().find(({ more }) => more.fallback !== undefined);
    return { outcome: "not-found", status: 404, page: owner ? (owner.more.fallback ?? undefined) : site.fallback, position: at, reason };
}
export function dataIn(table, name) {
    return table.routes.get(name).more.data ?? {};
}
function coversOf({ covers, above, node }) {
    return covers ?? [...(above ? coversOf(above) : []), node.isTail ? -1 : node.depth];
}
function levelOf(route, param) {
    return chainOf(route).findIndex(({ path, more }) => namesIn(path + (more.host ?? "")).includes(param.name));
}
export function levelsAt(at) {
    return again(at, (reading, end) => {
        const { route } = end;
        const covers = coversOf(end);
        const path = reading.path();
        let start = 0;
        return chainOf(route).map((level, index) => {
            const stop = stopOf(reading, end, covers[index], path);
            const covered = path.slice(start, stop);
            start = stop;
            const own = {};
            route.params().forEach((param, place) => {
                const value = levelOf(route, param) === index ? valueOf(reading, end, place) : undefined;
                if (value !== undefined)
                    put(own, param.name, typed(param, value));
            });
            return { route: level.name, path: level.template(), covered, frame: level.more.frame, params: own, data: level.more.data ?? {} };
        });
    });
}
function stopOf(reading, end, cover, path) {
    if (cover === -1)
        return path.length;
    const [segments, pieces] = typeof cover === "object" ? cover : [cover + 1, 0];
    if (segments === 0)
        return 0;
    const raws = path.split("/").slice(1);
    let at = raws.slice(0, segments - 1).reduce((sum, raw) => sum + 1 + raw.length, 0);
    if (typeof cover === "number")
        return at;
    at += 1;
    const { pieces: parts } = end.route.table.site;
    const start = at;
    const raw = raws[segments - 1];
    const before = (end.way[segments - 1].length > 1 ? end.way[segments - 1].slice(0, pieces) : []).map((_, piece) => parts.text(reading, end, segments - 1, piece));
    for (let bytes = bytesOf(before.join("")).length; bytes > 0; bytes -= 1)
        at += raw[at - start] === "%" ? 3 : 1;
    return at;
}
function valuesAt(at) {
    return { params: readOf(at).end.route.params(), values: again(at, valuesOf) };
}
function tableOf(at) {
    return readOf(at).end.route.table;
}
function valueAt(at, name) {
    const { params, values } = valuesAt(at);
    return values[params.findIndex((param) => param.name === name)];
}
function commonBeginning(own, target) {
    const cutUp = (template) => template.split(/(\{.*?\})/).filter((part) => part !== "");
    const [left, right] = [cutUp(own), cutUp(target)];
    const plain = (part) => part?.replace(/\*/g, "");
    const differs = right.findIndex((part, at) => plain(part) !== plain(left[at]));
    const same = differs < 0 ? right : right.slice(0, differs);
    return same.filter((part) => part[0] === "{").flatMap((part) => namesIn(part));
}
function inheritedFrom(at, target) {
    const own = readOf(at).end.route;
    const { params, values } = valuesAt(at);
    const shared = commonBeginning(own.template(), target.template());
    const [ownNames, names] = [own.name.split("."), target.name.split(".")];
    const differs = ownNames.findIndex((name, index) => name !== names[index]);
    const common = differs < 0 ? ownNames.length : differs;
    const isOfQuery = (kind) => kind === QUERY || kind === REPEATED;
    return target.params().map((param) => {
        const { name, kind, isOptional, fallback } = param;
        const index = params.findIndex((one) => one.name === name);
        const isNeeded = !isOptional && fallback === undefined;
        const isOfAncestor = !isOfQuery(kind) && levelOf(target, param) < common;
        return !isOfQuery(params[index]?.kind) && (isNeeded || shared.includes(name) || isOfAncestor) ? values[index] : undefined;
    });
}
export const RETURN = "return";
export function linkFromIn(tools, from, name, values = {}, { back } = {}) {
    const route = linkable(tableOf(from), name);
    const address = back === "here" ? addressAt(from) : back === "carry" ? valueAt(from, RETURN) : undefined;
    const given = address === undefined ? values : { ...values, [RETURN]: address };
    const inherited = inheritedFrom(from, route);
    const own = givenTo(route, given, tools);
    const isSet = (name) => Object.prototype.hasOwnProperty.call(given, name);
    const texts = route.params().map(({ name: key }, index) => own[index] ?? (isSet(key) && !isEmptyList(given, key) ? undefined : inherited[index]));
    return urlOf(route, texts, tools);
}
function isEmptyList(given, key) {
    const value = given[key];
    return typeof value === "object" && value !== null;
}
export function absoluteIn(table, url) {
    const { origin } = table.site;
    if (url[0] !== "/")
        return url;
    if (origin === undefined)
        throw new LinkError("no-origin", url);
    return origin + url;
}
export function activityIn(tools, at, name, given = {}) {
    const shown = readOf(at).end.route;
    const route = chainOf(shown).find((one) => one.name === name);
    if (!route)
        return undefined;
    const values = valuesAt(at);
    const texts = textsOf(route, given, tools);
    const isSameValue = (param, index) => {
        const { name: key, kind, fallback } = param;
        const isOfQuery = isInQuery(param);
        if (kind === FRAGMENT || (isOfQuery && texts[index] === undefined))
            return true;
        return (!isOfQuery || route === shown) && isSame(texts[index] ?? fallback, values.values[values.params.findIndex((param) => param.name === key)]);
    };
    return route.params().every(isSameValue) ? (route === shown ? "page" : "true") : undefined;
}
export function upIn(tools, at) {
    for (let { parent } = readOf(at).end.route; parent; { parent } = parent) {
        if (parent.page === undefined)
            continue;
        try {
            return linkFromIn(tools, at, parent.name);
        }
        catch {
        }
    }
    return undefined;
}
export function transitionIn(from, to) {
    const [old, next] = [from ? levelsAt(from) : [], levelsAt(to)];
    const differs = next.findIndex(({ route }, level) => route !== old[level]?.route);
    const same = differs < 0 ? next.length : differs;
    const changed = next.slice(0, same).flatMap((after, level) => {
        const before = old[level];
        const names = new Set(Object.keys({ ...before.params, ...after.params }));
        const changes = [...names].map((name) => ({ name, route: after.route, before: before.params[name], after: after.params[name] }));
        return changes.filter((change) => !isSame(change.before, change.after));
    });
    const names = (levels) => levels.map(({ route }) => route);
    return { kept: names(next.slice(0, same)), left: names(old.slice(same)).reverse(), entered: names(next.slice(same)), changed };
}
export function placeIn({ site: { origin = "", base = "", locate } }) {
    return { origin, base: locate ? locate.base : base, isInFragment: locate !== undefined };
}

const READ = /* @__PURE__ */ Symbol("read");
export function readOf(at) {
    return at[READ];
}
export class Spotted {
    constructor(reading, end, host) {
        this.route = end.route.name;
        this.params = typedParams(reading, end);
        this[READ] = { end, url: reading.url, host };
    }
}
export class Page {
    constructor(reading, end, host) {
        const { route } = end;
        this.outcome = "page";
        this.status = 200;
        this.page = route.page;
        this.route = route.name;
        this.params = typedParams(reading, end);
        this[READ] = { end, url: reading.url, host };
    }
}
export function matchIn(table, url, host, shorten) {
    const { site } = table;
    const reading = take(nobody, host);
    let page;
    if (scan(reading, url, site)) {
        const end = seek(table, reading, "GET");
        if (end && end.route.page !== undefined && (!site.respelt || site.respelt(reading, end, site) === undefined)) {
            if (countNeedless(reading, end) === 0 || (shorten && shorten(reading, end, nobody) === undefined))
                page = new Page(reading, end, host);
        }
    }
    giveBack(reading);
    return page;
}

class Answers {
    constructor(ask) {
        this.known = undefined;
        this.stopped = undefined;
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
        const known = (this.known ?? (this.known = new Map()));
        if (!known.has(key))
            known.set(key, this.ask(question, key));
        const answer = known.get(key);
        if (typeof answer !== "boolean")
            this.stopped ?? (this.stopped = question);
        return answer === true;
    }
}
const MOST_STEPS = 8;
function canonical(location) {
    return { step: { status: 308, location, route: undefined, isExternal: false } };
}
function look(url, request) {
    const reading = take(request.asked, request.host);
    const outcome = lookWith(reading, url, request);
    giveBack(reading);
    return outcome;
}
function lookWith(reading, url, request) {
    const { table, method, host, asked, parts } = request;
    if (!scan(reading, url, table.site)) {
        const address = normalized(table, url);
        return typeof address === "string" ? canonical(address) : address ? { bad: address } : { missing: undefined };
    }
    const found = find(table, reading);
    if (found.length === 0)
        return { missing: undefined };
    const end = choose(table, found, method);
    if (!end)
        return { others: found };
    const other = table.site.respelt?.(reading, end, table.site);
    if (other !== undefined)
        return canonical(other);
    const { route } = end;
    const { to, out, needs } = route.more;
    if (to || out)
        return parts.redirected(reading, end);
    if (parts.shorten && countNeedless(reading, end) > 0) {
        const address = parts.shorten(reading, end, asked);
        if (address !== undefined)
            return canonical(address);
    }
    for (const need of needs ?? []) {
        if (asked.isMet(need))
            continue;
        const otherwise = table.site.needs[need];
        const showsPage = () => {
            const again = take(asked, host ?? reading.host);
            const end = scan(again, url, table.site) ? seek(table, again, "GET") : undefined;
            const isShown = end?.route.page !== undefined && table.site.respelt?.(again, end, table.site) === undefined;
            giveBack(again);
            return isShown;
        };
        return { need, location: otherwise === undefined ? undefined : parts.signInAt(table.routes.get(otherwise), reading, end, showsPage, method) };
    }
    return { found: new Page(reading, end, host) };
}
function allowed(routes) {
    const methods = new Set(routes.flatMap((route) => methodsOf(route))).add("OPTIONS");
    if (methods.has("GET"))
        methods.add("HEAD");
    return [...methods].sort();
}
function decideWith(url, request) {
    const { table } = request;
    if (isLonger(url, table.site.bytes))
        return { outcome: "bad-request", status: 414, reason: tooLong(table.site) };
    if (url === "*" && request.method === "OPTIONS") {
        return { outcome: "options", status: 204, allow: allowed([...table.routes.values()].filter((route) => route.isAnswering)) };
    }
    let outcome = look(url, request);
    if (!("step" in outcome))
        return decision(url, outcome, request);
    const host = targetOf(url).host ?? request.host;
    let { step } = outcome;
    let { method } = request;
    for (let count = 0; count < MOST_STEPS; count += 1) {
        if (step.status === 303 || (step.status < 303 && method === "POST"))
            method = "GET";
        if (!step.isExternal)
            outcome = look(step.location, { ...request, method, host });
        if (step.isExternal || "found" in outcome) {
            const { status, location, route, isExternal } = step;
            return { outcome: "redirect", status, location, route: route?.name, isExternal };
        }
        if (!("step" in outcome))
            return decision(step.location, outcome, request);
        const next = outcome.step;
        const isForGood = (status) => status === 301 || status === 308;
        const takesOver = step.route ? isForGood(step.status) && !isForGood(next.status) : next.route !== undefined;
        step = { ...next, status: takesOver ? next.status : step.status, route: step.route ?? next.route };
    }
    return decision(url, { missing: step.route && [step.route, "its redirects lead in a circle"] }, request);
}
function decision(address, outcome, request) {
    const { table } = request;
    if ("found" in outcome)
        return outcome.found;
    if ("bad" in outcome)
        return { outcome: "bad-request", ...outcome.bad };
    const { owner, position, refused } = placeOf(address, request);
    if ("need" in outcome) {
        const location = outcome.location && lastSignIn(outcome.location, request);
        return { outcome: "unmet", status: location ? 303 : 403, need: outcome.need, location, position };
    }
    if ("others" in outcome) {
        const allow = allowed(outcome.others.map(({ route }) => route));
        if (request.method === "OPTIONS")
            return { outcome: "options", status: 204, allow };
        return { outcome: "wrong-method", status: 405, allow, position };
    }
    const [to, reason = refused] = outcome.missing ?? [];
    const above = to ? chainOf(to).reverse().find(({ more }) => more.fallback !== undefined) : owner;
    const page = above ? (above.more.fallback ?? undefined) : table.site.fallback;
    return { outcome: "not-found", status: 404, page, position, reason };
}
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
function covering(table, reading, method, isWanted) {
    const found = [];
    reading.visit = ({ ends, areas }, at) => {
        for (const all of [ends, areas])
            for (const end of [...all].sort(inOrder))
                found.push([end, at]);
    };
    walk(table, reading, table.root, 0);
    reading.visit = undefined;
    let best;
    for (const [end, at] of found) {
        const { route } = end;
        const isArea = at > 0 || route.more.fallback !== undefined || route.isParent;
        if (!isArea || table.site.host?.(reading, route) === false || !isWanted(route))
            continue;
        const rank = 2 * at + (allows(route, method) && takesQuery(reading, end) ? 1 : 0);
        if (!best || rank > best[0])
            best = [rank, end];
    }
    return best?.[1];
}
const MOST_LOOKS = 64;
function refusal(table, reading) {
    const { text, starts, ends, count } = reading;
    let left = MOST_LOOKS;
    function after(node, at) {
        if (at === count || left === 0)
            return undefined;
        left -= 1;
        while (node.waiting.length > 0)
            table.open(node);
        const [from, to] = [starts[at], ends[at]];
        const accepting = node.edges.filter(({ rule }) => rule.takes(text, from, to, reading, at));
        const literal = literalAt(table, reading, node, at);
        const next = literal ? [literal, ...accepting] : accepting;
        if (at + 1 < count) {
            for (const one of next) {
                const found = after(one, at + 1);
                if (found !== undefined)
                    return found;
            }
            return undefined;
        }
        if (next.length > 0)
            return undefined;
        for (const edge of node.edges) {
            const [end] = [...edge.ends].sort(inOrder);
            const [piece] = end?.way[at] ?? [];
            if (typeof piece === "object" && at === 0 && piece.isOptional)
                continue;
            if (typeof piece !== "object" || piece.many || piece.isTail || piece.texts !== edge.rule)
                continue;
            const value = reading.segment(at);
            if (!piece.rule.takes(value, 0, value.length))
                return speech.sentence?.("refused", end.route.name, piece.name, { value, rule: piece.rule });
        }
        return undefined;
    }
    return after(table.root, 0);
}
function placeOf(url, { table, method, host, asked }) {
    const silent = new Answers((_, key) => (asked instanceof Answers ? asked.known?.get(key) : undefined));
    const reading = take(silent, host);
    let place = {};
    if (scan(reading, url, table.site)) {
        const owner = covering(table, reading, method, ({ more }) => more.fallback !== undefined)?.route;
        const found = find(table, reading);
        const isBelow = (route) => !owner || chainOf(route).includes(owner);
        const end = choose(table, found, method) ?? found[0] ?? covering(table, reading, method, isBelow);
        place = { owner, position: end && new Spotted(reading, end, host), refused: refusal(table, reading) };
    }
    giveBack(reading);
    return place;
}
function settled(decision, { stopped, known }) {
    if (!stopped)
        return decision;
    const answer = known.get(JSON.stringify(stopped));
    return { outcome: "unavailable", status: 503, question: stopped, retryAfter: typeof answer === "object" ? answer.retryAfter : undefined };
}
function decided(table, parts, url, { method = "GET", host }, ask) {
    const answers = new Answers(ask);
    return settled(decideWith(wellFormed(url), { table, method, host, asked: answers, parts }), answers);
}
function asker({ meets, lists }) {
    const put = (whom, value) => whom === undefined ? false : typeof whom === "function" ? whom(value) : whom.has(value);
    return (question) => {
        if ("need" in question)
            return put(meets, question.need);
        if (typeof lists === "function")
            return lists(question.list, question.value);
        const own = lists ?? {};
        return put(Object.prototype.hasOwnProperty.call(own, question.list) ? own[question.list] : undefined, question.value);
    };
}
export function decideIn(table, parts, url, asks) {
    return decided(table, parts, url, asks, asker(asks));
}
export async function decideAsyncIn(table, parts, url, asks) {
    const known = new Map();
    const ask = asker(asks);
    for (;;) {
        let open;
        const decision = decided(table, parts, url, asks, (question, key) => {
            if (!known.has(key))
                open ?? (open = question);
            return known.get(key);
        });
        if (!open || decision.outcome !== "unavailable" || !isSame(decision.question, open))
            return decision;
        known.set(JSON.stringify(open), await Promise.resolve(open).then(ask).catch(() => undefined));
    }
}
export function sentIn(table, { address, route, ...said }, host) {
    const reading = take({ isListed: () => true, isMet: () => true }, host);
    const isIt = (one) => one.name === route;
    const end = scan(reading, address, table.site) ? (find(table, reading).find((one) => isIt(one.route)) ?? covering(table, reading, "GET", isIt)) : undefined;
    const isPage = said.outcome === "page";
    const at = end && (isPage && end.route.page !== undefined ? new Page(reading, end, host) : new Spotted(reading, end, host));
    giveBack(reading);
    return isPage ? (at instanceof Page ? at : undefined) : { ...said, position: at };
}
function isAddress(wanted) {
    return typeof wanted === "string" && /^\/(?![/\\])[!-[\]-~]*$/.test(wanted);
}
export function returnAddressIn(table, parts, wanted, otherwise, asks) {
    return isAddress(wanted) && decideIn(table, parts, wanted, { ...asks, method: "GET" }).outcome === "page" ? wanted : otherwise;
}
export async function returnAddressAsyncIn(table, parts, wanted, otherwise, asks) {
    return isAddress(wanted) && (await decideAsyncIn(table, parts, wanted, { ...asks, method: "GET" })).outcome === "page" ? wanted : otherwise;
}

function linked(make) {
    try {
        return make();
    }
    catch (error) {
        if (error instanceof LinkError)
            return undefined;
        throw error;
    }
}
function unknownPairs({ query }, route) {
    if (route.params().some(({ kind }) => kind === PAIRS))
        return [];
    return query.split("&").filter((pair) => pair !== "" && !readsName(route, decodeForm(pair.split("=", 1)[0])));
}
function withRest(url, reading, route) {
    const hash = route.table.site.locate ? -1 : url.indexOf("#");
    const fragment = hash < 0 ? "" : url.slice(hash);
    let out = hash < 0 ? url : url.slice(0, hash);
    const nameOf = (pair) => pair.split("=", 1)[0];
    const known = (out.split("?")[1] ?? "").split("&").map(nameOf);
    for (const pair of unknownPairs(reading, route)) {
        if (!known.includes(nameOf(pair)))
            out += (out.includes("?") ? "&" : "?") + cleanQuery(pair);
    }
    return out + fragment;
}
export function shortener(tools) {
    return (reading, end, asked) => {
        const { route } = end;
        const { table } = route;
        return linked(() => {
            const short = urlOf(route, [...valuesOf(reading, end)], tools);
            const again = take(asked, undefined);
            let address;
            const other = scan(again, short, table.site) ? seek(table, again, methodsOf(route)[0] ?? "GET") : undefined;
            if (other && other.route === route && table.site.respelt?.(again, other, table.site) === undefined) {
                if (countNeedless(again, other) < countNeedless(reading, end))
                    address = withRest(short, reading, route);
            }
            giveBack(again);
            return address;
        });
    };
}
export function redirector(tools) {
    return (reading, end) => {
        const { route } = end;
        const { table, more } = route;
        const params = route.params();
        const values = valuesOf(reading, end);
        const valueOf = (name) => values[params.findIndex((param) => param.name === name)];
        if (more.out) {
            const [template, status] = more.out;
            return { step: { status, location: withRest(expandTemplate(template, valueOf, tools), reading, route), route, isExternal: true } };
        }
        const [name, status, fillings] = more.to;
        const target = table.routes.get(name);
        const texts = target.params().map((param) => {
            const pieces = Object.prototype.hasOwnProperty.call(fillings, param.name) ? fillings[param.name] : [];
            const all = pieces.map((piece) => (typeof piece === "string" ? piece : valueOf(piece[0])));
            return all.length === 1 ? all[0] : all.length > 1 && all.every((piece) => typeof piece === "string") ? all.join("") : undefined;
        });
        try {
            const url = urlOfAny(target, texts.map((text, index) => (typeof text === "string" ? formOf(target.params()[index], text, tools) : text)), tools);
            return { step: { status, location: withRest(url, reading, route), route, isExternal: false } };
        }
        catch (error) {
            if (error instanceof LinkError)
                return { missing: [target, error.message] };
            throw error;
        }
    };
}
export function signIn(tools) {
    return (to, reading, end, showsPage, method) => {
        const { route } = end;
        const given = to.params().map(({ name, kind }) => {
            const index = route.params().findIndex((own) => own.name === name && own.kind === kind);
            return name === RETURN || index < 0 ? undefined : valuesOf(reading, end)[index];
        });
        const isRead = method === "GET" || method === "HEAD" || showsPage();
        const place = to.params().findIndex(({ name }) => name === RETURN);
        const back = isRead && place >= 0 ? linked(() => urlOf(to, given.map((text, index) => (index === place ? addressOf(reading, to.table.site) : text)), tools)) : undefined;
        return back ?? linked(() => urlOf(to, given, tools));
    };
}
