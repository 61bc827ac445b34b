import type { EdgeAbilities, EdgeFailure, EdgeWait, ReadBack } from "../core/model/edge.ts";
import type { OddAnswers } from "../core/model/warning.ts";
import type { UrlPath } from "../core/model/names.ts";

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
  readonly patterns: readonly UrlPath[];
  /** A name for a batch of this request, the same for each try of one call, so that a repeated call is no second batch. */
  readonly nameBatch: (patterns: readonly UrlPath[]) => string;
  /** Is told what is waited for. */
  readonly onWait?: (wait: EdgeWait) => void;
  /** What is to be read back before it counts as confirmed, where the edge's kind asks for that. */
  readonly readBacks?: readonly ReadBack[];
  /** Is told of what was read back and is neither old nor new. */
  readonly onOdd?: (odd: OddAnswers) => void;
}

/** What an adapter makes of any failure of its edge. */
export class EdgeError extends Error {
  constructor(
    readonly edge: string,
    readonly failure: EdgeFailure,
    cause?: unknown,
  ) {
    super(failure.kind, { cause });
    this.name = "EdgeError";
  }
}
