import { brotliDecompressSync, gunzipSync, inflateRawSync, inflateSync } from "node:zlib";

/** Content out of a body as it was sent; undefined where the coding is none that Node.js knows, or the body is broken. */
export function decode(body: Buffer, coding: string): Buffer | undefined {
  try {
    switch (coding.trim().toLowerCase()) {
      case "":
      case "identity":
        return body;
      case "gzip":
      case "x-gzip":
        return gunzipSync(body);
      case "br":
        return brotliDecompressSync(body);
      case "deflate":
        return inflate(body);
      default:
        return undefined;
    }
  } catch {
    return undefined;
  }
}

/** RFC 9110 §8.4.1.2: zlib format, though some send it raw. */
function inflate(body: Buffer): Buffer {
  try {
    return inflateSync(body);
  } catch {
    return inflateRawSync(body);
  }
}
