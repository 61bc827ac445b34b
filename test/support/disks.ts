import { readdirSync, type PathLike } from "node:fs";
import { basename, dirname, join } from "node:path";
import { foldName } from "../../src/core/compare/fold-case.ts";
import { systemDisk, type Disk } from "../../src/adapters/stores/folder/disk.ts";

const fail = (code: string): never => {
  throw Object.assign(new Error(code), { code });
};

/** The name under which something of that case, or another, stands already. */
function toStanding(path: string): string {
  const folder = dirname(path);
  if (folder === path) return path;
  const above = toStanding(folder);
  const name = basename(path);
  try {
    const names = readdirSync(above);
    const standing = names.includes(name) ? name : names.find((one) => foldName(one) === foldName(name));
    return join(above, standing ?? name);
  } catch {
    return join(above, name);
  }
}

/** A disk that does not tell case apart, and keeps the name that a file was made under. */
export const foldingDisk: Disk = {
  ...systemDisk,
  ...Object.fromEntries(
    (["chmod", "mkdir", "open", "readdir", "readFile", "rm", "rmdir", "stat", "utimes"] as const).map((name) => [
      name,
      (path: PathLike, ...rest: never[]) =>
        (systemDisk[name] as (...all: unknown[]) => unknown)(toStanding(String(path)), ...rest),
    ]),
  ),
  ...Object.fromEntries(
    (["rename", "link", "copyFile"] as const).map((name) => [
      name,
      (from: PathLike, to: PathLike, ...rest: never[]) =>
        (systemDisk[name] as (...all: unknown[]) => unknown)(toStanding(String(from)), toStanding(String(to)), ...rest),
    ]),
  ),
}; // prettier-ignore

/** A disk without hard links, whose files get another number with each look (exFAT, shares of a network). */
export const plainDisk: Disk = {
  ...systemDisk,
  link: () => Promise.resolve(fail("ENOTSUP")),
  stat: (async (path: string) => {
    const facts = await systemDisk.stat(path);
    return Object.assign(facts, { ino: Math.floor(Math.random() * 1e9) });
  }) as Disk["stat"],
};

/**
 * A disk as Windows shows it: only what is open for writing is flushed, nobody replaces or removes a file while another
 * program has it open, there are no modes, and files are flushed one by one.
 * @param inUse so often a file is in use, each time that it is to be replaced or removed
 * @param which paths of files that are in use when they are to be removed
 */
export function windowsDisk(inUse = 2, which = /lock|site/): Disk & { readonly pauses: number[] } {
  const pauses: number[] = [];
  const tried = new Map<string, number>();
  const use = (path: unknown): void => {
    const times = tried.get(String(path)) ?? 0;
    tried.set(String(path), times + 1);
    if (times < inUse) fail(times % 2 === 0 ? "EPERM" : "EBUSY");
    tried.delete(String(path));
  };
  return {
    ...systemDisk,
    platform: "win32",
    pauses,
    pause: (ms) => {
      pauses.push(ms);
      return Promise.resolve();
    },
    chmod: () => Promise.resolve(fail("EPERM")),
    open: (async (path: string, flags: string | number) => {
      const file = await systemDisk.open(path, flags);
      if (flags === "r" && (await file.stat()).isDirectory()) {
        await file.close();
        fail("EISDIR");
      }
      return flags === "r+" || flags === "w" ? file : Object.assign(file, { sync: () => Promise.reject(Object.assign(new Error(), { code: "EPERM" })) }); // prettier-ignore
    }) as Disk["open"],
    rename: async (from, to) => {
      await systemDisk.stat(to).then(
        () => {
          use(to);
        },
        () => undefined,
      );
      await systemDisk.rename(from, to);
    },
    rm: (async (path: string, options: { force?: boolean; recursive?: boolean }) => {
      if (options.recursive !== true && which.test(path)) use(path);
      await systemDisk.rm(path, options);
    }) as Disk["rm"],
  };
}
