import type { ObjectKey } from "../../model/names.ts";
import { STATE_PREFIX } from "../../model/names.ts";

/** The small objects that come and go while the chain is tried; nothing of a site is named so. */
export interface ProbeKeys {
  /** Ends in a slash. */
  readonly folder: ObjectKey;
  /** An index page that may be held. */
  readonly page: ObjectKey;
  /** Allows no freshness. */
  readonly zero: ObjectKey;
  /** Is asked for before it is there. */
  readonly late: ObjectKey;
  /** Is never there. It has no ending, as client routes have none. */
  readonly nothing: ObjectKey;
  /** In the tool's own part. */
  readonly own: ObjectKey;
}

/** Below these stands whatever such a try has left. */
export const PROBE_PREFIXES = ["courier-probe-", `${STATE_PREFIX}probe-`] as const;

/** Whether a key can only be that of a probe. */
export const isProbe = (key: ObjectKey): boolean =>
  /^courier-probe-[0-9a-f]{8}\/[^/]+$|^\.courier\/probe-[0-9a-f]{8}\.txt(\.copy)?$/.test(key);

/** The keys of one run's probes. The last eight letters of the run's name tell them from another run's. */
export function toProbeKeys(run: string, indexName: string): ProbeKeys {
  const name = run.slice(-8);
  const folder = `courier-probe-${name}/`;
  return {
    folder,
    page: folder + indexName,
    zero: `${folder}zero.txt`,
    late: `${folder}late.txt`,
    nothing: `${folder}nothing`,
    own: `${STATE_PREFIX}probe-${name}.txt`,
  };
}

/** How long the page may be held: long enough to be told from chance, short enough to be forgotten. */
const PAGE_SECONDS = 300;

export const PROBE_HEADERS = {
  page: {
    "content-type": "text/html; charset=utf-8",
    "cache-control": `public, max-age=0, s-maxage=${PAGE_SECONDS}, must-revalidate`,
  },
  zero: {
    "content-type": "text/plain; charset=utf-8",
    "cache-control": "public, max-age=0, must-revalidate",
  },
  own: { "content-type": "text/plain; charset=utf-8", "cache-control": "no-store" },
} as const;

/** Different for each version, the same whenever it is asked for. */
export const toProbeText = (run: string, version: number): string =>
  `<!doctype html><meta name="robots" content="noindex"><title>probe</title><p>${run} ${version}\n`;
