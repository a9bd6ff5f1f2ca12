// Percent-encoding (RFC 3986, section 2.1). Texts are well-formed: lone surrogates were replaced when the URL came in.

/** Escapes all but unreserved characters. */
export function encodeUnreserved(text: string): string {
  return encodeURIComponent(text).replace(/[!'()*]/g, (one) => "%" + one.charCodeAt(0).toString(16).toUpperCase());
}

/** Escapes what is neither unreserved, nor reserved, nor an escape (RFC 6570, section 3.2.1). */
export function encodeReserved(text: string): string {
  return text.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:/?#[\]@!$&'()*+,;=]/gu, (one, escape?: string) => escape ?? encodeURIComponent(one));
}

/** Escapes what may not stand in a segment. */
export function encodeSegment(text: string): string {
  return text.replace(/[^\w\-.~:[\]@!$&'()*+,;=]/gu, encodeURIComponent);
}

/** A segment in its normal form (RFC 3986, section 6.2.2). */
export function normalSegment(raw: string): string {
  return raw.replace(/%([0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=]/gu, (one, digits?: string) => {
    if (digits === undefined) return encodeURIComponent(one);
    const character = String.fromCharCode(parseInt(digits, 16));
    return /[\w\-.~]/.test(character) ? character : one.toUpperCase();
  });
}

/** A query in which nothing stands that a URL cannot hold. */
export function cleanQuery(raw: string): string {
  return raw.replace(/(%[0-9A-Fa-f]{2})|[^\w\-.~:[\]@!$&'()*+,;=/?]/gu, (one, escape?: string) => escape ?? encodeURIComponent(one));
}

export function hasControl(text: string): boolean {
  return /[\0-\x1f\x7f]/.test(text);
}

/** A segment without its escapes; a number says why it has no such form: 0 escape, 1 UTF-8, 2 control character. */
export function decode(raw: string): string | number {
  if (/%(?![0-9A-Fa-f]{2})/.test(raw)) return 0;
  try {
    const text = decodeURIComponent(raw);
    return hasControl(text) ? 2 : text;
  } catch {
    return 1;
  }
}

/** A name or value of a query (WHATWG, URL, section 5.1); nothing in it is wrong. */
export function decodeForm(raw: string): string {
  return raw.replace(/\+/g, " ").replace(/(?:%[0-9A-Fa-f]{2})+/g, (escapes) => {
    try {
      return decodeURIComponent(escapes);
    } catch {
      return lossy(escapes);
    }
  });
}

/** Escapes of bytes that are not all UTF-8: each part that cannot be read becomes U+FFFD (WHATWG, Encoding, section 8.1.1). */
function lossy(escapes: string): string {
  const byte = (at: number): number => parseInt(escapes.slice(3 * at + 1, 3 * at + 3), 16);
  let out = "";
  for (let at = 0; at < escapes.length / 3; ) {
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
export function bytesOf(text: string): number[] {
  const bytes: number[] = [];
  for (const one of text) {
    const code = one.codePointAt(0)!;
    if (code < 0x80) bytes.push(code);
    else if (code < 0x800) bytes.push(0xc0 | (code >> 6), 0x80 | (code & 63));
    else if (code < 0x10000) bytes.push(0xe0 | (code >> 12), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63));
    else bytes.push(0xf0 | (code >> 18), 0x80 | ((code >> 12) & 63), 0x80 | ((code >> 6) & 63), 0x80 | (code & 63));
  }
  return bytes;
}

/** How many bytes a text has, if it may have more than a limit. */
export function isLonger(text: string, limit: number): boolean {
  return text.length > limit || (text.length * 3 > limit && bytesOf(text).length > limit);
}
