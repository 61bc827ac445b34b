import { wordsOfTls } from "./tls.ts";
import type { Cause, Finding } from "../core/diagnosis/verification/causes.ts";
import type { Expected, Found } from "../core/diagnosis/verification/findings.ts";

/** A finding in words. */
export interface FindingWords {
  readonly expected: string;
  readonly found: string;
  /** The likely cause, and what to do. */
  readonly why: string;
  readonly hint: string;
}

/** What is printed of a finding: what should be, what is, the cause and what mends it. */
export function wordsOfFinding(finding: Finding): FindingWords {
  const { address, cause, form, ageSeconds, heldSince } = finding;
  const expected = showExpected(finding.expected);
  const found = showFound(finding.found);
  const held = ageSeconds === undefined ? "" : `, since ${ageSeconds} s`;
  const since = heldSince === undefined ? "" : ` from release ${heldSince}`;
  return {
    expected,
    found: form === undefined ? found : `${found} (Accept-Encoding: ${form})`,
    ...CAUSE_WORDS[cause]({ address, held: since + held, expected, found: finding.found }),
  };
}

type ExpectedOf<Code> = Expected & { readonly code: Code };

const EXPECTED: { readonly [Code in Expected["code"]]: (of: never) => string } = {
  answer: () => "an answer",
  "as-without-query": () => "the same as without a query",
  compressed: () => "compressed",
  https: () => "a redirect to https",
  "not-found": () => "404",
  content: ({ key }: ExpectedOf<"content">) => `200, the content of ${key}`,
  page: ({ key }: ExpectedOf<"page">) => `404, the content of ${key}`,
  stored: ({ key }: ExpectedOf<"stored">) => `${key} as it was delivered`,
  redirect: ({ status, location }: ExpectedOf<"redirect">) => `${status} ${location}`,
  header: ({ name, value }: ExpectedOf<"header">) => (name === undefined ? value : `${name}: ${value}`),
  "held-at-most": ({ seconds }: ExpectedOf<"held-at-most">) => `held for ${seconds} s at most`,
};

const showExpected = (expected: Expected): string =>
  (EXPECTED[expected.code] as (of: Expected) => string)(expected);

type FoundOf<Code> = Found & { readonly code: Code };

const FOUND: { readonly [Code in Found["code"]]: (of: never) => string } = {
  none: () => "none",
  "never-delivered": () => "content that was never delivered there",
  "another-page": () => "404, another page",
  "no-type": () => "no content type",
  "no-cache-control": () => "no Cache-Control",
  "another-object": () => "another object",
  lacking: () => "nothing in the store",
  unsafe: () => "no safe connection",
  status: ({ status, type }: FoundOf<"status">) =>
    type === undefined ? String(status) : `${status} ${type}`,
  redirect: ({ status, location }: FoundOf<"redirect">) => `${status} ${location}`,
  release: ({ release }: FoundOf<"release">) => `the content of release ${release}`,
  header: ({ name, value }: FoundOf<"header">) => (name === undefined ? value : `${name}: ${value}`),
  left: ({ seconds }: FoundOf<"left">) => `${seconds} s more`,
  age: ({ seconds }: FoundOf<"age">) => `${seconds} s already`,
  uncompressed: ({ size }: FoundOf<"uncompressed">) => `${size} bytes, uncompressed`,
};

const showFound = (found: Found): string => (FOUND[found.code] as (of: Found) => string)(found);

type Words = (facts: {
  readonly address: string;
  readonly held: string;
  readonly expected: string;
  readonly found: Found;
}) => { readonly why: string; readonly hint: string };

