import type { CertificateFault } from "../core/distribution/certificates.ts";
import type { DistributionByHand, DistributionStep, OriginFault } from "../core/distribution/plan.ts";
import type { ControlAction, ErrorAnswer, Origin, PlainHttp } from "../core/model/distribution.ts";
import type { ByHandWords, StepWords } from "./provision.ts";
import { counted } from "./text.ts";

const PLAIN_HTTP: Readonly<Record<PlainHttp, string>> = {
  open: "http is answered like https",
  leads: "http leads to https",
  shut: "http is refused",
};

type Of<Do extends DistributionStep["do"]> = DistributionStep & { readonly do: Do };

const STEPS: { readonly [Do in DistributionStep["do"]]: (of: never) => StepWords } = {
  "make-distribution": (of: Of<"make-distribution">) => wordsOfNew(of),
  "set-origin": ({ before, after }: Of<"set-origin">) => ({
    what: `origin: ${showOrigin(after)}`,
    why: `it reads from ${showOrigin(before)}, which is not where the site is delivered`,
  }),
  "set-root-document": ({ before, after }: Of<"set-root-document">) => ({
    what: `root document: ${after}`,
    why: before === "" ? "/ has none, and the store finds none" : `it is ${before}`,
  }),
  "set-missing-pages": ({ before, after }: Of<"set-missing-pages">) => ({
    what: `missing pages: ${showErrors(after)}`,
    why:
      before.length === 0
        ? "visitors see the store's own 403 or 404"
        : `their answers are others: ${showErrors(before)}`,
  }),
  "shorten-errors": ({ statuses, longest }: Of<"shorten-errors">) => ({
    what: `keep errors (${statuses.join(", ")}) for 10 s`,
    why: `they are kept for ${showSeconds(longest)}: a mended page would be an error for that long`,
  }),
  "switch-compression-on": () => ({ what: "compress text", why: "it is sent as it is" }),
  "set-plain-http": ({ before, after }: Of<"set-plain-http">) => ({
    what: PLAIN_HTTP[after],
    why: `the url is ${after === "open" ? "plain http" : "https"}, and ${PLAIN_HTTP[before]}`,
  }),
  "set-methods": ({ before, after }: Of<"set-methods">) => ({
    what: `HTTP methods: ${after.join(", ")}`,
    why: `it takes ${before.join(", ")}, and a static site needs no more than these`,
  }),
  "set-cache-keys": ({ before }: Of<"set-cache-keys">) => ({
    what: "one copy for each address, whatever query, cookies or headers a visitor sends",
    why: showKeys(before),
  }),
  "set-minimum-freshness": ({ before, after }: Of<"set-minimum-freshness">) => ({
    what: `minimum freshness: ${showSeconds(after)}`,
    why: `it keeps everything for at least ${showSeconds(before)}, whatever the answer says`,
  }),
  "set-certificate": ({ before, after }: Of<"set-certificate">) => ({
    what: `certificate: ${after}`,
    why:
      before === undefined
        ? "it has one for its own name only"
        : "the one that it has will not do for its names",
  }),
  "add-names": ({ names }: Of<"add-names">) => ({
    what: `names: ${names.join(", ")}`,
    why: "it does not answer under them",
  }),
  "switch-on": () => ({ what: "switch it on", why: "it is off: it answers nobody" }),
  "give-function": ({ name }: Of<"give-function">) => ({
    what: `give it the function ${name}, which changes nothing yet`,
    why: "from the next delivery on it carries redirects and finds pages: only the edge can do that here",
  }),
  "give-headers-policy": ({ name }: Of<"give-headers-policy">) => ({
    what: `give it the headers policy ${name}, which sets nothing yet`,
    why: "from the next delivery on it sets edge.headers: objects can't carry them",
  }),
  "write-settings": ({ names, file }: Of<"write-settings">) => ({
    what: `write ${names.join(", ")} into ${file}`,
    why: "the settings do not say it, and deliveries need it",
  }),
};

/** A change of a distribution, and why it is made. */
export const wordsOfDistributionStep = (step: DistributionStep): StepWords =>
  (STEPS[step.do] as (of: DistributionStep) => StepWords)(step);

function wordsOfNew({ setup }: Extract<DistributionStep, { do: "make-distribution" }>): StepWords {
  const { origin, rootDocument, errors, plainHttp, names, certificate } = setup;
  const { viewerFunction, headersPolicy } = setup;
  const parts = [
    `origin ${showOrigin(origin)}`,
    ...(rootDocument === "" ? [] : [`root document ${rootDocument}`]),
    `missing pages: ${showErrors(errors)}`,
    `compressed, ${PLAIN_HTTP[plainHttp]}`,
    "one copy for each address",
    ...(viewerFunction === undefined ? [] : ["a function that finds pages and carries redirects"]),
    ...(headersPolicy === undefined ? [] : ["a policy that sets headers"]),
    ...(names.length === 0 ? [] : [`names ${names.join(", ")}, certificate ${certificate ?? ""}`]),
  ];
  return { what: `make a distribution: ${parts.join("; ")}`, why: "the settings have no id of one" };
}

