import { OperatorError } from "../core/model/failure.ts";
import type { UnreadablePart } from "../core/model/build.ts";

const CAUSES: Readonly<Record<string, UnreadablePart>> = {
  EACCES: "denied",
  EPERM: "denied",
  ENAMETOOLONG: "too-long",
};

/**
 * What a failure to read a part of the build means: `build-changed` where it is gone, else `build-unreadable`.
 * @param path below the build folder; empty: the folder itself
 */
export function toUnreadable(path: string, error: unknown): OperatorError {
  const { code = "" } = error as NodeJS.ErrnoException;
  // Node.js puts this letter where a name is no UTF-8; by such a name nothing is found.
  if (code === "ENOENT" && path.includes("\ufffd"))
    return new OperatorError("build-unreadable", { path, why: "not-utf8" }, {}, error);
  if (code === "ENOENT") return new OperatorError("build-changed", { path }, {}, error);
  const why = CAUSES[code] ?? "failed";
  return new OperatorError("build-unreadable", { path: path === "" ? "." : path, why, code }, {}, error);
}
