import { OperatorError } from "../core/model/failure.ts";
import { createLineReader } from "../core/traffic/formats.ts";
import { createSiteIndex, findReleaseTimes, type SiteRecords } from "../core/traffic/site-index.ts";
import { summarise } from "../core/traffic/summary.ts";
import { Tally } from "../core/traffic/tally.ts";
import type { Traffic } from "../core/traffic/traffic.ts";
import { fetchImmutableNames, readPointer, tryReadWaybill } from "../gather/read-destination.ts";
import { readLog, type LogFile } from "../gather/read-logs.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import type { Place } from "./run.ts";

/** What logs tell, and of which files. */
export interface ReadTraffic {
  readonly traffic: Traffic;
  /** Names of the logs. */
  readonly logs: readonly string[];
  /** Those that end in the middle. */
  readonly cut: readonly string[];
  /** The path of the site's own address, a slash at both ends. */
  readonly basePath: string;
  /** The current release; 0: nothing was delivered. */
  readonly release: number;
}

/** Called from time to time: bytes are counted as they are unpacked. */
export type TellRead = (lines: number) => void;

const TELL_EVERY = 100_000;

/**
 * Reads logs, one after the other, and holds them against what is on record of a destination; a log may be of any length.
 * Throws `no-log` where nothing in them is a line of a log.
 */
export async function readTraffic(
  place: Place,
  logs: AsyncIterable<LogFile> | Iterable<LogFile>,
  tell: TellRead,
): Promise<ReadTraffic> {
  const records = await readRecords(place);
  const { url } = place.siteRules;
  const tally = new Tally(
    createSiteIndex(records),
    url === undefined ? undefined : new URL(url).host.toLowerCase(),
  );
  const [names, cut]: [string[], string[]] = [[], []];
  let lines = 0;
  for await (const log of logs) {
    const read = createLineReader();
    names.push(log.name);
    const end = await readLog(log, (text) => {
      lines += 1;
      if (lines % TELL_EVERY === 0) tell(lines);
      const line = read(text);
      if (line === "unreadable") tally.unreadable += 1;
      else if (line) tally.add(line);
    });
    if (end === "cut") cut.push(log.name);
  }
  const traffic = summarise(tally);
  const { counted, otherMethods, own, unreadable } = traffic.lines;
  if (counted + otherMethods + own === 0 && unreadable > 0)
    throw new OperatorError("no-log", { lines: unreadable });
  const { basePath } = records.rules;
  return { traffic, basePath, logs: names, cut, release: records.waybills[0]?.release ?? 0 };
}

/** All that is on record, as far as it can be read. */
async function readRecords({ store, siteRules }: Place): Promise<SiteRecords> {
  const retained = (await readPointer(store))?.pointer.retained ?? [];
  const waybills = await Promise.all(retained.map((release) => tryReadWaybill(store, release)));
  const names = await fetchImmutableNames(store);
  return {
    waybills: waybills.filter((waybill) => waybill !== undefined).filter(({ release }) => release > 0),
    ...{ names, times: findReleaseTimes(retained, names), rules: siteRules.addressRules },
  };
}

/** The logs below a prefix of a store. */
export async function* listLogs(store: ObjectStore): AsyncIterable<LogFile> {
  for await (const { objects } of store.list())
    for (const { key, size } of objects)
      if (size > 0) yield { name: key, open: () => openObject(store, key) };
}

async function* openObject(store: ObjectStore, key: string): AsyncIterable<Uint8Array> {
  const read = await store.get(key);
  if (read) yield* read.body;
}
