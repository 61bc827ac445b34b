import { createHash, hash as hashOnce } from "node:crypto";
import { closeSync, openSync, readFileSync, readSync } from "node:fs";
import type { Sha256 } from "../core/model/names.ts";
import { readContent, readLargeContent, type ContentFacts } from "./content-facts.ts";
import { toUnreadable } from "./unreadable.ts";

/** Above this size a file is never wholly in memory. */
export const WHOLE_BYTES = 8 * 1024 * 1024;
const START_BYTES = 512;

/** A file to be read. */
export interface FileToRead {
  /** Below the build folder. */
  readonly path: string;
  /** Where it stands. */
  readonly place: string;
  /** Bytes, as it was scanned. */
  readonly size: number;
}

/** What reading a file told. */
export interface ReadFile {
  /** Bytes. */
  readonly size: number;
  readonly hash: Sha256;
  /** What its content says; undefined where nobody asked. */
  readonly facts?: ContentFacts | undefined;
}

/** What is known of a content, or what `read` tells of it. */
export type FindFacts = (hash: Sha256, read: () => ContentFacts) => ContentFacts | undefined;

/** Reads and hashes a file. Throws `build-changed` when it is gone, `build-unreadable`. */
export function readFile(
  { path, place, size }: FileToRead,
  readWords: (bytes: Uint8Array) => Float64Array,
  find: FindFacts,
): ReadFile {
  if (size > WHOLE_BYTES) {
    const { start, ...read } = hashLarge(place, path);
    return { ...read, facts: find(read.hash, () => readLargeContent(path, start)) };
  }
  const bytes = readShortly(place, path);
  const sum = hashOnce("sha256", bytes);
  return { size: bytes.length, hash: sum, facts: find(sum, () => readContent(path, bytes, readWords)) };
}

/** A file of the build in memory. Throws `build-changed` when it is gone, `build-unreadable`. */
export function readBuildFile(place: string, path: string): Buffer {
  try {
    return readFileSync(place);
  } catch (error) {
    throw toUnreadable(path, error);
  }
}

/** For one file after the other: what is made anew for each of many thousands piles up before it is collected. */
const SHARED = Buffer.allocUnsafeSlow(256 * 1024);

/** A file in memory that the next call takes again; larger ones get memory of their own. */
function readShortly(place: string, path: string): Buffer {
  const size = fillShared(place, path);
  return size < SHARED.length ? SHARED.subarray(0, size) : readBuildFile(place, path);
}

/** @returns how many bytes the file has, or the most that there is room for */
function fillShared(place: string, path: string): number {
  const file = openBuildFile(place, path);
  try {
    let size = 0;
    for (;;) {
      const count = readSync(file, SHARED, size, SHARED.length - size, null);
      size += count;
      if (count === 0 || size === SHARED.length) return size;
    }
  } catch (error) {
    throw toUnreadable(path, error);
  } finally {
    closeSync(file);
  }
}

function openBuildFile(place: string, path: string): number {
  try {
    return openSync(place, "r");
  } catch (error) {
    throw toUnreadable(path, error);
  }
}

/** @returns and its first bytes */
function hashLarge(place: string, path: string): { size: number; hash: Sha256; start: Uint8Array } {
  const file = openBuildFile(place, path);
  try {
    const sum = createHash("sha256");
    const buffer = Buffer.allocUnsafe(1024 * 1024);
    let start: Uint8Array | undefined;
    let size = 0;
    for (let count = readSync(file, buffer); count > 0; count = readSync(file, buffer)) {
      const chunk = buffer.subarray(0, count);
      start ??= Uint8Array.from(chunk.subarray(0, START_BYTES));
      sum.update(chunk);
      size += count;
    }
    return { size, hash: sum.digest("hex"), start: start ?? new Uint8Array() };
  } finally {
    closeSync(file);
  }
}
