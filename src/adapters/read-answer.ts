import { createHash } from "node:crypto";
import type { ClientRequest, IncomingMessage } from "node:http";
import { pipeline } from "node:stream/promises";
import { createBrotliDecompress, createGunzip } from "node:zlib";
import type { VisitorAnswer } from "../core/model/visitor-answer.ts";
import { boundBody, EndlessAnswer } from "./bounds.ts";
import { decode } from "./decode.ts";
import { findRefusal } from "./public-site/refusal.ts";

/** Above this an answer is not held in memory. */
const MOST_HELD = 1024 * 1024;
/** The same of one that is to be unpacked, which may become a thousand times as much. */
const MOST_HELD_PACKED = 64 * 1024;

/** What an answer may cost. */
export interface AnswerLimits {
  /** Bytes of the body, as it is sent and unpacked. */
  readonly mostBytes: number;
  /** Milliseconds for all of it, were it empty; each byte gets a little more. */
  readonly mostMs?: number;
  readonly stop?: AbortSignal | undefined;
}

/** Most answers have to end in this time. */
const MOST_MS = 60_000;

/** Reads an answer to its end. Rejects where it breaks off, where it would not end, and where somebody stops the run. */
export async function readAnswer(
  response: IncomingMessage,
  { mostBytes, mostMs = MOST_MS, stop }: AnswerLimits,
): Promise<VisitorAnswer> {
  const status = response.statusCode ?? 0;
  const coding = response.headers["content-encoding"] ?? "";
  const held: Buffer[] = [];
  const mostHeld = coding === "" ? MOST_HELD : MOST_HELD_PACKED;
  let size = 0;
  let large: LargeBody | undefined;
  try {
    // What it tells of its length is enough to give it up.
    if (Number(response.headers["content-length"] ?? 0) > mostBytes) throw new EndlessAnswer("large");
    for await (const chunk of boundBody(response, { mostBytes, mostMs, stop })) {
      size += chunk.length;
      held.push(chunk as Buffer);
      if (size <= mostHeld) continue;
      large ??= openLargeBody(coding, mostBytes);
      for (const part of held.splice(0)) await large.write(part);
      // Nothing can come of the rest.
      if (large.isOver()) break;
    }
  } finally {
    if (!response.complete) response.destroy();
  }
  const headers = Object.fromEntries(
    Object.entries(response.headers).map(([name, value]) => [name, String(value)]),
  ) as Record<string, string>;
  if (large) return { status, headers, hash: await large.end(), size };
  const body = Buffer.concat(held);
  const content = decode(body, coding);
  if (content === "too-large") {
    const unpacked = openLargeBody(coding, mostBytes);
    await unpacked.write(body);
    return { status, headers, size, hash: await unpacked.end() };
  }
  return {
    ...{ status, headers, size },
    hash: content && createHash("sha256").update(content).digest("hex"),
    ...(status >= 400 && content ? { refusal: findRefusal(content) } : {}),
  };
}

/** A body that is decoded and hashed while it comes. */
interface LargeBody {
  write(part: Buffer): Promise<void>;
  /** Whether it is broken, or more than it may be. */
  isOver(): boolean;
  /** @returns undefined where its coding is not known here, it is broken, or it unpacks to more than it may */
  end(): Promise<string | undefined>;
}

function openLargeBody(coding: string, mostUnpacked: number): LargeBody {
  const hash = createHash("sha256");
  const name = coding.trim().toLowerCase();
  const isGzip = name === "gzip" || name === "x-gzip";
  const decoder = isGzip ? createGunzip() : name === "br" ? createBrotliDecompress() : undefined;
  if (!decoder) {
    const isPlain = name === "" || name === "identity";
    return {
      write: (part) => {
        hash.update(part);
        return Promise.resolve();
      },
      isOver: () => false,
      end: () => Promise.resolve(isPlain ? hash.digest("hex") : undefined),
    };
  }
  let unpacked = 0;
  const decoded = pipeline(decoder, async (parts: AsyncIterable<Buffer>) => {
    for await (const part of parts) {
      unpacked += part.length;
      if (unpacked > mostUnpacked) throw new EndlessAnswer("large");
      hash.update(part);
    }
  }).then(
    () => hash.digest("hex"),
    () => undefined,
  );
  return {
    write: async (part) => {
      if (!decoder.destroyed && !decoder.write(part))
        await Promise.race([new Promise((done) => decoder.once("drain", done)), decoded]);
    },
    isOver: () => decoder.destroyed,
    end: () => {
      if (!decoder.destroyed) decoder.end();
      return decoded;
    },
  };
}

/** Gives a request up that gets no answer in time, however much of one comes before its headers end. */
export function giveUpAfter(request: ClientRequest, ms: number): void {
  const clock = setTimeout(() => {
    request.destroy(new EndlessAnswer("slow"));
  }, ms);
  const end = (): void => {
    clearTimeout(clock);
  };
  request.once("response", end).once("close", end);
}
