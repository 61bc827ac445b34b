import * as z from "zod";

const keys = { accessKeyId: z.string(), secretAccessKey: z.string() };

/** `sandbox --format json`: one line, as soon as it answers */
export const sandboxResultSchema = z.strictObject({
  ready: z.literal(true),
  /** Where its store answers. */
  endpoint: z.url(),
  /** Where its edge answers: the first of `pops`. */
  edge: z.url(),
  /** Keys of the account; they are made up and guard nothing. */
  ...keys,
  bucket: z.string(),
  region: z.string(),
  /** The id of the distribution; empty: there is none yet. */
  distribution: z.string(),
  /** Where distributions are made, changed and invalidated. */
  edgeApi: z.url(),
  /** Where each of its points of presence answers. */
  pops: z.array(z.url()),
  /** What a purge must carry. */
  purgeToken: z.string(),
  /** The identity that `--policy` binds; absent: there is none. */
  limited: z.strictObject(keys).optional(),
});
