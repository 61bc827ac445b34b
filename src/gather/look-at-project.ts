import { existsSync, readdirSync, readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { findBuild, isEmptyWithoutScripts, type ProjectLook } from "../core/build/find-build.ts";

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
  if (build?.isThere !== true) return { ...look, title: undefined };
  const page = readText(join(folder, build.folder, "index.html"))?.slice(0, MOST_PAGE) ?? "";
  const isOnly = listNames(join(folder, build.folder)).every(
    (name) => !/\.html?$/.test(name) || /^(index|404|200)\.html$/.test(name),
  );
  return { ...look, title: titleOf(page), isMadeByScripts: isOnly && isEmptyWithoutScripts(page) };
}

/** The part of a page that is looked at. */
const MOST_PAGE = 20_000;

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
  const below = listFolders(join(root, path));
  return [
    ...own,
    ...below.flatMap((name) => findPageFolders(root, path === "." ? name : `${path}/${name}`, depth + 1)),
  ];
}

/** A folder that can't be read has none that could be looked at. */
function listFolders(folder: string): string[] {
  try {
    return readdirSync(folder, { withFileTypes: true })
      .filter((entry) => entry.isDirectory() && !SKIPPED.has(entry.name))
      .map(({ name }) => name);
  } catch {
    return [];
  }
}

function readPackage(file: string): { name?: string | undefined; homepage?: string | undefined } {
  try {
    const { name, homepage } = JSON.parse(readText(file) ?? "") as Record<string, unknown>;
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
function readRepository(folder: string): string | undefined {
  const lines = (readText(join(folder, ".git", "config")) ?? "").split("\n").map((line) => line.trim());
  const from = lines.indexOf('[remote "origin"]');
  const [url] = from < 0 ? [] : lines.slice(from).filter((line) => /^url\s*=/.test(line));
  return url
    ?.replace(/\.git$/, "")
    .split(/[/:=\s]/)
    .at(-1);
}

/** What is read of a file is a few lines. */
const MOST_TEXT = 1_000_000;

function readText(file: string): string | undefined {
  try {
    return statSync(file).isFile() ? readFileSync(file, "utf8").slice(0, MOST_TEXT) : undefined;
  } catch {
    return undefined;
  }
}

const titleOf = (page: string): string | undefined =>
  /<title>([^<]{1,200})<\/title>/i.exec(page)?.[1]?.trim();
