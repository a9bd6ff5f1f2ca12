/** Makes the URL of a route, as the table does: with what its rules refuse, it throws a `RangeError`. */
export function link<Name extends RouteName>(
  name: Name,
  ...[values]: {} extends Links[Name] ? [values?: Links[Name]] : [values: Links[Name]]
): string {
  if (!Object.prototype.hasOwnProperty.call(routes, name)) {
    throw new RangeError(`no route is named ${JSON.stringify(name)}`);
  }
  const route: Route = routes[name];
  const given = checked(name, route, (values ?? {}) as Given);
  fillGaps(name, route, given);
  let text = "";
  for (const part of route.path) {
    text += typeof part === "string" ? part : expanded(part, given);
  }
  let host = "";
  for (const part of route.host ?? []) {
    host += typeof part === "string" ? part : expanded(part, given);
  }
  const url = (host === "" ? "" : site.scheme + "://" + host) + address(name, text);
  if (url.length > site.longest) {
    throw new RangeError(`the URL of "${name}" would be longer than ${site.longest} bytes`);
  }
  return url;
}

type Value = string | readonly string[] | readonly (readonly [string, string])[];
type Given = { [name: string]: unknown };
type Checked = Map<string, Value>;

/** What one text may be. */
interface Rule {
  /** May it be empty, and may it hold control characters? */
  readonly empty?: true;
  readonly control?: true;
  /** The index of the automaton that knows the values, and the rule in words. */
  readonly rule?: number;
  readonly words?: string;
}

interface Param extends Rule {
  readonly name: string;
  /** One text, a list of texts, or a list of pairs. */
  readonly kind: "text" | "list" | "pairs";
  readonly optional?: true;
  readonly default?: Value;
  /** How many items a list has at least and at most, and whether none may be there twice. */
  readonly least?: number;
  readonly most?: number;
  readonly unique?: true;
  /** What the names of pairs may be. */
  readonly names?: Rule;
}

interface Expression {
  readonly operator: "" | "+" | "#" | "." | "/" | ";" | "?" | "&";
  readonly names: readonly string[];
}

interface Route {
  readonly path: readonly (string | Expression)[];
  readonly host?: readonly (string | Expression)[];
  readonly params: readonly Param[];
}

/** A set of texts: classes of bytes, as lengths of stretches and their class, and for each state and class the next state. */
interface Automaton {
  readonly classes: readonly number[];
  readonly width: number;
  readonly start: number;
  readonly next: readonly number[];
  readonly ends: readonly number[];
}

const utf8 = new TextEncoder();

function accepts(automaton: Automaton, text: string): boolean {
  let state = automaton.start;
  for (const byte of utf8.encode(text)) {
    let at = 0;
    let end = automaton.classes[0]!;
    while (byte >= end) {
      at += 2;
      end += automaton.classes[at]!;
    }
    state = automaton.next[state * automaton.width + automaton.classes[at + 1]!]!;
  }
  return automaton.ends.includes(state);
}

function checked(route: string, { params }: Route, given: Given): Checked {
  for (const name of Object.keys(given)) {
    if (given[name] !== undefined && !params.some((param) => param.name === name)) {
      throw new RangeError(`"${route}" has no parameter ${JSON.stringify(name)}`);
    }
  }
  const all: Checked = new Map();
  for (const param of params) {
    const value = Object.prototype.hasOwnProperty.call(given, param.name) ? given[param.name] : undefined;
    // A list without items is none.
    if (value === undefined || (Array.isArray(value) && value.length === 0)) {
      if (param.optional) continue;
      if (param.default === undefined) throw new RangeError(`"${route}" needs the parameter "${param.name}"`);
      all.set(param.name, param.default);
      continue;
    }
    if (param.optional && param.kind === "text" && typeof value !== "object" && String(value) === param.default) continue;
    const fit = fitting(route, param, value);
    if (!(param.optional && JSON.stringify(fit) === JSON.stringify(param.default))) all.set(param.name, fit);
  }
  return all;
}

function fitting(route: string, param: Param, value: unknown): Value {
  const wrong = (expected: string) => new RangeError(`"${route}" expects ${expected} as "${param.name}"`);
  if (param.kind === "text") {
    if (typeof value === "object") throw wrong("one value");
    return text(route, param, param, value);
  }
  const items = Array.isArray(value) ? value : [value];
  if (items.length < (param.least ?? 0) || items.length > (param.most ?? Infinity)) {
    throw wrong(`${param.least ?? 0} to ${param.most ?? "any number of"} values`);
  }
  if (param.kind === "pairs") {
    return items.map((pair): readonly [string, string] => {
      if (!Array.isArray(pair) || pair.length !== 2) throw wrong("a list of pairs");
      return [text(route, param, param.names ?? {}, pair[0]), text(route, param, param, pair[1])];
    });
  }
  if (items.some((item) => typeof item === "object")) throw wrong("a list of texts");
  const texts = items.map((item) => text(route, param, param, item));
  if (param.unique && new Set(texts).size < texts.length) throw wrong("no value twice");
  return texts;
}

