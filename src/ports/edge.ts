import type {
  ClearingWay,
  ConfirmationRule,
  EdgeAbilities,
  EdgeFailure,
  EdgeWait,
} from "../core/model/edge.ts";
import type { UrlPath } from "../core/model/names.ts";
import type { VisitorAnswer } from "../core/model/visitor-answer.ts";

/**
 * A cache in front of the store.
 *
 * Calling sequence: `forget` with addresses whose final state stands in the store, as often as is needed; `look` at any time.
 * Guaranteed: when `forget` resolves, the edge has said at each node it told us of that the addresses were let go. A fetch
 * that was under way meanwhile may bring the old content back: only `look` tells. A failure throws `EdgeError`; some or all
 * addresses are as they were then.
 */
export interface Edge {
  /** Its name within the destination. */
  readonly name: string;
  /** What it is, wherever it stands in the settings: under this it is written down what it owes. */
  readonly identity: string;
  readonly abilities: EdgeAbilities;
  readonly confirmation: ConfirmationRule;
  /** Places whose answers can be looked at, each on its own; none: nobody can look. */
  readonly places: readonly string[];
  /** Whether its 'done' is a status that it keeps itself, of all its places, and no answer of one of them. */
  readonly hasStatus: boolean;
  /** The forms of `Accept-Encoding` under which it may hold copies apart, the empty one included where it may be meant. */
  readonly forms: readonly string[];
  /** Whether somebody has said that it is asked in no other forms. */
  readonly hasAllForms: boolean;
  /** Ways of clearing that it knows, cheapest first, to be tried at each place; absent: there is one way only. */
  readonly triesWays?: readonly ClearingWay[];
  forget(request: ForgetRequest): Promise<void>;
  /** What a visitor gets there; undefined: nobody answers. Never throws. */
  look(address: UrlPath, look: EdgeLook): Promise<VisitorAnswer | undefined>;
  close(): void;
}

export interface ForgetRequest {
  readonly patterns: readonly UrlPath[];
  /** The run that asks: each call of `forget` is one of its own, so that none is taken for an earlier one. */
  readonly run: string;
  /** How copies are cleared at each place; the most thorough way where nothing is said. */
  readonly ways?: ReadonlyMap<string, ClearingWay>;
  /** Is told what is waited for. */
  readonly onWait?: (wait: EdgeWait) => void;
}

export interface EdgeLook {
  /** One of `places`. */
  readonly place: string;
  /** The `Accept-Encoding`; empty: none. */
  readonly form: string;
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
