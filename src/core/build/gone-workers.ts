import { RETIRED_WORKER } from "./retired-worker.ts";
import type { SiteRules } from "./site-rules.ts";
import { createHeaderDecider } from "./headers.ts";
import type { ExplainedParcel } from "../model/explained-parcel.ts";
import type { ObjectKey } from "../model/names.ts";
import type { ProblemOf } from "../model/problem.ts";
import { workersOf, type Waybill } from "../model/release.ts";

export interface GoneWorkerFacts {
  readonly paths: ReadonlySet<ObjectKey>;
  readonly live: Waybill | undefined;
  readonly rules: Pick<SiteRules, "retireWorkers" | "headers">;
}

/**
 * The service workers of the live release that the build no longer has. Browsers keep such a worker, since an update that
 * can't be fetched changes nothing (W3C Service Workers, "Update"): either a small worker takes it away, or that is a matter
 * for a guard. One that had already been put in its place may go.
 */
export function decideGoneWorkers({ paths, live, rules }: GoneWorkerFacts): {
  readonly parcels: readonly ExplainedParcel[];
  readonly problems: readonly ProblemOf<"worker-vanishes">[];
} {
  const gone = workersOf(live).filter((key) => !paths.has(key));
  if (rules.retireWorkers) {
    const decideHeaders = createHeaderDecider(rules.headers);
    return { parcels: gone.map((key) => toParcel(key, decideHeaders)), problems: [] };
  }
  const retired = new Set(
    live?.parcels.filter(({ hash }) => hash === RETIRED_WORKER.hash).map(({ key }) => key),
  );
  const vanishing = gone.filter((key) => !retired.has(key));
  return {
    parcels: [],
    problems: vanishing.map((path) => ({ code: "worker-vanishes", severity: "error", path, facts: {} })),
  };
}

const NO_BYTES = new Uint8Array();

function toParcel(key: ObjectKey, decideHeaders: ReturnType<typeof createHeaderDecider>): ExplainedParcel {
  const { hash, size } = RETIRED_WORKER;
  return {
    ...{ key, hash, storedHash: hash, size, role: "worker" },
    roleReason: { code: "retired" },
    isOwn: true,
    ...decideHeaders({ path: key, role: "worker", head: NO_BYTES }),
  };
}
