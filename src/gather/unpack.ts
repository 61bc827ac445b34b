import { createGunzip } from "node:zlib";
import type { ObjectKey } from "../core/model/names.ts";
import { OperatorError } from "../core/model/failure.ts";
import { unreadable } from "../core/history/waybill.ts";
import { mostUnpacked } from "../ports/read-whole.ts";

/** What a record may unpack to where it is read line by line. */
const MOST_IN_LINES = 4_000_000_000;

/** Bytes at a time: a large record is never in memory as a whole beside what it says. */
const CHUNK = 256 * 1024;

/**
 * Unpacks a record, piece by piece. Throws `record-unreadable` where it is no whole gzip, or unpacks to more than a record
 * can be.
 */
async function* unpack(bytes: Buffer, key: ObjectKey): AsyncGenerator<Buffer> {
  const most = mostUnpacked(bytes.length, MOST_IN_LINES);
  const gunzip = createGunzip({ chunkSize: CHUNK });
  gunzip.end(bytes);
  let size = 0;
  try {
    for await (const chunk of gunzip as AsyncIterable<Buffer>) {
      size += chunk.length;
      if (size > most) throw unreadable(key, { code: "too-large" });
      yield chunk;
    }
  } catch (error) {
    throw error instanceof OperatorError ? error : unreadable(key, { code: "damaged" });
  }
}

/** The lines of a packed record, some at a time. Throws `record-unreadable`. */
export async function* unpackLines(bytes: Buffer, key: ObjectKey): AsyncGenerator<string[]> {
  // Pieces of a line that has not ended: joined once, for it may be as long as the record.
  let begun: Buffer[] = [];
  for await (const chunk of unpack(bytes, key)) {
    const end = chunk.lastIndexOf(10);
    if (end >= 0) {
      yield toLines([...begun, chunk.subarray(0, end)]);
      begun = [];
    }
    begun.push(chunk.subarray(end + 1));
  }
  yield toLines(begun);
}

const toLines = (pieces: readonly Buffer[]): string[] => Buffer.concat(pieces).toString("utf8").split("\n");
