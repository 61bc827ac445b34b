import { createHash } from "node:crypto";
import {
  AbortMultipartUploadCommand,
  CompleteMultipartUploadCommand,
  CreateMultipartUploadCommand,
  ListMultipartUploadsCommand,
  UploadPartCommand,
  UploadPartCopyCommand,
  type CompletedPart,
  type CreateMultipartUploadCommandInput,
  type S3Client,
} from "@aws-sdk/client-s3";
import { PageWatch } from "./answers.ts";
import { StoreError, type Content, type CountRequest, type TryAgain } from "../../../ports/object-store.ts";

const PART_BYTES = 8 * 1024 * 1024;
const COPY_PART_BYTES = 512 * 1024 * 1024;
const MOST_PARTS = 10_000;
/** Parts under way at once; with their sizes they bound the memory that a file takes. */
const PARTS_AT_ONCE = 4;

export interface UploadTools {
  readonly client: S3Client;
  readonly count: CountRequest;
  /** Tries the request of one part again, where that can help: a large file need not be sent anew for one that broke. */
  readonly again: TryAgain;
  /** The failure of a request as the port names it. */
  readonly toFailure: (error: unknown) => StoreError;
  readonly address: { readonly Bucket: string; readonly Key: string };
}

type Labels = Omit<CreateMultipartUploadCommandInput, "Bucket" | "Key">;
type Conditions = { readonly IfNoneMatch?: string; readonly IfMatch?: string };

/**
 * Sends a large file in parts, several at once, each with its own signed hash; the hash of the whole is checked before the
 * parts are put together. Fails with `integrity` where the bytes are others than were promised. Leaves no parts behind
 * unless the process dies.
 */
export async function sendInParts(
  tools: UploadTools,
  content: Content,
  labels: Labels,
  conditions: Conditions,
): Promise<string> {
  return withUpload(tools, labels, conditions, async (UploadId) => {
    const sum = createHash("sha256");
    const parts: Promise<CompletedPart>[] = [];
    const running = new Set<Promise<unknown>>();
    const buffers = new Buffers(Math.max(PART_BYTES, Math.ceil(content.size / MOST_PARTS)));
    let size = 0;
    // Set by what runs side by side.
    let failed = false as boolean;
    const fail = (): void => {
      failed = true;
    };
    try {
      for await (const body of toParts(content, buffers)) {
        sum.update(body);
        size += body.length;
        const part = sendPart(tools, { UploadId, PartNumber: parts.length + 1, body });
        parts.push(part);
        const ended: Promise<unknown> = part.then(undefined, fail).then(() => {
          buffers.giveBack(body);
          running.delete(ended);
        });
        running.add(ended);
        while (running.size >= PARTS_AT_ONCE) await Promise.race(running);
        if (failed) return await Promise.all(parts);
      }
      if (size !== content.size || sum.digest("hex") !== content.hash)
        throw new StoreError("integrity", "the file changed while it was read", {
          action: { do: "write", key: tools.address.Key },
        });
      return await Promise.all(parts);
    } catch (error) {
      await Promise.allSettled(parts);
      throw error;
    }
  });
}

/** Copies an object in parts: one too large for a single copy, or one whose ETag is to be another than its source's. */
export async function copyInParts(
  tools: UploadTools,
  source: { readonly CopySource: string; readonly CopySourceIfMatch?: string; readonly size: number },
  labels: Labels,
  conditions: Conditions,
): Promise<string> {
  const { size, ...from } = source;
  const step = Math.max(COPY_PART_BYTES, Math.ceil(size / MOST_PARTS));
  return withUpload(tools, labels, conditions, async (UploadId) => {
    const parts: CompletedPart[] = [];
    for (let start = 0; start < Math.max(1, size); start += step) {
      const PartNumber = parts.length + 1;
      const whole = size <= step;
      const range = whole ? {} : { CopySourceRange: `bytes=${start}-${Math.min(size, start + step) - 1}` };
      tools.count("multipart");
      const { CopyPartResult } = await tools.client.send(
        new UploadPartCopyCommand({ ...tools.address, UploadId, PartNumber, ...from, ...range }),
      );
      parts.push({ PartNumber, ETag: CopyPartResult?.ETag });
    }
    return parts;
  });
}

