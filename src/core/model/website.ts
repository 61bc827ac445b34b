/** A rule of a website endpoint: every key that begins so is sent on, whether an object stands there or not. */
export interface RoutingRule {
  /** Of the key in the bucket. */
  readonly prefix: string;
  /** What comes in the prefix's place; absent: `replaceKey` comes in the whole key's. */
  readonly replacePrefix?: string;
  readonly replaceKey?: string;
  /** Another host; absent: the same. */
  readonly host?: string;
  readonly protocol?: "http" | "https";
  readonly status: number;
}

/** What a bucket's website endpoint answers with. */
export interface WebsiteSettings {
  /** The name of index documents. */
  readonly index?: string;
  /** The key of the document for errors. */
  readonly error?: string;
  readonly rules: readonly RoutingRule[];
}

/** Website endpoints take no more. */
export const MOST_ROUTING_RULES = 50;
