import type { Hold } from "../core/model/hold.ts";

/** This machine and this process, as far as others must be able to tell them apart. */
export interface Machine {
  describe(): Pick<Hold, "host" | "process" | "processStart">;
  /** Whether the process that has a hold lives; undefined where nobody can say: then only the lease counts. */
  isAlive(hold: Pick<Hold, "host" | "process" | "processStart">): boolean | undefined;
}
