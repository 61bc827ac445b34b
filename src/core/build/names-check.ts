import type { Problem } from "../model/problems.ts";

/** The longest key that stores take, in bytes of UTF-8. */
const LONGEST_KEY = 1024;

/** Names that two systems on the way would take for one, or that an address can't carry. */
export function findNameProblems(paths: readonly string[]): Problem[] {
  return [...findCaseClashes(paths), ...paths.flatMap(findUnfit)];
}

/** Two names that differ only in case (or in Unicode normal form) are one on many machines, and one of them is lost there. */
function findCaseClashes(paths: readonly string[]): Problem[] {
  const seen = new Map<string, string>();
  return paths.flatMap((path): Problem[] => {
    const folded = path.normalize("NFC").toLowerCase();
    const other = seen.get(folded);
    seen.set(folded, other ?? path);
    if (other === undefined) return [];
    return [
      {
        code: "case-clash",
        severity: "error",
        path,
        message: `differs from ${other} only in case or spelling`,
        hint: "rename one of them",
      },
    ];
  });
}

function findUnfit(path: string): Problem[] {
  const why = reasonUnfit(path);
  return why === undefined
    ? []
    : [{ code: "unfit-name", severity: "error", path, message: why, hint: "rename it" }];
}

function reasonUnfit(path: string): string | undefined {
  if (/[\u0000-\u001f\u007f]/.test(path))
    return "the name holds a control character, which no address can carry";
  if (path.includes("\\")) return "the name holds a backslash, which browsers turn into a slash";
  if (path.includes("*")) return "the name holds a *, which edges take for a pattern";
  if (!path.isWellFormed()) return "the name is not valid Unicode";
  return new TextEncoder().encode(path).length > LONGEST_KEY
    ? `the name is longer than ${LONGEST_KEY} bytes`
    : undefined;
}

/** The longest name of one file or folder, in bytes, on the file systems that matter. */
const LONGEST_NAME = 255;

/** Names that a folder of files can't hold, though a store of objects can. */
export function findFileNameProblems(paths: readonly string[]): Problem[] {
  const folders = new Set(paths.flatMap((path) => listFolders(path)));
  return paths.flatMap((path): Problem[] => {
    const why = folders.has(path)
      ? "is a file where other files need a folder of that name"
      : path.split("/").some((name) => new TextEncoder().encode(name).length > LONGEST_NAME)
        ? `a part of the name is longer than ${LONGEST_NAME} bytes`
        : undefined;
    return why === undefined
      ? []
      : [{ code: "unfit-name", severity: "error", path, message: why, hint: "rename it" }];
  });
}

const listFolders = (path: string): string[] =>
  path
    .split("/")
    .slice(0, -1)
    .map((_, index, parts) => parts.slice(0, index + 1).join("/"));