const showOrigin = ({ host, path, access, protocol }: Origin): string =>
  `${host}${path} (${access === "signed" ? "signed requests" : protocol === "http" ? "plain http" : "unsigned requests"})`;

/** `403 and 404 as /404.html, answered with 404` */
function showErrors(errors: readonly ErrorAnswer[]): string {
  const groups = new Map<string, number[]>();
  for (const { status, page, as } of errors) {
    const answer = page === undefined ? "as they come" : `as ${page}, answered with ${as ?? status}`;
    groups.set(answer, [...(groups.get(answer) ?? []), status]);
  }
  return [...groups].map(([answer, statuses]) => `${statuses.join(" and ")} ${answer}`).join("; ");
}

function showKeys(rule: Of<"set-cache-keys">["before"]): string {
  const parts = [
    ...(rule.query ? ["queries"] : []),
    ...(rule.cookies ? ["cookies"] : []),
    ...(rule.headers.length > 0 ? [`headers (${rule.headers.join(", ")})`] : []),
  ];
  return parts.length > 0
    ? `copies are told apart by ${parts.join(", ")}`
    : "compressed copies are not held apart, so nothing is compressed";
}

const showSeconds = (seconds: number): string =>
  seconds >= 120 && seconds % 60 === 0 ? counted(seconds / 60, "minute") : `${seconds} s`;

/** What is left to a person at a distribution, why, and how it is done. */
export function wordsOfDistributionByHand(left: DistributionByHand): ByHandWords {
  if (left.code === "origin")
    return { what: "say what the distribution reads from", ...wordsOfOrigin(left.fault) };
  if (left.code === "out-of-reach")
    return {
      what: `look at the distribution ${left.id}, and set it up`,
      ...(left.why === "denied"
        ? {
            why: `these credentials may not (${left.answer})`,
            how: `as somebody with ${showControlRight(left.action)} and the rights to change it: run provision once with their credentials`,
          }
        : {
            why: `nobody answers where it is set up (${left.answer})`,
            how: "run provision again from where that can be reached",
          }),
    };
  if (left.code === "settings")
    return {
      what: `write into ${left.file}: ${left.lines.join("; ")}`,
      why: left.why,
      how: "add the lines by hand, below the destination's edge",
    };
  if (left.code === "function-taken")
    return {
      what: `make room for the function ${left.wanted}`,
      why: `the distribution has ${left.standing} run for each request, and can have one`,
      how: "take that one away, or say its name as edge.function, and what it does now is lost with the next delivery; then run provision again",
    };
  if (left.code === "policy-taken")
    return {
      what: "make room for a headers policy",
      why: `the distribution has ${left.standing.name} (${left.standing.id}), and can have one`,
      how: "take that one away, or say its id as edge.headersPolicy if it is this site's alone: then edge.headers is all that it sets; then run provision again",
    };
  const names = left.names.join(", ");
  return {
    what: `give the distribution ${left.names.length === 1 ? "the name" : "the names"} ${names}`,
    ...wordsOfCertificate(left.fault, names),
  };
}

function wordsOfOrigin(fault: OriginFault): Pick<ByHandWords, "why" | "how"> {
  switch (fault.code) {
    case "prefix":
      return {
        why: `addresses begin with ${fault.basePath}, and the store's prefix (${fault.prefix === "" ? "none" : fault.prefix}) does not end so: the edge would have to change paths`,
        how: `let store.prefix end in ${fault.basePath.slice(1)}, and deliver there; or let a function of your own change the paths`,
      };
    case "no-region":
      return { why: "the settings do not say where the bucket is", how: "set store.region" };
    case "website-elsewhere":
      return {
        why: "the store is not the cloud's own, and the address of its website endpoint is not known",
        how: "set serves: objects and readers: public, or set the origin by hand",
      };
    case "signed-elsewhere":
      return {
        why: "the store is not the cloud's own, and requests are signed for the cloud's own buckets only",
        how: "set store.readers: public, and run provision again",
      };
  }
}

