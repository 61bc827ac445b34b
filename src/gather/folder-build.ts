import { hash } from "node:crypto";
import { createReadStream, statSync } from "node:fs";
import { join } from "node:path";
import type { Build, BuildFile } from "../core/model/build.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { Content } from "../ports/object-store.ts";
import { encode } from "./encode.ts";
import { openHashCache, type CachePlace } from "./hash-cache.ts";
import { openWeightMemory } from "./weight-memory.ts";
import { hashBuild } from "./hash-files.ts";
import { readBuildFile, readFile, WHOLE_BYTES } from "./read-file.ts";
import { findNewerSource } from "./newer-source.ts";
import { scanAdded, type AddedFile } from "./added-files.ts";
import { byText } from "../core/model/names.ts";
import { scanBuild, type Scan } from "./scan-build.ts";
import { OWN_TEXTS } from "./own-texts.ts";
import { ARCHIVE, unpackArchive } from "./unpack-archive.ts";

const READ_BYTES = 1024 * 1024;

export interface FolderBuildOptions {
  /** Absent: nothing is kept for the next run. */
  readonly cache?: CachePlace | undefined;
  /** Where the sources of the build are looked for; absent: nowhere. */
  readonly projectFolder?: string | undefined;
  /** Files that go with the build from elsewhere; absent: none. */
  readonly added?: readonly AddedFile[] | undefined;
  /** Is told how many files there are, before the first is read. */
  readonly onScanned?: ((files: number) => void) | undefined;
}

/** A build in a folder, or in an archive, which is unpacked into a folder of its own for as long as it is needed. */
export async function openBuild(path: string, options: FolderBuildOptions = {}): Promise<BuildSource> {
  if (!ARCHIVE.test(path) || statSync(path, { throwIfNoEntry: false })?.isDirectory() === true)
    return createFolderBuild(path, options);
  const { folder, dispose } = await unpackArchive(path);
  const build = createFolderBuild(folder, { added: options.added, onScanned: options.onScanned });
  return {
    ...build,
    read: async (exclude) => ({ ...(await build.read(exclude)), folder: path }),
    close: dispose,
  };
}

/** A build in a folder. Nothing is read before `read` is called. */
export function createFolderBuild(
  folder: string,
  { cache, projectFolder, added = [], onScanned = () => undefined }: FolderBuildOptions = {},
): BuildSource {
  const hashScanned = async (scan: Scan): Promise<Build> => {
    const build = await hashBuild(folder, scan, cache && openHashCache(cache, folder));
    if (projectFolder === undefined || scan.files.length === 0) return build;
    const builtMs = scan.files.reduce((latest, { touchedMs }) => Math.max(latest, touchedMs), 0);
    return { ...build, newerSource: findNewerSource(projectFolder, folder, builtMs) };
  };
  return {
    read: (exclude) => {
      const own = scanOwn(folder, exclude);
      const scan = withAdded(own, added);
      onScanned(scan.files.length);
      const paths = new Set(added.map(({ as }) => as));
      const reading = hashScanned(scan);
      if (paths.size === 0) return reading;
      return reading.then((build) => ({ ...build, added: paths, covered: hashCovered(folder, own, paths) }));
    },
    ...(cache ? { weights: openWeightMemory(cache, folder) } : {}),
    close: () => undefined,
    open: (parcel) => openFile(placeOf(folder, added, parcel), parcel),
    openPart: (parcel, start, end) => {
      const place = placeOf(folder, added, parcel);
      if (statSync(place, { throwIfNoEntry: false })?.size !== parcel.size)
        throw new OperatorError("build-changed", { path: parcel.aliasOf ?? parcel.key });
      return createReadStream(place, { start, end });
    },
    look: (exclude) => {
      const { files } = withAdded(scanOwn(folder, exclude), added);
      return hash("sha256", JSON.stringify(files.map(({ path, stamp }) => [path, stamp])));
    },
    findChanged: (parcels) =>
      parcels.find((parcel) => isChanged(placeOf(folder, added, parcel), parcel))?.key,
  };
}

const scanOwn = (folder: string, exclude: readonly string[]): Scan =>
  folder === NOWHERE ? NOTHING : scanBuild(folder, exclude);

function withAdded(scan: Scan, added: readonly AddedFile[]): Scan {
  if (added.length === 0) return scan;
  const files = new Map([...scan.files, ...scanAdded(added)].map((file) => [file.path, file]));
  return { ...scan, files: [...files.values()].sort((a, b) => byText(a.path, b.path)) };
}

/** Files that go to one destination alone, without a build. */
export const createAddedBuild = (added: readonly AddedFile[]): BuildSource =>
  createFolderBuild(NOWHERE, { added });

const NOWHERE = "";
const NOTHING: Scan = { files: [], withheld: [], special: [] };

const NO_WORDS = new Float64Array();

/** The build's own files that others stand in front of: they are few, and nobody asks what they name. */
const hashCovered = (folder: string, { files }: Scan, paths: ReadonlySet<string>): BuildFile[] =>
  files
    .filter(({ path }) => paths.has(path))
    .map(({ path, size }) => ({
      ...{ path, head: NO_BYTES, references: [], secrets: [] },
      ...readFile(
        { path, place: join(folder, path), size },
        () => NO_WORDS,
        () => undefined,
      ),
    }));

const NO_BYTES = new Uint8Array();

/** Where the bytes of a parcel stand. */
function placeOf(folder: string, added: readonly AddedFile[], { key, aliasOf, isAside }: Parcel): string {
  const path = aliasOf ?? key;
  const own = isAside === true ? undefined : added.findLast((file) => file.as === path);
  return own?.from ?? join(folder, path);
}

/** A large file counts by its size alone here: its bytes are checked by the store as they are sent. */
function isChanged(place: string, { key, aliasOf, hash: contentHash }: Parcel): boolean {
  if (OWN_TEXTS.has(contentHash)) return false;
  const path = aliasOf ?? key;
  const size = statSync(place, { throwIfNoEntry: false })?.size;
  return (
    size === undefined || (size <= WHOLE_BYTES && hash("sha256", readBuildFile(place, path)) !== contentHash)
  );
}

/** A file as it is to be stored, known to be the one that was read: by its hash here, or by the store when it is streamed. */
function openFile(
  place: string,
  { key, aliasOf, size, hash: contentHash, storedHash, encoding }: Parcel,
): Content {
  const own = OWN_TEXTS.get(contentHash);
  if (own !== undefined) return { size, hash: contentHash, open: () => Buffer.from(own) };
  if (size === 0) return { size, hash: storedHash, open: () => Buffer.alloc(0) };
  const path = aliasOf ?? key;
  if (size > WHOLE_BYTES) {
    const options = { highWaterMark: READ_BYTES, end: size - 1 };
    return { size, hash: storedHash, open: () => createReadStream(place, options) };
  }
  const bytes = readBuildFile(place, path);
  if (hash("sha256", bytes) !== contentHash) throw new OperatorError("build-changed", { path });
  const stored = encoding === "gzip" ? encode(bytes) : bytes;
  return {
    size: stored.length,
    hash: encoding === "gzip" ? hash("sha256", stored) : contentHash,
    open: () => stored,
  };
}
