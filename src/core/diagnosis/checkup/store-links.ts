import type { Reading } from "../../model/bucket.ts";
import type { WebsiteSettings } from "../../model/website.ts";
import { rightFor } from "../../bucket/rights.ts";
import { broken, good, note, notTried, type Link, type LinkName } from "./link.ts";

/** A failure of the store, as the port tells it. */
export interface StoreFailure {
  readonly kind: string;
  readonly action: string;
  readonly status?: number | undefined;
  readonly code?: string | undefined;
  readonly region?: string | undefined;
}

export interface StoreFacts {
  readonly endpoint: string;
  readonly bucket: string;
  /** Where credentials were found, in words. */
  readonly source: string;
  /** How far this machine's clock is ahead of the store's, milliseconds; undefined: it does not say. */
  readonly skewMs?: number | undefined;
}

/** What may differ without anybody noticing. */
const SLIGHT_SKEW_MS = 60_000;

/** The links as far as the first list of the bucket tells; a failure breaks one of them, and those behind it can't be tried. */
export function judgeFirstLook(facts: StoreFacts, failure: StoreFailure | undefined): Link[] {
  const { endpoint, bucket, source, skewMs } = facts;
  const asked = bucket === "" ? `list ${endpoint}` : `list ${bucket} at ${endpoint}`;
  const reached: Link[] = [
    good("credentials", "found", source),
    good("store", asked, "it answers"),
    judgeClock(asked, skewMs),
    good("bucket", asked, "it is there"),
  ];
  if (!failure) return reached;
  const fault = toBreak(facts, failure, asked);
  const at = reached.findIndex(({ link }) => link === fault.link);
  // The right to list is one of the rights: all before them held.
  if (at === -1) return [...reached, fault];
  const before = reached
    .slice(0, at)
    .map((link) => (isUntold(link.link, fault) ? notTried(link.link, UNTOLD) : link));
  return [...before, fault];
}

const UNTOLD = "the store could not be asked";

/** Whether credentials are right is told only by a store that answers. */
const isUntold = (link: LinkName, { link: at }: Link): boolean => link === "credentials" && at === "store";

function judgeClock(asked: string, skewMs: number | undefined): Link {
  if (skewMs === undefined) return notTried("clock", "the store does not tell the time");
  const off = Math.abs(skewMs);
  if (off < SLIGHT_SKEW_MS) return good("clock", asked, "right to the minute");
  const found = `${toDuration(off)} ${skewMs > 0 ? "ahead of" : "behind"} the store's`;
  return note("clock", { asked, found, cause: "clock-drifts", names: { skew: toDuration(off) } });
}

const toDuration = (ms: number): string =>
  ms < 120_000 ? `${Math.round(ms / 1000)} s` : `${Math.round(ms / 60_000)} min`;

function toBreak(
  { endpoint, bucket, source, skewMs }: StoreFacts,
  failure: StoreFailure,
  asked: string,
): Link {
  const { kind, code = "", status } = failure;
  const found = [status, code].filter((part) => part !== undefined && part !== "").join(" ");
  if (bucket === "" && kind === "no-such-bucket")
    return broken("bucket", { asked, found, cause: "no-folder", names: { folder: endpoint } });
  switch (kind) {
    case "no-credentials":
      return broken("credentials", { asked, found: "none", cause: "no-credentials" });
    case "credentials-refused":
      return broken("credentials", { asked, found, cause: "credentials-refused", names: { source } });
    case "clock-skew":
      return broken("clock", {
        ...{ asked, found, cause: "clock-off" },
        names: { skew: skewMs === undefined ? "a quarter of an hour or more" : toDuration(Math.abs(skewMs)) },
      });
    case "no-such-bucket":
      return broken("bucket", { asked, found, cause: "no-bucket", names: { bucket } });
    case "wrong-region": {
      const { region = "" } = failure;
      const names = { bucket, region: region === "" ? "" : `: ${region}` };
      return broken("bucket", { asked, found, cause: "wrong-region", names });
    }
    case "denied":
      return toDenied(failure, { endpoint, bucket });
    case "unreachable":
      return broken("store", {
        ...{ asked, found },
        cause: /ENOTFOUND|EAI_/.test(code) ? "no-such-host" : "nobody-listens",
      });
    case "server":
    case "throttled":
      return broken("store", { asked, found, cause: "store-fails" });
    default:
      return broken("store", { asked, found, cause: "not-a-store", names: { endpoint } });
  }
}

/** A right that lacks, by what was refused; a store without a bucket is a folder, and there rights have no names. */
export function toDenied(
  { action, status, code }: StoreFailure,
  { bucket, endpoint }: Pick<StoreFacts, "bucket" | "endpoint">,
): Link {
  const found = [status, code].filter((part) => part !== undefined).join(" ");
  if (bucket === "")
    return broken("rights", { asked: action, found, cause: "folder-denied", names: { folder: endpoint } });
  return broken("rights", {
    asked: action,
    found,
    cause: "right-missing",
    names: { right: rightFor(action) },
  });
}

/** What came of a write whose condition could not hold. */
export type ConditionAnswer = "checked" | "ignored" | "unsupported";

export function judgeConditions(answer: ConditionAnswer): Link {
  const asked = "a write on a condition that can't hold";
  if (answer === "checked") return good("conditions", asked, "refused, as it must be");
  const found = answer === "ignored" ? "taken all the same" : "not known (501)";
  return note("conditions", { asked, found, cause: "no-conditions", names: { found } });
}

export interface RecordsAnswers {
  /** Whether the store gave a record to somebody unsigned; undefined: a folder, where nobody asks. */
  readonly isPublic: boolean | undefined;
  /** Whether a visitor got one; undefined: nobody knows where visitors ask. */
  readonly isServed: boolean | undefined;
  /** The site's address. */
  readonly url: string;
}

export function judgeRecords({ isPublic, isServed, url }: RecordsAnswers): Link {
  const [unsigned, visiting] = ["read .courier/ unsigned", `read .courier/ at ${url}`];
  if (isPublic === true) return broken("records", { asked: unsigned, found: "200", cause: "records-open" });
  if (isServed === true)
    return broken("records", { asked: visiting, found: "200", cause: "records-served", names: { url } });
  if (isPublic === undefined && isServed === undefined)
    return notTried("records", "who may read the folder is up to its web server, and no address is known");
  const asked = [...(isPublic === false ? [unsigned] : []), ...(isServed === false ? [visiting] : [])];
  return good("records", asked.join(", "), "refused");
}

export interface WantedWebsite {
  readonly index: string;
}

/** Undefined wishes: the edge reads exact keys. */
export function judgeWebsite(reading: Reading<WebsiteSettings>, wanted: WantedWebsite | undefined): Link {
  const asked = "the bucket's website settings";
  if (!wanted) return notTried("website", "serves: objects needs none");
  switch (reading.state) {
    case "set": {
      const { index = "none", error } = reading.value;
      const found = `index document ${index}${error === undefined ? "" : `, error document ${error}`}`;
      return index === wanted.index
        ? good("website", asked, found)
        : broken("website", { asked, found, cause: "website-otherwise" });
    }
    case "unset":
      return broken("website", { asked, found: "none", cause: "no-website" });
    case "unsupported":
      return broken("website", { asked, found: reading.answer, cause: "website-unknown" });
    case "denied":
      return notTried("website", "this identity may not look at it (s3:GetBucketWebsite)");
  }
}
