import { join } from "node:path";
import { headOf } from "../../core/addresses/preview-name.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { createRetry, withRetries } from "../../perform/retry.ts";
import type { ObjectStore } from "../../ports/object-store.ts";
import type { PlacedStore, PreviewRules, Target } from "../../settings/target.ts";
import { toPreview } from "../../settings/preview.ts";
import { removePreview } from "../../workflows/previews.ts";
import type { Arguments } from "../frame/command.ts";
import { readQueue } from "../frame/options.ts";
import type { Terminal } from "../frame/terminal.ts";
import { openStore } from "./open.ts";
import type { Stay } from "../../workflows/run.ts";
import { withDestination, withTarget, type Task } from "./session.ts";
import { readTarget } from "./wiring.ts";

/** Does something with what stands below the folder of a destination's previews. Throws `no-previews`. */
export const withPreviewList = <T>(
  args: Arguments,
  terminal: Terminal,
  task: (store: ObjectStore, target: Target, rules: PreviewRules) => Promise<T>,
): Promise<T> =>
  withDestination(args, terminal, async ({ run }, target, ties) => {
    const { previews, destination } = target;
    if (!previews) throw new OperatorError("no-previews", { destination });
    const retries = { clock: run.clock, report: run.report, countRetry: () => undefined };
    const tools = { count: () => undefined, again: createRetry(retries), ...ties };
    const below = toBelow(target.store, headOf(previews.prefix));
    const store = withRetries(await openStore({ ...target, store: below }, tools), retries);
    try {
      return await task(store, target, previews);
    } finally {
      store.close();
    }
  });

const toBelow = (store: PlacedStore, head: string): PlacedStore =>
  store.kind === "s3"
    ? { ...store, prefix: head }
    : { ...store, folder: join(store.folder, head), within: store.folder };

/** Does something with one preview of that list. @param label its name as it stands there */
export const withPreview = <T>(
  label: string,
  args: Arguments,
  terminal: Terminal,
  task: Task<Stay, T>,
): Promise<T> => withTarget(toPreview(readTarget(args, terminal), label, label), args, terminal, task);

/** Removes previews one after the other, each while it is held. */
export async function removePreviews(
  labels: readonly string[],
  args: Arguments,
  terminal: Terminal,
): Promise<void> {
  for (const label of labels)
    await withPreview(label, args, terminal, (stay) => removePreview(stay, readQueue(args)));
}
