import { hash } from "node:crypto";
import { mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import type { BuildFile } from "../core/model/build.ts";
import type { UnreadText } from "../core/model/problem.ts";
import { isTypedByName } from "../core/build/content-type.ts";
import type { ScannedFile } from "./scan-build.ts";

/**
 * What was read of a build's files, so that an unchanged build costs a walk. Deleting it costs only time.
 *
 * A file counts as unchanged when size, device, inode and both times, to the nanosecond, are those that were noted. A
 * file that was touched shortly before it was read may be changed again within the same step of the file system's clock:
 * such entries are not kept. What a file mentions is kept for just the hashed names that were looked for.
 */
export interface HashCache {
  find(file: ScannedFile, lookedFor: string): CachedFile | undefined;
  /** Replaces everything; a cache that can't be written is no failure. */
  save(files: readonly CachedFile[], scanned: readonly ScannedFile[], lookedFor: string): void;
}

export interface CachedFile extends BuildFile {
  /** The hashed names that it mentions. */
  readonly mentions: readonly string[];
}

/** Changes with every change of what is read of a file. */
const FORMAT = "restless-courier/hash-cache/5";
const NO_BYTES = new Uint8Array();
/** Most files have nothing of it: they share it. */
const NONE: readonly never[] = [];
/** The coarsest step of a clock among file systems that builds are written to, in milliseconds. */
const CLOCK_STEP_MS = 2000;

/** Columns in walk order: what most files don't have costs nearly nothing. */
interface Columns {
  readonly format: string;
  readonly lookedFor: string;
  readonly paths: readonly string[];
  readonly stamps: readonly string[];
  readonly sizes: readonly number[];
  readonly hashes: readonly string[];
  /** First bytes, base64. */
  readonly heads: readonly string[];
  /** By place in the columns: what only some files have. */
  readonly references: Readonly<Record<number, BuildFile["references"]>>;
  readonly secrets: Readonly<Record<number, BuildFile["secrets"]>>;
  readonly mentions: Readonly<Record<number, readonly string[]>>;
  readonly unread: Readonly<Record<number, readonly UnreadText[]>>;
}

/** Where what was read is kept for the next run, and when this run began to scan the build. */
export interface CachePlace {
  readonly folder: string;
  readonly nowMs: number;
  /** Is told where a cache is damaged, and dropped. */
  readonly onDamaged?: (file: string) => void;
}

/** The cache of one build folder, below the user's cache folder. */
export function openHashCache({ folder, nowMs, onDamaged }: CachePlace, buildFolder: string): HashCache {
  const file = join(folder, `${hash("sha256", buildFolder).slice(0, 32)}.json`);
  const columns = readColumns(file, onDamaged);
  const places = new Map(columns?.paths.map((path, place) => [path, place]));
  return {
    find: (scanned, lookedFor) => {
      const place = places.get(scanned.path);
      if (!columns || place === undefined || columns.stamps[place] !== scanned.stamp) return undefined;
      if (columns.lookedFor !== lookedFor) return undefined;
      return {
        path: scanned.path,
        size: columns.sizes[place] as number,
        hash: columns.hashes[place] as string,
        head: columns.heads[place] === "" ? NO_BYTES : Buffer.from(columns.heads[place] as string, "base64"),
        references: columns.references[place] ?? NONE,
        secrets: columns.secrets[place] ?? NONE,
        mentions: columns.mentions[place] ?? NONE,
        unread: columns.unread[place]?.[0],
      };
    },
    save: (files, scanned, lookedFor) => {
      const stamped = new Map(scanned.map((entry) => [entry.path, entry]));
      const settled = files.filter(
        ({ path }) => (stamped.get(path)?.touchedMs ?? Infinity) < nowMs - CLOCK_STEP_MS,
      );
      writeColumns(file, toColumns(settled, stamped, lookedFor));
    },
  };
}

function toColumns(
  files: readonly CachedFile[],
  stamped: ReadonlyMap<string, ScannedFile>,
  lookedFor: string,
): Columns {
  const sparse = <T>(pick: (file: CachedFile) => readonly T[]): Record<number, readonly T[]> =>
    Object.fromEntries(
      files.flatMap((file, place) => (pick(file).length > 0 ? [[place, pick(file)] as const] : [])),
    );
  return {
    format: FORMAT,
    lookedFor,
    paths: files.map(({ path }) => path),
    stamps: files.map(({ path }) => stamped.get(path)?.stamp ?? ""),
    sizes: files.map(({ size }) => size),
    hashes: files.map((file) => file.hash),
    heads: files.map(({ head, path }) => (!isTypedByName(path) ? Buffer.from(head).toString("base64") : "")),
    references: sparse(({ references }) => references),
    secrets: sparse(({ secrets }) => secrets),
    mentions: sparse(({ mentions }) => mentions),
    unread: sparse(({ unread }) => (unread === undefined ? [] : [unread])),
  };
}

/** The sum of what follows stands in the first line: half a cache, or one with another byte, is none. */
function readColumns(file: string, onDamaged: CachePlace["onDamaged"]): Columns | undefined {
  let text: string;
  try {
    text = readFileSync(file, "utf8");
  } catch {
    return undefined;
  }
  const end = text.indexOf("\n");
  const kept = text.slice(end + 1);
  // Versions before 0.2 wrote none.
  if (text.startsWith("{")) return undefined;
  if (hash("sha256", kept) !== text.slice(0, Math.max(0, end))) {
    onDamaged?.(file);
    return undefined;
  }
  const columns = JSON.parse(kept) as Columns;
  return columns.format === FORMAT ? columns : undefined;
}

function writeColumns(file: string, columns: Columns): void {
  try {
    const kept = JSON.stringify(columns);
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(`${file}.${process.pid}`, `${hash("sha256", kept)}\n${kept}`);
    renameSync(`${file}.${process.pid}`, file);
  } catch {
    // A full or read-only disk costs the next run some time, nothing else.
  }
}
