import { lstatSync, readFileSync, readdirSync, rmSync, statSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { cachedDataVersionTag, getHeapCodeStatistics } from "node:v8";
import { Script } from "node:vm";
import { readChecked, writeChecked } from "./gather/checked-file.ts";

/** The bundle's own hash: V8 itself only compares the length of what it compiled. */
declare const __PROGRAM__: string;

/** The function that `scripts/build.mjs` wraps the bundle in. `here` stands for `import.meta.url`. */
type Wrapped = (module: { exports: unknown }, require: NodeJS.Require, here: string) => void;

const KEPT_DAYS = 30;

/** The share of the code that a call may have compiled anew before that is kept too: some of it is always Node.js' own. */
const NEW_SHARE = 0.25;

const countCode = (): number => getHeapCodeStatistics().bytecode_and_metadata_size;

/** A program that runs, and the code that was compiled for it. */
export interface RunningProgram<T> {
  readonly exports: T;
  /** Keeps what was compiled, unless most of it came out of what was kept. What can't be written is no failure. */
  readonly keep: (name: string) => void;
}

/**
 * Runs a bundle with the code that an earlier call compiled, which spares a third of a short call.
 * @param bundle one function of CommonJS, all ASCII
 * @param folder where compiled code is kept; undefined keeps none
 * @param names of what is kept: the first that is there is taken
 */
export function runKept<T>(
  bundle: URL,
  folder: string | undefined,
  names: readonly string[],
): RunningProgram<T> {
  const filename = fileURLToPath(bundle);
  const tag = cachedDataVersionTag();
  const own = `${__PROGRAM__}-${nameThisNode()}-${tag.toString(36)}`;
  const fileOf = (name: string): string => join(folder as string, `${own}-${name}`);
  const cachedData = folder === undefined ? undefined : findKept(names.map(fileOf));
  const script = new Script(readFileSync(filename, "latin1"), { filename, cachedData });
  const module = { exports: {} as unknown };
  (script.runInThisContext() as Wrapped)(module, createRequire(bundle), bundle.href);
  const isFitting = cachedData !== undefined && !script.cachedDataRejected;
  const atStart = isFitting ? countCode() : 0;
  return {
    exports: module.exports as T,
    keep: (name) => {
      if (folder === undefined || atStart > (1 - NEW_SHARE) * countCode()) return;
      // Flags that were set since belong to the code, too: no other call would begin with them.
      if (cachedDataVersionTag() !== tag) return;
      writeChecked(fileOf(name), script.createCachedData());
      try {
        removeOld(folder);
      } catch {
        // Another call removes them too, or nobody may.
      }
    },
  };
}

/**
 * Code fits this very build of Node.js alone: two that have patched one version of V8 differently crash each other, and V8's
 * own tag is the same for both. The size of the program tells builds of one version apart.
 */
const nameThisNode = (): string =>
  `${process.version}-${process.arch}-${statSync(process.execPath).size.toString(36)}`;

/** Code is run, so it is taken from nobody else. A damaged file would crash V8, which does not check it. */
function findKept(files: readonly string[]): Buffer | undefined {
  const file = files.find((one) => isOurs(one));
  return file === undefined ? undefined : readChecked(file, undefined);
}

function isOurs(file: string): boolean {
  try {
    const { uid, mode } = lstatSync(file);
    return process.getuid === undefined || (uid === process.getuid() && (mode & 0o022) === 0);
  } catch {
    return false;
  }
}

/** Removes what was kept long ago: by other versions, or half by a call that was killed. */
function removeOld(folder: string): void {
  for (const file of readdirSync(folder).map((name) => join(folder, name)))
    if (lstatSync(file).mtimeMs < Date.now() - KEPT_DAYS * 86_400_000) rmSync(file);
}
