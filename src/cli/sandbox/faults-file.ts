import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { parse } from "yaml";
import { OperatorError } from "../../core/model/failure.ts";
import { faultsSchema, type FaultSettings } from "../../sandbox/faults.ts";

/** What is to go wrong in the sandbox. Throws `usage`, with the place of what is wrong. */
export function readFaults(file: string, folder: string): FaultSettings {
  try {
    return faultsSchema.parse(parse(readFileSync(resolve(folder, file), "utf8")));
  } catch (error) {
    const first = error instanceof Error && "issues" in error ? (error.issues as Issue[])[0] : undefined;
    const why = first ? `${first.path.join(".")}: ${first.message}` : (error as Error).message;
    throw new OperatorError("usage", { reason: `--faults ${file}: ${why}`, command: "sandbox" }, {}, error);
  }
}

interface Issue {
  readonly path: readonly PropertyKey[];
  readonly message: string;
}
