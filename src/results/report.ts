import type { PictureEdge, PictureFile, PictureVisit, ReleaseSize } from "../core/picture/picture.ts";
import type { ProblemResult } from "./problem.ts";

/** All that a report shows of a release, or of one that would be made. */
export interface Report {
  /** What a delivery would do, what it did, or what a release of before holds. */
  readonly kind: "planned" | "delivered" | "release";
  /** The name of the site in the settings. */
  readonly site: string;
  readonly destination: string;
  readonly url?: string | undefined;
  readonly release: number;
  /** The release before; 0: none, or none that is retained. */
  readonly previous: number;
  /** Whether the release before was let go: then nobody knows what was new, and all files count as new. */
  readonly isCutOff?: boolean | undefined;
  /** When the release was made, or the report, ISO 8601 UTC. */
  readonly at: string;
  readonly by?: string | undefined;
  readonly commit?: string | undefined;
  readonly note?: string | undefined;
  /** Sorted by key. */
  readonly files: readonly PictureFile[];
  readonly visits: readonly PictureVisit[];
  /** Absent: what edges were asked for is not recorded. */
  readonly edges?: readonly PictureEdge[] | undefined;
  /** Whether every edge has confirmed; absent: none was asked. */
  readonly isConfirmed?: boolean | undefined;
  /** The oldest first; the one that is shown among them. */
  readonly releases: readonly ReleaseSize[];
  /** What is wrong with the build; absent: there is no build to look at. */
  readonly problems?: readonly ProblemResult[] | undefined;
}
