import { hash } from "node:crypto";
import { gzipSync } from "node:zlib";
import type { ExplainedParcel } from "../core/model/explained-parcel.ts";
import { isWorthEncoding, type EncodedForm } from "../core/build/stored-encoding.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { BuildSource } from "../ports/build-source.ts";
import { WHOLE_BYTES } from "./read-file.ts";

const LEVEL = 9;
/** The byte of a gzip header that names the operating system (RFC 1952 §2.3.1); 255 says that it does not matter. */
const OS_BYTE = 9;

/** The encoded forms of the build's files that may be worth it. */
export function encodeParcels(
  source: BuildSource,
  parcels: readonly ExplainedParcel[],
): Map<ObjectKey, EncodedForm> {
  const forms = new Map<ObjectKey, EncodedForm>();
  for (const parcel of parcels) {
    if (parcel.aliasOf !== undefined || parcel.size > WHOLE_BYTES || !isWorthEncoding(parcel)) continue;
    const encoded = encode(source.open(parcel).open() as Uint8Array);
    forms.set(parcel.key, { storedHash: hash("sha256", encoded), size: encoded.length });
  }
  return forms;
}

/** Gzip that is the same on every machine: no time, no operating system. */
export function encode(bytes: Uint8Array): Buffer {
  const encoded = gzipSync(bytes, { level: LEVEL });
  encoded[OS_BYTE] = 255;
  return encoded;
}
