import type { UrlPath } from "../../model/names.ts";
import type { Check } from "./checks.ts";
import type { Symptom } from "./findings.ts";

export const CAUSES = [
  "nobody-answers",
  "no-safe-connection",
  "edge-holds-old-copy",
  "edge-reads-elsewhere",
  "no-root-document",
  "no-index-documents",
  "store-denies-edge",
  "header-set-by-edge",
  "edge-holds-longer",
  "entry-answers-for-all",
  "entry-not-led-to",
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

/** A symptom with its likely cause. */
export interface Finding extends Symptom {
  readonly cause: Cause;
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
  const found = telling.map((symptom): Finding => ({
    ...symptom,
    cause: findCause(symptom, { ...facts, wrong, isAll }),
  }));
  // What stands wrongly in the store and answers so is told once.
  const told = new Set(found.filter(({ code }) => code !== "stored-otherwise").map(toPlace));
  return found.filter((finding) => finding.code !== "stored-otherwise" || !told.has(toPlace(finding)));
}

const toPlace = ({ address, cause }: Finding): string => `${cause} ${address}`;

const isLost = ({ code, check }: Symptom): boolean =>
  check.kind === "content" && (code === "not-answered" || code === "refused" || code === "other-content");

interface AllFacts extends CauseFacts {
  /** Addresses whose content does not come. */
  readonly wrong: ReadonlySet<UrlPath>;
  readonly isAll: boolean;
}

function findCause(symptom: Symptom, facts: AllFacts): Cause {
  switch (symptom.code) {
    case "unreachable":
      return symptom.found.code === "unsafe" ? "no-safe-connection" : "nobody-answers";
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
    case "route":
      return "entry-not-led-to";
    case "not-found-page":
      return findCauseOfNotFound(symptom, facts);
    case "query":
      return "queries-change-answers";
    case "not-secure":
      return "plain-http";
    case "expected-header":
      return "header-not-set";
    case "stored-otherwise":
      return symptom.found.code === "lacking" && aliasOf(symptom.check) !== undefined
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
  const status = found.code === "status" ? found.status : 404;
  if (facts.isAll) return status === 403 ? "store-denies-edge" : "edge-reads-elsewhere";
  if (status === 403) return "store-hides-missing";
  return status === 200 ? "entry-answers-for-all" : "no-error-document";
}
