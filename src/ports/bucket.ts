import type { PublicBlock, Reading } from "../core/model/bucket.ts";
import type { WebsiteSettings } from "../core/model/website.ts";
import type { Policy } from "../core/model/policy.ts";

/**
 * The bucket itself, as its owner sets it up: what holds objects, not the objects.
 *
 * Calling sequence: `isThere`, `create` where it is not, then settings in any order.
 * Guaranteed: what a store lacks is told apart from what is not set (`unsupported`) and from what this identity may not
 * look at (`denied`). Reading writes nothing. Any other failure throws `StoreError`; a write that the store does not know
 * throws one of kind `unsupported`.
 * Not guaranteed: that a setting that was written counts at once.
 */
export interface Bucket {
  /** Throws `StoreError` `denied` where there is one of this name that is not for this identity. */
  isThere(): Promise<boolean>;
  /** Throws `StoreError` `bucket-taken` where the name is somebody else's. */
  create(): Promise<void>;
  readWebsite(): Promise<Reading<WebsiteSettings>>;
  writeWebsite(website: WebsiteSettings): Promise<void>;
  readPolicy(): Promise<Reading<Policy>>;
  /** Undefined: takes the policy away. */
  writePolicy(policy: Policy | undefined): Promise<void>;
  readPublicBlock(): Promise<Reading<PublicBlock>>;
  writePublicBlock(block: PublicBlock): Promise<void>;
  readVersioning(): Promise<Reading<boolean>>;
  keepVersions(): Promise<void>;
  readTags(): Promise<Reading<Readonly<Record<string, string>>>>;
  writeTags(tags: Readonly<Record<string, string>>): Promise<void>;
  close(): void;
}
