import type { Sha256 } from "./names.ts";

/** What a visitor gets. */
export interface VisitorAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  /** Of the body, decoded; undefined where its coding is not known here. */
  readonly hash: Sha256 | undefined;
  /** Bytes of the body as sent. */
  readonly size: number;
  /** Where the store's own refusal came through: its code, and the key that it was asked for. */
  readonly refusal?: { readonly code: string; readonly key?: string | undefined } | undefined;
}
