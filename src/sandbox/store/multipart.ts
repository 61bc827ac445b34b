import { createHash, randomUUID } from "node:crypto";
import { createReadStream, createWriteStream } from "node:fs";
import { copyFile, rm } from "node:fs/promises";
import { pipeline } from "node:stream/promises";
import { receiveBody, receiveText, type ReceivedBody } from "./body.ts";
import { ProtocolError } from "./failure.ts";
import {
  answer,
  answerXml,
  assertConditions,
  assertSummed,
  findCopySource,
  headersOf,
  md5OfFile,
  store,
  unquoted,
  type Call,
} from "./operations.ts";
import { many, parseXml, toXml } from "./xml.ts";

interface Upload {
  readonly bucket: string;
  readonly key: string;
  readonly headers: Record<string, string>;
  readonly startedMs: number;
  readonly parts: Map<number, ReceivedBody>;
}

/** Uploads in parts; they are forgotten when the sandbox stops. */
export class MultipartUploads {
  private readonly uploads = new Map<string, Upload>();

  create(call: Call): Promise<void> {
    const id = randomUUID();
    this.uploads.set(id, {
      bucket: call.table.bucket,
      key: call.key,
      headers: headersOf(call.request),
      startedMs: Date.now(),
      parts: new Map(),
    });
    answerXml(
      call,
      toXml("InitiateMultipartUploadResult", { Bucket: call.table.bucket, Key: call.key, UploadId: id }),
    );
    return Promise.resolve();
  }

  async putPart(call: Call): Promise<void> {
    const upload = this.find(call);
    const number = Number(call.query.get("partNumber"));
    if (!(number >= 1 && number <= 10_000))
      throw new ProtocolError(400, "InvalidArgument", "Part number must be between 1 and 10000.");
    const isCopy = call.request.headers["x-amz-copy-source"] !== undefined;
    if (!isCopy) assertSummed(call);
    const part = isCopy
      ? await this.copyPart(call)
      : await receiveBody(call.request, (blob) => call.table.blobPath(blob));
    if (!isCopy) call.received(part.size);
    const before = upload.parts.get(number);
    upload.parts.set(number, part);
    if (before) await rm(call.table.blobPath(before.blob), { force: true });
    if (isCopy)
      answerXml(
        call,
        toXml("CopyPartResult", { LastModified: new Date().toISOString(), ETag: `"${part.md5}"` }),
      );
    else answer(call, 200, { etag: `"${part.md5}"` });
  }

  /** The ETag of the whole is the MD5 of the parts' MD5s, with their number behind it. */
  async complete(call: Call): Promise<void> {
    const { table } = call;
    const upload = this.find(call);
    const asked = many(parseXml(await receiveText(call.request), "CompleteMultipartUpload").Part);
    const parts = asked.map(({ PartNumber, ETag }) => {
      const part = upload.parts.get(Number(PartNumber));
      if (!part || part.md5 !== unquoted(String(ETag).replace(/&quot;/g, '"')))
        throw new ProtocolError(400, "InvalidPart", "One or more of the specified parts could not be found.");
      return part;
    });
    if (parts.length === 0) throw new ProtocolError(400, "MalformedXML", "There is no part.");
    const blob = randomUUID();
    for (const part of parts) {
      await pipeline(
        createReadStream(table.blobPath(part.blob)),
        createWriteStream(table.blobPath(blob), { flags: "a" }),
      );
    }
    assertConditions(call, table.get(call.key));
    const sums = createHash("md5")
      .update(Buffer.concat(parts.map(({ md5 }) => Buffer.from(md5, "hex"))))
      .digest("hex");
    const etag = `${sums}-${parts.length}`;
    const stored = store(
      call,
      { blob, size: parts.reduce((sum, { size }) => sum + size, 0), md5: etag },
      upload.headers,
      etag,
    );
    await this.forget(call, upload);
    answerXml(
      call,
      toXml("CompleteMultipartUploadResult", {
        Bucket: table.bucket,
        Key: call.key,
        ETag: `"${stored.etag}"`,
      }),
    );
  }

  async abort(call: Call): Promise<void> {
    await this.forget(call, this.find(call));
    answer(call, 204, {});
  }

  list(call: Call): Promise<void> {
    const open = [...this.uploads].filter(
      ([, { bucket, key }]) => bucket === call.table.bucket && key.startsWith(call.query.get("prefix") ?? ""),
    );
    const uploads = open.map(([UploadId, { key, startedMs }]) => ({
      Key: key,
      UploadId,
      Initiated: new Date(startedMs).toISOString(),
    }));
    answerXml(
      call,
      toXml("ListMultipartUploadsResult", { Bucket: call.table.bucket, IsTruncated: false, Upload: uploads }),
    );
    return Promise.resolve();
  }

  private async copyPart(call: Call): Promise<ReceivedBody> {
    const { source, from } = findCopySource(call, call.findTable);
    const blob = randomUUID();
    await copyFile(from.blobPath(source.blob), call.table.blobPath(blob));
    return { blob, size: source.size, md5: await md5OfFile(call.table.blobPath(blob)) };
  }

  private find({ query, table, key }: Call): Upload {
    const upload = this.uploads.get(query.get("uploadId") ?? "");
    if (upload?.bucket !== table.bucket || upload.key !== key)
      throw new ProtocolError(404, "NoSuchUpload", "The specified upload does not exist.");
    return upload;
  }

  private async forget({ query, table }: Call, upload: Upload): Promise<void> {
    this.uploads.delete(query.get("uploadId") ?? "");
    for (const { blob } of upload.parts.values()) await rm(table.blobPath(blob), { force: true });
  }
}
