/** How the simulated store behaves where real ones differ; everything is off unless it is asked for. */
export interface StoreTraits {
  /** A conditional write is refused with 409 while another one of the same key is under way. */
  readonly conflicts: boolean;
  /** The ETag of an object that was sent in parts is refused as the condition of a copy. */
  readonly partsUnpinned: boolean;
  /** Which writes check what must stand there: all, those that send something, or none. */
  readonly conditions: "all" | "puts" | "none";
  /** ETags are no MD5, and never the same twice. */
  readonly opaqueEtags: boolean;
  /** No sums are kept of what is sent. */
  readonly noChecksums: boolean;
  /** The bucket to begin with keeps what is overwritten or removed as versions. */
  readonly keepsVersions: boolean;
  /** … and locks them: they can't be removed, and nothing is taken without a sum. */
  readonly locksObjects: boolean;
}

export const PLAIN_STORE: StoreTraits = {
  conflicts: false,
  partsUnpinned: false,
  conditions: "all",
  opaqueEtags: false,
  noChecksums: false,
  keepsVersions: false,
  locksObjects: false,
};

const READERS: Readonly<Record<string, (value: string) => Partial<StoreTraits> | undefined>> = {
  "write-conflicts": () => ({ conflicts: true }),
  "parts-unpinned": () => ({ partsUnpinned: true }),
  "write-conditions": (value) =>
    value === "all" || value === "puts" || value === "none" ? { conditions: value } : undefined,
  "opaque-etags": () => ({ opaqueEtags: true }),
  "no-checksums": () => ({ noChecksums: true }),
  "keeps-versions": () => ({ keepsVersions: true }),
  "locks-objects": () => ({ keepsVersions: true, locksObjects: true }),
};

export const STORE_TRAIT_NAMES: readonly string[] = Object.keys(READERS);

/** Whether a text names a trait of the store, with or without a value. */
export const isStoreTrait = (text: string): boolean =>
  STORE_TRAIT_NAMES.includes(text.split("=", 1)[0] ?? "");

/**
 * Traits out of `NAME` and `NAME=VALUE`.
 * @returns the first that can't be read, as it stands, where there is one
 */
export function readStoreTraits(texts: readonly string[]): StoreTraits | { readonly wrong: string } {
  let traits = PLAIN_STORE;
  for (const text of texts) {
    const [name = "", value = ""] = text.split(/=(.*)/s);
    const found = READERS[name]?.(value);
    if (!found) return { wrong: text };
    traits = { ...traits, ...found };
  }
  return traits;
}
