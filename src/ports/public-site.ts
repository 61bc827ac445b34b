import type { Sha256, UrlPath } from "../core/model/names.ts";

/** What a visitor gets. */
export interface PublicAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  /** Of the body, decoded; undefined where its coding is not known here. */
  readonly hash: Sha256 | undefined;
  /** Bytes of the body as sent. */
  readonly size: number;
  /** Where the store's own refusal came through: its code, and the key that it was asked for. */
  readonly refusal?: { readonly code: string; readonly key?: string | undefined } | undefined;
}

export interface AskOptions {
  /** The `Accept-Encoding` to send; absent or empty: none. */
  readonly encoding?: string;
  /** Over plain http, whatever the site's own scheme is. */
  readonly isPlain?: boolean;
}

/** The site as visitors reach it: through the edge, unsigned. */
export interface PublicSite {
  /** Asks for an address of the site, with its query if it has one; undefined where nobody answers there. Never throws. */
  ask(address: UrlPath, options?: AskOptions): Promise<PublicAnswer | undefined>;
  close(): void;
}
