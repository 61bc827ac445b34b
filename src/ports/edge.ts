import type { UrlPath } from "../core/model/names.ts";

/** What an edge can be asked for. The core plans within it; nothing is assumed that is not said here. */
export interface EdgeAbilities {
  /** How many patterns one delivery may ask for. */
  readonly mostPatterns: number;
  /** Whether it takes a pattern that stands for everything that begins so. */
  readonly takesEverything: boolean;
}

/**
 * A cache in front of the store.
 *
 * Calling sequence: `invalidate` with addresses whose final state stands in the store.
 * Guaranteed: when it resolves, the edge has confirmed that each address was let go at every node it told us of.
 * A failure throws `EdgeError` and leaves some or all addresses as they were: they stay owed.
 */
export interface Edge {
  /** Its name within the destination. */
  readonly name: string;
  readonly abilities: EdgeAbilities;
  invalidate(request: EdgeRequest): Promise<void>;
  close(): void;
}

export interface EdgeRequest {
  /** Identifies the run and the batch, so that a repeated call of one try is not a second batch. */
  readonly reference: string;
  readonly patterns: readonly UrlPath[];
}

export class EdgeError extends Error {
  constructor(
    readonly edge: string,
    message: string,
    readonly facts: { readonly status?: number; readonly code?: string } = {},
    cause?: unknown,
  ) {
    super(message, { cause });
    this.name = "EdgeError";
  }
}
