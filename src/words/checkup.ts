import type {
  Asked,
  CauseNames,
  Found,
  Link,
  LinkCause,
  SeenHabit,
  Way,
} from "../core/diagnosis/checkup/link.ts";
import type { OtherwiseNames } from "../core/diagnosis/checkup/distribution-link.ts";
import { wordsOfDistributionByHand, wordsOfDistributionStep } from "./distribution.ts";
import type { EdgeFailure } from "../core/model/edge.ts";
import { findTlsFault, type TlsFault } from "../core/model/tls-fault.ts";
import type { StoreAction } from "../core/model/store-action.ts";
import { showAction, showRightFor } from "./actions.ts";
import { CAUSES } from "./checkup-causes.ts";
import { showEdgeFailure } from "./edges.ts";
import { counted, fillIn } from "./text.ts";
import { wordsOfTls } from "./tls.ts";

/** A link of the chain in words. */
export interface LinkWords {
  readonly asked: string;
  readonly found: string;
  readonly why?: string;
  readonly mend?: string;
}

/** What is printed of a link: what was asked, what was found, and for a cause why it is so and what mends it. */
export function wordsOfLink({ asked, found, cause, names = {} }: Link): LinkWords {
  const told = { asked: showAsked(asked), found: showFound(found) };
  if (cause === undefined) return told;
  const [why, mend] = CAUSES[cause];
  const filled = { ...names, ...NAMES[cause]?.(names as never) };
  return { ...told, why: fillIn(why, filled), mend: fillIn(mend, filled) };
}

const byWho = (distributions: readonly string[] | undefined): string =>
  distributions === undefined ? "everybody" : `the distribution ${distributions.join(", ")}`;

const showWay = ({ to, proxy }: Way): string => {
  const what = to === "store" ? "the store" : to === "visitors" ? "the public address" : `the edge ${to}`;
  return `${what} ${proxy === undefined ? "without a proxy" : `by ${proxy}`}`;
};

const TRUSTED =
  "use a certificate of a public authority, with the whole chain; where browsers here trust it, as in a company network, name the file with its issuer's certificate: NODE_EXTRA_CA_CERTS=FILE.pem";

/** Words in the place of what the core tells otherwise. */
const NAMES: { readonly [Cause in LinkCause]?: (names: never) => CauseNames } = {
  "clock-off": ({ skewMs }: { readonly skewMs: number | undefined }) => ({
    skew: skewMs === undefined ? "a quarter of an hour or more" : showSpan(Math.abs(skewMs)),
  }),
  "certificate-untrusted": ({ code }: { readonly code: string }) => {
    const fault = findTlsFault({ code }) ?? "other";
    const isOfIssuer = fault === "self-signed" || fault === "unknown-issuer";
    return { ...wordsOfTls(fault), ...(isOfIssuer && { mend: TRUSTED }) };
  },
  "store-tls": ({ tls }: { readonly tls: TlsFault }) => ({ ...wordsOfTls(tls) }),
  "clock-drifts": ({ skewMs }: { readonly skewMs: number }) => ({ skew: showSpan(Math.abs(skewMs)) }),
  "wrong-region": ({ region }: { readonly region: string }) => ({
    region: region === "" ? "" : `: ${region}`,
  }),
  "right-missing": ({ action }: { readonly action: StoreAction }) => ({ right: showRightFor(action) }),
  "no-conditions": ({ found }: { readonly found: Found }) => ({ found: showFound(found) }),
  "store-denies": ({ distributions }: { readonly distributions: readonly string[] | undefined }) => ({
    who: byWho(distributions),
  }),
  "other-path": ({ prefix }: { readonly prefix: string }) => {
    const path = `/${prefix}`.replace(/\/$/, "");
    return { prefix: prefix === "" ? "the bucket's root" : prefix, path: path === "" ? "nothing" : path };
  },
  "may-not-invalidate": ({ failure }: { readonly failure: EdgeFailure }) => ({
    answer: showEdgeFailure(failure),
  }),
  "distribution-otherwise": ({ steps, byHand }: OtherwiseNames) => ({
    changes: [
      ...steps.map((step) => wordsOfDistributionStep(step).what),
      ...byHand.map((left) => wordsOfDistributionByHand(left).what),
    ].join("; "),
  }),
  "edge-unknown": ({ failure }: { readonly failure: EdgeFailure }) => ({ answer: showEdgeFailure(failure) }),
  "edge-fails": ({ failure }: { readonly failure: EdgeFailure }) => ({ answer: showEdgeFailure(failure) }),
};

const showSpan = (ms: number): string =>
  ms < 120_000 ? `${Math.round(ms / 1000)} s` : `${Math.round(ms / 60_000)} min`;

type AskedOf<Code> = Asked & { readonly code: Code };

