import type { FileNames } from "../model/endpoint.ts";
import { LONGEST_KEY } from "../model/names.ts";
import type { Problem, ProblemFacts } from "../model/problem.ts";

/**
 * Names that two systems on the way would take for one, or that an address can't carry.
 * @param prefix what stands before each of them in the store
 */
export function findNameProblems(paths: readonly string[], prefix = ""): Problem[] {
  const most = LONGEST_KEY - bytesOf(prefix);
  return [...findCaseClashes(paths), ...paths.flatMap((path) => findUnfit(path, most))];
}

/** Two names that differ only in case (or in Unicode normal form) are one on many machines, and one of them is lost there. */
function findCaseClashes(paths: readonly string[]): Problem[] {
  const seen = new Map<string, string>();
  return paths.flatMap((path): Problem[] => {
    const folded = path.normalize("NFC").toLowerCase();
    const other = seen.get(folded);
    seen.set(folded, other ?? path);
    if (other === undefined) return [];
    return [{ code: "case-clash", severity: "error", path, facts: { other } }];
  });
}

function findUnfit(path: string, most: number): Problem[] {
  const facts = findReason(path, most);
  return facts === undefined ? [] : [{ code: "unfit-name", severity: "error", path, facts }];
}

function findReason(path: string, most: number): ProblemFacts["unfit-name"] | undefined {
  if (/[\u0000-\u001f\u007f]/.test(path)) return { why: "control-character" };
  if (path.includes("\\")) return { why: "backslash" };
  if (path.includes("*")) return { why: "star" };
  if (!path.isWellFormed()) return { why: "not-unicode" };
  return bytesOf(path) > most ? { why: "long-key", most } : undefined;
}

const bytesOf = (text: string): number => new TextEncoder().encode(text).length;

/** The longest name of one file or folder, in bytes, on the file systems that matter. */
const LONGEST_NAME = 255;

/**
 * What a name of one file or folder may not be on Windows: the letters that it keeps for itself, an end that it takes away,
 * and devices, with or without an ending ("Naming Files, Paths, and Namespaces" of its documentation).
 */
const NOT_ON_WINDOWS =
  /[<>:"|?*\\\u0000-\u001f]|[. ]$|^(con|prn|aux|nul|(com|lpt)[0-9\u00b9\u00b2\u00b3])(\.|$)/i;

/** Whether Windows can hold a path, with slashes. */
export const fitsWindows = (path: string): boolean =>
  !path.split("/").some((name) => NOT_ON_WINDOWS.test(name));

/** Names that a folder of files can't hold, though a store of objects can. */
export function findFileNameProblems(paths: readonly string[], names: FileNames): Problem[] {
  const folders = new Set(paths.flatMap((path) => listFolders(path)));
  return paths.flatMap((path): Problem[] => {
    const facts: ProblemFacts["unfit-name"] | undefined = folders.has(path)
      ? { why: "file-and-folder" }
      : path.split("/").some((name) => bytesOf(name) > LONGEST_NAME)
        ? { why: "long-part", most: LONGEST_NAME }
        : names === "windows" && !fitsWindows(path)
          ? { why: "windows-name" }
          : undefined;
    return facts === undefined ? [] : [{ code: "unfit-name", severity: "error", path, facts }];
  });
}

const listFolders = (path: string): string[] =>
  path
    .split("/")
    .slice(0, -1)
    .map((_, index, parts) => parts.slice(0, index + 1).join("/"));
