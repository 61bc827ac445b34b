import { createHash } from "node:crypto";
import { setImmediate } from "node:timers/promises";
import type { S3Client } from "@aws-sdk/client-s3";
import { NEVER_AGAIN, StoreError, type Content } from "../../../ports/object-store.ts";
import { abandonUploads, copyInParts, sendInParts, type UploadTools } from "./multipart.ts";

const MIB = 1024 * 1024;
const sumOf = (bytes: Uint8Array, kind = "sha256"): string => createHash(kind).update(bytes).digest("base64");

interface Asked {
  readonly name: string;
  readonly input: Record<string, unknown>;
}

/** A client that keeps what it is asked for, the bytes of a part only when it answers. */
function stand(answer: (asked: Asked) => unknown = () => ({})) {
  const asked: Asked[] = [];
  const parts: string[] = [];
  let [under, most] = [0, 0];
  const send = async ({ constructor, input }: { constructor: { name: string }; input: Asked["input"] }) => {
    const name = constructor.name.replace(/Command$/, "");
    asked.push({ name, input });
    if (name === "CreateMultipartUpload") return { UploadId: "upload" };
    most = Math.max(most, ++under);
    await setImmediate();
    under -= 1;
    if (name === "UploadPart") parts[Number(input.PartNumber) - 1] = sumOf(input.Body as Buffer);
    return answer({ name, input });
  };
  const counted: string[] = [];
  const tools: UploadTools = {
    client: { send } as unknown as S3Client,
    count: (kind) => counted.push(kind),
    again: NEVER_AGAIN,
    toFailure: (error) => new StoreError("server", "", { action: { do: "list" } }, error),
    address: { Bucket: "practice", Key: "film.mp4" },
  };
  return { tools, asked, parts, counted, most: () => most, names: () => asked.map(({ name }) => name) };
}

/** Content that differs from place to place, read in pieces of an odd size. */
function toContent(size: number): Content & { readonly bytes: Buffer } {
  const bytes = Buffer.alloc(size, Buffer.from(Array.from({ length: 251 }, (_, letter) => letter)));
  const hash = createHash("sha256").update(bytes).digest("hex");
  async function* open() {
    for (let at = 0; at < size; at += 1_000_003)
      yield await Promise.resolve(bytes.subarray(at, at + 1_000_003));
  }
  return { size, hash, bytes, open: open as unknown as Content["open"] };
}

const whole = (content: { readonly bytes: Buffer }): Content => ({ ...(content as never as Content), open: () => content.bytes }); // prettier-ignore

test("a file goes in parts of 8 MiB, the last as long as is left, four at once, each with its hash", async () => {
  const [five, three] = [toContent(40 * MIB), toContent(16 * MIB + 1)];
  for (const [{ bytes }, lengths, contents] of [
    [five, [8, 8, 8, 8, 8].map((part) => part * MIB), [five]],
    [three, [8 * MIB, 8 * MIB, 1], [three, whole(three)]],
  ] as const)
    for (const content of contents) {
      const { tools, asked, parts, counted, most } = stand(({ input }) => ({ ETag: `"${String(input.PartNumber)}"` })); // prettier-ignore
      await sendInParts(tools, content, { ContentType: "video/mp4" }, { IfNoneMatch: "*" });
      const sent = asked.filter(({ name }) => name === "UploadPart").map(({ input }) => input);
      expect(sent.map(({ ContentLength }) => ContentLength)).toEqual(lengths);
      const expected = lengths.map((length, at) =>
        sumOf(bytes.subarray(at * 8 * MIB, at * 8 * MIB + length)),
      );
      expect(parts).toEqual(expected);
      expect(sent.map(({ ChecksumSHA256 }) => Buffer.from(String(ChecksumSHA256), "hex").toString("base64"))).toEqual(expected); // prettier-ignore
      expect([counted.length, most() <= 4]).toEqual([lengths.length + 2, true]);
      expect(asked[0]?.input).toMatchObject({
        Bucket: "practice",
        Key: "film.mp4",
        ContentType: "video/mp4",
      });
      expect(asked.at(-1)).toMatchObject({
        name: "CompleteMultipartUpload",
        input: {
          ...{ UploadId: "upload", IfNoneMatch: "*" },
          MultipartUpload: { Parts: lengths.map((_, at) => ({ PartNumber: at + 1, ETag: `"${at + 1}"` })) },
        },
      });
    }
});

