import { join } from "node:path";
import { headOf } from "../core/addresses/preview-name.ts";
import { OperatorError } from "../core/model/failure.ts";
import { createRetry, withRetries } from "../perform/retry.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import type { PlacedStore, PreviewRules, Target } from "../settings/target.ts";
import type { Visit } from "../workflows/run.ts";
import { openStore, type RunTies } from "./open.ts";

/** Does something with what stands below the folder of a destination's previews. Throws `no-previews`. */
export async function withPreviewList<T>(
  { run }: Pick<Visit, "run">,
  target: Target,
  ties: RunTies,
  task: (store: ObjectStore, rules: PreviewRules) => Promise<T>,
): Promise<T> {
  const { previews, destination } = target;
  if (!previews) throw new OperatorError("no-previews", { destination });
  const retries = { clock: run.clock, report: run.report, countRetry: () => undefined };
  const tools = { count: () => undefined, again: createRetry(retries), ...ties };
  const below = toBelow(target.store, headOf(previews.prefix));
  const store = withRetries(await openStore({ ...target, store: below }, tools), retries);
  try {
    return await task(store, previews);
  } finally {
    store.close();
  }
}

const toBelow = (store: PlacedStore, head: string): PlacedStore =>
  store.kind === "s3"
    ? { ...store, prefix: head }
    : { ...store, folder: join(store.folder, head), within: store.folder };
