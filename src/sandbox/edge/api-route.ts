import type { IncomingMessage } from "node:http";
import type { Faults } from "../faults.ts";
import type { Ledger } from "../ledger.ts";
import type { Identity } from "../store/signature.ts";
import type { Distribution, Distributions } from "./distributions.ts";
import type { Invalidations } from "./invalidations.ts";

export interface EdgeApiOptions {
  readonly distributions: Distributions;
  readonly invalidations: Invalidations;
  readonly identities: readonly Identity[];
  readonly ledger: Ledger;
  readonly faults: Faults;
}

/** One request, as far as the interface looks at it. */
export interface Call {
  readonly request: IncomingMessage;
  /** What the path names, in its order. */
  readonly ids: readonly string[];
  /** Whatever is asked for happens in words alone. */
  readonly isLost: boolean;
}

export interface ApiAnswer {
  readonly status: number;
  readonly body: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly code?: string;
}

export interface Route {
  readonly method: string;
  readonly path: RegExp;
  readonly operation: string;
  /** The right that it needs, where it is called otherwise. */
  readonly action?: string;
  /** Whether rights for it name a distribution. */
  readonly isOfOne: boolean;
  readonly answer: (api: RoutedApi, call: Call) => ApiAnswer | Promise<ApiAnswer>;
}

/** What routes answer with. */
export interface RoutedApi {
  readonly options: EdgeApiOptions;
  /** A distribution as the interface shows it. */
  show(distribution: Distribution, status: number): ApiAnswer;
  list(): string;
}
