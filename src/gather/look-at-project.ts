import { existsSync, readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { findBuild, type ProjectLook } from "../core/build/find-build.ts";

const SKIPPED = new Set(["node_modules", ".git", ".hg", ".svn", "src", "test", "tests", "vendor"]);
const DEEPEST = 3;

/** What a project's own folder tells; reads the names of a few folders, `package.json`, and one page. */
export function lookAtProject(folder: string): ProjectLook {
  const names = listNames(folder);
  const pageFolders = findPageFolders(folder, ".", 0).sort();
  const { name, homepage } = readPackage(join(folder, "package.json"));
  const look = {
    ...{ names, pageFolders, packageName: name },
    homepage: homepage ?? readDomain(folder, pageFolders),
    repository: readRepository(folder),
  };
  const build = findBuild(look);
  const title = build?.isThere === true ? readTitle(join(folder, build.folder, "index.html")) : undefined;
  return { ...look, title };
}

function listNames(folder: string): string[] {
  try {
    return readdirSync(folder).sort();
  } catch {
    return [];
  }
}

function findPageFolders(root: string, path: string, depth: number): string[] {
  const own = existsSync(join(root, path, "index.html")) ? [path] : [];
  // What lies below a build belongs to it.
  if (depth === DEEPEST || (own.length > 0 && depth > 0)) return own;
  const below = readdirSync(join(root, path), { withFileTypes: true }).filter(
    (entry) => entry.isDirectory() && !SKIPPED.has(entry.name),
  );
  return [
    ...own,
    ...below.flatMap(({ name }) => findPageFolders(root, path === "." ? name : `${path}/${name}`, depth + 1)),
  ];
}

function readPackage(file: string): { name?: string | undefined; homepage?: string | undefined } {
  try {
    const { name, homepage } = JSON.parse(readFileSync(file, "utf8")) as Record<string, unknown>;
    return {
      name: typeof name === "string" ? name : undefined,
      homepage: typeof homepage === "string" ? homepage : undefined,
    };
  } catch {
    return {};
  }
}

/** A file that names the site's domain, as some hosts of static sites want it. */
function readDomain(folder: string, pageFolders: readonly string[]): string | undefined {
  for (const place of [".", "public", "static", ...pageFolders]) {
    const domain = readText(join(folder, place, "CNAME"))?.trim();
    if (domain !== undefined && /^[\w.-]+\.\w+$/.test(domain)) return `https://${domain}`;
  }
  return undefined;
}

/** The last part of where the repository is fetched from. */
const readRepository = (folder: string): string | undefined =>
  /\[remote "origin"\][^[]*?url\s*=\s*\S*?([^/:\s]+?)(?:\.git)?\s*$/m.exec(
    readText(join(folder, ".git", "config")) ?? "",
  )?.[1];

function readText(file: string): string | undefined {
  try {
    return readFileSync(file, "utf8");
  } catch {
    return undefined;
  }
}

const readTitle = (file: string): string | undefined =>
  /<title>([^<]{1,200})<\/title>/i.exec(readFileSync(file, "utf8").slice(0, 20_000))?.[1]?.trim();
