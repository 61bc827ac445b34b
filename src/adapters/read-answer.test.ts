import { createHash, randomBytes } from "node:crypto";
import { get, type IncomingMessage, type RequestListener } from "node:http";
import { Readable } from "node:stream";
import { gzipSync } from "node:zlib";
import { startFoulServer } from "../../test/support/foul-server.ts";
import { readAnswer, type AnswerLimits } from "./read-answer.ts";

const LIMITS: AnswerLimits = { mostBytes: 1_000_000 };

async function read(listener: RequestListener, limits: Partial<AnswerLimits> = {}) {
  const address = await startFoulServer(listener);
  const response = await new Promise<IncomingMessage>((resolve) => get(address, resolve));
  return readAnswer(response, { ...LIMITS, ...limits });
}

const drip: RequestListener = (_, response) => {
  const clock = setInterval(() => response.write("x"), 20);
  response.once("close", () => {
    clearInterval(clock);
  });
};

test("an answer that comes drop by drop, or not at all, is given up when its time is over", async () => {
  for (const listener of [
    drip,
    ((_, response) => {
      response.flushHeaders();
    }) as RequestListener,
  ])
    await expect(read(listener, { mostMs: 200 })).rejects.toMatchObject({ name: "TimeoutError" });
});

test("an answer is given up at once when somebody stops the run", async () => {
  const stop = new AbortController();
  const reading = read(drip, { stop: stop.signal });
  setTimeout(() => {
    stop.abort();
  }, 100);
  await expect(reading).rejects.toMatchObject({ name: "AbortError" });
});

test("an answer that is too large is not read, whether it tells so or not; one that unpacks to too much has no content", async () => {
  const large = Buffer.alloc(1_000_001, "x");
  for (const length of [{}, { "content-length": large.length }])
    await expect(
      read((_, response) => response.writeHead(200, length).end(large)),
    ).rejects.toMatchObject({ name: "AnswerTooLarge" });
  const packed = gzipSync(Buffer.alloc(30_000_000, "x"));
  const unpack: RequestListener = (_, response) => response.writeHead(200, { "content-encoding": "gzip" }).end(packed);
  expect(await read(unpack)).toMatchObject({ status: 200, hash: undefined });
  expect(await read(unpack, { mostBytes: 40_000_000 })).toMatchObject({ status: 200, hash: expect.stringMatching(/^[0-9a-f]{64}$/) as string });
}); // prettier-ignore

test("a large packed answer that comes in many pieces is read to its end", async () => {
  const content = randomBytes(200_000);
  const packed = gzipSync(content);
  const pieces = Array.from({ length: Math.ceil(packed.length / 1000) }, (_, piece) =>
    packed.subarray(piece * 1000, (piece + 1) * 1000),
  );
  const answer = Object.assign(Readable.from(pieces), { statusCode: 200, headers: { "content-encoding": "gzip" } }); // prettier-ignore
  const { hash } = await readAnswer(answer as unknown as IncomingMessage, LIMITS);
  expect(hash).toBe(createHash("sha256").update(content).digest("hex"));
});
