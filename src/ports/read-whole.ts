import { OperatorError } from "../core/model/failure.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { ReadObject } from "./object-store.ts";

/** The largest record, as it is stored: that of a million files has a third of it. */
const MOST_BYTES = 100_000_000;

/** The whole body of one of our records, in memory. Throws `record-unreadable` where it is larger than a record can be. */
export async function readWhole({ body }: ReadObject, key: ObjectKey): Promise<Buffer> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of body) {
    size += chunk.length;
    if (size > MOST_BYTES)
      throw new OperatorError("record-unreadable", { key, cause: { code: "too-large" } });
    chunks.push(chunk);
  }
  return Buffer.concat(chunks);
}
