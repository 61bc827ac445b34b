import type { BucketFacts, PublicBlock, Reading, SettingKind } from "../model/bucket.ts";
import type { Policy } from "../model/policy.ts";
import type { WebsiteSettings } from "../model/website.ts";
import { isSamePolicy, mergePolicy, toReadStatements, type Readers } from "./policies.ts";

/** How the bucket should be. */
export interface ProvisionWishes {
  readonly bucket: string;
  readonly prefix: string;
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

/** One change of the bucket, complete: what is to be written, in words, and why. */
export type ProvisionStep = {
  /** What is there now, and what will be. */
  readonly what: string;
  readonly why: string;
} & (
  | { readonly do: "create-bucket" }
  | { readonly do: "set-public-block"; readonly block: PublicBlock; readonly before: PublicBlock | undefined }
  | { readonly do: "set-policy"; readonly policy: Policy; readonly before: Policy | undefined }
  | { readonly do: "set-website"; readonly website: WebsiteSettings }
  | { readonly do: "keep-versions" }
  | { readonly do: "set-tags"; readonly tags: Readonly<Record<string, string>> }
);

/** What the tool can't, or may not, do here, and how a person does it. */
export interface ByHand {
  readonly what: string;
  readonly why: string;
  readonly how: string;
}

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
    facts.isThere
      ? NOTHING
      : step({
          do: "create-bucket",
          what: `create the bucket ${bucket}${region === undefined ? "" : ` in ${region}`}`,
          why: "it is not there yet",
        }),
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
  if (reading.state === "denied")
    return isPublic
      ? byHand(toByHand("publicBlock", "look at the public access block", reading.answer))
      : NOTHING;
  if (isPublic) {
    // Where nothing is blocked, nothing has to be opened.
    if (reading.state === "unset" || (!reading.value.newPolicies && !reading.value.policies)) return NOTHING;
    const block = { ...reading.value, newPolicies: false, policies: false };
    const why = "everybody is to read the site, and the bucket forbids public policies";
    return step({
      do: "set-public-block",
      ...{ block, before: reading.value },
      what: "let policies make the bucket public (access lists stay shut)",
      why,
    });
  }
  const before = reading.state === "set" ? reading.value : undefined;
  const isShut = reading.state === "set" && Object.values(reading.value).every((isBlocked) => isBlocked);
  if (isShut) return NOTHING;
  const why = "only the edge is to read: no policy or access list can make the bucket public by mistake";
  return step({ do: "set-public-block", block: wanted, before, what: "block all public access", why });
}

function planPolicy(reading: Reading<Policy>, wishes: ProvisionWishes): ProvisionPlan {
  const { readers, distributions, hasOtherEdges, bucket, prefix } = wishes;
  const below = `${bucket}/${prefix}`;
  const isNobody = readers === "edge-only" && distributions.length === 0;
  const others = hasOtherEdges && readers === "edge-only" ? [toOtherEdge(below)] : [];
  if (isNobody && others.length === 0)
    return byHand({
      what: "let the edge read the bucket",
      why: "store.readers says edge-only, and no edge of the settings has an identity that a policy could name",
      how: "name the edge (destinations.NAME.edge), or say readers: public",
    });
  if (isNobody) return { steps: [], byHand: others };
  if (reading.state === "unsupported" || reading.state === "denied")
    return byHand(toByHand("policy", "set the policy that rcourier policy prints", reading.answer));
  const before = reading.state === "set" ? reading.value : undefined;
  const ours = toReadStatements(wishes);
  const policy = mergePolicy(before, ours);
  if (before && isSamePolicy(before, policy)) return { steps: [], byHand: others };
  const who = readers === "public" ? "everybody" : `the distribution ${distributions.join(", ")}`;
  const kept = policy.Statement.length > ours.length ? "; other statements stay" : "";
  const what = `let ${who} read ${prefix === "" ? "the site" : below}, ${prefix}.courier/ left out${kept}`;
  const why = before
    ? "the bucket's policy says something else"
    : "the bucket has no policy: nobody but its owner can read";
  return { steps: [{ do: "set-policy", policy, before, what, why }], byHand: others };
}

const toOtherEdge = (below: string): ByHand => ({
  what: "let the cache read the bucket",
  why: "a cache of your own has no identity: only its network address tells it from others",
  how: `add to the bucket's policy: allow s3:GetObject on ${below}*, .courier/ left out, under the condition IpAddress aws:SourceIp of the cache; or say readers: public`,
});

