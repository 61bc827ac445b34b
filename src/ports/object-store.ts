import type { TlsFault } from "../core/model/tls-fault.ts";
import type { OtherPlace } from "../core/model/plan.ts";
import type { ObjectKey, Sha256 } from "../core/model/names.ts";
import type { WebsiteSettings } from "../core/model/website.ts";
import type { StoreAction } from "../core/model/store-action.ts";
import type { ListedObject, ObjectHeaders } from "../core/model/parcel.ts";

/**
 * A store of objects, seen through the prefix of one destination: keys are relative to it and no call reaches outside.
 *
 * Calling sequence: any; calls may run side by side. Each call is one try: `withRetries` (perform/retry.ts) puts the
 * retries around it, so an adapter must not retry by itself. What takes many requests (a large file in parts) may have one
 * of them tried again by the `TryAgain` that it was given, which counts and waits as `withRetries` does.
 *
 * Guaranteed: `put` stores exactly the bytes whose hash it was given or fails (`integrity`); a list shows every write
 * that was confirmed before it began; a failed call throws `StoreError` and nothing else.
 * Not guaranteed: that conditions are checked (`StoreError` `conditions-unsupported` where the store says so), that an
 * ETag is an MD5, that a call that failed had no effect (a connection may break after the write).
 */
export interface ObjectStore {
  /** Where it is, for messages. */
  readonly location: StoreLocation;
  /** All objects below the prefix, page by page, in the order of their UTF-8 keys. */
  list(below?: string, range?: ListRange): AsyncIterable<ListPage>;
  /** Whether a list can begin anywhere at no more cost; others list everything, whatever the range. */
  readonly listsFromAnywhere: boolean;
  head(key: ObjectKey): Promise<ObjectFacts | undefined>;
  get(key: ObjectKey): Promise<ReadObject | undefined>;
  put(key: ObjectKey, content: Content, headers: ObjectHeaders, condition?: Condition): Promise<Written>;
  /** Whether objects keep the headers that they are given. */
  readonly carriesHeaders: boolean;
  /**
   * Server-side copy; with `headers` they replace those of the source. Fails with `precondition` when the source changed or
   * is gone, or when another state stands at the target than `condition` says. Not every store checks the latter, and some
   * refuse a right `etag` of an object that was sent in parts.
   */
  copy(from: CopySource, to: ObjectKey, headers?: ObjectHeaders, condition?: Condition): Promise<Written>;
  /** Lets go of parts of large objects under these keys that were sent and never put together. @returns how many uploads */
  abandonUploads(keys: ReadonlySet<ObjectKey>): Promise<number>;
  /**
   * Removes objects; one that is not there counts as removed.
   * @param expected ETags that must stand there, by key. Not every store checks them.
   * @returns keys that were left, since another state stood there
   */
  remove(
    keys: readonly ObjectKey[],
    expected?: ReadonlyMap<ObjectKey, string>,
  ): Promise<readonly ObjectKey[]>;
  /** What a bucket keeps of objects that were overwritten or removed; undefined: this kind of store keeps nothing. */
  readonly versions?: ObjectVersions | undefined;
  /** Whether anybody may read an object, unsigned. */
  isPublic(key: ObjectKey): Promise<boolean>;
  /** What the bucket's website endpoint is set up to answer with; undefined: it has none. */
  readWebsite(): Promise<WebsiteSettings | undefined>;
  writeWebsite(settings: WebsiteSettings): Promise<void>;
  /** Lets go of connections. */
  close(): void;
}

export interface StoreLocation {
  readonly endpoint: string;
  readonly bucket: string;
  readonly prefix: string;
  readonly region: string;
}

/** A part of a list. */
export interface ListRange {
  /** It begins behind this key. */
  readonly after?: ObjectKey | undefined;
  /** It ends with the page on which this key stands, or would. Asked after each page: it may become known later. */
  readonly until?: (() => ObjectKey | undefined) | undefined;
}

export interface ListPage {
  readonly objects: readonly ListedObject[];
  /** The store's clock when it answered, milliseconds since 1970; absent where it does not say. */
  readonly storeTimeMs?: number | undefined;
  /** Whether names that differ only in case are one there; absent: they are not. */
  readonly foldsCase?: boolean;
}

