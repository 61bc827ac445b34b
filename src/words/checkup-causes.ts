import type { LinkCause } from "../core/diagnosis/checkup/link.ts";

/** Why a link broke, and what to do. Words in braces are filled in. */
export const CAUSES: Readonly<Record<LinkCause, readonly [why: string, mend: string]>> = {
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
