import { constants, createWriteStream } from "node:fs";
import {
  chmod,
  copyFile,
  link,
  mkdir,
  open,
  readdir,
  readFile,
  rename,
  rm,
  rmdir,
  stat,
  statfs,
  utimes,
} from "node:fs/promises";
import { dirname } from "node:path";

const calls = { chmod, copyFile, createWriteStream, link, mkdir, open, readdir, readFile, rename, rm, rmdir, stat, statfs, utimes }; // prettier-ignore

/** The calls of the system that a folder store makes; tests have disks as other systems have them. */
export interface Disk extends Readonly<typeof calls> {
  readonly platform: NodeJS.Platform;
  readonly pause: (ms: number) => Promise<void>;
}

export const systemDisk: Disk = {
  ...calls,
  platform: process.platform,
  pause: (ms) => new Promise((done) => setTimeout(done, ms)),
};

/** Not every system knows such a flag; there it counts as 0. */
export const READ_NOW = constants.O_RDONLY | constants.O_NONBLOCK;

/** What Windows answers while somebody has a file open, or while one that was removed is not gone yet. */
export const IN_USE: ReadonlySet<string> = new Set(["EPERM", "EACCES", "EBUSY"]);
/** Milliseconds between tries, three seconds in all: a web server or a virus scanner reads a file in less. */
const PAUSES = [10, 20, 50, 100, 200, 400, 800, 1400];

/** The system's code of a failure, as `ENOENT`; empty: it has none. */
export const codeOf = (error: unknown): string => (error as NodeJS.ErrnoException).code ?? "";

/** Does something to a file that somebody may have open, which only Windows refuses. */
export async function persist<T>(disk: Disk, task: () => Promise<T>): Promise<T> {
  for (const ms of disk.platform === "win32" ? PAUSES : []) {
    try {
      return await task();
    } catch (error) {
      if (!IN_USE.has(codeOf(error))) throw error;
    }
    await disk.pause(ms);
  }
  return task();
}

/** One that is not there counts as removed. */
export const remove = (disk: Disk, path: string): Promise<void> =>
  persist(disk, () => disk.rm(path, { force: true }));

/** The same of what is only in the way after a failure, which is the one to be told. */
export const discard = (disk: Disk, path: string): Promise<void> => remove(disk, path).catch(() => undefined);

/** What was written is on the disk, and not only on its way there. Windows flushes only what is open for writing. */
export async function flush(disk: Disk, path: string): Promise<void> {
  const file = await disk.open(path, "r+");
  try {
    await file.sync();
  } finally {
    await file.close();
  }
}

/** The same of the entries of a folder, where a system can. */
export async function flushFolder(disk: Disk, path: string): Promise<void> {
  if (disk.platform === "win32") return;
  const folder = await disk.open(path, "r").catch(() => undefined);
  try {
    await folder?.sync();
  } catch {
    // Not every file system can.
  } finally {
    await folder?.close();
  }
}

const FOR_READERS = { file: 0o044, folder: 0o055 };

/** Whoever serves the files is seldom the user who delivers: what nobody else may read is opened to all. */
export async function letBeRead(disk: Disk, path: string, kind: "file" | "folder"): Promise<void> {
  if (disk.platform === "win32") return;
  const { mode } = await disk.stat(path);
  if ((mode & 0o044) === 0) await disk.chmod(path, (mode & 0o777) | FOR_READERS[kind]);
}

/**
 * Places a file in a folder, which is made where it is missing.
 * @param isPublic whether others than this user must be able to look into a folder that is made
 */
export async function into(
  disk: Disk,
  { folder, isPublic }: { readonly folder: string; readonly isPublic: boolean },
  place: () => Promise<void>,
): Promise<void> {
  const make = async (): Promise<void> => {
    const first = await disk.mkdir(folder, { recursive: true });
    if (first === undefined || !isPublic) return;
    for (let path = folder; path.length >= first.length; path = dirname(path))
      await letBeRead(disk, path, "folder");
  };
  await make();
  try {
    await place();
  } catch (error) {
    if (codeOf(error) !== "ENOENT") throw error;
    // Whoever removed its last file has just removed the folder as well.
    await make();
    await place();
  }
}

/** What a disk without hard links answers to a new one (link(2)). */
const NO_LINKS = new Set([
  "EPERM",
  "ENOTSUP",
  "EOPNOTSUPP",
  "ENOSYS",
  "EINVAL",
  "EACCES",
  "EMLINK",
  "UNKNOWN",
]);

/**
 * Puts a finished file where none may stand. Fails with `EEXIST` where somebody else was faster, on whatever machine: by a
 * hard link, or, where a disk has none, by an empty file that only one can create, which the finished one then replaces.
 */
export async function placeNew(disk: Disk, part: string, path: string): Promise<void> {
  try {
    await disk.link(part, path);
  } catch (error) {
    if (!NO_LINKS.has(codeOf(error))) throw error;
    await (await disk.open(path, "wx")).close();
    try {
      await persist(disk, () => disk.rename(part, path));
    } catch (failure) {
      await discard(disk, path);
      throw failure;
    }
    return;
  }
  await remove(disk, part);
}

/** Web servers tell versions of a file apart by its time in whole seconds; some disks keep every other one. */
const TIME_STEPS_MS = [1000, 3000];

/** A file that replaces another is always later by a whole second at least, whatever the clock says. */
export async function raiseTime(
  disk: Disk,
  part: string,
  standing: { readonly mtimeMs: number } | undefined,
): Promise<void> {
  if (!standing) return;
  for (const step of TIME_STEPS_MS) {
    const { mtimeMs } = await disk.stat(part);
    if (mtimeMs >= standing.mtimeMs + 1000) return;
    const least = standing.mtimeMs + step;
    await disk.utimes(part, new Date(least), new Date(Math.ceil(least)));
  }
}

/** What is not there is nothing; every other failure is one. */
export function orNothing(error: unknown): undefined {
  const code = codeOf(error);
  if (code !== "ENOENT" && code !== "ENOTDIR") throw error;
  return undefined;
}
