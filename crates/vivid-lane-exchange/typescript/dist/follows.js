export { LinkError, Missing } from "./runtime.js";
/** The page that a URL shows, and the values in it; nothing where a `GET` comes to anything else. Every need counts as met, and no value as listed. */
export function match(url, { host } = {}) {
    return matchIn(table, url, host, shorten);
}
/** Decides what to do with a request. Each question is asked once, where the decision hangs on it. */
export function decide(url, asks = {}) {
    return decideIn(table, parts, url, asks);
}
/** The same, where lists and needs are asked over a network. An answer that fails makes the decision `unavailable`. */
export function decideAsync(url, asks = {}) {
    return decideAsyncIn(table, parts, url, asks);
}
/** The URL of a route. Throws a `LinkError` for what its rules refuse, and where another route would answer. */
export function link(name, ...[values]) {
    return linkIn(table, tools, name, values);
}
/**
 * The values of a route from the fields of a form, or of JSON: judged by the rules of the route, in the types that it has. Fields of other names
 * are left alone. Throws a `LinkError` that names the field.
 */
export function valuesFor(name, fields) {
    return valuesOfFields(table, tools, name, fields);
}
/** The URL of a route for a link that stands on a page: it inherits what the two addresses share. */
export function linkFrom(from, name, ...given) {
    return linkFromIn(tools, from, name, ...given);
}
/** A link with scheme and host. */
export function absolute(url) {
    return absoluteIn(table, url);
}
/** Whether a link leads to the page that is shown (`"page"`), or to an ancestor of it (`"true"`): the value of `aria-current`. */
export function isActive(position, name, ...[values]) {
    return activityIn(tools, position, name, values);
}
/** The URL of the nearest ancestor with a page, with the same values. */
export function up(position) {
    return upIn(tools, position);
}
/** What changes when `to` takes the place of `from`, or is the first page. */
export function transition(from, to) {
    return transitionIn(from, to);
}
/** The address to go back to after signing in, if it is one of this table that shows a page to this visitor; else the other one. */
export function returnAddress(wanted, otherwise, asks = {}) {
    return returnAddressIn(table, parts, wanted, otherwise, asks);
}
/** The same, where lists and needs are asked over a network. */
export function returnAddressAsync(wanted, otherwise, asks = {}) {
    return returnAddressAsyncIn(table, parts, wanted, otherwise, asks);
}
/** The address of a position as it was asked: path and query, without scheme and host. */
export function address(position) {
    return addressAt(position);
}
/** The levels of a position, from the outermost ancestor to the route itself. */
export function levels(position) {
    return levelsAt(position);
}
/** The frames around what is decided, outermost first. */
export function frames(decision) {
    return framesIn(table, decision);
}
/** What is decided where a page finds out that the record which it would show does not exist: the fallback of that part of the site. */
export function notFoundAt(found, reason) {
    return notFoundIn(table, found, reason);
}
/** A decision of the server, for the browser, without deciding again; undefined if this table has no such page. */
export function sentDecision(sent, host) {
    return sentIn(table, sent, host);
}
/** The data of a route. */
export function dataOf(name) {
    return dataIn(table, name);
}
/** How the site is reached, as the table says. */
export function place() {
    return placeIn(table);
}
