import * as z from "zod";
import { isSiteKey, POINTER_KEY } from "../model/names.ts";
import type { OpenDelivery, Pointer, Waybill } from "../model/release.ts";
import type { ObjectHeaders, RecordedParcel } from "../model/parcel.ts";
import { ROLES } from "../model/role.ts";
import { OperatorError } from "../model/failure.ts";

/**
 * The formats of our records in the store (docs/formats.md). A waybill is lines of JSON: a header, one line for each
 * parcel of the release, one for each object of ours that still stands though the release does not list it.
 * Each format carries its name and version; what is not known is refused, never guessed.
 */
const WAYBILL_FORMAT = "restless-courier/waybill/1";
const OPEN_FORMAT = "restless-courier/open-delivery/1";
const POINTER_FORMAT = "restless-courier/pointer/1";

const sha256 = z.string().regex(/^[0-9a-f]{64}$/);
/** What a record says is not believed where no run could have written it: somebody else's object would be touched. */
const siteKey = z.string().refine(isSiteKey);
/** It becomes a part of keys. */
const runName = z.string().regex(/^[\w-]{1,100}$/);
/** Seconds: 300 years, more than any setting or edge allows. */
const MOST_FRESHNESS = 1e10;
const address = z.string().startsWith("/");

const rules = z.array(
  z.object({
    prefix: z.string(),
    replacePrefix: z.string().optional(),
    replaceKey: z.string().optional(),
    host: z.string().optional(),
    protocol: z.enum(["http", "https"]).optional(),
    status: z.int(),
  }),
);

const edgeRules = z.object({
  basePath: address,
  apart: z.array(address),
  previews: z.object({ before: z.string(), after: z.string(), path: address }).optional(),
  redirects: z.array(z.object({ address, leadsTo: z.string(), status: z.literal([301, 302, 307, 308]) })),
  pages: z
    .object({
      folders: z.boolean(),
      indexName: z.string(),
      bare: z.string(),
      others: z.record(z.string(), z.string()),
      entry: z.string().optional(),
      endings: z.array(z.string()),
    })
    .optional(),
  headers: z.record(z.string(), z.string()),
});

const preview = z.object({ name: z.string().max(1000), until: z.iso.datetime() });

const headerLine = z.object({
  format: z.literal(WAYBILL_FORMAT),
  site: z.string(),
  release: z.int().min(0),
  run: runName,
  previous: z.int(),
  at: z.string(),
  by: z.string(),
  commit: z.string().optional(),
  note: z.string().optional(),
  sequence: z.int().optional(),
  redelivers: z.int().optional(),
  missing: z.record(z.string(), z.array(address)).optional(),
  workers: z.array(siteKey).optional(),
  firstVisit: z
    .object({
      page: siteKey,
      wire: z.int().min(0),
      loads: z.array(z.object({ key: siteKey, wire: z.int().min(0) })).optional(),
    })
    .optional(),
  routing: rules.optional(),
  edgeRules: edgeRules.optional(),
  pageNeeds: z.record(z.string(), z.array(z.string())).optional(),
  keptSettings: z.array(sha256).optional(),
  vault: z.record(z.string().regex(/^[1-9]\d*$/), z.array(sha256)).optional(),
  gone: z.record(z.string().regex(/^[1-9]\d*$/), z.array(siteKey)).optional(),
  preview: preview.optional(),
  takenFrom: z.string().max(1000).optional(),
  aside: z
    .array(z.object({ key: siteKey, hash: sha256, size: z.int(), role: z.enum(ROLES), type: z.string() }))
    .optional(),
  parcels: z.int(),
  standing: z.int(),
});