/** Lets go of uploads under these keys that nobody put together. @returns how many */
export async function abandonUploads(
  { client, count }: Pick<UploadTools, "client" | "count">,
  bucket: string,
  keys: ReadonlySet<string>,
): Promise<number> {
  let abandoned = 0;
  const pages = new PageWatch();
  let marker: { KeyMarker?: string | undefined; UploadIdMarker?: string | undefined } | undefined = {};
  while (marker) {
    count("multipart");
    const page: Awaited<ReturnType<typeof list>> = await list(client, bucket, marker);
    for (const { Key, UploadId } of page.Uploads ?? []) {
      if (Key === undefined || !keys.has(Key)) continue;
      count("multipart");
      await client.send(new AbortMultipartUploadCommand({ Bucket: bucket, Key, UploadId }));
      abandoned += 1;
    }
    marker =
      page.IsTruncated === true
        ? { KeyMarker: page.NextKeyMarker, UploadIdMarker: page.NextUploadIdMarker }
        : undefined;
    pages.watch(marker && JSON.stringify(marker), page.Uploads?.length ?? 0);
  }
  return abandoned;
}

const list = (client: S3Client, Bucket: string, marker: object) =>
  client.send(new ListMultipartUploadsCommand({ Bucket, ...marker }));

async function withUpload(
  { client, count, address }: UploadTools,
  labels: Labels,
  conditions: Conditions,
  send: (upload: string) => Promise<CompletedPart[]>,
): Promise<string> {
  count("multipart");
  const { UploadId = "" } = await client.send(new CreateMultipartUploadCommand({ ...address, ...labels }));
  try {
    const Parts = await send(UploadId);
    count("multipart");
    const { ETag = "" } = await client.send(
      new CompleteMultipartUploadCommand({ ...address, UploadId, MultipartUpload: { Parts }, ...conditions }),
    );
    return ETag;
  } catch (error) {
    count("multipart");
    await client.send(new AbortMultipartUploadCommand({ ...address, UploadId })).catch(() => undefined);
    throw error;
  }
}

async function sendPart(
  { client, count, address, again, toFailure }: UploadTools,
  { UploadId, PartNumber, body }: { UploadId: string; PartNumber: number; body: Buffer },
): Promise<CompletedPart> {
  const hash = createHash("sha256").update(body).digest("hex");
  const send = async (md5?: { readonly ContentMD5: string }): Promise<CompletedPart> => {
    count("multipart");
    try {
      const { ETag } = await client.send(
        new UploadPartCommand({
          ...address,
          ...{ UploadId, PartNumber, Body: body, ContentLength: body.length, ChecksumSHA256: hash },
          ...md5,
        }),
      );
      return { PartNumber, ETag };
    } catch (error) {
      // A bucket that locks its objects wants this sum besides; everywhere else it would only cost time.
      if (md5 || !/Content-MD5/i.test((error as Error).message)) throw toFailure(error);
      return send({ ContentMD5: createHash("md5").update(body).digest("base64") });
    }
  };
  return again(() => send());
}

/** Buffers that are used again: fresh ones for each part would pile up until somebody collects them. */
class Buffers {
  private readonly free: Buffer[] = [];

  constructor(readonly size: number) {}

  take(): Buffer {
    return this.free.pop() ?? Buffer.allocUnsafeSlow(this.size);
  }

  giveBack(part: Buffer): void {
    if (part.length === this.size) this.free.push(part);
  }
}

/** The content in pieces of one size, read in order, each filled before it is handed on. */
async function* toParts(content: Content, buffers: Buffers): AsyncIterable<Buffer> {
  const body = content.open();
  if (body instanceof Uint8Array) {
    for (let start = 0; start < body.length; start += buffers.size)
      yield Buffer.from(body.subarray(start, start + buffers.size));
    return;
  }
  let part = buffers.take();
  let filled = 0;
  for await (const read of body) {
    const chunk = read as Buffer;
    for (let taken = 0; taken < chunk.length;) {
      const count = chunk.copy(part, filled, taken);
      taken += count;
      filled += count;
      if (filled < buffers.size) continue;
      yield part;
      part = buffers.take();
      filled = 0;
    }
  }
  if (filled > 0) yield part.subarray(0, filled);
}
