import { rightFor, type Right } from "../core/bucket/rights.ts";
import type { StoreAction } from "../core/model/store-action.ts";

const WORDS: { readonly [Kind in StoreAction["do"]]: (of: never) => string } = {
  list: () => "list the bucket",
  "list-folder": () => "list the folder",
  look: ({ key }: Keyed) => `look at ${key}`,
  read: ({ key }: Keyed) => `read ${key}`,
  write: ({ key }: Keyed) => `write ${key}`,
  remove: ({ key }: Keyed) => `remove ${key}`,
  use: ({ key }: Keyed) => `use ${key}`,
  copy: ({ from, to }: Extract<StoreAction, { do: "copy" }>) =>
    to === undefined ? `copy ${from}` : `copy ${from} to ${to}`,
  "remove-many": ({ count }: Extract<StoreAction, { do: "remove-many" }>) => `remove ${count} objects`,
  "read-time": () => "read the time",
  "find-uploads": () => "look for unfinished uploads",
  "list-versions": () => "list the versions",
  "read-version": ({ key }: Keyed) => `read a version of ${key}`,
  "delete-versions": () => "delete versions",
  "read-lock": () => "read the object lock",
  "look-at-bucket": () => "look at the bucket",
  "create-bucket": () => "create the bucket",
  "read-website": () => "read the website settings",
  "write-website": () => "write the website settings",
  "read-policy": () => "read the bucket's policy",
  "write-policy": () => "write the bucket's policy",
  "remove-policy": () => "remove the bucket's policy",
  "read-block": () => "read the public access block",
  "write-block": () => "write the public access block",
  "read-versioning": () => "read the versioning",
  "keep-versions": () => "switch versioning on",
  "read-tags": () => "read the bucket's tags",
  "write-tags": () => "write the bucket's tags",
};

interface Keyed {
  readonly key: string;
}

/** A request of the store as people call it: reading index.html. */
export const showAction = (action: StoreAction): string =>
  (WORDS[action.do] as (of: StoreAction) => string)(action);

const DOUBTS: Readonly<Record<NonNullable<Right["or"]>, string>> = {
  hidden: " (or s3:ListBucket, without which a store hides what is missing)",
  "other-owner": ", or the bucket is somebody else's",
  source: ", or s3:GetObject for the source",
};

/** The right that a request needs, and what else may be missing where it seems to be. */
export const showRightFor = (action: StoreAction): string => {
  const { name, or } = rightFor(action);
  return or === undefined ? name : name + DOUBTS[or];
};
