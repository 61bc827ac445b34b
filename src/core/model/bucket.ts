import type { Policy } from "./policy.ts";
import type { WebsiteSettings } from "./website.ts";

/** What was found of one setting of a bucket. */
export type Reading<Value> =
  | { readonly state: "set"; readonly value: Value }
  | { readonly state: "unset" }
  /** The store does not know this kind of setting, or this identity may not look at it. */
  | { readonly state: "unsupported"; readonly answer: string }
  | { readonly state: "denied"; readonly answer: string };

/** Which ways of making a bucket public are shut, whatever policies and access lists say. */
export interface PublicBlock {
  readonly newLists: boolean;
  readonly lists: boolean;
  readonly newPolicies: boolean;
  readonly policies: boolean;
}

/** A bucket as it is set up. */
export interface BucketFacts {
  readonly isThere: boolean;
  readonly website: Reading<WebsiteSettings>;
  readonly policy: Reading<Policy>;
  readonly publicBlock: Reading<PublicBlock>;
  /** Whether overwritten objects stay as versions. */
  readonly versioning: Reading<boolean>;
  readonly tags: Reading<Readonly<Record<string, string>>>;
}

export type SettingKind = "website" | "policy" | "publicBlock" | "versioning" | "tags";
