import type { BucketFacts, Reading } from "../core/model/bucket.ts";
import type { Bucket } from "../ports/bucket.ts";

/** How a bucket is set up; of one that is not there yet nothing is set. */
export async function readBucket(bucket: Bucket): Promise<BucketFacts> {
  if (!(await bucket.isThere())) {
    const unset: Reading<never> = { state: "unset" };
    return {
      isThere: false,
      website: unset,
      policy: unset,
      publicBlock: unset,
      versioning: unset,
      tags: unset,
    };
  }
  const [website, policy, publicBlock, versioning, tags] = await Promise.all([
    bucket.readWebsite(),
    bucket.readPolicy(),
    bucket.readPublicBlock(),
    bucket.readVersioning(),
    bucket.readTags(),
  ]);
  return { isThere: true, website, policy, publicBlock, versioning, tags };
}