function wordsOfCertificate(fault: CertificateFault, names: string): Pick<ByHandWords, "why" | "how"> {
  const again = "and run provision again";
  switch (fault.code) {
    case "none":
      return {
        why: "there is no certificate for it that is valid",
        how: `have one issued for ${names} where distributions take them from, ${again}`,
      };
    case "may-not-look":
      return {
        why: `these credentials may not look at certificates (${fault.answer})`,
        how: `set edge.certificate, or let it have acm:ListCertificates, ${again}`,
      };
    case "elsewhere":
      return {
        why: `the certificate ${fault.reference} is in another region than ${fault.region}`,
        how: `have one issued in ${fault.region}, where distributions take them from, ${again}`,
      };
    case "not-found":
      return { why: `there is no certificate ${fault.reference}`, how: `correct edge.certificate, ${again}` };
    case "not-issued":
      return {
        why: `the certificate ${fault.reference} is not issued yet, or no longer valid`,
        how: `do what its issuer waits for (often a DNS record), ${again}`,
      };
    case "expired":
      return {
        why: `the certificate ${fault.reference} ended at ${fault.until}`,
        how: `have one issued for ${names}, ${again}`,
      };
    case "other-names":
      return {
        why: `the certificate ${fault.reference} is not for ${fault.missing.join(", ")}`,
        how: `name one that is for all names of the distribution (edge.certificate), ${again}`,
      };
  }
}

const ACTIONS: Readonly<Record<ControlAction, readonly [words: string, right: string]>> = {
  "read-distribution": ["read the distribution", "cloudfront:GetDistribution"],
  "list-distributions": ["list distributions", "cloudfront:ListDistributions"],
  "make-distribution": ["make the distribution", "cloudfront:CreateDistribution"],
  "change-distribution": ["change the distribution", "cloudfront:UpdateDistribution"],
  "read-cache-policy": ["read its cache policy", "cloudfront:GetCachePolicy"],
  "list-cache-policies": ["list cache policies", "cloudfront:ListCachePolicies"],
  "make-cache-policy": ["make a cache policy", "cloudfront:CreateCachePolicy"],
  "read-origin-access": ["read how its requests are signed", "cloudfront:GetOriginAccessControl"],
  "list-origin-access": ["list how requests are signed", "cloudfront:ListOriginAccessControls"],
  "make-origin-access": ["have requests signed", "cloudfront:CreateOriginAccessControl"],
  "list-certificates": ["list certificates", "acm:ListCertificates"],
  "read-function": ["read the distribution's function", "cloudfront:DescribeFunction"],
  "make-function": ["make the distribution's function", "cloudfront:CreateFunction"],
  "change-function": ["change the distribution's function", "cloudfront:UpdateFunction"],
  "publish-function": ["publish the distribution's function", "cloudfront:PublishFunction"],
  "read-headers-policy": ["read its headers policy", "cloudfront:GetResponseHeadersPolicy"],
  "list-headers-policies": ["list headers policies", "cloudfront:ListResponseHeadersPolicies"],
  "make-headers-policy": ["make a headers policy", "cloudfront:CreateResponseHeadersPolicy"],
  "change-headers-policy": ["change its headers policy", "cloudfront:UpdateResponseHeadersPolicy"],
};

/** What was done at the interface of distributions, in words. */
export const showControlAction = (action: ControlAction): string => ACTIONS[action][0];

/** The right that it needs. */
export const showControlRight = (action: ControlAction): string => ACTIONS[action][1];

/** Ways in which the setup of a distribution can end: part of the table of all failures. */
export const DISTRIBUTION_FAILURES = {
  "edge-unmade": {
    exit: 2,
    message: "{destination} has no distribution yet: the settings have no id for the edge {name}",
    hint: "rcourier provision makes it and writes its id down; if there is one, say its id (edge.id)",
  },
  "rules-unplaced": {
    exit: 1,
    message:
      "release {release} needs a function at the edge, which the settings of {destination} do not name",
    hint: "without it, some of its addresses would not answer: rcourier provision gives the distribution one and writes edge.function",
  },
  "distribution-unknown": {
    exit: 1,
    message: "there is no distribution {id}",
    hint: "check edge.id; without an id, provision makes a new one",
  },
  "distribution-failed": {
    exit: 1,
    message: "could not {action}: {answer}",
    hint: "what was done stays; make the same call again to go on from there. {written}",
  },
  "distribution-denied": {
    exit: 7,
    message: "could not {action}: not allowed",
    hint: "these credentials do not have the right {right}: run provision once with those of somebody who has it. {written}",
  },
  "distribution-changed": {
    exit: 6,
    message: "somebody else changed the distribution {id} meanwhile",
    hint: "make the same call again: it starts from what is there now",
  },
  "distribution-undeployed": {
    exit: 5,
    message: "all is set, but the distribution {id} was not deployed everywhere within {seconds} s",
    hint: "that can take a while: make the same call again, and it waits for the rest",
  },
} as const;
