import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import fc from "fast-check";
import { temporaryFolder } from "../../test/support/builds.ts";
import { holds } from "../../test/support/seeds.ts";
import { findLogFiles, readLog } from "./read-logs.ts";

async function* inPieces(bytes: Uint8Array, length: number): AsyncIterable<Uint8Array> {
  for (let at = 0; at < bytes.length; at += length)
    yield await Promise.resolve(bytes.subarray(at, at + length));
}

async function read(bytes: Uint8Array, piece = 7): Promise<{ end: string; lines: string[] }> {
  const lines: string[] = [];
  const end = await readLog({ name: "x", open: () => inPieces(bytes, piece) }, (line) => lines.push(line));
  return { end, lines };
}

test("lines come out as they stand there, packed or not, whatever the pieces in which bytes arrive", async () => {
  const text = fc.string({ unit: fc.constantFrom("a", "é", "\u{1f6a2}", " ", "\r"), maxLength: 9 });
  await holds(
    fc.asyncProperty(fc.array(text, { maxLength: 12 }), fc.integer({ min: 1, max: 9 }), fc.boolean(), fc.boolean(), async (lines, piece, isPacked, hasEnd) => {
      const whole = lines.join("\n") + (hasEnd ? "\n" : "");
      const plain = Buffer.from(whole);
      // Services append one packed piece to another.
      const half = Math.floor(plain.length / 2);
      const bytes = isPacked ? Buffer.concat([gzipSync(plain.subarray(0, half)), gzipSync(plain.subarray(half))]) : plain;
      const wanted = whole.split("\n");
      expect(await read(bytes, piece)).toEqual({ end: "whole", lines: wanted.at(-1) === "" ? wanted.slice(0, -1) : wanted });
    }),
    { seeds: [1], numRuns: 100 },
  );
}); // prettier-ignore

test("a packed log that ends in the middle gives what can be read of it, and what is no line is not held in memory", async () => {
  const noise = Array.from({ length: 20_000 }, (_, at) => `line ${(at * 2_654_435_761) % 4_294_967_291}`);
  const packed = gzipSync(noise.join("\n"));
  const { end, lines } = await read(packed.subarray(0, packed.length - 2000), 4096);
  // The last line may be a piece of one.
  expect([end, lines.length > 15_000, lines.slice(0, -1)]).toEqual([
    "cut",
    true,
    noise.slice(0, lines.length - 1),
  ]);
  const short = gzipSync("one\ntwo\nthree");
  expect(await read(short.subarray(0, -6), 5)).toEqual({ end: "cut", lines: ["one", "two", "three"] });
  const long = await read(Buffer.from(`a\n${"x".repeat(200_000)}\nb`), 4096);
  expect(long).toEqual({ end: "whole", lines: ["a", "too long", "b"] });
});

test("files are taken as they are named, folders with all that is in them, hidden files left out; - is standard input", async () => {
  const folder = temporaryFolder("logs");
  mkdirSync(join(folder, "march"));
  for (const name of ["march/b.log", "march/a.log.gz", ".hidden", "single.log"])
    writeFileSync(join(folder, name), name);
  const stdin = (): AsyncIterable<Uint8Array> => inPieces(Buffer.from("from outside"), 3);
  const found = findLogFiles([join(folder, "single.log"), "-", folder], stdin);
  expect(found.map(({ name }) => name)).toEqual([
    "single.log",
    "standard input",
    "a.log.gz",
    "b.log",
    "single.log",
  ]);
  const lines: string[] = [];
  for (const log of found) await readLog(log, (line) => lines.push(line));
  expect(lines).toEqual(["single.log", "from outside", "march/a.log.gz", "march/b.log", "single.log"]);
  expect(() => findLogFiles([join(folder, "none")], stdin)).toThrow("ENOENT");
});
