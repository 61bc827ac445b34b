import mime from "mime-types";

/**
 * The media type of a file: from the standard database by its extension, from its first bytes where it has none.
 * Text types say their character set, since browsers guess otherwise (WHATWG HTML §13.2.3.2).
 * @param head the first bytes of the file; 512 are enough
 */
export function decideContentType(path: string, head: Uint8Array): string {
  return withCharset(
    isTypedByName(path) ? String(lookUp(path.slice(path.lastIndexOf("/") + 1))) : sniff(head),
  );
}

/** Whether the name alone tells the type; then nobody needs the file's first bytes. */
export function isTypedByName(path: string): boolean {
  const name = path.slice(path.lastIndexOf("/") + 1);
  return /.\.[^.]+$/.test(name) && lookUp(name) !== undefined;
}

/** Types that the database gives otherwise, or not at all, and that browsers only take so. */
const BY_BROWSERS: Readonly<Record<string, string>> = {
  cjs: "text/javascript",
  es6: "text/javascript",
  jsm: "text/javascript",
  flac: "audio/flac",
  m4v: "video/mp4",
  importmap: "application/importmap+json",
  sxg: "application/signed-exchange;v=b3",
};

function lookUp(name: string): string | undefined {
  const ending = name.slice(name.lastIndexOf(".") + 1).toLowerCase();
  return BY_BROWSERS[ending] ?? (mime.lookup(name) || undefined);
}

const ENCODED = /\.(br|gz)$/i;
/** What pages load by its encoded name, and nobody saves as it is. */
const LOADED_ENCODED = /\.([\w-]+\.br|(m?js|cjs|css|wasm|data)\.gz)$/i;

/** The name of what an encoded file holds; undefined for any other file. */
export const toOriginalName = (path: string): string | undefined =>
  ENCODED.test(path) ? path.replace(ENCODED, "") : undefined;

/**
 * How a file is encoded that browsers are to decode by themselves (RFC 9110 §8.4): a compressed picture, or what a page loads
 * by its encoded name, since the build has it in no other form.
 */
export function decideEncoding(path: string, hasOriginal: boolean): "br" | "gzip" | undefined {
  if (/\.svgz$/i.test(path)) return "gzip";
  if (hasOriginal || !LOADED_ENCODED.test(path)) return undefined;
  return /\.br$/i.test(path) ? "br" : "gzip";
}

/** The media type with `; charset=utf-8` where it is a text without one (RFC 9110 §8.3.2). */
export const withCharset = (type: string): string =>
  /^text\/[^;]+$/.test(type) ? `${type}; charset=utf-8` : type;

/** First bytes that tell a type (WHATWG MIME Sniffing §6, the types that builds hold). */
const SIGNATURES: readonly (readonly [string, string])[] = [
  ["\x89PNG\r\n\x1a\n", "image/png"],
  ["\xff\xd8\xff", "image/jpeg"],
  ["GIF8", "image/gif"],
  ["%PDF-", "application/pdf"],
  ["PK\x03\x04", "application/zip"],
  ["\x1f\x8b\x08", "application/gzip"],
  ["wOF2", "font/woff2"],
  ["wOFF", "font/woff"],
  ["\0asm", "application/wasm"],
];

function sniff(head: Uint8Array): string {
  const start = String.fromCharCode(...head.subarray(0, 512));
  const known = SIGNATURES.find(([signature]) => start.startsWith(signature));
  if (known) return known[1];
  const text = start.replace(/^\xef\xbb\xbf/, "").trimStart();
  if (/^<(!doctype html|html|head|body)\b/i.test(text)) return "text/html";
  if (/^<\?xml\b/.test(text)) return "application/xml";
  if (/^[{[]/.test(text) && /^[\s[{]*("|\}|\]|-?\d|true|false|null)/.test(text)) return "application/json";
  // A control character that text does not hold makes it data (MIME Sniffing §5.2).
  return head.length > 0 && !/[\0-\x08\x0b\x0e-\x1a\x1c-\x1f]/.test(start)
    ? "text/plain"
    : "application/octet-stream";
}
