import { createHash } from "node:crypto";
import type { IncomingMessage } from "node:http";
import { pipeline } from "node:stream/promises";
import { createBrotliDecompress, createGunzip } from "node:zlib";
import type { VisitorAnswer } from "../core/model/visitor-answer.ts";
import { decode } from "./decode.ts";
import { findRefusal } from "./public-site/refusal.ts";

/** Above this an answer is not held in memory. */
const MOST_HELD = 1024 * 1024;

/** Reads an answer to its end. Rejects where it breaks off. */
export async function readAnswer(response: IncomingMessage): Promise<VisitorAnswer> {
  const status = response.statusCode ?? 0;
  const held: Buffer[] = [];
  let size = 0;
  let large: LargeBody | undefined;
  for await (const chunk of response as AsyncIterable<Buffer>) {
    size += chunk.length;
    held.push(chunk);
    if (size <= MOST_HELD) continue;
    large ??= openLargeBody(response.headers["content-encoding"] ?? "");
    for (const part of held.splice(0)) await large.write(part);
  }
  const headers = Object.fromEntries(
    Object.entries(response.headers).map(([name, value]) => [name, String(value)]),
  ) as Record<string, string>;
  if (large) return { status, headers, hash: await large.end(), size };
  const content = decode(Buffer.concat(held), response.headers["content-encoding"] ?? "");
  return {
    ...{ status, headers, size },
    hash: content && createHash("sha256").update(content).digest("hex"),
    ...(status >= 400 && content ? { refusal: findRefusal(content) } : {}),
  };
}

/** A body that is decoded and hashed while it comes. */
interface LargeBody {
  write(part: Buffer): Promise<void>;
  /** @returns undefined where its coding is not known here, or it is broken */
  end(): Promise<string | undefined>;
}

function openLargeBody(coding: string): LargeBody {
  const hash = createHash("sha256");
  const name = coding.trim().toLowerCase();
  const decoder = name === "gzip" ? createGunzip() : name === "br" ? createBrotliDecompress() : undefined;
  if (!decoder) {
    const isPlain = name === "" || name === "identity";
    return {
      write: (part) => {
        hash.update(part);
        return Promise.resolve();
      },
      end: () => Promise.resolve(isPlain ? hash.digest("hex") : undefined),
    };
  }
  const decoded = pipeline(decoder, async (parts: AsyncIterable<Buffer>) => {
    for await (const part of parts) hash.update(part);
  }).then(
    () => hash.digest("hex"),
    () => undefined,
  );
  return {
    write: async (part) => {
      if (!decoder.destroyed && !decoder.write(part))
        await Promise.race([new Promise((done) => decoder.once("drain", done)), decoded]);
    },
    end: () => {
      if (!decoder.destroyed) decoder.end();
      return decoded;
    },
  };
}
