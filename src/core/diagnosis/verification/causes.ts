import type { UrlPath } from "../../model/names.ts";
import type { Check } from "./checks.ts";
import type { FindingCode, Symptom } from "./findings.ts";

export const CAUSES = [
  "nobody-answers",
  "edge-holds-old-copy",
  "edge-reads-elsewhere",
  "no-root-document",
  "no-index-documents",
  "store-denies-edge",
  "header-set-by-edge",
  "edge-holds-longer",
  "entry-answers-for-all",
  "changed-in-store",
  "alias-missing",
  "compression-off",
  "edge-changes-content",
  "no-error-document",
  "store-hides-missing",
  "redirect-not-set-up",
  "queries-change-answers",
  "plain-http",
  "header-not-set",
  "origin-fails",
] as const;
export type Cause = (typeof CAUSES)[number];

/** A finding with its likely cause, in words, and what to do. */
export interface Finding {
  readonly address: UrlPath;
  readonly code: FindingCode;
  readonly expected: string;
  readonly found: string;
  readonly cause: Cause;
  readonly why: string;
  readonly hint: string;
}

/** What the store itself has under a key. */
export interface StoredLook {
  readonly isThere: boolean;
  readonly isRight: boolean;
  readonly hasRightHeaders: boolean;
}

export interface CauseFacts {
  /** How many addresses with content were asked for. */
  readonly contents: number;
  /** What stands in the store under the key of a symptom; undefined: not looked at. */
  readonly lookOf: (symptom: Symptom) => StoredLook | undefined;
  /** Whether the right content comes when the edge is asked under a query that nobody has used. */
  readonly isRightPastCache: (symptom: Symptom) => boolean | undefined;
  readonly basePath: UrlPath;
  readonly indexName: string;
}

/** The likely cause of each symptom: what the store has, and what is wrong elsewhere at the same time, tell most of it. */
export function explainSymptoms(symptoms: readonly Symptom[], facts: CauseFacts): Finding[] {
  const wrong = new Set(symptoms.filter(isLost).map(({ address }) => address));
  // Nearly everything is lost at once: that is the edge's way to the store, and no matter of single addresses.
  const isAll = wrong.size >= Math.max(2, facts.contents * 0.9);
  // What is wrong without a query is no matter of the query.
  const plain = new Set(symptoms.filter(({ code }) => code !== "query").map(({ address }) => address));
  const telling = symptoms.filter(({ code, address }) => code !== "query" || !plain.has(address));
  const found = telling.map((symptom) => toFinding(symptom, { ...facts, wrong, isAll }));
  // What stands wrongly in the store and answers so is told once.
  const told = new Set(found.filter(({ code }) => code !== "stored-otherwise").map(toPlace));
  return found.filter((finding) => finding.code !== "stored-otherwise" || !told.has(toPlace(finding)));
}

const toPlace = ({ address, cause }: Finding): string => `${cause} ${address}`;

function toFinding(symptom: Symptom, facts: AllFacts): Finding {
  const cause = findCause(symptom, facts);
  const { address, code, expected, form } = symptom;
  const found = form === undefined ? symptom.found : `${symptom.found} (Accept-Encoding: ${form})`;
  return { address, code, expected, found, cause, ...toWords(cause, symptom) };
}

const isLost = ({ code, check }: Symptom): boolean =>
  check.kind === "content" && (code === "not-answered" || code === "refused" || code === "other-content");

/** What is said of an object that is not in the store. */
export const LACKING = "nothing in the store";

interface AllFacts extends CauseFacts {
  /** Addresses whose content does not come. */
  readonly wrong: ReadonlySet<UrlPath>;
  readonly isAll: boolean;
}

function findCause(symptom: Symptom, facts: AllFacts): Cause {
  switch (symptom.code) {
    case "unreachable":
      return "nobody-answers";
    case "failing":
      return "origin-fails";
    case "old-content":
      return facts.lookOf(symptom)?.isRight === false ? "changed-in-store" : "edge-holds-old-copy";
    case "not-answered":
    case "refused":
    case "other-content":
      return findCauseOfLoss(symptom, facts);
    case "type":
    case "cache-control":
      return facts.lookOf(symptom)?.hasRightHeaders === false ? "changed-in-store" : "header-set-by-edge";
    case "held-too-long":
      return "edge-holds-longer";
    case "not-compressed":
      return "compression-off";
    case "redirect":
      return "redirect-not-set-up";
    case "script-answered":
      return "entry-answers-for-all";
    case "not-found-page":
      return findCauseOfNotFound(symptom, facts);
    case "query":
      return "queries-change-answers";
    case "not-secure":
      return "plain-http";
    case "expected-header":
      return "header-not-set";
    case "stored-otherwise":
      return symptom.found === LACKING && aliasOf(symptom.check) !== undefined
        ? "alias-missing"
        : "changed-in-store";
  }
}

function findCauseOfLoss(symptom: Symptom, facts: AllFacts): Cause {
  const look = facts.lookOf(symptom);
  if (look && !look.isThere)
    return aliasOf(symptom.check) === undefined ? "changed-in-store" : "alias-missing";
  if (look && !look.isRight) return "changed-in-store";
  if (facts.isAll) return symptom.code === "refused" ? "store-denies-edge" : "edge-reads-elsewhere";
  const { address, code } = symptom;
  const isAnswered = (other: UrlPath): boolean => !facts.wrong.has(other);
  if (code !== "other-content" && address.endsWith("/") && isAnswered(address + facts.indexName)) {
    const folders = [...facts.wrong].filter((one) => one.endsWith("/"));
    return address === facts.basePath && folders.length === 1 ? "no-root-document" : "no-index-documents";
  }
  if (facts.isRightPastCache(symptom) === true) return "edge-holds-old-copy";
  if (code === "refused") return "store-denies-edge";
  return code === "other-content" ? "edge-changes-content" : "edge-reads-elsewhere";
}

const aliasOf = (check: Check): string | undefined =>
  check.kind === "content" ? check.parcel.aliasOf : undefined;

function findCauseOfNotFound({ found }: Symptom, facts: AllFacts): Cause {
  if (facts.isAll) return found.startsWith("403") ? "store-denies-edge" : "edge-reads-elsewhere";
  if (found.startsWith("403")) return "store-hides-missing";
  return found.startsWith("200") ? "entry-answers-for-all" : "no-error-document";
}

function toWords(cause: Cause, symptom: Symptom): { readonly why: string; readonly hint: string } {
  const { address } = symptom;
  const held = symptom.ageSeconds === undefined ? "" : `, since ${symptom.ageSeconds} s`;
  const since = symptom.heldSince === undefined ? "" : ` from release ${symptom.heldSince}`;
  return WORDS[cause]({ address, held: since + held, expected: symptom.expected });
}

type Words = (facts: { readonly address: string; readonly held: string; readonly expected: string }) => {
  readonly why: string;
  readonly hint: string;
};

const WORDS: Readonly<Record<Cause, Words>> = {
  "nobody-answers": () => ({
    why: "nobody answers at the public address: a wrong url, a name without an address, a server that is down",
    hint: "open the url in a browser; check the destination's url",
  }),
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
    hint: "with store.serves: objects the edge must do it; else rcourier compare shows whether it stands",
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
