import { existsSync } from "node:fs";
import { dirname, join, relative, resolve } from "node:path";
import { SETTINGS_FILE } from "./load.ts";

/** What stands at the root of a project: of a repository before all, else of a package. */
const ROOTS = [".git", "package.json"] as const;

/**
 * The settings file that is meant in a folder. One that is named is just that one. Without a name it may stand further up in
 * the same project, and never above it: a stranger's file in a folder that many share must not decide where a site goes.
 * @returns its name from that folder
 */
export function findSettings(name: string, folder: string): string {
  if (name !== SETTINGS_FILE) return name;
  const upwards = listUpwards(folder);
  const found = upwards.find((one) => existsSync(join(one, SETTINGS_FILE)));
  return found === undefined ? name : relative(folder, join(found, SETTINGS_FILE));
}

/** A folder and those above it, up to the root of its project; without a project just itself. */
function listUpwards(folder: string): readonly string[] {
  const all = [resolve(folder)];
  for (;;) {
    const last = all.at(-1) ?? "";
    const above = dirname(last);
    if (above === last) break;
    all.push(above);
  }
  for (const root of ROOTS) {
    const end = all.findIndex((one) => existsSync(join(one, root)));
    if (end >= 0) return all.slice(0, end + 1);
  }
  return all.slice(0, 1);
}