function planWebsite(reading: Reading<WebsiteSettings>, wishes: ProvisionWishes): ProvisionPlan {
  const { website, ownsWebsite } = wishes;
  if (!website) return NOTHING;
  const { index, error } = website;
  const documents = `index document ${index}${error === undefined ? "" : `, error document ${error}`}`;
  if (reading.state === "unsupported" || reading.state === "denied") {
    const manual = toByHand("website", `set up its website endpoint: ${documents}`, reading.answer);
    return byHand(reading.state === "unsupported" ? { ...manual, how: NO_WEBSITE } : manual);
  }
  const before = reading.state === "set" ? reading.value : undefined;
  if (before?.index === index && before.error === error) return NOTHING;
  if (before && !ownsWebsite)
    return byHand({
      what: `set up its website endpoint: ${documents}`,
      why: `it has settings already (index document ${before.index ?? "none"}, error document ${before.error ?? "none"}), which may be another site's`,
      how: "say ownsWebsite: true in the store's settings if they are this site's alone, and run provision again",
    });
  const settings = { index, ...(error === undefined ? {} : { error }), rules: before?.rules ?? [] };
  return step({
    do: "set-website",
    website: settings,
    what: `website endpoint: ${documents}`,
    why: before ? "its documents are others" : "it has none, and the edge is to read from it",
  });
}

const NO_WEBSITE =
  "this store has no website endpoint: say serves: objects in the store's settings, and set root and error documents at the edge";

function planVersioning(reading: Reading<boolean>, { versioning }: ProvisionWishes): ProvisionPlan {
  if (!versioning || (reading.state === "set" && reading.value)) return NOTHING;
  if (reading.state === "unsupported" || reading.state === "denied")
    return byHand(toByHand("versioning", "switch versioning on", reading.answer));
  return step({ do: "keep-versions", what: "keep versions of overwritten objects", why: "it was asked for" });
}

function planTags(
  reading: Reading<Readonly<Record<string, string>>>,
  { tags }: ProvisionWishes,
): ProvisionPlan {
  const standing = reading.state === "set" ? reading.value : {};
  const missing = Object.entries(tags).filter(([name, value]) => standing[name] !== value);
  if (missing.length === 0) return NOTHING;
  const shown = missing.map(([name, value]) => `${name}=${value}`).join(", ");
  if (reading.state === "unsupported" || reading.state === "denied")
    return byHand(toByHand("tags", `tag the bucket: ${shown}`, reading.answer));
  return step({
    do: "set-tags",
    tags: { ...standing, ...tags },
    what: `tag the bucket: ${shown}`,
    why: "it was asked for; other tags stay",
  });
}

/** The right that looking at a setting, or changing it, needs. */
const RIGHTS: Readonly<Record<SettingKind, string>> = {
  website: "s3:GetBucketWebsite and s3:PutBucketWebsite",
  policy: "s3:GetBucketPolicy, s3:PutBucketPolicy and s3:DeleteBucketPolicy",
  publicBlock: "s3:GetBucketPublicAccessBlock and s3:PutBucketPublicAccessBlock",
  versioning: "s3:GetBucketVersioning and s3:PutBucketVersioning",
  tags: "s3:GetBucketTagging and s3:PutBucketTagging",
};

function toByHand(kind: SettingKind, what: string, answer: string): ByHand {
  const isDenied = /denied|403/i.test(answer);
  return {
    what,
    why: isDenied ? `this identity may not (${answer})` : `the store does not know this (${answer})`,
    how: isDenied
      ? `as somebody with ${RIGHTS[kind]}: run provision once with their credentials`
      : "use what the store's own console or documents offer for it",
  };
}

const KINDS: Readonly<Partial<Record<ProvisionStep["do"], SettingKind>>> = {
  "set-public-block": "publicBlock",
  "set-policy": "policy",
  "set-website": "website",
  "keep-versions": "versioning",
  "set-tags": "tags",
};

/** A change that shut out more than it should: taken back, and left to a person. */
export const toTakenBackByHand = ({ what }: ProvisionStep, wrong: string): ByHand => ({
  what,
  why: `under it ${wrong}, so it was taken back`,
  how: "nothing need be done: without it nobody else is let in either, as long as the policy stays as it is",
});

/** A change that the store turned out not to know: left to a person. */
export function toRefusedByHand(refused: ProvisionStep, answer: string): ByHand {
  const manual = toByHand(KINDS[refused.do] ?? "website", refused.what, answer);
  return refused.do === "set-website" ? { ...manual, how: NO_WEBSITE } : manual;
}
