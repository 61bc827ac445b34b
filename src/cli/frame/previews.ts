import type { ObjectStore } from "../../ports/object-store.ts";
import { toPreview } from "../../settings/preview.ts";
import type { PreviewRules, Target } from "../../settings/target.ts";
import * as list from "../../wiring/preview-list.ts";
import type { Task } from "../../wiring/session.ts";
import { readTarget } from "../../wiring/wiring.ts";
import { removePreview } from "../../workflows/previews.ts";
import type { Stay } from "../../workflows/run.ts";
import type { Arguments } from "./command.ts";
import { readQueue } from "./options.ts";
import { toCall, withDestination, withTarget } from "./session.ts";
import type { Terminal } from "./terminal.ts";

/** Does something with what stands below the folder of a destination's previews. Throws `no-previews`. */
export const withPreviewList = <T>(
  args: Arguments,
  terminal: Terminal,
  task: (store: ObjectStore, target: Target, rules: PreviewRules) => Promise<T>,
): Promise<T> =>
  withDestination(args, terminal, (stay, target, ties) =>
    list.withPreviewList(stay, target, ties, (store, rules) => task(store, target, rules)),
  );

/** Does something with one preview of that list. @param label its name as it stands there */
export const withPreview = <T>(
  label: string,
  args: Arguments,
  terminal: Terminal,
  task: Task<Stay, T>,
): Promise<T> =>
  withTarget(toPreview(readTarget(toCall(args, terminal)), label, label), args, terminal, task);

/** Removes previews one after the other, each while it is held. */
export async function removePreviews(
  labels: readonly string[],
  args: Arguments,
  terminal: Terminal,
): Promise<void> {
  for (const label of labels)
    await withPreview(label, args, terminal, (stay) => removePreview(stay, readQueue(args)));
}
