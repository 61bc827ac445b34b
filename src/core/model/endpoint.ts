import type { EdgeMeans } from "./edge-rules.ts";

/** What the endpoint that the edge reads from resolves by itself: index documents, or nothing but exact keys. */
export type Serves = "website" | "objects";

/** Names of files as a family of systems can hold them. */
export type FileNames = "posix" | "windows";

/** What the endpoint that the edge reads from can do. */
export interface EndpointRules {
  /** What it resolves by itself. */
  readonly serves: Serves;
  /** Whether an object can send visitors elsewhere. */
  readonly carriesRedirects: boolean;
  /** Whose names must fit, since files of them are made; false: nobody's, it is a store of objects. */
  readonly plainNames: false | FileNames;
  /** Whether the bucket's website settings are this site's alone to write. */
  readonly ownsWebsite: boolean;
  /** What the edge before it can be given; undefined: nothing. */
  readonly edge?: EdgeMeans | undefined;
  /** What stands before keys in the bucket: empty, or ends in a slash. */
  readonly bucketPrefix: string;
}
