import { readdirSync, statSync, type Dirent } from "node:fs";
import { join, relative, resolve, sep } from "node:path";

/** Folders that hold what builds are made from, by the names that projects give them. */
const SOURCES = [
  "src",
  "app",
  "pages",
  "content",
  "posts",
  "templates",
  "layouts",
  "public",
  "static",
  "assets",
];
/** A look, not a search: beyond so many files it ends. */
const MOST_FILES = 20_000;

/** A source that was changed after the newest file of the build was written: the path within the project, if there is one. */
export function findNewerSource(
  projectFolder: string,
  buildFolder: string,
  builtMs: number,
): string | undefined {
  const build = resolve(buildFolder);
  let left = MOST_FILES;
  const search = (folder: string): string | undefined => {
    if (folder === build || build.startsWith(folder + sep)) return undefined;
    for (const entry of listFolder(folder)) {
      const path = join(folder, entry.name);
      if (--left < 0 || entry.name === "node_modules" || entry.name.startsWith(".")) continue;
      const found = entry.isDirectory()
        ? search(path)
        : entry.isFile() && changedMs(path) > builtMs
          ? path
          : undefined;
      if (found !== undefined) return found;
    }
    return undefined;
  };
  const folders = SOURCES.map((name) => join(resolve(projectFolder), name));
  const found = folders
    .filter((folder) => statSync(folder, { throwIfNoEntry: false })?.isDirectory())
    .map(search);
  const first = found.find((path) => path !== undefined);
  return first === undefined ? undefined : relative(resolve(projectFolder), first);
}

/** A folder that can't be read tells nothing. */
function listFolder(folder: string): Dirent[] {
  try {
    return readdirSync(folder, { withFileTypes: true });
  } catch {
    return [];
  }
}

const changedMs = (path: string): number => statSync(path, { throwIfNoEntry: false })?.mtimeMs ?? 0;
