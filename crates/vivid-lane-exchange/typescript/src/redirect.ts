// Where a visitor is sent on to: by redirects of the table, to the short form of an address, and to sign in and back.

import { addressOf, cleanQuery } from "./address.js";
import { countNeedless, methodsOf, seek, valuesOf, type Values } from "./find.js";
import { type Absent, type Step } from "./decide.js";
import { expandTemplate, formOf, urlOf, urlOfAny, type Texts, type Tools } from "./link.js";
import { type Shorten } from "./match.js";
import { RETURN } from "./position.js";
import { giveBack, scan, take, type Reading } from "./reading.js";
import { type End, type Route } from "./tree.js";
import { LinkError } from "./types.js";
import { PAIRS, readsName, type Value } from "./values.js";
import { decodeForm } from "./query.js";

/** What a function gives; nothing for a link that cannot be made. */
function linked(make: () => string | undefined): string | undefined {
  try {
    return make();
  } catch (error) {
    if (error instanceof LinkError) return undefined;
    throw error;
  }
}

/** The pairs of the query that the route does not know, as they were sent. */
function unknownPairs({ query }: Reading, route: Route): string[] {
  if (route.params().some(({ kind }) => kind === PAIRS)) return [];
  return query.split("&").filter((pair) => pair !== "" && !readsName(route, decodeForm(pair.split("=", 1)[0]!)));
}

/** A URL with the pairs of the query that the route does not know, as they were sent. */
function withRest(url: string, reading: Reading, route: Route): string {
  const hash = route.table.site.locate ? -1 : url.indexOf("#");
  const fragment = hash < 0 ? "" : url.slice(hash);
  let out = hash < 0 ? url : url.slice(0, hash);
  const nameOf = (pair: string): string => pair.split("=", 1)[0]!;
  const known = (out.split("?")[1] ?? "").split("&").map(nameOf);
  for (const pair of unknownPairs(reading, route)) {
    if (!known.includes(nameOf(pair))) out += (out.includes("?") ? "&" : "?") + cleanQuery(pair);
  }
  return out + fragment;
}

/** Leaves out values that an address need not spell out. */
export function shortener(tools: Tools): Shorten {
  return (reading, end, asked) => {
    const { route } = end;
    const { table } = route;
    return linked(() => {
      const short = urlOf(route, [...valuesOf(reading, end)], tools);
      const again = take(asked, undefined);
      let address: string | undefined;
      const other = scan(again, short, table.site) ? seek(table, again, methodsOf(route)[0] ?? "GET") : undefined;
      if (other && other.route === route && table.site.respelt?.(again, other, table.site) === undefined) {
        if (countNeedless(again, other) < countNeedless(reading, end)) address = withRest(short, reading, route);
      }
      giveBack(again);
      return address;
    });
  };
}

/** Follows the redirects of the table. */
export function redirector(tools: Tools): (reading: Reading, end: End) => { readonly step: Step } | Absent {
  return (reading, end) => {
    const { route } = end;
    const { table, more } = route;
    const params = route.params();
    const values: Values = valuesOf(reading, end);
    const valueOf = (name: string): Value | undefined => values[params.findIndex((param) => param.name === name)];
    if (more.out) {
      const [template, status] = more.out;
      return { step: { status, location: withRest(expandTemplate(template, valueOf, tools), reading, route), route, isExternal: true } };
    }
    const [name, status, fillings] = more.to!;
    const target = table.routes.get(name)!;
    const texts: Texts = target.params().map((param) => {
      const pieces = Object.prototype.hasOwnProperty.call(fillings, param.name) ? fillings[param.name]! : [];
      const all = pieces.map((piece) => (typeof piece === "string" ? piece : valueOf(piece[0])));
      return all.length === 1 ? all[0] : all.length > 1 && all.every((piece) => typeof piece === "string") ? all.join("") : undefined;
    });
    try {
      const url = urlOfAny(target, texts.map((text, index) => (typeof text === "string" ? formOf(target.params()[index]!, text, tools) : text)), tools);
      return { step: { status, location: withRest(url, reading, route), route, isExternal: false } };
    } catch (error) {
      if (error instanceof LinkError) return { missing: [target, error.message] };
      throw error;
    }
  };
}

/** Sends visitors to sign in, with the way back. */
export function signIn(tools: Tools): (to: Route, reading: Reading, end: End, showsPage: () => boolean, method: string) => string | undefined {
  return (to, reading, end, showsPage, method) => {
    const { route } = end;
    const given: Texts = to.params().map(({ name, kind }) => {
      const index = route.params().findIndex((own) => own.name === name && own.kind === kind);
      return name === RETURN || index < 0 ? undefined : valuesOf(reading, end)[index];
    });
    const isRead = method === "GET" || method === "HEAD" || showsPage();
    const place = to.params().findIndex(({ name }) => name === RETURN);
    const back = isRead && place >= 0 ? linked(() => urlOf(to, given.map((text, index) => (index === place ? addressOf(reading, to.table.site) : text)), tools)) : undefined;
    return back ?? linked(() => urlOf(to, given, tools));
  };
}
