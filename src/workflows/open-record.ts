import { OperatorError } from "../core/model/failure.ts";
import { openKey } from "../core/model/names.ts";
import type { OpenDelivery } from "../core/model/release.ts";
import { recordOpen } from "../perform/record.ts";
import type { ObjectStore } from "../ports/object-store.ts";

const OVERTAKEN = new Set<string>(["hold-lost", "changed-meanwhile", "moved-meanwhile"]);

/**
 * Does something that is written down first, in the run's own record; `work` removes that when it has come to its end.
 * @param taken runs whose records this one takes over: it tells all that they told, so that one stays, however often one fails
 */
export async function withOpenRecord<T>(
  store: ObjectStore,
  open: OpenDelivery,
  taken: readonly OpenDelivery[],
  task: () => Promise<T>,
): Promise<T> {
  await recordOpen(store, open);
  if (taken.length > 0) await store.remove(taken.map(({ run }) => openKey(run)));
  try {
    return await task();
  } catch (error) {
    // Whoever took over may have cleared that record, and a write that began in time may have landed after that.
    const isOvertaken = error instanceof OperatorError && OVERTAKEN.has(error.code);
    if (isOvertaken) await recordOpen(store, open).catch(() => undefined);
    throw error;
  }
}
