import type { VisitorAnswer } from "../../model/visitor-answer.ts";
import type { NameLook, CertificateLook } from "../../model/network.ts";
import type { Sha256, UrlPath } from "../../model/names.ts";
import type { Readers } from "../../bucket/policies.ts";
import {
  broken,
  good,
  note,
  notTried,
  type Asked,
  type Fault,
  type Found,
  type Link,
  type Way,
} from "./link.ts";

/** Whether the site's host name leads anywhere; an IP address needs no name. */
export function judgeName(host: string, look: NameLook): Link {
  if (/^[\d.]+$|^\[/.test(host)) return good("name", { code: "host", host }, { code: "no-name-needed" });
  const asked: Asked = { code: "name", host };
  return "code" in look
    ? broken("name", {
        ...{ asked, cause: "name-unknown", names: { host } },
        found: { code: "said", said: look.code },
      })
    : good("name", asked, { code: "addresses", addresses: look.addresses });
}

const DAY_MS = 86_400_000;
const SOON_DAYS = 14;

/**
 * Whether browsers take the certificate, and for how long yet.
 * @param nowMs milliseconds since 1970
 */
export function judgeCertificate(host: string, look: CertificateLook, nowMs: number): Link {
  const asked: Asked = { code: "tls", host };
  if ("code" in look) {
    const { code } = look;
    const found: Found = { code: "said", said: code };
    if (look.proxy !== undefined)
      return broken("certificate", { asked, found, cause: "proxy-fails", names: { answer: look.proxy } });
    return broken("certificate", {
      ...{ asked, found, names: { code } },
      cause: look.tls === "old-protocol" ? "tls-too-old" : "no-tls",
    });
  }
  const { untilMs, names, fault } = look;
  const until = new Date(untilMs).toISOString().slice(0, 10);
  const found: Found = { code: "certificate", names, untilMs };
  const facts = { asked, found, names: { host, until, names: names.join(", "), code: fault ?? "" } };
  if (untilMs < nowMs || fault === "CERT_HAS_EXPIRED")
    return broken("certificate", { ...facts, cause: "certificate-expired" });
  if (fault === "ERR_TLS_CERT_ALTNAME_INVALID")
    return broken("certificate", { ...facts, cause: "certificate-other-name" });
  if (fault !== undefined) return broken("certificate", { ...facts, cause: "certificate-untrusted" });
  return untilMs < nowMs + SOON_DAYS * DAY_MS
    ? note("certificate", { ...facts, cause: "certificate-ends" })
    : good("certificate", asked, found);
}

/** What is known of the store when a visitor's answer is judged. */
export interface ReadingFacts {
  readonly address: UrlPath;
  /** The key in the bucket that should have been read. */
  readonly key: string;
  readonly hash: Sha256;
  readonly bucket: string;
  readonly prefix: string;
  readonly endpoint: string;
  readonly host: string;
  readonly readers: Readers;
  readonly distributions: readonly string[];
  /** Whether the bucket lets in whom it should: everybody, or the distribution. Undefined: that could not be told. */
  readonly isOpen: boolean | undefined;
}

/** A fresh object, asked for as visitors do. */
export function judgeReading(answer: VisitorAnswer | undefined, facts: ReadingFacts): Link {
  const { address, bucket, prefix, host } = facts;
  const asked: Asked = { code: "fresh", address };
  if (!answer)
    return broken("edge", {
      ...{ asked, found: { code: "no-answer" }, cause: "nobody-answers" },
      names: { host, code: "no answer" },
    });
  const { status, headers, refusal } = answer;
  if (status === 200 && answer.hash === facts.hash) return good("reading", asked, { code: "as-written" });
  const found: Found = { code: "status", status, said: refusal ? refusal.code : headers["content-type"] };
  const break_ = (cause: Fault["cause"], names: Fault["names"] = {}): Link =>
    broken("reading", { asked, found, cause, names });
  if (status >= 300 && status < 400)
    return break_("leads-elsewhere", { location: headers.location ?? "nowhere" });
  if (status >= 500) return break_("origin-unreachable", { status, endpoint: facts.endpoint });
  if (status < 300) return break_("answers-otherwise");
  if (refusal?.code === "NoSuchBucket") return break_("other-bucket", { bucket });
  if (refusal?.code === "NoSuchWebsiteConfiguration") return break_("endpoint-without-website");
  if (refusal?.key !== undefined && refusal.key !== facts.key)
    return break_("other-path", { asked: refusal.key, prefix });
  if (status === 401 || status === 403) return break_(...findDenial(facts));
  return break_("not-found-there");
}

/** A store that hides what is missing answers 403 for a wrong path, too: so what its policy says counts first. */
function findDenial({
  readers,
  isOpen,
  distributions,
}: ReadingFacts): [Fault["cause"], NonNullable<Fault["names"]>] {
  const isPublic = readers === "public";
  if (isOpen !== true)
    return ["store-denies", isPublic ? { kind: "public" } : { kind: "edge", distributions }];
  return isPublic ? ["not-found-there", {}] : ["edge-unsigned", { who: distributions.join(", ") }];
}

/** The same without what only follows from a fresh object that can't be read: whatever is answered as that is tells nothing of its own. */
export function withoutConsequences(links: readonly Link[], reading: Link): Link[] {
  const statusOf = ({ state, found }: Link): number | undefined =>
    state !== "good" && found.code === "status" ? found.status : undefined;
  const status = reading.state === "broken" ? statusOf(reading) : undefined;
  return links.map((link) =>
    status !== undefined && link !== reading && statusOf(link) === status
      ? notTried(link.link, { code: "told-above" })
      : link,
  );
}

/** The folder of a fresh index page, asked for without the page's name. */
export function judgeFolders(
  answer: VisitorAnswer | undefined,
  {
    address,
    hash,
    serves,
    isLed,
  }: {
    readonly address: UrlPath;
    readonly hash: Sha256;
    readonly serves: "website" | "objects";
    /** Whether the edge may lead to it by itself. */
    readonly isLed: boolean;
  },
): Link {
  const resolves = answer?.status === 200 && answer.hash === hash;
  const asked: Asked = { code: "address", address };
  const found = toFound(answer);
  if (serves === "website")
    return resolves
      ? good("folders", asked, { code: "index-page" })
      : broken("folders", { asked, found, cause: "no-index-documents" });
  if (resolves && isLed) return good("folders", asked, { code: "index-page" });
  return resolves
    ? note("folders", { asked, found, cause: "resolves-index-documents" })
    : good("folders", asked, { code: "exact-only", status: answer?.status });
}

const toFound = (answer: VisitorAnswer | undefined): Found =>
  answer ? { code: "status", status: answer.status } : { code: "no-answer" };

export interface MissingFacts {
  readonly address: UrlPath;
  readonly clientRoutes: boolean;
  /** Whether the store has an entry page already, or nobody can tell. */
  readonly isDelivered: boolean;
}

/** An address under which nothing stands. */
export function judgeMissing(
  answer: VisitorAnswer | undefined,
  { address, clientRoutes, isDelivered }: MissingFacts,
): Link {
  const asked: Asked = { code: "missing", address };
  const found = toFound(answer);
  const isAnswered = answer?.status === 200;
  // The page that stands for what is missing is not there yet itself.
  if (!isDelivered && !isAnswered && (clientRoutes || answer?.status === 403))
    return notTried("missing pages", { code: "not-delivered" });
  if (clientRoutes)
    return isAnswered
      ? good("missing pages", asked, { code: "client-routes" })
      : broken("missing pages", { asked, found, cause: "routes-not-answered" });
  if (isAnswered) return broken("missing pages", { asked, found, cause: "missing-is-answered" });
  return answer?.status === 403
    ? note("missing pages", { asked, found, cause: "missing-is-403" })
    : good("missing pages", asked, found);
}

export interface RootFacts {
  readonly path: UrlPath;
  readonly entry: string;
  /** Whether the store has an entry page already. */
  readonly isDelivered: boolean;
}

/** The site's first address, once something is delivered. */
export function judgeRoot(answer: VisitorAnswer | undefined, { path, entry, isDelivered }: RootFacts): Link {
  if (!isDelivered) return notTried("root document", { code: "not-delivered" });
  const asked: Asked = { code: "address", address: path };
  const names = { path, entry };
  if (answer?.status === 200 && /xml/.test(answer.headers["content-type"] ?? ""))
    return broken("root document", { asked, found: { code: "list-of-bucket" }, cause: "root-lists", names });
  const found = toFound(answer);
  return answer?.status === 200
    ? good("root document", asked, found)
    : broken("root document", { asked, found, cause: "no-root-document", names });
}

/** By which proxies addresses are reached; nothing where there is none. */
export const judgeWays = (ways: readonly Way[]): Link[] =>
  ways.some(({ proxy }) => proxy !== undefined)
    ? [good("proxy", { code: "ways" }, { code: "ways", ways })]
    : [];
