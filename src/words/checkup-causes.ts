import type { LinkCause } from "../core/diagnosis/checkup/link.ts";

/** Why a link broke, and what to do. Words in braces are filled in. */
export const CAUSES: Readonly<Record<LinkCause, readonly [why: string, mend: string]>> = {
  "no-build": [
    "there is no build at {folder}",
    "build the site; or say where the build is: build.folder, or --build",
  ],
  "no-credentials": [
    "no credentials were found: {answer}",
    "set AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY, or name a profile (store.profile)",
  ],
  "no-region": [
    "the settings have neither store.region nor store.endpoint, and no region is set on this machine",
    "set store.region, or AWS_REGION, or region in the profile",
  ],
  "store-tls": ["{why}", "{mend}"],
  "proxy-fails": [
    "the proxy does not lead there: {answer}",
    "correct HTTPS_PROXY and HTTP_PROXY, or add to NO_PROXY what is reached without a proxy",
  ],
  "credentials-refused": [
    "the store does not know this key, or its secret is another one, or both have expired",
    "see which credentials are used ({source}), and make new ones if they have expired",
  ],
  "nobody-listens": [
    "the machine was found, but nothing answers at that port",
    "start the store if it is down, or correct the port in store.endpoint",
  ],
  "no-such-host": [
    "the host name in store.endpoint does not exist",
    "correct store.endpoint, or store.region if there is no endpoint",
  ],
  "not-a-store": [
    "something answers at {endpoint}, but it is not an object store: perhaps a website endpoint, an edge or another server",
    "set store.endpoint to the address where objects are written, not where visitors read",
  ],
  "store-fails": [
    "the store answers with an error of its own",
    "try again later; --verbose shows its answer",
  ],
  "clock-off": [
    "this machine's clock is wrong by {skew}, so the store refuses every signature",
    "set the clock, or let it be set (NTP)",
  ],
  "clock-drifts": [
    "this machine's clock is wrong by {skew}; from a quarter of an hour on, stores refuse",
    "let the clock be set (NTP)",
  ],
  "no-bucket": [
    "there is no bucket {bucket} at this store",
    "rcourier provision creates it; or correct store.bucket, or use another account's credentials",
  ],
  "no-folder": [
    "there is no folder {folder}",
    "mount the disk, or let rcourier provision make the folder; a delivery never makes it",
  ],
  "folder-denied": ["this user may not work in {folder}", "give it the right to read and write there"],
  "wrong-region": ["the bucket {bucket} is in another region", "set store.region{region}"],
  "right-missing": [
    "these credentials do not have the right {right}",
    "give them the rights that rcourier policy prints; they need no others",
  ],
  "no-conditions": [
    "the store has no conditional writes ({found}): two runs that start together may collide",
    "deliver from one place at a time",
  ],
  "records-served": [
    "visitors can read this tool's records (.courier/) at {url}: file names, authors, old versions",
    "deny .courier/ at the edge or web server, or do not let the edge read it (rcourier provision sees to that)",
  ],
  "records-open": [
    "everybody can read this tool's records (.courier/): file names, authors, old versions",
    "rcourier provision takes them out of what everybody may read",
  ],
  "no-website": [
    "the settings say serves: website, but the bucket has no website endpoint",
    "rcourier provision sets one up; or set serves: objects, if the edge reads exact keys",
  ],
  "website-unknown": [
    "the settings say serves: website, but this store has no website endpoints",
    "set serves: objects: then the tool makes an object for each form of an address",
  ],
  "website-otherwise": [
    "the website endpoint has other documents than this site",
    "rcourier provision sets them, if the settings say ownsWebsite: true",
  ],
  "distribution-otherwise": [
    "it is not as the settings want it: {changes}",
    "rcourier provision shows each change, asks, and makes it",
  ],
  "being-deployed": [
    "not all its points of presence have the newest settings yet",
    "wait: rcourier checkup --wait 30m tests again until they have",
  ],
  "rules-otherwise": [
    "somebody has changed it since release {release} was delivered",
    "the next delivery gives it that again: rcourier deliver",
  ],
  "no-url": [
    "the settings do not say where visitors reach the site",
    "set destinations.{destination}.url; checkup and verify then try what visitors get",
  ],
  "name-unknown": [
    "the host name {host} does not exist: it has no DNS record, or it is misspelt",
    "add the record at your DNS provider (a CNAME to the edge), or correct the destination's url",
  ],
  "certificate-expired": [
    "the certificate has expired, on {until}",
    "renew it where TLS ends; if that is automatic, find out why it did not happen",
  ],
  "certificate-other-name": [
    "the certificate is for {names}, not for {host}",
    "add the name to the edge (an alternate domain name) and to its certificate",
  ],
  "certificate-untrusted": ["this machine does not trust the certificate: {why} ({code})", "{mend}"],
  "certificate-ends": ["the certificate expires soon, on {until}", "renew it in time"],
  "tls-too-old": [
    "the server there speaks only versions of TLS that are no longer safe ({code})",
    "let the edge speak TLS 1.2 or later",
  ],
  "no-tls": [
    "a server answers there, but it does not speak TLS ({code})",
    "switch HTTPS on at the edge, or write http:// in the destination's url",
  ],
  "nobody-answers": [
    "nothing answers at {host} ({code})",
    "start or deploy the edge if it is not running, or correct the destination's url and port",
  ],
  "store-denies": [
    "the store refuses the edge: the bucket's policy does not let {who} read",
    "rcourier provision sets the policy that rcourier policy {kind} prints",
  ],
  "edge-unsigned": [
    "the bucket lets the distribution {who} read, but the edge does not sign as that one",
    "at the edge, switch on signed requests to the origin (origin access), or correct edge.id",
  ],
  "other-bucket": [
    "the edge asks a bucket that does not exist: its origin is not {bucket}",
    "set the edge's origin to the bucket {bucket}",
  ],
  "other-path": [
    "the edge asks for {asked}, but this destination's objects are below {prefix}",
    "set the edge's origin path to {path}, or store.prefix to what the edge asks for",
  ],
  "not-found-there": [
    "the edge does not find the file in the store: its origin is another bucket or path",
    "compare the edge's origin and origin path with store.bucket and store.prefix",
  ],
  "endpoint-without-website": [
    "the edge's origin is the bucket's website endpoint, but that is not set up",
    "rcourier provision sets it up (serves: website); or let the edge read from the bucket itself",
  ],
  "origin-unreachable": [
    "the edge answers, but can't reach its origin ({status}): its endpoint, port or protocol is wrong, or it is down",
    "set the edge's origin to {endpoint}, or to the website endpoint of the bucket",
  ],
  "answers-otherwise": [
    "something else answers there: another site, a sign-in page, or one page for every address",
    "let the destination's url lead to this edge, and the edge's origin to this bucket",
  ],
  "leads-elsewhere": [
    "the address redirects to {location}",
    "set the destination's url to the address to which this one redirects",
  ],
  "no-index-documents": [
    "index pages answer, but their folders do not: the edge's origin does not look for index pages, although the settings say serves: website",
    "let the edge read from the website endpoint, not from the bucket's own address; or set serves: objects",
  ],
  "resolves-index-documents": [
    "the edge's origin finds index pages by itself",
    "set serves: website, and no extra copies are needed",
  ],
  "no-root-document": [
    "files answer, but {path} does not: the edge has no root document",
    "set {entry} as the root document (default object) at the edge; rcourier provision does so at a distribution",
  ],
  "root-lists": [
    "{path} answers with a list of the bucket: the edge has no root document, and everybody may list",
    "set {entry} as the root document at the edge, and let nobody list the bucket without credentials",
  ],
  "missing-is-403": [
    "missing pages get 403, not 404: a reader who may not list the bucket is not told more",
    "let the edge answer the store's 403 with the not-found page and status 404 (rcourier provision does so at a distribution); if the build has no 404.html, add one first",
  ],
  "missing-is-answered": [
    "a missing page gets 200, although the settings do not say clientRoutes",
    "set build.clientRoutes: true if you want that, or set the not-found page as the error document",
  ],
  "routes-not-answered": [
    "the settings say clientRoutes, but an unknown address does not get the entry page",
    "set the entry page as the error document, with status 200 (rcourier provision, or at the edge itself)",
  ],
  "may-not-invalidate": [
    "these credentials may not invalidate at the edge {edge} ({answer})",
    "give them the rights that rcourier policy prints for the distribution; for a cache of your own, correct the token, or the addresses that may purge",
  ],
  "edge-unknown": ["there is no edge {edge} at that address ({answer})", "correct edge.id, url or nodes"],
  "edge-fails": [
    "the edge {edge} does not take invalidations ({answer})",
    "correct the edge's endpoint or nodes in the settings",
  ],
  "still-old": [
    "the edge {edge} confirmed, but the old content still answers: visitors use another edge, or another cache is in front of it",
    "correct edge.id; name every cache in the settings, from the store outwards",
  ],
  "patterns-unknown": [
    "the settings say patterns: {patterns}, but the edge {edge} forgets nothing by a pattern",
    "set patterns: none, or set the cache up for them (docs/caches.md)",
  ],
  "habits-unsaid": [
    "the settings do not say how this edge caches, so the tool assumes the worst: it invalidates more than it needs to",
    "if these results are how it is set up, add to the edge: { {habits} }",
  ],
  "habits-otherwise": [
    "the edge caches in another way than the settings say, so old copies would stay",
    "correct the settings of the edge: { {habits} }",
  ],
};
