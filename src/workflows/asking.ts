import { vaultKey, type ObjectKey, type Sha256 } from "../core/model/names.ts";
import type { EdgeRules } from "../core/model/edge-rules.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { DestinationState } from "../core/model/release.ts";
import { tryReadWaybill } from "../gather/read-destination.ts";
import type { EdgeOutcome } from "../core/model/edge-outcome.ts";
import { WayBook } from "../perform/edge-ways.ts";
import { askEdges, type AskedRound } from "../perform/invalidate.ts";
import type { Reporter } from "../ports/reporter.ts";
import type { Visit } from "./run.ts";

export interface AskingFacts {
  /** What answers once all is written. */
  readonly parcels: readonly Parcel[];
  /** What the edge does by itself then. */
  readonly edgeRules: EdgeRules | undefined;
  /** What stood before. */
  readonly state: DestinationState;
}

/** Asks the edges of a place; all rounds of a run go through the same one. */
export type Asking = (round: AskedRound) => Promise<EdgeOutcome[]>;

/** Edges can be asked as long as nobody stops the run meanwhile. */
export function openAsking({ run, place }: Visit, { parcels, edgeRules, state }: AskingFacts): Asking {
  const { store, siteRules, edges } = place;
  const { addressRules } = siteRules;
  const tools = {
    ...{ clock: run.clock, report: warnOnce(run.report), run: run.name, edges },
    book: new WayBook({
      ...{ store, clock: run.clock, run: run.name, indexName: addressRules.indexName },
      addressOf: (key) => addressRules.basePath + key,
    }),
    facts: {
      ...{ parcels, addressRules, edgeRules },
      loadEarlier: () => loadEarlier(store, state),
      isVaulted: toVaulted(state),
    },
  };
  return (round) => {
    const { pending = new Set() } = round;
    const facts = { ...tools.facts, parcels: parcels.filter(({ key }) => !pending.has(key)) };
    return run.interruption.orStop(askEdges({ ...tools, facts }, round));
  };
}

/** What an edge fails at, it fails at in each round of a run: people need to read it once. */
function warnOnce(report: Reporter): Reporter {
  const said = new Set<string>();
  return (event) => {
    const text = event.event === "warning" ? JSON.stringify(event) : "";
    if (text !== "" && said.has(text)) return;
    said.add(text);
    report(event);
  };
}

function toVaulted({ listing }: DestinationState): (hash: Sha256) => boolean {
  let keys: ReadonlySet<ObjectKey> | undefined;
  return (hash) => {
    keys ??= new Set(listing.map(({ key }) => key));
    return keys.has(vaultKey(hash));
  };
}

/** All contents that any record tells of; a record that can't be read tells nothing. */
async function loadEarlier(
  store: Visit["place"]["store"],
  { pointer, waybill, open = [] }: DestinationState,
): Promise<readonly Pick<Parcel, "key" | "hash">[]> {
  const older = (pointer?.retained ?? []).filter(({ run }) => run !== waybill?.run);
  const waybills = [waybill, ...(await Promise.all(older.map((release) => tryReadWaybill(store, release))))];
  return [
    ...waybills.flatMap((one) => (one ? [...one.parcels, ...one.standing] : [])),
    ...open.flatMap(({ parcels, originals }) => [...parcels, ...originals]),
  ];
}
