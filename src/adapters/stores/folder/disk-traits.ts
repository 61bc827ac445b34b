import { join } from "node:path";
import type { Stats } from "node:fs";
import { createHash, randomUUID } from "node:crypto";
import { STATE_PREFIX, type ObjectKey } from "../../../core/model/names.ts";
import type { Disk } from "./disk.ts";

/** What only a try tells of the disk under a folder. */
export interface DiskTraits {
  /** Whether the number of a file is its own for as long as it stands. */
  readonly hasNumbers: boolean;
  /** Whether names that differ only in case (or in Unicode normal form) are one. */
  readonly foldsCase: boolean;
}

/** What most disks are like. */
export const USUAL: DiskTraits = { hasNumbers: true, foldsCase: false };

/**
 * File systems that make the numbers of their files up, by their own (statfs(2)): FAT, exFAT, shares of other machines, and
 * whatever a program shows as files.
 */
const MADE_UP = new Set([0x4d44, 0x2011bab0, 0xff534d42, 0xfe534d42, 0x65735546, 0x786f4256]);

/** Tries with an empty file of its own. @param folder for files that are not finished, which must be there */
export async function tryDisk(disk: Disk, folder: string): Promise<DiskTraits> {
  const name = `try-${randomUUID()}`;
  const [file, other, below] = [
    join(folder, name),
    join(folder, name.toUpperCase()),
    join(folder, `${name}.d`),
  ];
  try {
    await (await disk.open(file, "w")).close();
    const before = await disk.stat(file);
    const foldsCase = await disk.stat(other).then(
      () => true,
      () => false,
    );
    await disk.mkdir(below);
    await disk.rename(file, join(below, name));
    const after = [await disk.stat(join(below, name)), await disk.stat(join(below, name))];
    const { type } = await disk.statfs(folder);
    const isKept = before.ino !== 0 && after.every(({ ino }) => ino === before.ino);
    return { hasNumbers: isKept && !MADE_UP.has(type), foldsCase };
  } finally {
    for (const path of [file, below]) await disk.rm(path, { recursive: true, force: true });
  }
}

/** Records carry conditions, and are small; the vault below the same prefix is neither. */
const isRecord = (key: ObjectKey): boolean =>
  key.startsWith(STATE_PREFIX) && !key.startsWith(`${STATE_PREFIX}vault/`);

/**
 * What changes whenever a file is replaced: its own number, its size and its time. Where numbers are made up, a record's
 * content, and of all else size and time, which `raiseTime` makes another one each time.
 * @param read the content, asked for where it counts
 */
export async function toEtag(
  key: ObjectKey,
  { ino, size, mtimeMs }: Pick<Stats, "ino" | "size" | "mtimeMs">,
  { hasNumbers, read }: Pick<DiskTraits, "hasNumbers"> & { readonly read: () => Promise<Uint8Array> },
): Promise<string> {
  const own = `${size}-${Math.round(mtimeMs * 1000)}`;
  if (hasNumbers) return `${ino.toString(36)}-${own}`;
  return isRecord(key)
    ? createHash("sha256")
        .update(await read())
        .digest("hex")
    : own;
}