test("a file that became another while it was read is not put together, and its parts are let go", async () => {
  const content = toContent(9 * MIB);
  for (const wrong of [{ hash: "0".repeat(64) }, { size: 9 * MIB + 1 }]) {
    const { tools, names } = stand();
    await expect(sendInParts(tools, { ...content, ...wrong }, {}, {})).rejects.toMatchObject({
      kind: "integrity",
    });
    expect(names()).toEqual(["CreateMultipartUpload", "UploadPart", "UploadPart", "AbortMultipartUpload"]);
  }
});

test("a part that fails ends it: no more are begun, and what was sent is let go", async () => {
  const { tools, names } = stand(({ input, name }) => {
    if (name === "AbortMultipartUpload" || input.PartNumber === 1) throw new Error("no");
    return {};
  });
  await expect(sendInParts(tools, toContent(80 * MIB), {}, {})).rejects.toMatchObject({ kind: "server" });
  expect(names().filter((name) => name === "UploadPart").length).toBeLessThan(9);
  expect(names().at(-1)).toBe("AbortMultipartUpload");
});

test("a bucket that wants an MD5 besides gets it, once", async () => {
  const content = toContent(8 * MIB);
  const { tools, asked } = stand(({ name, input }) => {
    if (name === "UploadPart" && input.ContentMD5 === undefined) throw new Error("Content-MD5 is required");
    return {};
  });
  await sendInParts(tools, content, {}, {});
  const sums = asked.filter(({ name }) => name === "UploadPart").map(({ input }) => input.ContentMD5);
  expect(sums).toEqual([undefined, sumOf(content.bytes, "md5")]);
  const stubborn = stand(({ name }) => {
    if (name === "UploadPart") throw new Error("Content-MD5 is required");
    return {};
  });
  await expect(sendInParts(stubborn.tools, content, {}, {})).rejects.toMatchObject({ kind: "server" });
  expect(stubborn.names().filter((name) => name === "UploadPart")).toHaveLength(2);
});

test.each<[string, number, (string | undefined)[]]>([
  ["nothing", 0, [undefined]],
  ["what goes in one", 512 * MIB, [undefined]],
  ["a byte more", 512 * MIB + 1, ["0-536870911", "536870912-536870912"]],
])("a copy of %s names the ranges of its parts", async (_, size, ranges) => {
  const { tools, asked, counted } = stand(() => ({ CopyPartResult: { ETag: "part" } }));
  await copyInParts(tools, { CopySource: "practice/a", CopySourceIfMatch: "e", size }, {}, { IfMatch: "f" });
  const parts = asked.filter(({ name }) => name === "UploadPartCopy").map(({ input }) => input);
  expect(parts.map(({ CopySourceRange }) => CopySourceRange)).toEqual(
    ranges.map((range) => range && `bytes=${range}`),
  );
  expect(parts[0]).toMatchObject({ CopySource: "practice/a", CopySourceIfMatch: "e", PartNumber: 1 });
  expect(asked.at(-1)?.input).toMatchObject({ IfMatch: "f", MultipartUpload: { Parts: ranges.map((_, at) => ({ PartNumber: at + 1, ETag: "part" })) } }); // prettier-ignore
  expect(counted).toHaveLength(ranges.length + 2);
});

test("however large it is, it goes in no more parts than the protocol takes", async () => {
  const { tools, names } = stand();
  await copyInParts(tools, { CopySource: "practice/a", size: 10 * 1024 ** 4 }, {}, {});
  expect(names().filter((name) => name === "UploadPartCopy").length).toBeLessThanOrEqual(10_000);
});

test("uploads that nobody put together are let go, over all pages, and only those under these keys", async () => {
  const pages = [
    { IsTruncated: true, NextKeyMarker: "b", NextUploadIdMarker: "2", Uploads: [{ Key: "a", UploadId: "1" }, { Key: "theirs", UploadId: "2" }] },
    { Uploads: [{ Key: "b", UploadId: "3" }, { UploadId: "4" }] },
  ]; // prettier-ignore
  const { tools, asked, counted } = stand(({ name }) =>
    name === "ListMultipartUploads" ? pages.shift() : {},
  );
  expect(await abandonUploads(tools, "practice", new Set(["a", "b"]))).toBe(2);
  expect(asked.map(({ name, input }) => [name, input.KeyMarker ?? input.UploadId])).toEqual([
    ["ListMultipartUploads", undefined],
    ["AbortMultipartUpload", "1"],
    ["ListMultipartUploads", "b"],
    ["AbortMultipartUpload", "3"],
  ]);
  expect(counted).toHaveLength(4);
  const endless = stand(() => ({
    IsTruncated: true,
    NextKeyMarker: "b",
    Uploads: [{ Key: "x", UploadId: "1" }],
  }));
  await expect(abandonUploads(endless.tools, "practice", new Set())).rejects.toMatchObject({ kind: "other" });
});
