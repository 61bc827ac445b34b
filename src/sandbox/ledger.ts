import { appendFileSync } from "node:fs";

/** One request that the sandbox answered. */
interface LedgerEntry {
  /** Which part of the sandbox was asked. */
  readonly part: "store" | "edge-api";
  /** The protocol's name of the operation. */
  readonly operation: string;
  readonly method: string;
  readonly bucket?: string;
  readonly key?: string;
  readonly status: number;
  /** The protocol's error code, for a refusal. */
  readonly code?: string;
  /** Bytes of content that came in. */
  readonly received: number;
  /** Who asked: an access key, or nobody known. */
  readonly identity?: string;
}

/** The record of every request, one JSON line each, in the order of the answers. */
export interface Ledger {
  note(entry: LedgerEntry): void;
}

export function openLedger(file: string): Ledger {
  let number = 0;
  appendFileSync(file, "");
  return {
    note: (entry) => {
      number += 1;
      appendFileSync(file, `${JSON.stringify({ number, at: new Date().toISOString(), ...entry })}\n`);
    },
  };
}
