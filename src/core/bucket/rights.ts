/** The right of the storage protocol that a request needs, by how what was being done begins; the first that fits counts. */
const RIGHTS: readonly (readonly [begins: string, right: string])[] = [
  ["list the versions", "s3:ListBucketVersions"],
  ["list", "s3:ListBucket"],
  ["create the bucket", "s3:CreateBucket"],
  ["look at the bucket", "s3:ListBucket, or the bucket is somebody else's"],
  ["write the bucket's policy", "s3:PutBucketPolicy"],
  ["remove the bucket's policy", "s3:DeleteBucketPolicy"],
  ["write the public access block", "s3:PutBucketPublicAccessBlock"],
  ["switch versioning on", "s3:PutBucketVersioning"],
  ["write the bucket's tags", "s3:PutBucketTagging"],
  ["look for unfinished uploads", "s3:ListBucketMultipartUploads"],
  ["read the website", "s3:GetBucketWebsite"],
  ["write the website", "s3:PutBucketWebsite"],
  ["read a version", "s3:GetObjectVersion"],
  ["delete versions", "s3:DeleteObjectVersion"],
  ["read", "s3:GetObject (or s3:ListBucket, without which a store hides what is missing)"],
  ["look at", "s3:GetObject (or s3:ListBucket, without which a store hides what is missing)"],
  ["copy", "s3:PutObject, or s3:GetObject for the source"],
  ["remove", "s3:DeleteObject"],
  ["write", "s3:PutObject"],
];

/** The right that lacks where an action was refused. */
export const rightFor = (action: string): string =>
  RIGHTS.find(([begins]) => action.startsWith(begins))?.[1] ?? "for this";
