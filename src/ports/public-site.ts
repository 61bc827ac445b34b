import type { TlsFault } from "../core/model/tls-fault.ts";
import type { VisitorAnswer } from "../core/model/visitor-answer.ts";
import type { UrlPath } from "../core/model/names.ts";

export interface AskOptions {
  /** The `Accept-Encoding` to send; absent or empty: none. */
  readonly encoding?: string;
  /** Over plain http, whatever the site's own scheme is. */
  readonly isPlain?: boolean;
}

/** The site as visitors reach it: through the edge, unsigned. */
export interface PublicSite {
  /** Asks for an address of the site, with its query if it has one; undefined where nobody answers there. Never throws. */
  ask(address: UrlPath, options?: AskOptions): Promise<VisitorAnswer | undefined>;
  /** Why there is no safe connection, where that is why the last one was not answered; absent: nothing says so. */
  readonly unsafe?: () => TlsFault | undefined;
  close(): void;
}
