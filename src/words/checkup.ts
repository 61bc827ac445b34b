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
import { showEdgeFailure } from "./edges.ts";
import { counted, fillIn } from "./text.ts";
import { wordsOfTls } from "./tls.ts";

/** Why a link broke, and what to do. Words in braces are filled in. */
const CAUSES: Readonly<Record<LinkCause, readonly [why: string, mend: string]>> = {
  "no-build": [
    "there is no build at {folder}",
    "run your build; or say where it is: build.folder, or --build",
  ],
  "no-credentials": [
    "no credentials were found: {answer}",
    "mend that, or set AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY, or name another profile (store.profile)",
  ],
  "no-region": [
    "the settings have neither store.region nor store.endpoint, and no region is set on this machine",
    "set store.region, or AWS_REGION, or region in the profile",
  ],
  "store-tls": ["{why}", "{mend}"],
  "proxy-fails": [
    "the proxy does not lead there: {answer}",
    "check HTTPS_PROXY and HTTP_PROXY, or let NO_PROXY name what is reached without a proxy",
  ],
  "credentials-refused": [
    "the store does not know this key, or the secret does not belong to it, or both have expired",
    "check which credentials are found ({source}), and make new ones if they have expired",
  ],
  "nobody-listens": [
    "the name leads to a machine, and nobody listens at that port",
    "is the store running, and is the port of store.endpoint right?",
  ],
  "no-such-host": [
    "the name of the store's address leads nowhere",
    "check store.endpoint, or store.region where there is none",
  ],
  "not-a-store": [
    "something answers at {endpoint}, and it does not speak the store's protocol: a website endpoint, an edge or another server",
    "store.endpoint is where objects are written, not where visitors read",
  ],
  "store-fails": [
    "the store answers with an error of its own",
    "try again later; --verbose shows its answer",
  ],
  "clock-off": [
    "this machine's clock is off by {skew}: every signature is out of date before it arrives",
    "set the clock, or let it be set (NTP)",
  ],
  "clock-drifts": [
    "this machine's clock is off by {skew}; stores refuse what is off by a quarter of an hour",
    "let the clock be set (NTP)",
  ],
  "no-bucket": [
    "there is no bucket {bucket} there",
    "rcourier provision creates it; or check store.bucket and the account",
  ],
  "no-folder": [
    "there is no folder {folder}",
    "mount what belongs there, or make it: rcourier provision does, a delivery never",
  ],
  "folder-denied": ["this user may not work in {folder}", "give it the right to read and write below it"],
  "wrong-region": ["the bucket {bucket} is in another region", "set store.region{region}"],
  "right-missing": [
    "the identity that was found lacks {right}",
    "give it what rcourier policy prints; no other right is needed",
  ],
  "no-conditions": [
    "the store does not check conditions of writes ({found})",
    "deliver from one place at a time: two runs that start at once are told apart by reading again only",
  ],
  "records-served": [
    "visitors can read the tool's own part, .courier/, at {url}: file names, authors, earlier contents",
    "deny .courier/ at the edge or web server, or leave it out of what the edge may read (rcourier provision does)",
  ],
  "records-open": [
    "everybody can read the tool's own part, .courier/: file names, authors, earlier contents",
    "rcourier provision leaves it out of what everybody may read",
  ],
  "no-website": [
    "the settings say serves: website, and the bucket has no website endpoint set up",
    "rcourier provision sets it up; or say serves: objects, if the edge reads exact keys",
  ],
  "website-unknown": [
    "the settings say serves: website, and this store has no website endpoints",
    "say serves: objects: then the tool makes an object for each form of an address",
  ],
  "website-otherwise": [
    "the website endpoint has other documents than this site",
    "rcourier provision sets them, where the settings say ownsWebsite: true",
  ],
  "distribution-otherwise": [
    "the settings want it otherwise: {changes}",
    "rcourier provision shows each change, asks, and makes it",
  ],
  "being-deployed": [
    "not all its places have its newest settings yet",
    "wait for it: rcourier checkup --wait 30m goes round until they have",
  ],
  "rules-otherwise": [
    "somebody has changed it since release {release} was delivered",
    "the next delivery gives it that again: rcourier deliver",
  ],
  "no-url": [
    "nobody knows where visitors reach it",
    "set destinations.{destination}.url; checkup and verify then try what visitors get",
  ],
  "name-unknown": [
    "the name {host} leads nowhere: there is no DNS record for it, or it is misspelt",
    "add the record at your DNS provider (a CNAME to the edge), or correct the destination's url",
  ],
  "certificate-expired": [
    "the certificate has expired, on {until}",
    "renew it where TLS ends; if that is automatic, look why it was not",
  ],
  "certificate-other-name": [
    "the certificate is for {names}, not for {host}",
    "add the name to the edge (an alternate domain name) and to its certificate",
  ],
  "certificate-untrusted": ["this machine does not trust the certificate: {why} ({code})", "{mend}"],
  "certificate-ends": ["the certificate ends soon, on {until}", "see that it is renewed"],
  "tls-too-old": [
    "what listens there speaks only versions of TLS that are no longer safe ({code})",
    "let the edge speak TLS 1.2 or later",
  ],
  "no-tls": [
    "something listens there, and it does not speak TLS ({code})",
    "switch HTTPS on at the edge, or say http:// in the destination's url",
  ],
  "nobody-answers": [
    "nobody answers at {host} ({code})",
    "is the edge deployed and running? check the destination's url and port",
  ],
  "store-denies": [
    "the store refuses the edge: no policy of the bucket lets {who} read",
    "rcourier provision sets the policy that rcourier policy {kind} prints",
  ],
  "edge-unsigned": [
    "the bucket's policy lets the distribution {who} read, and the edge comes as somebody else",
    "switch signed requests to the origin on at the edge (origin access), or check edge.id",
  ],
  "other-bucket": [
    "the edge asks a bucket that is not there: its origin is not {bucket}",
    "set the edge's origin to the bucket {bucket}",
  ],
  "other-path": [
    "the edge asks for {asked}, where this destination's objects stand below {prefix}",
    "set the edge's origin path to {path}, or store.prefix to what the edge asks for",
  ],
  "not-found-there": [
    "the store has it and the edge does not find it: its origin is another bucket or path",
    "compare the edge's origin and origin path with store.bucket and store.prefix",
  ],
  "endpoint-without-website": [
    "the edge's origin is the bucket's website endpoint, and that is not set up",
    "rcourier provision sets it up (serves: website); or let the edge read from the bucket itself",
  ],
  "origin-unreachable": [
    "the edge answers, and can't reach its origin ({status}): a wrong endpoint, port or protocol, or it is down",
    "set the edge's origin to {endpoint}, or to the website endpoint of the bucket",
  ],
  "answers-otherwise": [
    "something else answers there: another site, a sign-in page, or an entry page for every address",
    "does the destination's url lead to this edge, and its origin to this bucket?",
  ],
  "leads-elsewhere": [
    "the address leads on to {location}",
    "let the destination's url be the address that visitors end at",
  ],
  "no-index-documents": [
    "folders do not answer and their index pages do: the edge's origin does not resolve index documents, against serves: website",
    "let the edge read from the website endpoint, not from the bucket's own address; or say serves: objects",
  ],
  "resolves-index-documents": [
    "the edge's origin resolves index documents by itself",
    "say serves: website, and no alias objects are needed",
  ],
  "no-root-document": [
    "files answer, and {path} does not: the edge has no root document",
    "set {entry} as the root document (default object) at the edge; rcourier provision does so at a distribution",
  ],
  "root-lists": [
    "{path} answers with a list of the bucket: the edge has no root document, and may list",
    "set {entry} as the root document at the edge, and take the right to list from everybody",
  ],
  "missing-is-403": [
    "what is missing is answered with 403: who may not list a bucket is not told what it lacks",
    "let the edge answer 403 of its origin with the not-found page and 404; rcourier provision does so at a distribution",
  ],
  "missing-is-answered": [
    "an address under which nothing stands is answered with 200, and the settings do not say clientRoutes",
    "say build.clientRoutes: true if that is meant, or set the not-found page as the error document",
  ],
  "routes-not-answered": [
    "the settings say clientRoutes, and an unknown address is not answered with the entry page",
    "set the entry page as the error document, answered with 200 (rcourier provision, or at the edge itself)",
  ],
  "may-not-invalidate": [
    "the identity may not invalidate at the edge {edge} ({answer})",
    "give it what rcourier policy prints for the distribution; for a cache of your own, check token and addresses that may purge",
  ],
  "edge-unknown": [
    "there is no edge {edge} where it is asked for ({answer})",
    "check edge.id, url and nodes",
  ],
  "edge-fails": [
    "the edge {edge} does not take invalidations ({answer})",
    "check the edge's endpoint or nodes in the settings",
  ],
  "still-old": [
    "the edge {edge} confirmed, and the old content still answers: it is not the edge that visitors meet, or another cache stands before it",
    "check edge.id; name every cache, from the store outwards",
  ],
  "patterns-unknown": [
    "the settings say patterns: {patterns}, and a pattern lets nothing go at the edge {edge}",
    "say patterns: none, or set the cache up for them (docs/caches.md)",
  ],
  "habits-unsaid": [
    "what the settings do not say must be taken for its worst, which costs invalidations",
    "if this is how the edge is set up and not chance, say so: edge: { {habits} }",
  ],
  "habits-otherwise": [
    "the edge does otherwise than the settings say, so copies that are wrong would not be invalidated",
    "say so in the settings: edge: { {habits} }",
  ],
};

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
  credentials: () => "found",
  ways: () => "the proxies of the environment",
  work: () => "to list, write, read, copy and remove",
  condition: () => "a write on a condition that can't hold",
  website: () => "the bucket's website settings",
  distribution: () => "how the distribution before the store is set up",
  url: () => "the destination's url",
  habits: () => "what is held, for how long, and under which names",
  folder: ({ folder }: AskedOf<"folder">) => folder,
  rules: ({ release }: AskedOf<"rules">) => `what release ${release} has it do by itself`,
  list: ({ endpoint, bucket }: AskedOf<"list">) =>
    bucket === "" ? `list ${endpoint}` : `list ${bucket} at ${endpoint}`,
  action: ({ action }: AskedOf<"action">) => showAction(action),
  records: ({ unsigned, url }: AskedOf<"records">) =>
    [
      ...(unsigned ? ["read .courier/ unsigned"] : []),
      ...(url === undefined ? [] : [`read .courier/ at ${url}`]),
    ].join(", "),
  host: ({ host }: AskedOf<"host">) => host,
  name: ({ host }: AskedOf<"name">) => `the addresses of ${host}`,
  tls: ({ host }: AskedOf<"tls">) => `a TLS connection to ${host}`,
  address: ({ address }: AskedOf<"address">) => address,
  fresh: ({ address }: AskedOf<"fresh">) => `${address}, just written to the store`,
  missing: ({ address }: AskedOf<"missing">) => `${address}, where nothing is`,
  forget: ({ edge, byPattern }: AskedOf<"forget">) =>
    `the edge ${edge} to let go of a probe${byPattern === true ? ", by a pattern" : ""}`,
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
  "in-time": () => "right to the minute",
  "no-answer": () => "no answer",
  "all-rights": () => "all that a delivery needs",
  "refused-as-must": () => "refused, as it must be",
  ignored: () => "taken all the same",
  unsupported: () => "not known (501)",
  refused: () => "refused",
  "no-name-needed": () => "an address, which needs no name",
  "as-written": () => "200, as it was written",
  "as-delivered": () => "just that, everywhere",
  "as-wished": () => "as the settings want it, everywhere",
  "being-deployed": () => "as the settings want it, but not everywhere yet",
  "may-not-look-there": () => "this identity may not look at it (cloudfront:GetDistribution)",
  "other-means": ({ means }: FoundOf<"other-means">) =>
    `another ${means.map((one) => MEANS[one]).join(" and another ")}`,
  differs: ({ count }: FoundOf<"differs">) => `${counted(count, "setting")} to change`,
  "index-page": () => "answered with its index page",
  "client-routes": () => "200, for the client's own routes",
  "list-of-bucket": () => "200, a list",
  "still-old": () => "confirmed; the old content answers",
  "pattern-old": () => "taken; the old content answers",
  "not-held": () => "taken; nothing was held that it could be tried on",
  "store-silent": () => "the store could not be asked",
  "store-timeless": () => "the store does not tell the time",
  "exact-keys": () => "serves: objects needs none",
  "may-not-look": () => "this identity may not look at it (s3:GetBucketWebsite)",
  "web-server": () => "who may read the folder is up to its web server, and no address is known",
  "no-probe": () => "no probe could be written",
  "dry-run": () => "--dry-run only asks",
  "no-edge": () => "the settings name no edge that could forget",
  "told-above": () => "see above",
  "proxy-looks-up": () => "the proxy looks it up",
  "plain-http": () => "the url is plain http",
  "not-delivered": () => "nothing is delivered yet: deliver, then try again",
  "nothing-telling": () => "nothing was held that could tell",
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
    `${status ?? "no answer"}: exact keys only, as the settings say`,
  "edge-failure": ({ failure }: FoundOf<"edge-failure">) =>
    [failure.status, failure.code].filter((part) => part !== undefined && part !== "").join(" ") ||
    showEdgeFailure(failure),
  "pattern-failure": ({ failure }: FoundOf<"pattern-failure">) => showEdgeFailure(failure),
  forgotten: ({ byPattern }: FoundOf<"forgotten">) =>
    `the new content answers at once${byPattern ? ", by address and by pattern" : ""}`,
  habits: ({ habits }: FoundOf<"habits">) => habits.map(showHabit).join("; "),
};

const HABITS: Readonly<Record<SeenHabit["habit"], readonly [seen: string, notSeen: string]>> = {
  minimumFreshness: ["holds what allows no freshness", "holds nothing longer than it may"],
  query: ["one copy for all queries", "a copy for each query"],
  negative: ["holds 'not found'", "does not hold 'not found'"],
};

const showHabit = ({ habit, isSeen }: SeenHabit): string => HABITS[habit][isSeen ? 0 : 1];

const showFound = (found: Found): string => (FOUND[found.code] as (of: Found) => string)(found);
