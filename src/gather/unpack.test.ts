import { gzipSync } from "node:zlib";
import fc from "fast-check";
import { holds } from "../../test/support/seeds.ts";
import { toRecordText } from "../ports/read-whole.ts";
import { unpackLines } from "./unpack.ts";

async function readLines(packed: Buffer): Promise<string[]> {
  const lines: string[] = [];
  for await (const some of unpackLines(packed, "k")) for (const one of some) lines.push(one);
  return lines;
}

/** Lines of a few letters, of many bytes each, and longer than what is unpacked at a time. */
const line = fc.tuple(fc.stringMatching(/^[a-z{}é€😀]{0,12}$/u), fc.constantFrom(1, 1, 1, 40_000)).map(([text, times]) => text.repeat(times)); // prettier-ignore

test("lines come as they were packed, wherever a piece of them ends", async () => {
  await holds(
    fc.asyncProperty(fc.array(line, { maxLength: 8 }), async (lines) => {
      const packed = gzipSync(lines.join("\n"));
      expect(await readLines(packed)).toEqual(lines.length === 0 ? [""] : lines);
      expect([packed, Buffer.from(lines.join("\n"))].map((bytes) => toRecordText(bytes, "k"))).toEqual([
        lines.join("\n"),
        lines.join("\n"),
      ]);
    }),
    { seeds: [4], numRuns: 60 },
  );
});

test("what is no whole gzip, or unpacks to more than a record can be, is refused", async () => {
  const whole = gzipSync("a line\n".repeat(50_000));
  const wrong = Buffer.from(whole);
  // The sum of all that was packed (RFC 1952 §2.3.1).
  wrong.writeUInt32LE(7, whole.length - 8);
  for (const bytes of [whole.subarray(0, -20), wrong, Buffer.from("a line\n"), Buffer.alloc(0)])
    await expect(readLines(bytes)).rejects.toMatchObject({ code: "record-unreadable", data: { cause: { code: "damaged" } } }); // prettier-ignore
  const bomb = gzipSync(Buffer.alloc(20_000_000, 10));
  const refusal = (code: string) => ({ code: "record-unreadable", data: { key: "k", cause: { code } } });
  await expect(readLines(bomb)).rejects.toMatchObject(refusal("too-large"));
  expect(() => toRecordText(bomb, "k")).toThrow(expect.objectContaining(refusal("too-large")) as Error);
  expect(() => toRecordText(wrong, "k")).toThrow(expect.objectContaining(refusal("damaged")) as Error);
});