export interface ObjectFacts {
  readonly size: number;
  readonly etag: string;
  readonly headers: ObjectHeaders;
  /** Of the stored bytes, where the store keeps it: then nothing needs to be read to know them. */
  readonly hash?: Sha256 | undefined;
}

/** One version of an object in a bucket that keeps versions. */
export interface ObjectVersion {
  readonly key: ObjectKey;
  readonly id: string;
  readonly size: number;
  /** Without quotes. */
  readonly etag: string;
  /** Whether it is what stands there now. */
  readonly isCurrent: boolean;
}

/** The versions below the prefix. All calls throw `StoreError`; `denied` where this identity may not. */
export interface ObjectVersions {
  /** Every version, the current ones too; none where the store does not know the question. */
  list(): AsyncIterable<readonly ObjectVersion[]>;
  read(version: ObjectVersion): Promise<ReadObject | undefined>;
  /** Removes versions for good; one that is not there counts as removed. */
  remove(versions: readonly ObjectVersion[]): Promise<void>;
  /** Whether the bucket locks objects: then versions can't be removed before their time. */
  isLocked(): Promise<boolean>;
}

export interface ReadObject extends ObjectFacts {
  readonly body: AsyncIterable<Uint8Array>;
}

/** Bytes to store. `open` may be called again for another try. */
export interface Content {
  readonly size: number;
  readonly hash: Sha256;
  open(): Uint8Array | NodeJS.ReadableStream;
}

export interface CopySource {
  readonly key: ObjectKey;
  /** Where the key stands; absent: below the own prefix. A store that can't reach there fails with `unsupported`. */
  readonly place?: OtherPlace | undefined;
  /** Absent: whatever stands there. */
  readonly etag?: string | undefined;
  /** Bytes, where known: very large objects are copied in parts. */
  readonly size?: number | undefined;
  /** The copy should get another ETag than its source, where the store can make one. */
  readonly freshEtag?: boolean | undefined;
}

export interface Written {
  /** Without quotes. */
  readonly etag: string;
}

/** What must stand there for a write to happen (RFC 9110 §13.1). */
export type Condition = { readonly ifAbsent: true } | { readonly ifEtag: string };

export type StoreErrorKind =
  | "unreachable"
  | "throttled"
  | "server"
  | "no-such-bucket"
  | "wrong-region"
  | "clock-skew"
  | "no-credentials"
  | "no-region"
  | "tls"
  | "credentials-refused"
  | "denied"
  | "precondition"
  /** Another conditional write is under way there: this one was not tried, and can be (409). */
  | "conflict"
  | "conditions-unsupported"
  /** A kind of request that this store does not know. */
  | "unsupported"
  | "bucket-taken"
  | "integrity"
  | "other";

export interface StoreErrorFacts {
  readonly action: StoreAction;
  readonly status?: number;
  readonly code?: string;
  readonly requestId?: string;
  readonly retryAfterMs?: number;
  readonly region?: string;
  /** Of kind `tls`: why there is no safe connection. */
  readonly tls?: TlsFault;
}

/** What an adapter makes of any failure of its store. `message` is the store's own answer. */
export class StoreError extends Error {
  constructor(
    readonly kind: StoreErrorKind,
    message: string,
    readonly facts: StoreErrorFacts,
    cause?: unknown,
  ) {
    super(message, { cause });
    this.name = "StoreError";
  }
}

/** Kinds of requests that results count. */
const REQUEST_KINDS = ["list", "get", "head", "put", "copy", "delete", "multipart", "retried"] as const;
export type RequestKind = (typeof REQUEST_KINDS)[number];

/** What was asked of a store. */
export interface RequestTally {
  readonly requests: Record<RequestKind, number>;
  /** Objects that it has confirmed to have written or removed, for messages about a run that failed. */
  written: number;
}

/** A tally that has counted nothing yet. */
export const createTally = (): RequestTally => ({
  requests: Object.fromEntries(REQUEST_KINDS.map((kind) => [kind, 0])) as Record<RequestKind, number>,
  written: 0,
});

export type CountRequest = (kind: RequestKind) => void;

/** Makes a request, and makes it again after a failure (`StoreError`) that may pass by. Throws the last failure. */
export type TryAgain = <T>(request: () => Promise<T>) => Promise<T>;

/** For whoever wants each failure as it comes. */
export const NEVER_AGAIN: TryAgain = (request) => request();
