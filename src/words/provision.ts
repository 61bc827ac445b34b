import type { ByHand, ProvisionStep, SettingWish, WrongRead } from "../core/bucket/provision.ts";
import type { SettingKind } from "../core/model/bucket.ts";

/** A change, and why it is made. */
export interface StepWords {
  readonly what: string;
  readonly why: string;
}

/** What is left to a person, why, and how it is done. */
export interface ByHandWords extends StepWords {
  readonly how: string;
}

/** A change of a bucket, and why it is made. */
export function wordsOfStep(step: ProvisionStep): StepWords {
  switch (step.do) {
    case "create-bucket":
      return {
        what: `create the bucket ${step.bucket}${step.region === undefined ? "" : ` in ${step.region}`}`,
        why: "it is not there yet",
      };
    case "set-public-block":
      return step.readers === "public"
        ? {
            what: "let policies make the bucket public (access lists stay shut)",
            why: "everybody should read the site, but the bucket forbids public policies",
          }
        : {
            what: "block all public access",
            why: "only the edge should read: then no policy or access list can make the bucket public by mistake",
          };
    case "set-policy":
      return wordsOfPolicy(step);
    case "set-website":
      return {
        what: `website endpoint: ${showDocuments(step.website.index ?? "", step.website.error)}`,
        why: step.isNew ? "it has none, and the edge should read from it" : "its documents are others",
      };
    case "keep-versions":
      return { what: "keep versions of overwritten objects", why: "it was asked for" };
    case "set-tags":
      return { what: `tag the bucket: ${showTags(step.missing)}`, why: "it was asked for; other tags stay" };
  }
}

function wordsOfPolicy({
  wishes: { bucket, prefix, readers, distributions },
  before,
  apart,
  keepsOthers,
}: Extract<ProvisionStep, { do: "set-policy" }>): StepWords {
  const ids = distributions.map((id) => (id === "" ? "that is made" : id)).join(", ");
  const who = readers === "public" ? "everybody" : `the distribution ${ids}`;
  const what = prefix === "" ? "the site" : `${bucket}/${prefix}`;
  return {
    what: `let ${who} read ${what}, ${prefix}.courier/ left out${apart === undefined ? "" : `, and the previews at ${bucket}/${apart}, their records left out`}${keepsOthers ? "; other statements stay" : ""}`,
    why: before
      ? "the bucket's policy says something else"
      : "the bucket has no policy: nobody but its owner can read",
  };
}

const showDocuments = (index: string, error: string | undefined): string =>
  `index document ${index}${error === undefined ? "" : `, error document ${error}`}`;

const showTags = (tags: Readonly<Record<string, string>>): string =>
  Object.entries(tags)
    .map(([name, value]) => `${name}=${value}`)
    .join(", ");

/** The right that looking at a setting, or changing it, needs. */
const RIGHTS: Readonly<Record<SettingKind, string>> = {
  website: "s3:GetBucketWebsite and s3:PutBucketWebsite",
  policy: "s3:GetBucketPolicy, s3:PutBucketPolicy and s3:DeleteBucketPolicy",
  publicBlock: "s3:GetBucketPublicAccessBlock and s3:PutBucketPublicAccessBlock",
  versioning: "s3:GetBucketVersioning and s3:PutBucketVersioning",
  tags: "s3:GetBucketTagging and s3:PutBucketTagging",
};

const NO_WEBSITE =
  "this store has no website endpoint: set serves: objects in the store's settings, and set root and error documents at the edge";

function showWish(wish: SettingWish): string {
  switch (wish.kind) {
    case "publicBlock":
      return "look at the public access block";
    case "policy":
      return "set the policy that rcourier policy prints";
    case "versioning":
      return "switch versioning on";
    case "website":
      return `set up its website endpoint: ${showDocuments(wish.index, wish.error)}`;
    case "tags":
      return `tag the bucket: ${showTags(wish.missing)}`;
  }
}

/** What is left to a person, why, and how it is done. */
export function wordsOfByHand(left: ByHand): ByHandWords {
  switch (left.code) {
    case "nobody":
      return {
        what: "let the edge read the bucket",
        why: "store.readers says edge-only, and no edge of the settings has an identity that a policy could name",
        how: "name the edge (destinations.NAME.edge), or set readers: public",
      };
    case "other-edge":
      return {
        what: "let the cache read the bucket",
        why: "a cache of your own has no identity: only its network address identifies it",
        how: `add to the bucket's policy: allow s3:GetObject on ${left.below}*, .courier/ left out, under the condition IpAddress aws:SourceIp of the cache; or set readers: public`,
      };
    case "previews-apart":
      return {
        what: `let visitors read the previews at ${left.below}`,
        why: "they stand apart from the site, and nobody is named for whom their records could be kept from everybody else",
        how: "set store.identity, the identity that delivers, and run provision again; or give previews a prefix below the site's own",
      };
    case "denied":
      return { what: showWish(left.wish), ...showDenied(left.wish.kind, left.answer) };
    case "unknown":
      return { what: showWish(left.wish), ...showUnknown(left.wish.kind, left.answer) };
    case "others-website":
      return {
        what: showWish(left.wish),
        why: `it has settings already (index document ${left.before.index ?? "none"}, error document ${left.before.error ?? "none"}), perhaps for another site`,
        how: "set ownsWebsite: true in the store's settings if they are this site's alone, and run provision again",
      };
    case "refused": {
      const kind = KINDS[left.step.do] ?? "website";
      const words = left.status === 403 ? showDenied(kind, left.answer) : showUnknown(kind, left.answer);
      return { what: wordsOfStep(left.step).what, ...words };
    }
    case "taken-back":
      return {
        what: wordsOfStep(left.step).what,
        why: `under it ${showWrongRead(left.wrong)}, so it was taken back`,
        how: "nothing need be done: without it nobody else is let in either, as long as the policy stays as it is",
      };
  }
}

const KINDS: Readonly<Partial<Record<ProvisionStep["do"], SettingKind>>> = {
  "set-public-block": "publicBlock",
  "set-policy": "policy",
  "set-website": "website",
  "keep-versions": "versioning",
  "set-tags": "tags",
};

const showDenied = (kind: SettingKind, answer: string): Pick<ByHandWords, "why" | "how"> => ({
  why: `these credentials may not (${answer})`,
  how: `as somebody with ${RIGHTS[kind]}: run provision once with their credentials`,
});

const showUnknown = (kind: SettingKind, answer: string): Pick<ByHandWords, "why" | "how"> => ({
  why: `the store does not know this (${answer})`,
  how: kind === "website" ? NO_WEBSITE : "use what the store's own console or documents offer for it",
});

/** What is read otherwise than it should be. */
export function showWrongRead(wrong: WrongRead): string {
  switch (wrong.code) {
    case "not-found":
      return `these credentials can't find ${wrong.key}, which it has just written`;
    case "may-not-write":
      return "these credentials may not write there itself";
    case "records-open":
      return "everybody could read this tool's records in .courier/";
    case "public-shut":
      return "the public may not read the site's objects";
    case "edge-only-open":
      return "everybody may read the site's objects, not the edge only";
  }
}

/** What was tried afterwards. */
export const showChecked = (readers: "public" | "edge-only"): string[] => [
  readers === "public"
    ? "everybody reads the site's objects"
    : "nobody reads the site's objects without credentials",
  "nobody reads this tool's records without credentials",
  "these credentials read both",
];
