import { brotliDecompressSync, gunzipSync, inflateRawSync, inflateSync } from "node:zlib";

/** What is unpacked in one piece; a body that becomes more is unpacked as a stream. */
const AT_ONCE = { maxOutputLength: 16_000_000 };

/**
 * Content out of a body as it was sent; undefined where the coding is none that Node.js knows, or the body is broken;
 * `too-large` where it is more than should be held in memory.
 */
export function decode(body: Buffer, coding: string): Buffer | "too-large" | undefined {
  try {
    switch (coding.trim().toLowerCase()) {
      case "":
      case "identity":
        return body;
      case "gzip":
      case "x-gzip":
        return gunzipSync(body, AT_ONCE);
      case "br":
        return brotliDecompressSync(body, AT_ONCE);
      case "deflate":
        return inflate(body);
      default:
        return undefined;
    }
  } catch (error) {
    return isTooLarge(error) ? "too-large" : undefined;
  }
}

const isTooLarge = (error: unknown): boolean =>
  (error as NodeJS.ErrnoException).code === "ERR_BUFFER_TOO_LARGE";

/** RFC 9110 §8.4.1.2: zlib format, though some send it raw. */
function inflate(body: Buffer): Buffer {
  try {
    return inflateSync(body, AT_ONCE);
  } catch (error) {
    if (isTooLarge(error)) throw error;
    return inflateRawSync(body, AT_ONCE);
  }
}
