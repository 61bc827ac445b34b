import { createHash, randomUUID } from "node:crypto";
import { createWriteStream } from "node:fs";
import { rm } from "node:fs/promises";
import type { IncomingMessage } from "node:http";
import { once } from "node:events";
import { ProtocolError } from "./failure.ts";

export interface ReceivedBody {
  /** Name of the file that holds it. */
  readonly blob: string;
  readonly size: number;
  /** MD5 in hex. */
  readonly md5: string;
  /** SHA-256 in base64, where it was said and is right. */
  readonly sha256?: string;
}

/**
 * Takes a request's content into a file of its own and checks it against what the request says of it: length, signed
 * payload hash, Content-MD5. Nothing is left behind on a refusal.
 */
export async function receiveBody(
  request: IncomingMessage,
  pathOf: (blob: string) => string,
): Promise<ReceivedBody> {
  const blob = randomUUID();
  const file = createWriteStream(pathOf(blob));
  const md5 = createHash("md5");
  const sha256 = createHash("sha256");
  let size = 0;
  try {
    for await (const chunk of decoded(request)) {
      md5.update(chunk);
      sha256.update(chunk);
      size += chunk.length;
      if (!file.write(chunk)) await once(file, "drain");
    }
    file.end();
    await once(file, "close");
    const digest = md5.digest();
    const sum = sha256.digest();
    assertContent(request, { size, sha256: sum.toString("hex"), md5: digest });
    const said = request.headers["x-amz-checksum-sha256"];
    if (said !== undefined && said !== sum.toString("base64"))
      throw new ProtocolError(400, "BadDigest", "The SHA256 you specified did not match what we received.");
    return { blob, size, md5: digest.toString("hex"), ...(said === undefined ? {} : { sha256: said }) };
  } catch (error) {
    file.destroy();
    await rm(pathOf(blob), { force: true });
    throw error;
  }
}

/** The longest document: an invalidation of three thousand paths is shorter. */
const MOST_TEXT = 20_000_000;

/** Reads a small document that a request carries. */
export async function receiveText(request: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of decoded(request)) {
    size += chunk.length;
    if (size > MOST_TEXT)
      throw new ProtocolError(400, "MaxMessageLengthExceeded", "The request is too large.");
    chunks.push(chunk);
  }
  const content = Buffer.concat(chunks);
  const facts = {
    size: content.length,
    sha256: createHash("sha256").update(content).digest("hex"),
    md5: createHash("md5").update(content).digest(),
  };
  assertContent(request, facts);
  return content.toString("utf8");
}

function assertContent(
  { headers }: IncomingMessage,
  found: { size: number; sha256: string; md5: Buffer },
): void {
  const length = headers["x-amz-decoded-content-length"] ?? headers["content-length"];
  if (length !== undefined && Number(length) !== found.size) {
    throw new ProtocolError(400, "IncompleteBody", "The request body is not as long as was said.");
  }
  const signed = headers["x-amz-content-sha256"];
  if (typeof signed === "string" && /^[0-9a-f]{64}$/.test(signed) && signed !== found.sha256) {
    throw new ProtocolError(
      400,
      "XAmzContentSHA256Mismatch",
      "The provided 'x-amz-content-sha256' header does not match what was computed.",
    );
  }
  if (headers["content-md5"] !== undefined && headers["content-md5"] !== found.md5.toString("base64")) {
    throw new ProtocolError(
      400,
      "BadDigest",
      "The Content-MD5 you specified did not match what we received.",
    );
  }
}

/** The content itself: clients that stream wrap it into chunks of their own, with checksums behind it. */
async function* decoded(request: IncomingMessage): AsyncIterable<Buffer> {
  const wrapped = /^STREAMING-/.test(String(request.headers["x-amz-content-sha256"] ?? ""));
  if (!wrapped) {
    yield* request as AsyncIterable<Buffer>;
    return;
  }
  let rest = Buffer.alloc(0);
  let wanted = -1;
  for await (const part of request as AsyncIterable<Buffer>) {
    rest = Buffer.concat([rest, part]);
    for (;;) {
      if (wanted < 0) {
        const end = rest.indexOf("\r\n");
        if (end < 0) break;
        wanted = Number.parseInt(rest.subarray(0, end).toString("latin1"), 16);
        rest = rest.subarray(end + 2);
        if (wanted === 0) wanted = Infinity;
      }
      if (wanted === Infinity || rest.length < wanted + 2) break;
      yield rest.subarray(0, wanted);
      rest = rest.subarray(wanted + 2);
      wanted = -1;
    }
  }
}
