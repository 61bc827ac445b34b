import { spawnSync } from "node:child_process";
import { existsSync, symlinkSync } from "node:fs";
import { join } from "node:path";
import { temporaryFolder } from "./builds.ts";

const runs = (command: string, ...args: string[]): boolean => spawnSync(command, args).status === 0;

function canLink(): boolean {
  try {
    symlinkSync("elsewhere", join(temporaryFolder("link"), "link"));
    return true;
  } catch {
    return false;
  }
}

/** What some tests need of a machine, as it is named where it is missing. */
const CHECKS = {
  "a POSIX shell": () => runs("sh", "-c", "exit 0"),
  "modes of files": () => process.platform !== "win32",
  "symbolic links": canLink,
  "sockets as files": () => process.platform !== "win32",
  "root, to be somebody else": () => process.getuid?.() === 0,
  setpriv: () => runs("setpriv", "--version"),
  "the stream editor of GNU": () => runs("sed", "--version"),
  "a program that opens a terminal (script of util-linux)": () =>
    String(spawnSync("script", ["--version"]).stdout).includes("util-linux"),
  "/dev/full": () => existsSync("/dev/full"),
  "the memory of a process in /proc": () => existsSync("/proc/self/status"),
} satisfies Record<string, () => boolean>;

type Need = keyof typeof CHECKS;

/** @returns Jest's `test`; where the machine lacks something, one that leaves tests out under names that say what is missing */
export function needing(...needs: readonly Need[]): typeof test {
  const missing = needs.filter((need) => !CHECKS[need]());
  if (missing.length === 0) return test;
  const leaveOut = (name: unknown): void => {
    test.skip(`${String(name)} (left out: needs ${missing.join(" and ")})`, () => undefined);
  };
  return Object.assign(leaveOut, test, { each: () => leaveOut });
}
