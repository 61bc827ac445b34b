import type { Sha256, UrlPath } from "../../model/names.ts";
import type { Readers } from "../../bucket/policies.ts";
import { broken, good, note, notTried, type Fault, type Link } from "./link.ts";

/** What a visitor got; undefined: nothing. */
export interface VisitorAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly hash: Sha256 | undefined;
  /** Where the store's own refusal comes through: its code, and the key that it was asked for. */
  readonly refusal?: { readonly code: string; readonly key?: string | undefined } | undefined;
}

/** A name that was looked up, or the code of the failure. */
export type NameLook = { readonly addresses: readonly string[] } | { readonly code: string };

export function judgeName(host: string, look: NameLook): Link {
  if (/^[\d.]+$|^\[/.test(host)) return good("name", host, "an address, which needs no name");
  const asked = `the addresses of ${host}`;
  return "code" in look
    ? broken("name", { asked, found: look.code, cause: "name-unknown", names: { host } })
    : good("name", asked, look.addresses.join(", "));
}

export interface Certificate {
  /** Milliseconds since 1970. */
  readonly untilMs: number;
  readonly names: readonly string[];
  /** The code of what a browser would refuse it for. */
  readonly fault?: string | undefined;
}
export type CertificateLook = Certificate | { readonly code: string };

const DAY_MS = 86_400_000;
const SOON_DAYS = 14;

export function judgeCertificate(host: string, look: CertificateLook, nowMs: number): Link {
  const asked = `a TLS connection to ${host}`;
  if ("code" in look)
    return broken("certificate", { asked, found: look.code, cause: "no-tls", names: { code: look.code } });
  const { untilMs, names, fault } = look;
  const until = new Date(untilMs).toISOString().slice(0, 10);
  const found = `for ${names.join(", ")}, until ${until}`;
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
  const asked = `${address}, just written to the store`;
  if (!answer)
    return broken("edge", {
      asked,
      found: "no answer",
      cause: "nobody-answers",
      names: { host, code: "no answer" },
    });
  const { status, headers, refusal } = answer;
  if (status === 200 && answer.hash === facts.hash) return good("reading", asked, "200, as it was written");
  const found = refusal ? `${status} ${refusal.code}` : `${status} ${headers["content-type"] ?? ""}`.trim();
  const break_ = (cause: Fault["cause"], names: Fault["names"] = {}): Link =>
    broken("reading", { asked, found, cause, names });
  if (status >= 300 && status < 400)
    return break_("leads-elsewhere", { location: headers.location ?? "nowhere" });
  if (status >= 500)
    return break_("origin-unreachable", { status: String(status), endpoint: facts.endpoint });
  if (status < 300) return break_("answers-otherwise");
  if (refusal?.code === "NoSuchBucket") return break_("other-bucket", { bucket });
  if (refusal?.code === "NoSuchWebsiteConfiguration") return break_("endpoint-without-website");
  if (refusal?.key !== undefined && refusal.key !== facts.key) {
    const path = `/${prefix}`.replace(/\/$/, "");
    return break_("other-path", {
      asked: refusal.key,
      prefix: prefix === "" ? "the bucket's root" : prefix,
      path: path === "" ? "nothing" : path,
    });
  }
  if (status === 401 || status === 403) return break_(...findDenial(facts));
  return break_("not-found-there");
}

/** A store that hides what is missing answers 403 for a wrong path, too: so what its policy says counts first. */
function findDenial({
  readers,
  isOpen,
  distributions,
}: ReadingFacts): [Fault["cause"], Readonly<Record<string, string>>] {
  const isPublic = readers === "public";
  const who = isPublic ? "everybody" : `the distribution ${distributions.join(", ")}`;
  if (isOpen !== true) return ["store-denies", { who, kind: isPublic ? "public" : "edge" }];
  return isPublic ? ["not-found-there", {}] : ["edge-unsigned", { who: distributions.join(", ") }];
}

/** The folder of a fresh index page, asked for without the page's name. */
export function judgeFolders(
  answer: VisitorAnswer | undefined,
  {
    address,
    hash,
    serves,
  }: { readonly address: UrlPath; readonly hash: Sha256; readonly serves: "website" | "objects" },
): Link {
  const resolves = answer?.status === 200 && answer.hash === hash;
  const found = answer ? String(answer.status) : "no answer";
  const fault = { asked: address, found };
  if (serves === "website")
    return resolves
      ? good("folders", address, "answered with its index page")
      : broken("folders", { ...fault, cause: "no-index-documents" });
  return resolves
    ? note("folders", { ...fault, cause: "resolves-index-documents" })
    : good("folders", address, `${found}: exact keys only, as the settings say`);
}

/** An address under which nothing stands. */
export function judgeMissing(
  answer: VisitorAnswer | undefined,
  { address, clientRoutes }: { readonly address: UrlPath; readonly clientRoutes: boolean },
): Link {
  const found = answer ? String(answer.status) : "no answer";
  const fault = { asked: `${address}, where nothing is`, found };
  const isAnswered = answer?.status === 200;
  if (clientRoutes)
    return isAnswered
      ? good("missing pages", fault.asked, "200, for the client's own routes")
      : broken("missing pages", { ...fault, cause: "routes-not-answered" });
  if (isAnswered) return broken("missing pages", { ...fault, cause: "missing-is-answered" });
  return answer?.status === 403
    ? note("missing pages", { ...fault, cause: "missing-is-403" })
    : good("missing pages", fault.asked, found);
}

export interface RootFacts {
  readonly path: UrlPath;
  readonly entry: string;
  /** Whether the store has an entry page already. */
  readonly isDelivered: boolean;
}

/** The site's first address, once something is delivered. */
export function judgeRoot(answer: VisitorAnswer | undefined, { path, entry, isDelivered }: RootFacts): Link {
  if (!isDelivered) return notTried("root document", "nothing is delivered yet: deliver, then try again");
  if (answer?.status === 200 && /xml/.test(answer.headers["content-type"] ?? ""))
    return broken("root document", {
      asked: path,
      found: "200, a list",
      cause: "root-lists",
      names: { path, entry },
    });
  if (answer?.status === 200) return good("root document", path, "200");
  const found = answer ? String(answer.status) : "no answer";
  return broken("root document", { asked: path, found, cause: "no-root-document", names: { path, entry } });
}