const CAUSE_WORDS: Readonly<Record<Cause, Words>> = {
  "nobody-answers": () => ({
    why: "nobody answers at the public address: a wrong url, a name without an address, a server that is down",
    hint: "open the url in a browser; check the destination's url",
  }),
  "no-safe-connection": ({ found }) => {
    const { why, mend } = wordsOfTls(found.code === "unsafe" ? found.tls : "other");
    return { why: `there is no safe connection to the public address: ${why}`, hint: mend };
  },
  "edge-holds-old-copy": ({ address, held }) => ({
    why: `the edge holds an old copy${held}; the store has the right one: an invalidation was lost`,
    hint: `rcourier invalidate '${address}'`,
  }),
  "edge-reads-elsewhere": () => ({
    why: "the store has it, the edge does not find it: its origin is another bucket, endpoint, or path than the destination's prefix",
    hint: "compare the edge's origin and origin path with store.bucket and store.prefix",
  }),
  "no-root-document": ({ address }) => ({
    why: `files answer and ${address} does not: the edge has no root document (default object) for it`,
    hint: "set the entry page as the root document at the edge, or let it read from the store's website endpoint",
  }),
  "no-index-documents": () => ({
    why: "folders do not answer, their index pages do: the edge's origin does not resolve index documents",
    hint: "say serves: objects in the store's settings and deliver again, or let the edge read from the website endpoint",
  }),
  "store-denies-edge": () => ({
    why: "the store refuses the edge: no policy lets it read, or it comes under another identity",
    hint: "let the edge's identity, or everybody, read the bucket; leave .courier/ out",
  }),
  "header-set-by-edge": ({ expected }) => ({
    why: `the store has it as delivered (${expected}): the edge sets this header over it`,
    hint: "look for a header policy or rule at the edge",
  }),
  "edge-holds-longer": () => ({
    why: "the edge holds copies for longer than the response allows: a minimum freshness is set there",
    hint: "set the edge's minimum to 0, or say minimumFreshness in the settings so that the tool knows",
  }),
  "entry-answers-for-all": () => ({
    why: "the entry page answers where nothing stands, for scripts too: browsers that ask for an old one break",
    hint: "answer client routes with the entry page only where no file name is asked for; all else with 404",
  }),
  "entry-not-led-to": () => ({
    why: "the edge does not lead unknown addresses to the entry page, as the release has it do",
    hint: "rcourier checkup tells whether its function is the release's; the next delivery gives it that again",
  }),
  "changed-in-store": ({ address }) => ({
    why: `what stands in the store for ${address} is not what was delivered: somebody changed or removed it`,
    hint: "rcourier compare shows it as drifted or missing, rcourier deliver mends it",
  }),
  "alias-missing": ({ address }) => ({
    why: `the object that was made for ${address} is not in the store any more`,
    hint: "rcourier deliver writes it again",
  }),
  "compression-off": () => ({
    why: "the edge passes text on uncompressed to clients that take gzip and brotli",
    hint: "switch compression on at the edge, or set compression: gzip in the settings",
  }),
  "edge-changes-content": () => ({
    why: "the store has it as delivered, something on the way changes it: a rewriting edge, or another origin",
    hint: "look for content rules (minifying, injected scripts) at the edge",
  }),
  "no-error-document": () => ({
    why: "an address where nothing stands is answered with something else than the not-found page",
    hint: "set the not-found page as the error document of the website endpoint or of the edge",
  }),
  "store-hides-missing": () => ({
    why: "the store answers 403 for what is missing, since the edge may not list the bucket",
    hint: "let the edge answer 403 of the origin with the not-found page and 404, or let it list",
  }),
  "redirect-not-set-up": () => ({
    why: "this redirect is not carried out on the way that visitors take",
    hint: "with store.serves: objects the edge must do it: rcourier provision gives a distribution what it needs; else rcourier compare shows whether it stands",
  }),
  "queries-change-answers": () => ({
    why: "with a query the page answers otherwise: the origin does not ignore queries, or an old copy is held",
    hint: "let the edge drop queries before it asks the store",
  }),
  "plain-http": () => ({
    why: "pages answer over plain http without leading to https",
    hint: "let the edge redirect http to https",
  }),
  "header-not-set": () => ({
    why: "the settings expect this header of every answer, and nobody on the way sets it",
    hint: "set it at the edge (expect.headers says what is expected)",
  }),
  "origin-fails": () => ({
    why: "the edge, or the store behind it, fails",
    hint: "try again; then look into the edge's log",
  }),
};
