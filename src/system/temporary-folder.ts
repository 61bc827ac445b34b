import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { OperatorError } from "../core/model/failure.ts";

export interface TemporaryFolder {
  readonly folder: string;
  readonly dispose: () => void;
}

/** Those that are still there when the program ends, as after a second Ctrl-C, are removed then. */
const standing = new Set<string>();
const removeStanding = (): void => {
  for (const folder of standing) remove(folder);
};

/**
 * A folder of its own where the system keeps what may be lost; gone with the program at the latest.
 * Throws `temporary-failed` where none can be made.
 * @param name what it is for: a word
 */
export function makeTemporaryFolder(name: string): TemporaryFolder {
  try {
    const folder = mkdtempSync(join(tmpdir(), `courier-${name}-`));
    if (standing.size === 0) process.on("exit", removeStanding);
    standing.add(folder);
    return {
      folder,
      dispose: () => {
        remove(folder);
        standing.delete(folder);
        // Whoever calls us as a library has none of our listeners left.
        if (standing.size === 0) process.off("exit", removeStanding);
      },
    };
  } catch (error) {
    throw toTemporaryFailure(error);
  }
}

/** What it means that nothing can be written there. */
export const toTemporaryFailure = (error: unknown): OperatorError =>
  new OperatorError(
    "temporary-failed",
    { folder: tmpdir(), cause: (error as NodeJS.ErrnoException).code ?? (error as Error).message },
    {},
    error,
  );

/** A virus scanner or an indexer may look into a file just now: on Windows that keeps it from going. */
function remove(folder: string): void {
  rmSync(folder, { recursive: true, force: true, maxRetries: 3 });
}
