import { isAbsolute, join, resolve } from "node:path";
import { findLogFiles, type LogFile } from "../gather/read-logs.ts";
import { spareMemory } from "../adapters/machine/system-machine.ts";
import { createRetry, withRetries } from "../perform/retry.ts";
import type { PlacedStore, Target } from "../settings/target.ts";
import type { Stay } from "../workflows/run.ts";
import { listLogs } from "../workflows/traffic.ts";
import { openStore, type RunTies } from "./open.ts";

/** Which logs a call means. */
export interface LogsWish {
  /** Files and folders; `-`: standard input. */
  readonly names: readonly string[];
  /** `PREFIX` or `BUCKET:PREFIX`. */
  readonly fromStore: string | undefined;
  /** Where the call was made. */
  readonly folder: string;
}

/** Hands over the logs that are named: files first, then those of the store. The process takes little memory from here on, however long they are. */
export async function withLogs<T>(
  { names, fromStore, folder }: LogsWish,
  { run, place }: Stay,
  { target, ties }: { readonly target: Target; readonly ties: RunTies },
  task: (logs: AsyncIterable<LogFile>) => Promise<T>,
): Promise<T> {
  spareMemory();
  const files = findLogFiles(
    names.map((name) => (name === "-" ? name : resolve(folder, name))),
    () => process.stdin,
  );
  if (fromStore === undefined) return task(inOrder(files));
  const { requests } = place.tally;
  const retries = { clock: run.clock, report: run.report, countRetry: () => (requests.retried += 1) };
  const count = (kind: keyof typeof requests): void => {
    requests[kind] += 1;
  };
  const own = { ...target, store: placeLogs(target.store, fromStore) };
  const store = withRetries(await openStore(own, { count, again: createRetry(retries), ...ties }), retries);
  try {
    return await task(inOrder(files, listLogs(store)));
  } finally {
    store.close();
  }
}

async function* inOrder(...parts: (Iterable<LogFile> | AsyncIterable<LogFile>)[]): AsyncIterable<LogFile> {
  for (const part of parts) yield* part;
}

/** A store as the destination's is reached, at the place of its logs. */
function placeLogs(store: PlacedStore, wish: string): PlacedStore {
  const [, bucket, prefix = ""] = /^(?:([^:/]+):)?(.*)$/s.exec(wish) ?? [];
  if (store.kind === "folder")
    return { ...store, folder: isAbsolute(prefix) ? prefix : join(store.folder, prefix) };
  const plain = prefix.replace(/^\//, "");
  return {
    ...store,
    bucket: bucket ?? store.bucket,
    prefix: plain === "" || plain.endsWith("/") ? plain : `${plain}/`,
  };
}
