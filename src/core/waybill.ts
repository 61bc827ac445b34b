import * as z from "zod";
import { POINTER_KEY } from "./model/names.ts";
import type { Pointer, Waybill } from "./model/release.ts";
import { ROLES, type RecordedParcel } from "./model/parcel.ts";
import { OperatorError } from "./failures.ts";

/**
 * The formats of our records in the store (docs/formats.md). A waybill is lines of JSON: a header, one line for each
 * parcel of the release, one for each object of ours that still stands though the release does not list it.
 * Each format carries its name and version; what is not known is refused, never guessed.
 */
export const WAYBILL_FORMAT = "restless-courier/waybill/1";
export const POINTER_FORMAT = "restless-courier/pointer/1";

const sha256 = z.string().regex(/^[0-9a-f]{64}$/);

const headerLine = z.object({
  format: z.literal(WAYBILL_FORMAT),
  site: z.string(),
  release: z.int().min(1),
  run: z.string(),
  previous: z.int(),
  at: z.string(),
  by: z.string(),
  commit: z.string().optional(),
  note: z.string().optional(),
  sequence: z.int().optional(),
  routing: z
    .array(
      z.object({
        prefix: z.string(),
        replacePrefix: z.string().optional(),
        replaceKey: z.string().optional(),
        host: z.string().optional(),
        protocol: z.enum(["http", "https"]).optional(),
        status: z.int(),
      }),
    )
    .optional(),
  parcels: z.int(),
  standing: z.int(),
});

const parcelLine = z.object({
  key: z.string(),
  hash: sha256,
  stored: sha256.optional(),
  size: z.int(),
  etag: z.string().optional(),
  role: z.enum(ROLES),
  headers: z.record(z.string(), z.string()),
  lastIn: z.int().optional(),
  aliasOf: z.string().optional(),
  redirectsTo: z.string().optional(),
});

/** The lines of a waybill, without line ends. */
export function* toWaybillLines(waybill: Waybill): Generator<string> {
  const { parcels, standing, ...facts } = waybill;
  yield JSON.stringify({
    format: WAYBILL_FORMAT,
    ...facts,
    parcels: parcels.length,
    standing: standing.length,
  });
  for (const parcel of parcels) yield toParcelLine(parcel);
  for (const parcel of standing) yield toParcelLine(parcel);
}

function toParcelLine({ storedHash, ...parcel }: RecordedParcel): string {
  const { key, hash, size, etag, role, headers, lastIn, aliasOf, redirectsTo } = parcel;
  const stored = storedHash === hash ? undefined : storedHash;
  return JSON.stringify({ key, hash, stored, size, etag, role, headers, lastIn, aliasOf, redirectsTo });
}

/** Reads the lines of a waybill. Throws `record-unreadable` when they are cut off, damaged or of another version. */
export function parseWaybill(lines: Iterable<string>, key: string): Waybill {
  const parcels: RecordedParcel[] = [];
  const standing: RecordedParcel[] = [];
  let header: z.infer<typeof headerLine> | undefined;
  for (const line of lines) {
    if (line === "") continue;
    const data = parseJson(line, key);
    if (header === undefined) header = check(headerLine, data, key);
    else {
      const { stored, ...parcel } = check(parcelLine, data, key);
      const recorded = { ...parcel, storedHash: stored ?? parcel.hash } as RecordedParcel;
      (recorded.lastIn === undefined ? parcels : standing).push(recorded);
    }
  }
  if (header === undefined) throw unreadable(key, "it is empty");
  if (parcels.length !== header.parcels || standing.length !== header.standing)
    throw unreadable(key, "it is cut off");
  const { format: _, parcels: _count, standing: _others, ...facts } = header;
  return { ...facts, parcels, standing } as Waybill;
}

const pointerSchema = z.object({
  format: z.literal(POINTER_FORMAT),
  site: z.string(),
  release: z.int().min(1),
  run: z.string(),
  retained: z
    .array(
      z.object({
        release: z.int(),
        run: z.string(),
        waybillHash: sha256,
        at: z.string(),
        pageFreshnessSeconds: z.number(),
      }),
    )
    .min(1),
  owed: z.array(z.object({ edge: z.string(), addresses: z.array(z.string()) })),
  announced: z.record(z.string(), z.string()),
});

export const toPointerText = (pointer: Pointer): string =>
  JSON.stringify({ format: POINTER_FORMAT, ...pointer }, null, 1);

/** Reads a pointer. Throws `record-unreadable`. */
export function parsePointer(text: string): Pointer {
  const { format: _, ...pointer } = check(pointerSchema, parseJson(text, POINTER_KEY), POINTER_KEY);
  return pointer;
}

function parseJson(text: string, key: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    throw unreadable(key, "it is damaged");
  }
}

function check<T>(schema: z.ZodType<T>, data: unknown, key: string): T {
  const parsed = schema.safeParse(data);
  if (parsed.success) return parsed.data;
  const format = (data as { format?: unknown } | null)?.format;
  if (typeof format === "string" && format !== WAYBILL_FORMAT && format !== POINTER_FORMAT) {
    throw unreadable(key, `it is of the format ${format}, which this version does not know`);
  }
  throw unreadable(key, "it is damaged");
}

const unreadable = (key: string, cause: string): OperatorError =>
  new OperatorError("record-unreadable", { key, cause });
