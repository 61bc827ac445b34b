import type { ReleaseName } from "../core/history/release-names.ts";
import { createAddedBuild } from "../gather/folder-build.ts";
import { createRetry, withRetries } from "../perform/retry.ts";
import type { Target } from "../settings/target.ts";
import type { Stay } from "../workflows/run.ts";
import type { Elsewhere } from "../workflows/take-over.ts";
import type { Call } from "./call.ts";
import { openStore, type RunTies } from "./open.ts";
import { readTarget } from "./wiring.ts";

interface TakingCall {
  readonly call: Call;
  readonly stay: Stay;
  readonly target: Target;
}

/** Opens the store that a release of another destination, or of a preview, stands in. */
export async function withElsewhere<T>(
  name: ReleaseName,
  { call, stay, target }: TakingCall,
  ties: RunTies,
  task: (elsewhere: Omit<Elsewhere, "isThroughHere">) => Promise<T>,
): Promise<T> {
  const { run, place } = stay;
  const to = name.destination ?? target.destination;
  const source = readTarget({ ...call, to, preview: name.preview });
  const { requests } = place.tally;
  const retries = { clock: run.clock, report: run.report, countRetry: () => (requests.retried += 1) };
  const tools = {
    count: (kind: keyof typeof requests): void => {
      requests[kind] += 1;
    },
    again: createRetry(retries),
    ...ties,
  };
  const store = withRetries(await openStore(source, tools), retries);
  try {
    return await task({
      ...{ name, store, of: nameOf(name, source, target) },
      basePath: source.siteRules.addressRules.basePath,
      added: createAddedBuild(target.added),
    });
  } finally {
    store.close();
  }
}

/** As people name it: without the destination where it is that of the call. */
const nameOf = ({ preview }: ReleaseName, source: Target, { destination }: Target): string =>
  preview === undefined ? source.destination : source.destination.replace(`${destination}:`, "");
