// What is in the page, in the fragment of its address: JSON, deflated (RFC 1951), in base64url (RFC 4648, section 5).

const through = async (bytes, stream) => new Uint8Array(await new Response(new Blob([bytes]).stream().pipeThrough(stream)).arrayBuffer());

/** No more is read, whatever a link holds. */
const LONGEST = 1 << 20;

export async function toFragment(state) {
  const packed = await through(new TextEncoder().encode(JSON.stringify(state)), new CompressionStream("deflate-raw"));
  const text = Array.from(packed, (byte) => String.fromCharCode(byte)).join("");
  return btoa(text).replaceAll("+", "-").replaceAll("/", "_").replaceAll("=", "");
}

/** The state of a fragment, or `undefined` where it holds none. */
export async function fromFragment(fragment) {
  if (!fragment || fragment.length > LONGEST) return undefined;
  try {
    const text = atob(fragment.replaceAll("-", "+").replaceAll("_", "/"));
    const packed = Uint8Array.from(text, (letter) => letter.charCodeAt(0));
    const reader = new Blob([packed]).stream().pipeThrough(new DecompressionStream("deflate-raw")).getReader();
    const parts = [];
    for (let length = 0, part; !(part = await reader.read()).done; ) {
      length += part.value.length;
      if (length > LONGEST) return undefined;
      parts.push(part.value);
    }
    return checked(JSON.parse(await new Blob(parts).text()));
  } catch {
    return undefined;
  }
}

/** A link can hold anything: only what is of the right kind is taken. */
function checked(state) {
  const texts = (all) => (Array.isArray(all) ? all.filter((one) => typeof one === "string").slice(0, 100) : []);
  const files = Object.entries(state?.files ?? {}).filter(([, text]) => typeof text === "string");
  const visitor = Object.entries(state?.visitor ?? {}).filter(([, text]) => typeof text === "string");
  if (files.length === 0) return undefined;
  const main = files.some(([name]) => name === state.main) ? state.main : files[0][0];
  return { files: Object.fromEntries(files), main, urls: texts(state.urls), visitor: Object.fromEntries(visitor) };
}
