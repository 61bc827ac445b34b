import { createHash, hash as hashOnce } from "node:crypto";
import { closeSync, openSync, readFileSync, readSync } from "node:fs";
import { join } from "node:path";
import { setImmediate } from "node:timers/promises";
import type { Build, BuildFile } from "../core/model/build.ts";
import { findFingerprintNames } from "../core/build/fingerprints/find.ts";
import { createTokenFinder, createWordReader, shapesOf } from "../core/build/fingerprints/mentions.ts";
import type { Sha256 } from "../core/model/names.ts";
import { readContent, readLargeContent, toContentId, type ContentFacts } from "./content-facts.ts";
import { ContentTable } from "./content-table.ts";
import type { HashCache, HashedFile } from "./hash-cache.ts";
import type { Scan, ScannedFile } from "./scan-build.ts";
import { toUnreadable } from "./unreadable.ts";

/** Above this size a file is never wholly in memory. */
export const WHOLE_BYTES = 8 * 1024 * 1024;
const START_BYTES = 512;
/** Reading stops for others that wait (the list of the destination, say) after so many milliseconds. */
const TURN_MS = 5;

/** Reads every file once, or takes what a cache knows of it: hash, first bytes, what it names, what it should not hold. */
export async function hashBuild(
  folder: string,
  { files, withheld, special }: Scan,
  cache?: HashCache,
): Promise<Build> {
  const names = findFingerprintNames(files.map(({ path }) => path));
  const shown = [...names.values()].filter(({ strength }) => strength === "shown");
  const tokens = new Set(shown.map(({ token }) => token));
  const shapes = shapesOf(tokens);
  const contents = cache?.openContents(shapes) ?? new ContentTable(shapes);
  const readWords = createWordReader(contents.shapes);
  const findTokens = createTokenFinder(tokens);
  const namedTokens = new Map<string, string>();
  let isNew = false as boolean;
  const hashed: BuildFile[] = [];
  let begun = performance.now();
  for (const file of files) {
    const { path, place = join(folder, path) } = file;
    const kept = cache?.findFile(file);
    const known = kept && contents.find(toContentId(path, kept.hash));
    isNew ||= known === undefined;
    const { words, ...read } = known ? { ...kept, ...known } : readFile(place, file, { contents, readWords });
    for (const token of findTokens(words))
      if (token !== names.get(path)?.token && !namedTokens.has(token)) namedTokens.set(token, path);
    hashed.push({ path, ...read });
    if (performance.now() - begun < TURN_MS) continue;
    await setImmediate();
    begun = performance.now();
  }
  if (isNew) cache?.save(hashed, files, contents);
  return { folder, files: hashed, names, namedTokens, withheld, special };
}

interface ReadTools {
  readonly contents: ContentTable;
  readonly readWords: (bytes: Uint8Array) => Float64Array;
}

/** Reads and hashes a file. What its content says is read only where nobody knows it yet. */
function readFile(
  place: string,
  { path, size }: ScannedFile,
  { contents, readWords }: ReadTools,
): Omit<HashedFile, "path"> & ContentFacts {
  if (size > WHOLE_BYTES) {
    const { start, ...read } = hashLarge(place, path);
    return { ...read, ...find(path, read.hash, contents, () => readLargeContent(path, start)) };
  }
  const bytes = readShortly(place, path);
  const sum = hashOnce("sha256", bytes);
  return {
    ...{ size: bytes.length, hash: sum },
    ...find(path, sum, contents, () => readContent(path, bytes, readWords)),
  };
}

function find(path: string, sum: Sha256, contents: ContentTable, read: () => ContentFacts): ContentFacts {
  const id = toContentId(path, sum);
  const known = contents.find(id);
  if (known) return known;
  const facts = read();
  contents.add(id, facts);
  return facts;
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

/** SHA-256 of a whole stream. */
export async function hashStream(body: AsyncIterable<Uint8Array>): Promise<Sha256> {
  const sum = createHash("sha256");
  for await (const chunk of body) sum.update(chunk);
  return sum.digest("hex");
}
