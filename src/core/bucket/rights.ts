import type { StoreAction } from "../model/store-action.ts";

/** A right of the storage protocol, and what else may be missing where it seems to be. */
export interface Right {
  readonly name: string;
  /** `hidden`: without the right to list, what is missing counts as denied; `other-owner`: the bucket; `source`: of a copy. */
  readonly or?: "hidden" | "other-owner" | "source";
}

const READ: Right = { name: "s3:GetObject", or: "hidden" };
const REMOVE: Right = { name: "s3:DeleteObject" };

const RIGHTS: Readonly<Record<StoreAction["do"], Right>> = {
  list: { name: "s3:ListBucket" },
  "list-folder": { name: "s3:ListBucket" },
  look: READ,
  read: READ,
  "read-time": READ,
  write: { name: "s3:PutObject" },
  use: { name: "s3:PutObject" },
  copy: { name: "s3:PutObject", or: "source" },
  remove: REMOVE,
  "remove-many": REMOVE,
  "find-uploads": { name: "s3:ListBucketMultipartUploads" },
  "list-versions": { name: "s3:ListBucketVersions" },
  "read-version": { name: "s3:GetObjectVersion" },
  "delete-versions": { name: "s3:DeleteObjectVersion" },
  "read-lock": { name: "s3:GetBucketObjectLockConfiguration" },
  "look-at-bucket": { name: "s3:ListBucket", or: "other-owner" },
  "create-bucket": { name: "s3:CreateBucket" },
  "read-website": { name: "s3:GetBucketWebsite" },
  "write-website": { name: "s3:PutBucketWebsite" },
  "read-policy": { name: "s3:GetBucketPolicy" },
  "write-policy": { name: "s3:PutBucketPolicy" },
  "remove-policy": { name: "s3:DeleteBucketPolicy" },
  "read-block": { name: "s3:GetBucketPublicAccessBlock" },
  "write-block": { name: "s3:PutBucketPublicAccessBlock" },
  "read-versioning": { name: "s3:GetBucketVersioning" },
  "keep-versions": { name: "s3:PutBucketVersioning" },
  "read-tags": { name: "s3:GetBucketTagging" },
  "write-tags": { name: "s3:PutBucketTagging" },
};

/** The right that is missing where an action was refused. */
export const rightFor = (action: StoreAction): Right => RIGHTS[action.do];
