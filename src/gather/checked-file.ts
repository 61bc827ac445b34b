import { hash } from "node:crypto";
import { mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { dirname } from "node:path";

/** Is told of a cache that is damaged, and counts as none. */
export type OnDamaged = (file: string) => void;

/** The sum of what follows stands in the first line, in hexadecimal digits. */
const SUM_LENGTH = 64;

/** @returns what was written; undefined where it is not there, half there, or has another byte */
export function readChecked(file: string, onDamaged: OnDamaged | undefined): Buffer | undefined {
  let all: Buffer;
  try {
    all = readFileSync(file);
  } catch {
    return undefined;
  }
  // Versions before 0.2 wrote none.
  if (all[0] === "{".charCodeAt(0)) return undefined;
  const kept = all.subarray(SUM_LENGTH + 1);
  if (all.length > SUM_LENGTH && hash("sha256", kept) === all.toString("latin1", 0, SUM_LENGTH)) return kept;
  onDamaged?.(file);
  return undefined;
}

/** Only this user may read it, whatever the mask for new files says. A file that can't be written is no failure. */
export function writeChecked(file: string, kept: Uint8Array): void {
  try {
    mkdirSync(dirname(file), { recursive: true });
    const all = Buffer.concat([Buffer.from(`${hash("sha256", kept)}\n`), kept]);
    writeFileSync(`${file}.${process.pid}`, all, { mode: 0o600 });
    renameSync(`${file}.${process.pid}`, file);
  } catch {
    // A full or read-only disk costs the next run some time, nothing else.
  }
}