function text(route: string, param: Param, rule: Rule, value: unknown): string {
  const text = String(value);
  if (!rule.control && /[\u0000-\u001f\u007f]/.test(text)) {
    throw new RangeError(`a value of "${param.name}" for "${route}" holds a control character`);
  }
  if (text === "" && rule.empty) return text;
  const automaton = rule.rule === undefined ? undefined : automata[rule.rule];
  if (text === "" || (automaton !== undefined && !accepts(automaton, text))) {
    const words = rule.words ? `; its rule: ${rule.words}` : "";
    throw new RangeError(`"${route}" refuses ${JSON.stringify(text)} as "${param.name}"${words}`);
  }
  return text;
}

/** What is filled from left to right has no gaps: the default of a value before another is written after all. */
function fillGaps(route: string, { path, params }: Route, values: Checked): void {
  for (const part of path) {
    if (typeof part === "string" || (part.operator !== "/" && part.operator !== ".")) continue;
    const names = part.names.map((name) => name.replace("*", ""));
    let last = names.length - 1;
    while (last >= 0 && !values.has(names[last]!)) last -= 1;
    for (const name of names.slice(0, Math.max(last, 0))) {
      if (values.has(name)) continue;
      const known = params.find((param) => param.name === name)?.default;
      if (known === undefined) {
        throw new RangeError(`"${route}" is given "${names[last]}" without "${name}" before it`);
      }
      values.set(name, known);
    }
  }
}

/** RFC 6570, appendix A. */
function expanded({ operator, names }: Expression, values: Checked): string {
  const separator = operator === "?" ? "&" : operator === "" || operator === "+" || operator === "#" ? "," : operator;
  const named = operator === ";" || operator === "?" || operator === "&";
  const keep = operator === "+" || operator === "#";
  const encode = keep ? reserved : unreserved;
  const pair = (name: string, value: string) =>
    reserved(name) + (value === "" ? (operator === ";" ? "" : "=") : "=" + encode(value));
  const pieces: string[] = [];
  for (const variable of names) {
    const exploded = variable.endsWith("*");
    const name = exploded ? variable.slice(0, -1) : variable;
    const value = values.get(name);
    if (value === undefined) continue;
    if (typeof value === "string") {
      pieces.push(named ? pair(name, value) : encode(value));
    } else {
      const item = (one: string | readonly [string, string]) => {
        if (typeof one === "string") return exploded && named ? pair(name, one) : encode(one);
        const between = !exploded ? "," : operator === ";" && one[1] === "" ? "" : "=";
        return encode(one[0]) + between + encode(one[1]);
      };
      const items = value.map(item);
      if (exploded) pieces.push(items.join(separator));
      else pieces.push((named ? reserved(name) + "=" : "") + items.join(","));
    }
  }
  const lead = operator === "+" ? "" : operator;
  return pieces.length === 0 ? "" : lead + pieces.join(separator);
}

function escaped(byte: number): string {
  return "%" + byte.toString(16).toUpperCase().padStart(2, "0");
}

/** RFC 3986, section 2.3: all but these are escaped. */
function unreserved(text: string): string {
  return text.replace(/[^A-Za-z0-9\-._~]+/gu, (piece) => Array.from(utf8.encode(piece), escaped).join(""));
}

/** RFC 6570, section 3.2.1: reserved characters and escapes stay. */
function reserved(text: string): string {
  return text.replace(/%[0-9A-Fa-f]{2}|[^A-Za-z0-9\-._~:/?#[\]@!$&'()*+,;=]/gu, (piece) =>
    piece.length === 3 && piece[0] === "%" ? piece : Array.from(utf8.encode(piece), escaped).join(""),
  );
}

/** The normal form of a path (RFC 3986, section 6.2.2): no escape of what needs none, capitals in the others. */
function normal(path: string): string {
  return path.replace(/%([0-9A-Fa-f]{2})/g, (_, digits: string) => {
    const byte = parseInt(digits, 16);
    const character = String.fromCharCode(byte);
    return byte < 128 && unreserved(character) === character ? character : escaped(byte);
  });
}

/** Where the page stands on its site. */
function address(route: string, expanded: string): string {
  const text = expanded.startsWith("/") ? expanded : "/" + expanded;
  const cut = text.search(/[?#]/);
  const end = cut < 0 ? text.length : cut;
  const segments = text.slice(0, end).split("/");
  if (segments.some((segment) => segment === "." || segment === "..")) {
    throw new RangeError(`the path of "${route}" would have a segment of dots, which browsers take away`);
  }
  const path = normal(text.slice(0, end)).replace(/\/+$/, "");
  const isBareRoot = path === "" && (site.base === "" || site.fragment);
  return (site.fragment ? (site.base || "/") + "#" : site.base) + path + (site.slash || isBareRoot ? "/" : "") + text.slice(end);
}
