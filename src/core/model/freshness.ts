/** How long a response may be reused without asking, in seconds (RFC 9111 §4.2). */
export interface Freshness {
  readonly browser: number;
  readonly edge: number;
  /** RFC 8246: the bytes under this name never change. */
  readonly immutable?: boolean;
}
