import type { ObjectKey, Sha256 } from "./names.ts";
import type { Role } from "./role.ts";

/** Headers that an object carries, by lower-case name. */
export type ObjectHeaders = Readonly<Record<string, string>>;

/** One object as it should stand in the store. */
export interface Parcel {
  readonly key: ObjectKey;
  /** Of the content as it was built. */
  readonly hash: Sha256;
  /** Of the bytes as they are stored; the same as `hash` unless they are stored encoded. */
  readonly storedHash: Sha256;
  /** Stored size in bytes. */
  readonly size: number;
  readonly headers: ObjectHeaders;
  readonly role: Role;
  /** The key of the file that it stands for under another address; absent for the build's own files. */
  readonly aliasOf?: ObjectKey;
  /** Where it sends those who ask for it; absent for all but redirects. */
  readonly redirectsTo?: string;
  /** Neither page nor asset, and yet a page loads it (a manifest, a script that a worker shares): it is there before the page. */
  readonly isLoaded?: true;
  /** It is this destination's alone: a file of its `files`, or one of ours. Another destination does not take it over. */
  readonly isOwn?: true;
  /** A service worker names it, so that browsers must not keep it unasked. */
  readonly isWorkerNamed?: true;
  /** A file of the build that one of the destination's own stands in front of: it waits in the vault for other destinations. */
  readonly isAside?: true;
  /** How its bytes are stored, where that is not as they were built. */
  readonly encoding?: "gzip";
}

/** A parcel as a waybill records it: with the ETag that the store gave it. */
export interface RecordedParcel extends Parcel {
  /** Without quotes. Absent: this object was still to be written when the record was made (workers). */
  readonly etag?: string;
  /** The last release that lists it, where that is not the waybill's own: it only stands for open tabs. */
  readonly lastIn?: number;
}

/** A parcel as it should stand, without its reasons and what the store once gave it: field by field, which V8 keeps small. */
export function toPlainParcel(parcel: Parcel): Parcel {
  const { key, hash, storedHash, size, headers, role, aliasOf, redirectsTo, isLoaded, isOwn, isWorkerNamed } =
    parcel;
  return {
    ...{ key, hash, storedHash, size, headers, role },
    ...(aliasOf === undefined ? {} : { aliasOf }),
    ...(redirectsTo === undefined ? {} : { redirectsTo }),
    ...(isLoaded === undefined ? {} : { isLoaded }),
    ...(isOwn === undefined ? {} : { isOwn }),
    ...(isWorkerNamed === undefined ? {} : { isWorkerNamed }),
  };
}

/** One object as the store's list shows it. */
export interface ListedObject {
  readonly key: ObjectKey;
  readonly size: number;
  /** Without quotes. */
  readonly etag: string;
  /** Last modification by the store's clock, milliseconds since 1970. */
  readonly modifiedMs: number;
}

/** Whether two sets of headers say the same. */
export function hasSameHeaders(a: ObjectHeaders, b: ObjectHeaders): boolean {
  if (a === b) return true;
  const names = Object.keys(a);
  return names.length === Object.keys(b).length && names.every((name) => a[name] === b[name]);
}

/** Whether a browser reads it as a page (and not as data that goes with one). */
export const isHtml = (parcel: { readonly headers: ObjectHeaders }): boolean =>
  /^(text\/html|application\/xhtml\+xml)\b/.test(parcel.headers["content-type"] ?? "");
