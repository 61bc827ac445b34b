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
  const held = ageSeconds === undefined ? "" : `, ${ageSeconds} s old`;
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
  content: ({ key }: ExpectedOf<"content">) => `200 with the content of ${key}`,
  page: ({ key }: ExpectedOf<"page">) => `404 with the content of ${key}`,
  stored: ({ key }: ExpectedOf<"stored">) => `${key} as it was delivered`,
  redirect: ({ status, location }: ExpectedOf<"redirect">) => `${status} ${location}`,
  header: ({ name, value }: ExpectedOf<"header">) => (name === undefined ? value : `${name}: ${value}`),
  "held-at-most": ({ seconds }: ExpectedOf<"held-at-most">) => `kept for ${seconds} s at most`,
};

const showExpected = (expected: Expected): string =>
  (EXPECTED[expected.code] as (of: Expected) => string)(expected);

type FoundOf<Code> = Found & { readonly code: Code };

const FOUND: { readonly [Code in Found["code"]]: (of: never) => string } = {
  none: () => "none",
  "never-delivered": () => "content that was never delivered there",
  "another-page": () => "404 with another page",
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
  left: ({ seconds }: FoundOf<"left">) => `kept for ${seconds} s more`,
  age: ({ seconds }: FoundOf<"age">) => `kept for ${seconds} s already`,
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
    why: "nothing answers at the public address: the url is wrong, its host name has no address, or the server is down",
    hint: "open the url in a browser; correct the destination's url",
  }),
  "no-safe-connection": ({ found }) => {
    const { why, mend } = wordsOfTls(found.code === "unsafe" ? found.tls : "other");
    return { why: `there is no safe connection to the public address: ${why}`, hint: mend };
  },
  "edge-holds-old-copy": ({ address, held }) => ({
    why: `the edge still has an old copy${held}; the store has the new one: an invalidation was lost`,
    hint: `rcourier invalidate '${address}'`,
  }),
  "edge-reads-elsewhere": () => ({
    why: "the edge does not find the file in the store: its origin is another bucket, endpoint or path than the destination's prefix",
    hint: "compare the edge's origin and origin path with store.bucket and store.prefix",
  }),
  "no-root-document": ({ address }) => ({
    why: `files answer, but ${address} does not: the edge has no root document (default object)`,
    hint: "set the entry page as the root document at the edge, or let it read from the store's website endpoint",
  }),
  "no-index-documents": () => ({
    why: "index pages answer, but their folders do not: the edge does not look for index pages",
    hint: "set store.serves: objects and deliver again, or let the edge read from the website endpoint",
  }),
  "store-denies-edge": () => ({
    why: "the store refuses the edge: no policy lets it read, or it signs as somebody else",
    hint: "let the edge's identity, or everybody, read the bucket; leave .courier/ out",
  }),
  "header-set-by-edge": ({ expected }) => ({
    why: `the edge replaces this header; the store has it as delivered (${expected})`,
    hint: "look for a header policy or rule at the edge",
  }),
  "edge-holds-longer": () => ({
    why: "the edge keeps copies longer than the response allows: it has a minimum freshness",
    hint: "set the edge's minimum to 0, or tell the tool: minimumFreshness in the settings",
  }),
  "entry-answers-for-all": () => ({
    why: "every unknown address gets the entry page, even a script's: tabs with an old page break",
    hint: "at the edge, answer with the entry page only where no file name is asked for; all else with 404",
  }),
  "entry-not-led-to": () => ({
    why: "the edge does not lead unknown addresses to the entry page, as the release has it do",
    hint: "rcourier checkup shows whether its function is the release's; the next delivery gives it that again",
  }),
  "changed-in-store": ({ address }) => ({
    why: `somebody changed or removed ${address} in the store`,
    hint: "rcourier deliver puts it back; rcourier compare shows what it would do",
  }),
  "alias-missing": ({ address }) => ({
    why: `the extra copy for ${address} is no longer in the store`,
    hint: "rcourier deliver writes it again",
  }),
  "compression-off": () => ({
    why: "the edge sends text uncompressed to clients that take gzip and brotli",
    hint: "switch compression on at the edge, or set compression: gzip in the settings",
  }),
  "edge-changes-content": () => ({
    why: "the store has it as delivered, but something on the way changes it: an edge that rewrites, or another origin",
    hint: "look for content rules (minifying, injected scripts) at the edge",
  }),
  "no-error-document": () => ({
    why: "a missing page does not get the not-found page",
    hint: "set the not-found page as the error document of the website endpoint or of the edge",
  }),
  "store-hides-missing": () => ({
    why: "the edge may not list the bucket, so the store does not tell it that a page is missing",
    hint: "let the edge answer the store's 403 with the not-found page and status 404 (rcourier provision does so at a distribution). Do not let it list the bucket: that would show every file name and the records",
  }),
  "redirect-not-set-up": () => ({
    why: "visitors are not redirected here",
    hint: "with store.serves: objects the edge must do it: rcourier provision gives a distribution what it needs. Else, rcourier compare shows whether it is in the store",
  }),
  "queries-change-answers": () => ({
    why: "with a query the page answers in another way: the origin does not ignore queries, or the edge has an old copy",
    hint: "let the edge drop queries before it asks the store",
  }),
  "plain-http": () => ({
    why: "pages answer over http, and do not redirect to https",
    hint: "let the edge redirect http to https",
  }),
  "header-not-set": () => ({
    why: "the settings expect this header in every answer, and nothing on the way sets it",
    hint: "set it at the edge (expect.headers in the settings)",
  }),
  "origin-fails": () => ({
    why: "the edge, or the store behind it, fails",
    hint: "try again; if it stays so, look into the edge's log",
  }),
};
