import { hash } from "node:crypto";
import type { EdgeInvalidation } from "../core/model/plan.ts";
import { selectReadBacks, type ReadBackFacts } from "../core/edges/read-back.ts";
import type { Clock } from "../ports/clock.ts";
import { EdgeError, type Edge } from "../ports/edge.ts";
import type { Reporter } from "../ports/reporter.ts";

export interface InvalidateTools {
  readonly edges: readonly Edge[];
  readonly clock: Clock;
  readonly report: Reporter;
  /** Names this run. */
  readonly run: string;
}

/**
 * Asks the edges, from the store outwards, to let go of what is wrong; each confirms before the next is asked, since an
 * outer cache refills from the inner one. One that fails leaves its own and the outer addresses owed.
 * @returns the names of the edges that have confirmed
 */
export async function askEdges(
  tools: InvalidateTools,
  phase: "unmask" | "invalidate",
  requests: readonly EdgeInvalidation[],
  facts?: ReadBackFacts,
): Promise<Set<string>> {
  const { clock, report } = tools;
  const confirmed = new Set<string>();
  if (requests.length === 0) return confirmed;
  const started = clock.monotonicMs();
  const steps = requests.reduce((sum, { patterns }) => sum + patterns.length, 0);
  report({ event: "phase", phase, state: "started", steps, bytes: 0 });
  for (const edge of tools.edges) {
    const request = requests.find((candidate) => candidate.edge === edge.name);
    if (!request) continue;
    try {
      await edge.invalidate({
        patterns: request.patterns,
        nameBatch: (patterns) => `${tools.run}-${phase}-${toDigest(patterns)}`,
        readBacks: facts ? selectReadBacks(request, facts) : [],
        onOdd: (odd) => {
          report({ event: "warning", warning: { code: "edge-odd", edge: edge.name, odd } });
        },
        onWait: (wait) => {
          report({ event: "edge", edge: edge.name, wait, seconds: (clock.monotonicMs() - started) / 1000 });
        },
      });
      confirmed.add(edge.name);
    } catch (error) {
      if (!(error instanceof EdgeError)) throw error;
      const { failure } = error;
      report({ event: "warning", warning: { code: "edge-failed", edge: edge.name, failure } });
      break;
    }
  }
  report({ event: "phase", phase, state: "ended", steps, seconds: (clock.monotonicMs() - started) / 1000 });
  return confirmed;
}

/** Tells the batches of one run apart, so that only the same batch is ever taken for the same. */
const toDigest = (patterns: readonly string[]): string => hash("sha256", patterns.join("\n")).slice(0, 16);