const ASKED: { readonly [Code in Asked["code"]]: (of: never) => string } = {
  nothing: () => "",
  credentials: () => "",
  ways: () => "the proxies of the environment",
  work: () => "list, write, read, copy and remove",
  condition: () => "a write that the store must refuse, because its condition is false",
  website: () => "the bucket's website settings",
  distribution: () => "the set-up of the distribution",
  url: () => "the destination's url",
  habits: () => "how the edge caches",
  folder: ({ folder }: AskedOf<"folder">) => folder,
  rules: ({ release }: AskedOf<"rules">) => `what release ${release} has it do by itself`,
  list: ({ endpoint, bucket }: AskedOf<"list">) =>
    bucket === "" ? `list ${endpoint}` : `list ${bucket} at ${endpoint}`,
  action: ({ action }: AskedOf<"action">) => showAction(action),
  records: ({ unsigned, url }: AskedOf<"records">) =>
    [
      ...(unsigned ? ["read .courier/ without credentials"] : []),
      ...(url === undefined ? [] : [`read .courier/ at ${url}`]),
    ].join(", "),
  host: ({ host }: AskedOf<"host">) => host,
  name: ({ host }: AskedOf<"name">) => `the addresses of ${host}`,
  tls: ({ host }: AskedOf<"tls">) => `a TLS connection to ${host}`,
  address: ({ address }: AskedOf<"address">) => address,
  fresh: ({ address }: AskedOf<"fresh">) => `the new test page ${address}`,
  missing: ({ address }: AskedOf<"missing">) => `${address}, which does not exist`,
  forget: ({ edge, byPattern }: AskedOf<"forget">) =>
    `ask the edge "${edge}" to forget a test page${byPattern === true ? ", by a pattern" : ""}`,
};

const showAsked = (asked: Asked): string => (ASKED[asked.code] as (of: Asked) => string)(asked);

type FoundOf<Code> = Found & { readonly code: Code };

const MEANS = { function: "function", headers: "headers policy" } as const;

const FOUND: { readonly [Code in Found["code"]]: (of: never) => string } = {
  nothing: () => "nothing",
  none: () => "none",
  there: () => "it is there",
  answers: () => "it answers",
  ways: ({ ways }: FoundOf<"ways">) => ways.map(showWay).join(", "),
  "in-time": () => "this machine's clock is right to the minute",
  "no-answer": () => "no answer",
  "all-rights": () => "allowed; a delivery needs no more",
  "refused-as-must": () => "refused, as it should be",
  ignored: () => "written all the same",
  unsupported: () => "not known (501)",
  refused: () => "refused",
  "no-name-needed": () => "an address that needs no DNS",
  "as-written": () => "200, with the right content",
  "as-delivered": () => "as delivered, everywhere",
  "as-wished": () => "as the settings want it, everywhere",
  "being-deployed": () => "as the settings want it, but not everywhere yet",
  "may-not-look-there": () => "these credentials may not look at it (cloudfront:GetDistribution)",
  "other-means": ({ means }: FoundOf<"other-means">) =>
    `another ${means.map((one) => MEANS[one]).join(" and another ")}`,
  differs: ({ count }: FoundOf<"differs">) => `${counted(count, "setting")} to change`,
  "index-page": () => "its index page answers",
  "client-routes": () => "200, for the client's own routes",
  "list-of-bucket": () => "200, a list",
  "still-old": () => "confirmed, but the old content answers",
  "pattern-old": () => "accepted, but the old content answers",
  "not-held": () => "accepted; the edge had kept no test page, so nothing more could be tested",
  "store-silent": () => "the store could not be asked",
  "store-timeless": () => "the store does not tell the time",
  "exact-keys": () => "not needed with serves: objects",
  "may-not-look": () => "these credentials may not look at it (s3:GetBucketWebsite)",
  "web-server": () => "who may read the folder is up to its web server, whose address is not known",
  "no-probe": () => "no test object could be written",
  "dry-run": () => "--dry-run only reads",
  "no-edge": () => "the settings name no edge",
  "told-above": () => "see above",
  "proxy-looks-up": () => "the proxy looks it up",
  "plain-http": () => "not needed with http",
  "not-delivered": () => "nothing is delivered yet: deliver, then test again",
  "nothing-telling": () => "the edge kept nothing that could tell",
  said: ({ said }: FoundOf<"said">) => said,
  status: ({ status, said = "" }: FoundOf<"status">) =>
    [status, said].filter((part) => part !== undefined && part !== "").join(" "),
  skew: ({ skewMs }: FoundOf<"skew">) =>
    `${showSpan(Math.abs(skewMs))} ${skewMs > 0 ? "ahead of" : "behind"} the store's`,
  documents: ({ index, error }: FoundOf<"documents">) =>
    `index document ${index}${error === undefined ? "" : `, error document ${error}`}`,
  addresses: ({ addresses }: FoundOf<"addresses">) => addresses.join(", "),
  certificate: ({ names, untilMs }: FoundOf<"certificate">) =>
    `for ${names.join(", ")}, until ${new Date(untilMs).toISOString().slice(0, 10)}`,
  "exact-only": ({ status }: FoundOf<"exact-only">) =>
    `${status ?? "no answer"}: it reads exact keys, as the settings say`,
  "edge-failure": ({ failure }: FoundOf<"edge-failure">) =>
    [failure.status, failure.code].filter((part) => part !== undefined && part !== "").join(" ") ||
    showEdgeFailure(failure),
  "pattern-failure": ({ failure }: FoundOf<"pattern-failure">) => showEdgeFailure(failure),
  forgotten: ({ byPattern }: FoundOf<"forgotten">) =>
    `the new content answers at once${byPattern ? ", by address and by pattern" : ""}`,
  habits: ({ habits }: FoundOf<"habits">) => habits.map(showHabit).join("; "),
};

const HABITS: Readonly<Record<SeenHabit["habit"], readonly [seen: string, notSeen: string]>> = {
  minimumFreshness: ["it keeps what it may not keep", "it keeps nothing longer than it may"],
  query: ["it keeps one copy for all queries", "it keeps a copy for each query"],
  negative: ["it keeps 'not found'", "it does not keep 'not found'"],
};

const showHabit = ({ habit, isSeen }: SeenHabit): string => HABITS[habit][isSeen ? 0 : 1];

const showFound = (found: Found): string => (FOUND[found.code] as (of: Found) => string)(found);
