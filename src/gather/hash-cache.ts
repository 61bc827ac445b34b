import { hash } from "node:crypto";
import { join } from "node:path";
import type { WordShapes } from "../core/build/fingerprints/mentions.ts";
import type { Sha256 } from "../core/model/names.ts";
import { readChecked, writeChecked, type OnDamaged } from "./checked-file.ts";
import { packContents, unpackContents, type ContentTable } from "./content-table.ts";
import type { ScannedFile } from "./scan-build.ts";

/**
 * What was read of a build, so that an unchanged one costs a walk, and one that was written anew a read. Deleting it costs
 * only time.
 *
 * A file counts as unchanged when size, device, inode and both times, to the nanosecond, are those that were noted. A
 * file that was touched shortly before it was read may be changed again within the same step of the file system's clock:
 * such entries are not kept. What is known of a content is kept by its hash, for a few runs longer than any file has it.
 */
export interface HashCache {
  /** What the file held; undefined where it may have changed since. */
  findFile(file: ScannedFile): HashedFile | undefined;
  /** What is known of contents, by `toContentId`, if they were read for words of these shapes. */
  openContents(shapes: WordShapes): ContentTable;
  /** Replaces everything; a cache that can't be written is no failure. */
  save(files: readonly HashedFile[], scanned: readonly ScannedFile[], contents: ContentTable): void;
}

export interface HashedFile {
  readonly path: string;
  /** Bytes. */
  readonly size: number;
  readonly hash: Sha256;
}

/** Changes with every change of what is read of a file. */
const FORMAT = "restless-courier/hash-cache/6";
/** The coarsest step of a clock among file systems that builds are written to, in milliseconds. */
const CLOCK_STEP_MS = 2000;

/** Columns in walk order. */
interface Columns {
  readonly format: string;
  readonly paths: readonly string[];
  readonly stamps: readonly string[];
  readonly sizes: readonly number[];
  readonly hashes: readonly string[];
}

/** Where what was read is kept for the next run, and when this run began to scan the build. */
export interface CachePlace {
  readonly folder: string;
  readonly nowMs: number;
  readonly onDamaged?: OnDamaged;
}

/**
 * What the files of a build folder's cache are called, without their ending. The letter of a drive comes in either case,
 * and means the same.
 */
export const nameIn = (cacheFolder: string, buildFolder: string): string => {
  const folder = buildFolder.replace(/^[a-z]:/, (drive) => drive.toUpperCase());
  return join(cacheFolder, hash("sha256", folder).slice(0, 32));
};

/** The cache of one build folder, below the user's cache folder. */
export function openHashCache({ folder, nowMs, onDamaged }: CachePlace, buildFolder: string): HashCache {
  const name = nameIn(folder, buildFolder);
  const [files, contents] = [`${name}.json`, `${name}.contents`];
  const columns = readColumns(files, onDamaged);
  const places = new Map(columns?.paths.map((path, place) => [path, place]));
  return {
    findFile: ({ path, stamp }) => {
      const place = places.get(path);
      if (!columns || place === undefined || columns.stamps[place] !== stamp) return undefined;
      return { path, size: columns.sizes[place] as number, hash: columns.hashes[place] as string };
    },
    openContents: (shapes) => unpackContents(readChecked(contents, onDamaged), shapes),
    save: (hashed, scanned, table) => {
      const stamped = new Map(scanned.map((entry) => [entry.path, entry]));
      const settled = hashed.filter(
        ({ path }) => (stamped.get(path)?.touchedMs ?? Infinity) < nowMs - CLOCK_STEP_MS,
      );
      const packed = table.hasNews() ? packContents(table) : undefined;
      if (packed) writeChecked(contents, packed);
      writeChecked(files, Buffer.from(JSON.stringify(toColumns(settled, stamped))));
    },
  };
}

const toColumns = (files: readonly HashedFile[], stamped: ReadonlyMap<string, ScannedFile>): Columns => ({
  format: FORMAT,
  paths: files.map(({ path }) => path),
  stamps: files.map(({ path }) => stamped.get(path)?.stamp ?? ""),
  sizes: files.map(({ size }) => size),
  hashes: files.map((file) => file.hash),
});

function readColumns(file: string, onDamaged: OnDamaged | undefined): Columns | undefined {
  const kept = readChecked(file, onDamaged);
  if (kept === undefined) return undefined;
  const columns = JSON.parse(kept.toString("utf8")) as Columns;
  return columns.format === FORMAT ? columns : undefined;
}
