import { brotliCompressSync, deflateRawSync, deflateSync, gzipSync } from "node:zlib";
import { decode } from "./decode.ts";

const CODINGS: readonly [string, (bytes: Buffer) => Buffer][] = [
  ["gzip", gzipSync],
  [" X-Gzip ", gzipSync],
  ["br", brotliCompressSync],
  ["deflate", deflateSync],
  ["deflate", deflateRawSync],
];

test("what was encoded is read, in each way that Node.js knows, up to what is held in memory", () => {
  const text = Buffer.from("Cape Wren");
  const large = Buffer.alloc(16_000_001);
  for (const [coding, encode] of CODINGS) {
    expect([coding, decode(encode(text), coding)]).toEqual([coding, text]);
    expect([coding, decode(encode(large), coding)]).toEqual([coding, "too-large"]);
    expect([coding, decode(text, coding)]).toEqual([coding, undefined]);
  }
  for (const coding of ["", "identity"]) expect(decode(text, coding)).toBe(text);
  expect(decode(text, "zstd")).toBeUndefined();
});
