import { rightFor } from "../../bucket/rights.ts";
import type { Reading } from "../../model/bucket.ts";
import type { StoreAction } from "../../model/store-action.ts";
import type { TlsFault } from "../../model/tls-fault.ts";
import type { WebsiteSettings } from "../../model/website.ts";
import { broken, good, note, notTried, type Asked, type Found, type Link, type LinkName } from "./link.ts";

/** A failure of the store, as the port tells it. */
export interface StoreFailure {
  readonly kind: string;
  /** What was answered, in its own words. */
  readonly answer?: string | undefined;
  readonly action: StoreAction;
  readonly status?: number | undefined;
  readonly code?: string | undefined;
  readonly region?: string | undefined;
  readonly tls?: TlsFault | undefined;
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
  const asked: Asked = { code: "list", endpoint, bucket };
  const reached: Link[] = [
    good("credentials", { code: "credentials" }, { code: "said", said: source }),
    good("store", asked, { code: "answers" }),
    judgeClock(asked, skewMs),
    good("bucket", asked, { code: "there" }),
  ];
  if (!failure) return reached;
  const fault = toBreak(facts, failure, asked);
  const at = reached.findIndex(({ link }) => link === fault.link);
  // The right to list is one of the rights: all before them held.
  if (at === -1) return [...reached, fault];
  const before = reached
    .slice(0, at)
    .map((link) => (isUntold(link.link, fault) ? notTried(link.link, { code: "store-silent" }) : link));
  return [...before, fault];
}

/** Whether credentials are right is told only by a store that answers. */
const isUntold = (link: LinkName, { link: at }: Link): boolean => link === "credentials" && at === "store";

function judgeClock(asked: Asked, skewMs: number | undefined): Link {
  if (skewMs === undefined) return notTried("clock", { code: "store-timeless" });
  if (Math.abs(skewMs) < SLIGHT_SKEW_MS) return good("clock", asked, { code: "in-time" });
  return note("clock", { asked, found: { code: "skew", skewMs }, cause: "clock-drifts", names: { skewMs } });
}

function toBreak(
  { endpoint, bucket, source, skewMs }: StoreFacts,
  failure: StoreFailure,
  asked: Asked,
): Link {
  const { kind, code = "", status } = failure;
  const found: Found = { code: "status", status, said: code };
  if (bucket === "" && kind === "no-such-bucket")
    return broken("bucket", { asked, found, cause: "no-folder", names: { folder: endpoint } });
  switch (kind) {
    case "no-credentials":
      return broken("credentials", {
        ...{ asked, found: { code: "none" } },
        ...{ cause: "no-credentials", names: { answer: failure.answer } },
      });
    case "no-region":
      return broken("store", { asked, found: { code: "none" }, cause: "no-region" });
    case "tls":
      return broken("store", { asked, found, cause: "store-tls", names: { tls: failure.tls ?? "other" } });
    case "credentials-refused":
      return broken("credentials", { asked, found, cause: "credentials-refused", names: { source } });
    case "clock-skew":
      return broken("clock", { asked, found, cause: "clock-off", names: { skewMs } });
    case "no-such-bucket":
      return broken("bucket", { asked, found, cause: "no-bucket", names: { bucket } });
    case "wrong-region": {
      const { region = "" } = failure;
      return broken("bucket", { asked, found, cause: "wrong-region", names: { bucket, region } });
    }
    case "denied":
      return toDenied(failure, { endpoint, bucket });
    case "unreachable":
      if (code === "EPROXY")
        return broken("store", { asked, found, cause: "proxy-fails", names: { answer: failure.answer } });
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

/** A missing right, by what was refused; a store without a bucket is a folder, and there rights have no names. */
function toDenied(
  { action, status, code }: StoreFailure,
  { bucket, endpoint }: Pick<StoreFacts, "bucket" | "endpoint">,
): Link {
  const fault = { asked: { code: "action", action }, found: { code: "status", status, said: code } } as const;
  return bucket === ""
    ? broken("rights", { ...fault, cause: "folder-denied", names: { folder: endpoint } })
    : broken("rights", { ...fault, cause: "right-missing", names: { action } });
}

/** What came of a write whose condition could not hold. */
export type ConditionAnswer = "checked" | "ignored" | "unsupported";

/** Whether the store checks the conditions of writes, by its answer to one that could not hold. */
export function judgeConditions(answer: ConditionAnswer): Link {
  const asked: Asked = { code: "condition" };
  if (answer === "checked") return good("conditions", asked, { code: "refused-as-must" });
  const found: Found = { code: answer };
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

function judgeRecords({ isPublic, isServed, url }: RecordsAnswers): Link {
  const found: Found = { code: "status", status: 200 };
  if (isPublic === true)
    return broken("records", { asked: { code: "records", unsigned: true }, found, cause: "records-open" });
  if (isServed === true) {
    const asked: Asked = { code: "records", unsigned: false, url };
    return broken("records", { asked, found, cause: "records-served", names: { url } });
  }
  if (isPublic === undefined && isServed === undefined) return notTried("records", { code: "web-server" });
  const asked: Asked = {
    ...{ code: "records", unsigned: isPublic === false },
    ...(isServed === false && { url }),
  };
  return good("records", asked, { code: "refused" });
}

export interface WantedWebsite {
  readonly index: string;
}

/** Undefined wishes: the edge reads exact keys. */
export function judgeWebsite(reading: Reading<WebsiteSettings>, wanted: WantedWebsite | undefined): Link {
  const asked: Asked = { code: "website" };
  if (!wanted) return notTried("website", { code: "exact-keys" });
  switch (reading.state) {
    case "set": {
      const { index = "none", error } = reading.value;
      const found: Found = { code: "documents", index, error };
      return index === wanted.index
        ? good("website", asked, found)
        : broken("website", { asked, found, cause: "website-otherwise" });
    }
    case "unset":
      return broken("website", { asked, found: { code: "none" }, cause: "no-website" });
    case "unsupported":
      return broken("website", {
        ...{ asked, cause: "website-unknown" },
        found: { code: "said", said: reading.answer },
      });
    case "denied":
      return notTried("website", { code: "may-not-look" });
  }
}

/** What came of doing once what a delivery does. */
export interface StoreTrial {
  readonly denials: readonly StoreFailure[];
  /** Whether objects can be written at all; where not, nothing else of a write was tried. */
  readonly canWrite: boolean;
  readonly condition: ConditionAnswer | undefined;
  readonly records: Pick<RecordsAnswers, "isPublic" | "isServed"> | undefined;
}

/** The links of such a try: the rights, one by one where some are missing, then what writes told. */
export function judgeTrial(
  { denials, condition, records }: StoreTrial,
  { url, ...place }: Pick<StoreFacts, "bucket" | "endpoint"> & Pick<RecordsAnswers, "url">,
): Link[] {
  // One right is told once, however many requests need it; those of a folder have no names.
  const nameOf = ({ action }: StoreFailure): string => (place.bucket === "" ? "" : rightFor(action).name);
  const missing = [...new Map(denials.map((denial) => [nameOf(denial), denial])).values()];
  return [
    ...(missing.length > 0
      ? missing.map((denial) => toDenied(denial, place))
      : [good("rights", { code: "work" }, { code: "all-rights" })]),
    ...(condition === undefined ? [] : [judgeConditions(condition)]),
    ...(records === undefined ? [] : [judgeRecords({ ...records, url })]),
  ];
}
