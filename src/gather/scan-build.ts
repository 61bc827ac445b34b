import { lstatSync, readdirSync, realpathSync, statSync, type BigIntStats, type Dirent } from "node:fs";
import { join, sep } from "node:path";
import { matcher } from "../core/model/glob.ts";
import { OperatorError } from "../core/model/failure.ts";
import { byText } from "../core/model/names.ts";
import { toUnreadable } from "./unreadable.ts";

/** Names that are never shipped, whatever is written, wherever they stand in the build; file systems may not tell case apart. */
export const NEVER_SHIP =
  /^(\.git|\.hg|\.svn|\.env.*|\.DS_Store|Thumbs\.db|node_modules|\.courier|courier\.yaml|.*\.(pem|key))$/i;
/** Of these nobody is told: they are litter, not danger. */
const LITTER = /^(\.DS_Store|Thumbs\.db)$/i;
/** A folder that links lead to in more ways than these is a maze: links through links multiply. */
const MOST_WAYS = 1000;

export interface ScannedFile {
  /** Below the build folder, with forward slashes. */
  readonly path: string;
  /** Where it stands, for a file that is not in the build's folder. */
  readonly place?: string;
  readonly size: number;
  /** Size, device, inode and both times: other than before means changed. */
  readonly stamp: string;
  /** The later of both times, milliseconds since 1970. */
  readonly touchedMs: number;
}

export interface Scan {
  /** Sorted by path. */
  readonly files: readonly ScannedFile[];
  /** What was left out since it must never be shipped. */
  readonly withheld: readonly string[];
  /** What is neither a file nor a folder. */
  readonly special: readonly string[];
}

/**
 * Lists the build's files: one synchronous walk, which beats every asynchronous way several times over.
 * Links within the build count as what they lead to; one that leaves it is refused (`link-leaves-build`), and so are
 * links that multiply (`links-multiply`). What is no file and no folder (a pipe, a socket, a device) is left out by name.
 * Throws `no-build` where there is no such folder, `build-unreadable` where a part of it can't be read.
 */
export function scanBuild(folder: string, exclude: readonly string[]): Scan {
  if (statSync(folder, { throwIfNoEntry: false })?.isDirectory() !== true)
    throw new OperatorError("no-build", { folder });
  const root = realpathSync(folder);
  const excluded = exclude.map(matcher);
  // What matches itself and everything below it need not be walked.
  const trees = exclude.filter((glob) => glob.endsWith("/**")).map(matcher);
  const files: ScannedFile[] = [];
  const withheld: string[] = [];
  const special: string[] = [];
  const ways = new Map<string, number>();

  /** @param place where the folder really is; `ancestors` are the real places above it */
  const visit = (below: string, place: string, ancestors: readonly string[]): void => {
    for (const entry of listFolder(root, below)) {
      const path = below + entry.name;
      if (NEVER_SHIP.test(entry.name)) {
        if (!LITTER.test(entry.name)) withheld.push(path);
        continue;
      }
      if (trees.some((matches) => matches(path))) continue;
      const found = resolveEntry(root, path, entry);
      const real = found.linkTarget ?? join(place, entry.name);
      if (found.linkTarget !== undefined && isWithheld(root, real)) withheld.push(path);
      else if (found.isFolder) {
        if (ancestors.includes(real)) continue;
        if (below !== "" || found.linkTarget !== undefined) countWay(ways, real, path);
        visit(`${path}/`, real, [...ancestors, real]);
      } else if (excluded.some((matches) => matches(path))) continue;
      else if (!found.isFile) special.push(path);
      else files.push({ path, size: found.size, stamp: found.stamp, touchedMs: found.touchedMs });
    }
  };
  visit("", root, [root]);
  return {
    files: files.sort((a, b) => byText(a.path, b.path)),
    withheld: withheld.sort(byText),
    special: special.sort(byText),
  };
}

function listFolder(root: string, below: string): Dirent[] {
  try {
    return readdirSync(join(root, below), { withFileTypes: true });
  } catch (error) {
    throw toUnreadable(below.replace(/\/$/, ""), error);
  }
}

/** Whether what a link leads to is, or stands in, what must never be shipped. */
const isWithheld = (root: string, target: string): boolean =>
  target
    .slice(root.length)
    .split(sep)
    .some((part) => NEVER_SHIP.test(part));

function countWay(ways: Map<string, number>, real: string, path: string): void {
  const count = (ways.get(real) ?? 0) + 1;
  if (count > MOST_WAYS) throw new OperatorError("links-multiply", { path, most: MOST_WAYS });
  ways.set(real, count);
}

interface ResolvedEntry {
  readonly isFolder: boolean;
  readonly isFile: boolean;
  readonly size: number;
  readonly stamp: string;
  readonly touchedMs: number;
  readonly linkTarget?: string;
}

function resolveEntry(root: string, path: string, entry: Dirent): ResolvedEntry {
  if (entry.isDirectory()) return { isFolder: true, isFile: false, size: 0, stamp: "", touchedMs: 0 };
  const place = join(root, path);
  const linkTarget = entry.isSymbolicLink() ? resolveLink(root, path, place) : undefined;
  const stat = readStat(linkTarget ?? place, path);
  const facts = { isFolder: stat.isDirectory(), isFile: stat.isFile(), ...toStamp(stat) };
  return linkTarget === undefined ? facts : { ...facts, linkTarget };
}

/** What of a file tells whether it is as it was. */
export const toStamp = ({
  size,
  dev,
  ino,
  mtimeNs,
  ctimeNs,
}: BigIntStats): Pick<ScannedFile, "size" | "stamp" | "touchedMs"> => ({
  size: Number(size),
  stamp: `${size} ${dev} ${ino} ${mtimeNs} ${ctimeNs}`,
  touchedMs: Number((mtimeNs > ctimeNs ? mtimeNs : ctimeNs) / 1_000_000n),
});

function readStat(place: string, path: string): BigIntStats {
  try {
    return lstatSync(place, { bigint: true });
  } catch (error) {
    throw toUnreadable(path, error);
  }
}

function resolveLink(root: string, path: string, place: string): string {
  let target: string;
  try {
    target = realpathSync(place);
  } catch (error) {
    if (
      (error as NodeJS.ErrnoException).code !== "ENOENT" &&
      (error as NodeJS.ErrnoException).code !== "ELOOP"
    )
      throw toUnreadable(path, error);
    throw new OperatorError("link-leaves-build", { path, target: "nothing that is there" });
  }
  if (target !== root && !target.startsWith(root + sep))
    throw new OperatorError("link-leaves-build", { path, target });
  return target;
}
