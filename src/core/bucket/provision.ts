import type { BucketFacts, PublicBlock, Reading } from "../model/bucket.ts";
import type { Policy } from "../model/policy.ts";
import type { WebsiteSettings } from "../model/website.ts";
import {
  canKeepPreviews,
  findApart,
  isSamePolicy,
  mergePolicy,
  toReadStatements,
  type Readers,
} from "./policies.ts";

/** How the bucket should be. */
export interface ProvisionWishes {
  readonly bucket: string;
  readonly prefix: string;
  /** What all previews' keys begin with; absent: there are none. */
  readonly previews?: string | undefined;
  readonly region: string | undefined;
  readonly readers: Readers;
  /** The delivering identity as policies name it, where it is known. */
  readonly identity?: string | undefined;
  readonly distributions: readonly string[];
  /** Whether something else than distributions stands before the store. */
  readonly hasOtherEdges: boolean;
  /** Absent: the edge reads exact keys, and needs no website endpoint. */
  readonly website?: { readonly index: string; readonly error?: string | undefined } | undefined;
  /** Whether website settings that stand already may be written over. */
  readonly ownsWebsite: boolean;
  readonly versioning: boolean;
  readonly tags: Readonly<Record<string, string>>;
}

/** One change of the bucket, complete: what is to be written, and what decides its words. */
export type ProvisionStep =
  | { readonly do: "create-bucket"; readonly bucket: string; readonly region: string | undefined }
  | {
      readonly do: "set-public-block";
      readonly block: PublicBlock;
      readonly before: PublicBlock | undefined;
      readonly readers: Readers;
    }
  | {
      readonly do: "set-policy";
      readonly policy: Policy;
      readonly before: Policy | undefined;
      readonly wishes: Pick<ProvisionWishes, "bucket" | "prefix" | "readers" | "distributions">;
      /** What all previews' keys begin with, where the policy has statements of its own for them. */
      readonly apart?: string | undefined;
      /** Whether statements of others stay. */
      readonly keepsOthers: boolean;
    }
  | { readonly do: "set-website"; readonly website: WebsiteSettings; readonly isNew: boolean }
  | { readonly do: "keep-versions" }
  | {
      readonly do: "set-tags";
      readonly tags: Readonly<Record<string, string>>;
      readonly missing: Readonly<Record<string, string>>;
    };

/** A wish that is about one setting of the bucket. */
export type SettingWish =
  | { readonly kind: "publicBlock" | "policy" | "versioning" }
  | { readonly kind: "website"; readonly index: string; readonly error: string | undefined }
  | { readonly kind: "tags"; readonly missing: Readonly<Record<string, string>> };

/** What the tool can't, or may not, do here, and leaves to a person. */
export type ByHand =
  /** The settings name nobody who could be let in. */
  | { readonly code: "nobody" }
  /** A cache without an identity; `below`: bucket and prefix. */
  | { readonly code: "other-edge"; readonly below: string }
  /** Previews stand apart from their destination, and nobody is known whom their records could be kept for. */
  | { readonly code: "previews-apart"; readonly below: string }
  /** This identity may not, or the store does not know it. */
  | { readonly code: "denied" | "unknown"; readonly wish: SettingWish; readonly answer: string }
  /** The website endpoint has settings already, which may be another site's. */
  | {
      readonly code: "others-website";
      readonly wish: Extract<SettingWish, { kind: "website" }>;
      readonly before: Pick<WebsiteSettings, "index" | "error">;
    }
  /** A change that the store refused, or that shut out more than it should and was taken back. */
  | {
      readonly code: "refused";
      readonly step: ProvisionStep;
      readonly status?: number;
      readonly answer: string;
    }
  | { readonly code: "taken-back"; readonly step: ProvisionStep; readonly wrong: WrongRead };

/** What is read otherwise than it should be. */
export type WrongRead =
  | { readonly code: "not-found"; readonly key: string }
  | { readonly code: "may-not-write" | "records-open" | "public-shut" | "edge-only-open" };

export interface ProvisionPlan {
  readonly steps: readonly ProvisionStep[];
  readonly byHand: readonly ByHand[];
}

/** What has to be changed so that the bucket is as it should be; nothing where it is. */
export function planProvision(facts: BucketFacts, wishes: ProvisionWishes): ProvisionPlan {
  const { bucket, region } = wishes;
  const block = planPublicBlock(facts.publicBlock, wishes);
  const policy = planPolicy(facts.policy, wishes);
  // The block must be open before a public policy can be set. Shutting it comes last: some stores take any policy that
  // names no identity of their own for a public one.
  const parts: ProvisionPlan[] = [
    facts.isThere ? NOTHING : step({ do: "create-bucket", bucket, region }),
    ...(wishes.readers === "public" ? [block, policy] : [policy, block]),
    planWebsite(facts.website, wishes),
    planVersioning(facts.versioning, wishes),
    planTags(facts.tags, wishes),
  ];
  return { steps: parts.flatMap(({ steps }) => steps), byHand: parts.flatMap(({ byHand }) => byHand) };
}

const NOTHING: ProvisionPlan = { steps: [], byHand: [] };
const step = (one: ProvisionStep): ProvisionPlan => ({ steps: [one], byHand: [] });
const byHand = (one: ByHand): ProvisionPlan => ({ steps: [], byHand: [one] });

