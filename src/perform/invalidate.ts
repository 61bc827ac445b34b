import { toUnasked, type EdgeOutcome } from "../core/model/edge-outcome.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { EdgeInvalidation } from "../core/model/plan.ts";
import type { Clock } from "../ports/clock.ts";
import type { Edge } from "../ports/edge.ts";
import type { Reporter } from "../ports/reporter.ts";
import { confirmEdge, type ConfirmFacts, type ConfirmTools, type ToConfirm } from "./confirm.ts";
import type { WayBook } from "./edge-ways.ts";

export interface InvalidateTools {
  readonly edges: readonly Edge[];
  readonly clock: Clock;
  readonly report: Reporter;
  /** Names this run. */
  readonly run: string;
  readonly book: WayBook;
  readonly facts: ConfirmFacts;
}

/** What edges are asked for at one time. */
export interface AskedRound {
  readonly phase: "unmask" | "invalidate";
  readonly requests: readonly EdgeInvalidation[];
  /** What they were asked for before in this run, and is looked at once more. */
  readonly again?: readonly EdgeInvalidation[];
  /** What is still to be written, and can't be read back. */
  readonly pending?: ReadonlySet<ObjectKey>;
  /** Monotonic time of the last write before it; absent: pages follow, and all of it is looked at again later. */
  readonly lastWriteMs?: number | undefined;
}

/**
 * Asks the edges, from the store outwards, to let go of what is wrong; each confirms before the next is asked, since an
 * outer cache refills from the inner one. One that fails leaves its own and the outer addresses owed.
 * @returns what each edge that was to be asked has confirmed, and what not
 */
export async function askEdges(tools: InvalidateTools, round: AskedRound): Promise<EdgeOutcome[]> {
  const { clock, report, edges } = tools;
  const { phase, requests, again = [] } = round;
  if (requests.length === 0 && again.length === 0) return [];
  const started = clock.monotonicMs();
  const steps = requests.reduce((sum, { patterns }) => sum + patterns.length, 0);
  report({ event: "phase", phase, state: "started", steps, bytes: 0 });
  const outcomes: EdgeOutcome[] = [];
  let { lastWriteMs } = round;
  let isBroken = false;
  for (const edge of edges) {
    const request = requests.find((candidate) => candidate.edge === edge.name);
    const looked = again.filter((candidate) => candidate.edge === edge.name);
    if (!request && looked.length === 0) continue;
    const outcome: EdgeOutcome = isBroken
      ? toUnasked({
          edge: edge.name,
          identity: edge.identity,
          addresses: [request ?? [], looked].flat().flatMap(({ addresses }) => addresses),
        })
      : await ask(tools, edge, { request, again: looked, lastWriteMs }, started);
    outcomes.push(outcome);
    isBroken ||= outcome.left.size > 0;
    // Until now an outer one may have fetched from this one what was wrong.
    if (lastWriteMs !== undefined) lastWriteMs = clock.monotonicMs();
  }
  report({ event: "phase", phase, state: "ended", steps, seconds: (clock.monotonicMs() - started) / 1000 });
  return outcomes.map((outcome, index) => {
    const edge = edges.find(({ name }) => name === outcome.edge) as Edge;
    return isSeen(edge, outcomes.slice(index + 1)) ? outcome : toUnseen(outcome, report);
  });
}

async function ask(
  { clock, report, run, book, facts }: InvalidateTools,
  edge: Edge,
  wanted: ToConfirm,
  started: number,
): Promise<EdgeOutcome> {
  const onWait: ConfirmTools["onWait"] = (wait) => {
    report({ event: "edge", edge: edge.name, wait, seconds: (clock.monotonicMs() - started) / 1000 });
  };
  const outcome = await confirmEdge({ clock, run, book, facts, onWait }, edge, wanted);
  const { failure, odd } = outcome;
  if (odd) report({ event: "warning", warning: { code: "edge-odd", edge: edge.name, odd } });
  if (failure) report({ event: "warning", warning: { code: "edge-failed", edge: edge.name, failure } });
  return outcome;
}

/**
 * Whether anybody has looked at what an edge answers. What can't be looked at by itself was seen where an edge in front of it,
 * which refills from it, was read right.
 */
const isSeen = ({ places, confirmation }: Edge, outer: readonly EdgeOutcome[]): boolean =>
  places.length > 0 ||
  confirmation.readBack.kind === "off" ||
  outer.some(({ left, read }) => left.size === 0 && read.size > 0);

function toUnseen(outcome: EdgeOutcome, report: Reporter): EdgeOutcome {
  const { edge, settled, left } = outcome;
  if (outcome.failure) return outcome;
  const failure = { kind: "unseen" } as const;
  report({ event: "warning", warning: { code: "edge-failed", edge, failure } });
  return { ...outcome, settled: [], left: new Set([...settled, ...left]), failure };
}
