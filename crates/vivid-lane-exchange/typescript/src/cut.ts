// Segments of several pieces: texts and values in turn.

import { keyOf } from "./keys.js";
import { any, bytesOf, Rule, stepped, type Automaton, type Takes } from "./rules.js";
import { type Reading } from "./reading.js";
import { type Pieces, type Site, type Table } from "./table.js";
import { type Piece } from "./tree.js";

/** Makes segments of several pieces: how one is judged, and how it is cut into texts. */
function piecesBy(make: (pieces: readonly Piece[], site: Site, key: string) => Rule): Pieces {
  return {
    grow(table, node, pieces, segment) {
      const key = keyOfPieces(table, pieces, segment);
      const known = node.edges.find(({ rule }) => rule!.facts?.["key"] === key);
      return node.edge(table, known?.rule ?? make(pieces, table.site, key), false);
    },
    text(reading, { node: last }, segment, piece) {
      let node = last;
      while (node.depth > segment + 1) node = node.above!;
      return (node.rule!.facts!["cut"] as Cut)(reading, segment)[piece]!;
    },
  };
}

type Cut = (reading: Reading, segment: number) => readonly string[];

/** What such a segment is called: as the way has it, with the names of the rules. */
function keyOfPieces(table: Table, pieces: readonly Piece[], segment: string): string {
  const raws = segment.split(/(\{.*?\})/).filter((piece) => piece !== "");
  return pieces.map((piece, at) => (typeof piece === "string" ? raws[at]! : keyOf(table, piece.texts))).join("");
}

/**
 * A segment whose values are found by the texts beside them: one value with a text before or behind it, or values of any text with texts
 * between them, each of which ends where the text after it comes first.
 */
export const apart: Pieces = /* @__PURE__ */ piecesBy((pieces, _, key) => {
  const textsOf = (text: string): string[] | undefined => {
    const texts: string[] = [];
    let start = 0;
    for (const [at, piece] of pieces.entries()) {
      const next = pieces[at + 1] as string | undefined;
      const end =
        typeof piece === "string" ? (text.startsWith(piece, start) ? start + piece.length : -1)
        : next === undefined ? text.length
        : at + 2 < pieces.length ? text.indexOf(next, start + 1)
        : text.endsWith(next) ? text.length - next.length
        : -1;
      if (end <= start) return undefined;
      texts.push(text.slice(start, end));
      start = end;
    }
    return texts;
  };
  const takes: Takes = (text, from, to, reading) => {
    const texts = textsOf(text.slice(from, to));
    return texts !== undefined && pieces.every((piece, at) => typeof piece === "string" || piece.texts.takes(texts[at]!, 0, texts[at]!.length, reading));
  };
  const cut: Cut = (reading, segment) => textsOf(reading.segment(segment))!;
  return new Rule(takes, undefined, { key, cut });
});

/**
 * A segment of any pieces: of all ways in which every piece fits, the one whose first value is the shortest, then the second, and so on.
 * From the right it finds where the pieces that follow can begin, then it goes from the left; linear for each state of the rules.
 */
export const cut: Pieces = /* @__PURE__ */ piecesBy((pieces, site, key) => {
  const rules = pieces.map((piece) => (typeof piece === "string" ? piece : piece.texts));
  const isJoined = (rule: string | Rule): boolean => typeof rule === "object" && rule.facts?.["join"] !== undefined;
  const marks = rules.some(isJoined) ? site.marks : undefined;
  const whole = (reading: Reading, segment: number): string => (marks ? marks.marked(reading.raw(segment)) : reading.segment(segment));
  const unmarked = (text: string): string => (marks ? marks.plain(text) : text);
  const partOf = (rule: string | Rule, text: string): string => (typeof rule === "string" || isJoined(rule) ? text : unmarked(text));
  const textsOf = (text: string): string[] | undefined => split(rules, text, site.cuts, unmarked);
  const cut: Cut = (reading, segment) => textsOf(whole(reading, segment))!.map((text, at) => partOf(rules[at]!, text));
  return new Rule(
    (text, from, to, reading, segment) => {
      const texts = textsOf(segment === undefined ? text.slice(from, to) : whole(reading!, segment));
      return (
        texts !== undefined &&
        rules.every((rule, at) => {
          if (typeof rule === "string") return true;
          const part = partOf(rule, texts[at]!);
          return part !== "" && (rule === any || rule.takes(part, 0, part.length, reading));
        })
      );
    },
    undefined,
    { key, cut },
  );
});

/** Cuts a text into its pieces; nothing where it has no such pieces. */
export function split(rules: readonly (string | Rule)[], text: string, cuts: Site["cuts"], plainOf: (text: string) => string): string[] | undefined {
  const automatonOf = (rule: Rule): Automaton | undefined => cuts?.get(rule);
  // Characters, not bytes: no piece begins within one. An automaton reads the bytes of each.
  const chars = Array.from(text);
  const bytes = chars.map(bytesOf);

  /** Where a piece can start so that it ends at a good place. */
  function startsOf(piece: string | Rule, good: readonly boolean[]): boolean[] {
    if (typeof piece === "string") {
      const wanted = Array.from(piece);
      return good.map((_, at) => good[at + wanted.length] === true && wanted.every((one, index) => plainOf(chars[at + index]!) === one));
    }
    const automaton = automatonOf(piece);
    const starts: boolean[] = [];
    let isGoodAfter = false;
    let alive: boolean[] = [];
    for (let at = chars.length; at >= 0; at -= 1) {
      if (automaton) {
        const before = alive;
        const read = (from: number): number => bytes[at]?.reduce((state, byte) => (state < 0 ? state : stepped(automaton[state]!, byte)), from) ?? -1;
        alive = automaton.map((state, from) => (good[at]! && state[0] === 1) || before[read(from)] === true);
        starts[at] = alive[0]!;
      } else {
        starts[at] = isGoodAfter;
        isGoodAfter ||= good[at]!;
      }
    }
    return starts;
  }

  /** The first good place where a piece can end. */
  function shortest(piece: string | Rule, start: number, good: readonly boolean[]): number {
    if (typeof piece === "string") return start + Array.from(piece).length;
    const automaton = automatonOf(piece);
    let state = 0;
    for (let at = start; at < bytes.length; at += 1) {
      if (automaton) state = bytes[at]!.reduce((from, byte) => stepped(automaton[from]!, byte), state);
      if (good[at + 1] && (!automaton || automaton[state]![0] === 1)) return at + 1;
    }
    return bytes.length;
  }

  // For each piece where the text can be cut so that it and all that follow fit.
  const ends: boolean[][] = [];
  let good = [...chars.map(() => false), true];
  for (let at = rules.length - 1; at >= 0; at -= 1) {
    ends[at] = good;
    good = startsOf(rules[at]!, good);
  }
  if (!good[0]) return undefined;
  let start = 0;
  return rules.map((rule, at) => {
    const end = shortest(rule, start, ends[at]!);
    const own = chars.slice(start, end).join("");
    start = end;
    return own;
  });
}
