// What a site imports while it is made: its table, and errors in words. In production `table.js` says the same without the words.
// Made by `vivid-lane convert --to typescript`; it is the same for every table.
import { alnum, alpha, boolean, date, dateTime, digits, email, fileName, hex, integer, ipv4, natural, number, slug, speakBy, time, uuid, } from "./runtime.js";
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
/** What a value of a format looks like. */
const EXPECTED = new Map([
    [integer, "a whole number such as `7` or `-3`"],
    [natural, "a whole number from 0 on, such as `7`"],
    [number, "a number such as `7` or `0.5`"],
    [boolean, "`true` or `false`"],
    [digits, "digits"],
    [date, "a day such as `2031-04-02`"],
    [time, "a time such as `21:30:00Z`"],
    [dateTime, "a moment such as `2031-04-02T21:30:00Z`"],
    [uuid, "a UUID"],
    [slug, "small letters, digits and single hyphens"],
    [hex, "hexadecimal digits"],
    [email, "a mail address"],
    [ipv4, "an IPv4 address"],
    [alpha, "the letters a to z"],
    [fileName, "the name of a file, without a folder"],
    [alnum, "the letters a to z and digits"],
]);
/** Why a rule refuses a text, keyword by keyword; nothing where it does not. */
function refusal(rule, text) {
    const facts = rule.facts ?? {};
    const parts = facts["all"];
    if (parts) {
        for (const part of parts) {
            const reason = refusal(part, text);
            if (reason !== undefined)
                return reason;
        }
        return undefined;
    }
    if (rule.takes(text, 0, text.length))
        return undefined;
    if (facts["listed"])
        return refusal(facts["listed"], text);
    const { base, least, most, words, source, reason, sign, limit, shortest, longest, either } = facts;
    if (base)
        return refusal(base, text) ?? (Number(text) < least ? `below the minimum ${least}` : `above the maximum ${most}`);
    if (words) {
        const first = words.slice(0, 8).map((word) => `\`${word}\``);
        const more = words.length > 8 ? ` or ${words.length - 8} others` : "";
        return `expected ${words.length === 1 ? "" : "one of "}${first.join(", ")}${more}`;
    }
    if (source !== undefined)
        return `does not fit the pattern \`${source}\``;
    if (reason !== undefined)
        return reason;
    if (sign !== undefined) {
        const words = { ">=": "below the minimum", "<=": "above the maximum", ">": "not above", "<": "not below", "%": "not a multiple of" };
        return `${words[sign]} ${limit}`;
    }
    if (shortest !== undefined) {
        const isShort = Array.from(text).length < shortest;
        const count = isShort ? shortest : longest;
        return `${isShort ? "shorter" : "longer"} than ${count} character${count === 1 ? "" : "s"}`;
    }
    const formats = either ?? [rule];
    // What has the shape of a day is refused with other words.
    const isDay = /^\d{4}-\d\d-\d\d$/.test(text);
    return formats.map((one) => (one === date && isDay ? "no such day" : `expected ${EXPECTED.get(one)}`)).join(", or ");
}
/** What is wrong with a link, and how to mend it. */
function sentence(kind, route, param, details) {
    const { table, to, names, before, expected, found, url, by, read, given, length, bytes } = details;
    const quoted = `\`${escaped(route)}\``;
    switch (kind) {
        case "unknown-route":
            return `no route is named ${quoted}${nearest(route, [...table.routes.keys()])}`;
        case "redirect":
            return `${quoted} only redirects to ${to === undefined ? "another site" : `\`${to}\``}; link to that`;
        case "group":
            return `${quoted} has no page: it only groups other routes; link to one of those`;
        case "no-origin":
            return `an absolute link needs the origin of the site; set \`origin = "https://…"\` under \`[site]\``;
        case "unknown-param":
            return `\`${route}\` has no parameter \`${escaped(param)}\`${nearest(param, names)}`;
        case "missing":
            return `a link to \`${route}\` needs a value for \`${param}\``;
        case "gap":
            return `\`${param}\` of \`${route}\` stands after \`${before}\`, which has no value`;
        case "form":
            return `expected ${expected} for \`${param}\` of \`${route}\`${found === undefined ? "" : `, found ${found}`}`;
        case "long":
            return `the link to \`${route}\` would have ${length} bytes; a URL may have ${bytes}`;
        case "captured":
            return `\`${url}\` would be answered by \`${by}\`, not by \`${route}\`; link to \`${by}\` instead`;
        case "not-reversible":
            return param === undefined
                ? `\`${url}\` would not be read as \`${route}\`: a value holds a character that means something else in a URL`
                : `\`${url}\` would be read as \`${route}\` with ${shown(read)} for \`${param}\`, not with ${shown(given)}`;
        case "refused":
            return refused(route, param, details);
    }
}
function refused(route, param, details) {
    const { dots, value = "", twice, rule } = details;
    if (dots !== undefined)
        return `the link to \`${route}\` would have a segment \`${dots}\`, which is removed from every URL`;
    const of = `\`${param}\` of \`${route}\``;
    const [control] = /[\0-\x1f\x7f]/.exec(value) ?? [];
    if (control !== undefined && twice === undefined)
        return `the value for ${of} holds the control character '${escaped(control)}', which no URL may hold`;
    if (value === "")
        return `expected at least one character for ${of}, found none`;
    return `${of} refused \`${escaped(value)}\`: ${twice === undefined ? refusal(rule, value) : `\`${twice}\` is there twice`}`;
}
speakBy(sentence);
export * from "./table.js";