/** Its parts about policies must be open before a public policy can be set; access lists are never needed. */
function planPublicBlock(reading: Reading<PublicBlock>, { readers }: ProvisionWishes): ProvisionPlan {
  const isPublic = readers === "public";
  const wanted = { newLists: true, lists: true, newPolicies: !isPublic, policies: !isPublic };
  if (reading.state === "unsupported") return NOTHING;
  if (reading.state === "denied") return isPublic ? toByHand(reading, { kind: "publicBlock" }) : NOTHING;
  if (isPublic) {
    // Where nothing is blocked, nothing has to be opened.
    if (reading.state === "unset" || (!reading.value.newPolicies && !reading.value.policies)) return NOTHING;
    const block = { ...reading.value, newPolicies: false, policies: false };
    return step({ do: "set-public-block", block, before: reading.value, readers });
  }
  const before = reading.state === "set" ? reading.value : undefined;
  const isShut = reading.state === "set" && Object.values(reading.value).every((isBlocked) => isBlocked);
  return isShut ? NOTHING : step({ do: "set-public-block", block: wanted, before, readers });
}

function planPolicy(reading: Reading<Policy>, wishes: ProvisionWishes): ProvisionPlan {
  const { readers, distributions, hasOtherEdges, bucket, prefix, previews } = wishes;
  const isNobody = readers === "edge-only" && distributions.length === 0;
  const others: ByHand[] =
    hasOtherEdges && readers === "edge-only" ? [{ code: "other-edge", below: `${bucket}/${prefix}` }] : [];
  if (isNobody) return others.length === 0 ? byHand({ code: "nobody" }) : { steps: [], byHand: others };
  if (reading.state === "unsupported" || reading.state === "denied")
    return toByHand(reading, { kind: "policy" });
  const canKeep = canKeepPreviews(wishes);
  if (!canKeep) others.push({ code: "previews-apart", below: `${bucket}/${previews}` });
  const before = reading.state === "set" ? reading.value : undefined;
  const ours = toReadStatements(wishes);
  const policy = mergePolicy(before, ours);
  if (before && isSamePolicy(before, policy)) return { steps: [], byHand: others };
  const keepsOthers = policy.Statement.length > ours.length;
  const wanted = { bucket, prefix, readers, distributions };
  return {
    steps: [
      {
        do: "set-policy",
        policy,
        before,
        wishes: wanted,
        apart: canKeep ? findApart(wishes) : undefined,
        keepsOthers,
      },
    ],
    byHand: others,
  };
}

function planWebsite(reading: Reading<WebsiteSettings>, wishes: ProvisionWishes): ProvisionPlan {
  const { website, ownsWebsite } = wishes;
  if (!website) return NOTHING;
  const { index, error } = website;
  const wish = { kind: "website", index, error } as const;
  if (reading.state === "unsupported" || reading.state === "denied") return toByHand(reading, wish);
  const before = reading.state === "set" ? reading.value : undefined;
  if (before?.index === index && before.error === error) return NOTHING;
  if (before && !ownsWebsite) return byHand({ code: "others-website", wish, before });
  const settings = { index, ...(error === undefined ? {} : { error }), rules: before?.rules ?? [] };
  return step({ do: "set-website", website: settings, isNew: before === undefined });
}

function planVersioning(reading: Reading<boolean>, { versioning }: ProvisionWishes): ProvisionPlan {
  if (!versioning || (reading.state === "set" && reading.value)) return NOTHING;
  if (reading.state === "unsupported" || reading.state === "denied")
    return toByHand(reading, { kind: "versioning" });
  return step({ do: "keep-versions" });
}

function planTags(
  reading: Reading<Readonly<Record<string, string>>>,
  { tags }: ProvisionWishes,
): ProvisionPlan {
  const standing = reading.state === "set" ? reading.value : {};
  const missing = Object.fromEntries(
    Object.entries(tags).filter(([name, value]) => standing[name] !== value),
  );
  if (Object.keys(missing).length === 0) return NOTHING;
  if (reading.state === "unsupported" || reading.state === "denied")
    return toByHand(reading, { kind: "tags", missing });
  return step({ do: "set-tags", tags: { ...standing, ...tags }, missing });
}

const toByHand = (
  { state, answer }: { readonly state: "unsupported" | "denied"; readonly answer: string },
  wish: SettingWish,
): ProvisionPlan => byHand({ code: state === "denied" ? "denied" : "unknown", wish, answer });

/** Whether two steps write the same. */
export const isSameStep = (a: ProvisionStep, b: ProvisionStep): boolean =>
  a.do === b.do && JSON.stringify(toWritten(a)) === JSON.stringify(toWritten(b));

function toWritten(one: ProvisionStep): unknown {
  switch (one.do) {
    case "create-bucket":
      return one.bucket;
    case "set-public-block":
      return one.block;
    case "set-policy":
      return one.policy;
    case "set-website":
      return one.website;
    case "keep-versions":
      return undefined;
    case "set-tags":
      return one.tags;
  }
}

/** Stores have many ways of not knowing a setting; a bucket or a policy that is refused is a failure all the same. */
export const isUnknown = ({ do: kind }: ProvisionStep, failure: string): boolean =>
  failure === "unsupported" || (failure === "other" && kind !== "create-bucket" && kind !== "set-policy");

/** Whether a step decides who reads, so that it is to be tried. Opening a block lets nobody in yet. */
export const saysWhoReads = (step: ProvisionStep, readers: Readers): boolean =>
  step.do === "set-policy" || (step.do === "set-public-block" && readers === "edge-only");

/** What is read otherwise than it should be, by somebody unsigned: an object of the site, and one of our records. */
export function judgeReads(
  { isOpen, isOwnOpen }: { readonly isOpen: boolean; readonly isOwnOpen: boolean },
  readers: Readers,
): WrongRead | undefined {
  if (isOwnOpen) return { code: "records-open" };
  if (readers === "public" && !isOpen) return { code: "public-shut" };
  return readers === "edge-only" && isOpen ? { code: "edge-only-open" } : undefined;
}
