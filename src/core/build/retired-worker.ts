/** The small worker that takes a service worker away which a site no longer has (`gather/own-texts.ts`). */
export const RETIRED_WORKER = {
  /** SHA-256. */
  hash: "7c5507946696094d62f3af2da1a9a4d4bb1bd6f961f523bd0d20745768c249b9",
  /** Bytes. */
  size: 504,
} as const;
