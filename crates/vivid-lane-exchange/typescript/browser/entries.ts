// The entries of the history: each has a number, which grows from the first to the last, the scroll position at which it was left, and
// what the application keeps with it.

/** What we keep in the state of an entry, beside what others have there. */
export interface Stamp {
  readonly at: number;
  /** The number of the first entry since the visitor came. */
  readonly since: number;
  /** Were focus and scroll position left alone on the way here? */
  readonly stay?: boolean | undefined;
  readonly state?: unknown;
}

export const NAME = "lane";
export const SCROLLED = "lane:scroll";
export const RELOADED = "lane:reloaded";

/** What is kept for as long as the tab is open, if the browser lets us. */
export const stored = {
  read(name: string): unknown {
    try {
      return JSON.parse(sessionStorage.getItem(name) ?? "null");
    } catch {
      return null;
    }
  },
  /** Says whether it is kept. */
  write(name: string, value: unknown): boolean {
    try {
      sessionStorage.setItem(name, JSON.stringify(value));
      return true;
    } catch {
      return false;
    }
  },
};

export function stampIn(state: unknown): Stamp | undefined {
  const stamp = (state as { readonly [NAME]?: Partial<Stamp> } | null)?.[NAME];
  return typeof stamp?.at === "number" && typeof stamp.since === "number" ? (stamp as Stamp) : undefined;
}

export class Entries {
  /** That of the entry in the address bar. */
  declare stamp: Stamp;
  /** The number of the entry whose page is drawn; -1 before there is one. */
  declare drawn: number;
  declare private readonly positions: { [at: number]: readonly [x: number, y: number] };

  constructor() {
    const kept = stored.read(SCROLLED);
    this.positions = typeof kept === "object" && kept !== null ? (kept as Entries["positions"]) : {};
    const known = stampIn(history.state);
    const last = Math.max(-1, ...Object.keys(this.positions).map(Number).filter((at) => at >= 0));
    this.stamp = known ?? { at: last + 1, since: last + 1 };
    this.drawn = -1;
    this.mark();
  }

  /** Marks the entry in the address bar as ours, also where other code has taken the mark away. */
  mark(): void {
    if (stampIn(history.state)?.at !== this.stamp.at) this.write("replace", location.href, this.stamp);
  }

  /** Writes an address; says whether that went well. */
  write(kind: "push" | "replace", url: string, stamp: Stamp): boolean {
    const others: unknown = kind === "replace" ? history.state : undefined;
    try {
      history[kind === "push" ? "pushState" : "replaceState"]({ ...(typeof others === "object" ? others : undefined), [NAME]: stamp }, "", url);
    } catch {
      // There is a limit to how often, and to what is kept.
      return false;
    }
    this.stamp = stamp;
    // What lay ahead is gone.
    if (kind === "push") for (const at of Object.keys(this.positions)) if (Number(at) >= stamp.at) delete this.positions[Number(at)];
    return true;
  }

  /** The stamp of an entry that follows this one. */
  following(options: Pick<Stamp, "stay" | "state">): Stamp {
    return { ...options, at: this.stamp.at + 1, since: this.stamp.since };
  }

  /** Remembers where the page that is drawn is scrolled to. */
  remember(): void {
    if (this.drawn >= 0) this.positions[this.drawn] = [scrollX, scrollY];
  }

  /** Keeps what is remembered over a reload. */
  store(): void {
    this.remember();
    this.mark();
    stored.write(SCROLLED, this.positions);
  }

  /** Where the page of this entry was scrolled to, if it was drawn before. */
  get position(): readonly [x: number, y: number] | undefined {
    return this.positions[this.stamp.at];
  }
}