const parcelLine = z.object({
  key: siteKey,
  hash: sha256,
  stored: sha256.optional(),
  size: z.int(),
  etag: z.string().optional(),
  role: z.enum(ROLES),
  headers: z.record(z.string(), z.string()),
  lastIn: z.int().optional(),
  aliasOf: siteKey.optional(),
  redirectsTo: z.string().optional(),
  isLoaded: z.literal(true).optional(),
  isOwn: z.literal(true).optional(),
  isWorkerNamed: z.literal(true).optional(),
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
  const { key, hash, size, etag, role, headers, lastIn, aliasOf, redirectsTo, isLoaded } = parcel;
  const { isOwn, isWorkerNamed } = parcel;
  const stored = storedHash === hash ? undefined : storedHash;
  const first = { key, hash, stored, size, etag, role, headers };
  return JSON.stringify({ ...first, lastIn, aliasOf, redirectsTo, isLoaded, isOwn, isWorkerNamed });
}

/** Reads a waybill line by line. Both calls throw `record-unreadable` when it is cut off, damaged or of another version. */
export class WaybillReader {
  private header: z.infer<typeof headerLine> | undefined;
  private readonly parcels: RecordedParcel[] = [];
  private readonly standing: RecordedParcel[] = [];
  private readonly shared = new Map<string, ObjectHeaders>();

  constructor(private readonly key: string) {}

  add(line: string): void {
    if (line === "") return;
    const data = parseJson(line, this.key);
    if (this.header === undefined) this.header = check(headerLine, data, this.key);
    else {
      const recorded = parseParcel(data, this.key, this.shared);
      (recorded.lastIn === undefined ? this.parcels : this.standing).push(recorded);
    }
  }

  end(): Waybill {
    const { header, parcels, standing, key } = this;
    if (header === undefined) throw unreadable(key, { code: "empty" });
    if (parcels.length !== header.parcels || standing.length !== header.standing)
      throw unreadable(key, { code: "cut-off" });
    const { format: _, parcels: _count, standing: _others, ...facts } = header;
    return { ...facts, parcels, standing } as Waybill;
  }
}

/**
 * Field by field: a rest of a destructured object has a hidden class of its own in V8, which is more than all it says.
 * @param shared sets of headers that were read before: a site has few different ones, and its files share them
 */
function parseParcel(data: unknown, key: string, shared = new Map<string, ObjectHeaders>()): RecordedParcel {
  const line = check(parcelLine, data, key);
  const text = JSON.stringify(line.headers);
  const headers = shared.get(text) ?? line.headers;
  shared.set(text, headers);
  return {
    key: line.key,
    hash: line.hash,
    storedHash: line.stored ?? line.hash,
    size: line.size,
    role: line.role,
    headers,
    ...(line.etag !== undefined && { etag: line.etag }),
    ...(line.lastIn !== undefined && { lastIn: line.lastIn }),
    ...(line.aliasOf !== undefined && { aliasOf: line.aliasOf }),
    ...(line.redirectsTo !== undefined && { redirectsTo: line.redirectsTo }),
    ...(line.isLoaded !== undefined && { isLoaded: line.isLoaded }),
    ...(line.isOwn !== undefined && { isOwn: line.isOwn }),
    ...(line.isWorkerNamed !== undefined && { isWorkerNamed: line.isWorkerNamed }),
  };
}

const openHeaderLine = z.object({
  format: z.literal(OPEN_FORMAT),
  site: z.string(),
  run: runName,
  release: z.int().min(0),
  at: z.string(),
  by: z.string(),
  parcels: z.int(),
  originals: z.int(),
  owed: z.int(),
  website: z.object({ rules, kept: z.array(sha256) }).optional(),
  switchesEdge: z.literal(true).optional(),
  removes: z.array(siteKey).default([]),
});
const owedLine = z.object({ edge: z.string(), addresses: z.array(address) });

/** The lines of an open delivery's record: a header, what will be owed by edge, what is about to be written and written over. */
export function* toOpenLines({ parcels, originals, owed, ...facts }: OpenDelivery): Generator<string> {
  yield JSON.stringify({
    format: OPEN_FORMAT,
    ...facts,
    parcels: parcels.length,
    originals: originals.length,
    owed: owed.length,
  });
  for (const entry of owed) yield JSON.stringify(entry);
  for (const parcel of [...parcels, ...originals]) yield toParcelLine(parcel);
}

/** Throws `record-unreadable`. */
export function parseOpen(lines: readonly string[], key: string): OpenDelivery {
  const [first, ...others] = lines.filter((line) => line !== "").map((line) => parseJson(line, key));
  if (first === undefined) throw unreadable(key, { code: "empty" });
  const { format: _, ...header } = check(openHeaderLine, first, key);
  const { owed, parcels, originals } = header;
  if (others.length !== owed + parcels + originals) throw unreadable(key, { code: "cut-off" });
  const written = others.slice(owed).map((data) => parseParcel(data, key));
  return {
    ...header,
    owed: others.slice(0, owed).map((data) => check(owedLine, data, key)),
    parcels: written.slice(0, parcels),
    originals: written.slice(parcels),
  } as OpenDelivery;
}

const pointerSchema = z.object({
  format: z.literal(POINTER_FORMAT),
  site: z.string(),
  release: z.int().min(1),
  run: runName,
  retained: z
    .array(
      z.object({
        release: z.int(),
        run: runName,
        waybillHash: sha256,
        at: z.string(),
        pageFreshnessSeconds: z.number().min(0).max(MOST_FRESHNESS),
      }),
    )
    .min(1),
  owed: z.array(owedLine),
  announced: z.record(siteKey, z.string()),
  announcedMs: z.number().optional(),
  forgotten: z.array(sha256).optional(),
  preview: preview.optional(),
});

/** The pointer as it stands in the store: one JSON object with the name of its format. */
export const toPointerText = (pointer: Pointer): string =>
  JSON.stringify({ format: POINTER_FORMAT, ...pointer }, null, 1);

/** Reads a pointer. Throws `record-unreadable`. */
export function parsePointer(text: string): Pointer {
  const { format: _, ...pointer } = check(pointerSchema, parseJson(text, POINTER_KEY), POINTER_KEY);
  return pointer as Pointer;
}

function parseJson(text: string, key: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    throw unreadable(key, { code: "damaged" });
  }
}

function check<T>(schema: z.ZodType<T>, data: unknown, key: string): T {
  const parsed = schema.safeParse(data);
  if (parsed.success) return parsed.data;
  const format = (data as { format?: unknown } | null)?.format;
  if (typeof format === "string" && ![WAYBILL_FORMAT, POINTER_FORMAT, OPEN_FORMAT].includes(format)) {
    throw unreadable(key, { code: "other-format", format });
  }
  throw unreadable(key, { code: "damaged" });
}

/** Why a record can't be read. */
export type UnreadableCause =
  | {
      readonly code:
        | "empty"
        | "cut-off"
        | "damaged"
        | "damaged-or-later"
        | "gone"
        | "not-recorded"
        | "left-so"
        | "too-large";
    }
  | { readonly code: "other-format"; readonly format: string };

/** `record-unreadable`. */
export const unreadable = (key: string, cause: UnreadableCause): OperatorError =>
  new OperatorError("record-unreadable", { key, cause });
