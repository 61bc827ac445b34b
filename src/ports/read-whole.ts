import { gunzipSync } from "node:zlib";
import { OperatorError } from "../core/model/failure.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { ReadObject } from "./object-store.ts";

/** The largest record, as it is stored. */
const MOST_BYTES = 100_000_000;
/** The largest waybill: that of a million files has a sixth of it. */
export const MOST_WAYBILL_BYTES = 400_000_000;
/** The largest text that one may unpack to, and how often its own size that may be, where it is more than a little. */
const MOST_TEXT = 400_000_000;
const MOST_TIMES = 200;
const ALWAYS_UNPACKED = 16_000_000;

/** The whole body of one of our records, in memory. Throws `record-unreadable` where it is larger than a record can be. */
export async function readWhole({ body }: ReadObject, key: ObjectKey, most = MOST_BYTES): Promise<Buffer> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of body) {
    size += chunk.length;
    if (size > most) throw new OperatorError("record-unreadable", { key, cause: { code: "too-large" } });
    chunks.push(chunk);
  }
  return Buffer.concat(chunks);
}

/** To how many bytes a record of so many may unpack. @param most the largest, whatever its own size is */
export const mostUnpacked = (packedBytes: number, most = MOST_TEXT): number =>
  Math.min(most, Math.max(ALWAYS_UNPACKED, packedBytes * MOST_TIMES));

/** The text of a record that is packed where it is long (gzip, RFC 1952). Throws `record-unreadable`. */
export function toRecordText(bytes: Buffer, key: ObjectKey): string {
  if (bytes[0] !== 0x1f || bytes[1] !== 0x8b) return bytes.toString("utf8");
  try {
    return gunzipSync(bytes, { maxOutputLength: mostUnpacked(bytes.length) }).toString("utf8");
  } catch (error) {
    const isLarge = (error as NodeJS.ErrnoException).code === "ERR_BUFFER_TOO_LARGE";
    throw new OperatorError("record-unreadable", { key, cause: { code: isLarge ? "too-large" : "damaged" } });
  }
}
