// What the module hands out, whatever the table.

/** What kept a link from being made. */
export type LinkErrorKind =
  | "unknown-route"
  | "group"
  | "redirect"
  | "no-origin"
  | "gap"
  | "unknown-param"
  | "missing"
  | "form"
  | "refused"
  | "long"
  | "captured"
  | "not-reversible";

/** A link that could not be made; the message says why and how to mend it. */
export class LinkError extends Error {
  declare readonly kind: LinkErrorKind;
  /** The name of the route that was asked for. */
  declare readonly route: string;
  /** The parameter that is to blame, where one is. */
  declare readonly param: string | undefined;

  constructor(kind: LinkErrorKind, route: string, message: string, param?: string) {
    super(message);
    this.name = "LinkError";
    this.kind = kind;
    this.route = route;
    this.param = param;
  }
}

/** Yes, no, or that it cannot be told now, with the seconds after which it is worth asking again. */
export type Answer = boolean | undefined | { readonly retryAfter?: number };

/** What a decision hangs on. */
export type Question =
  | { readonly list: string; readonly value: string }
  | { readonly need: string };
