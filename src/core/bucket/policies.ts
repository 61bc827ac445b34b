import type { Policy, PolicyStatement } from "../model/policy.ts";

/** Who may read the site's objects from the store. */
export const READERS = ["public", "edge-only"] as const;
export type Readers = (typeof READERS)[number];

/** What the tool's requests touch; a policy is made for just these. */
export interface PolicyFacts {
  readonly bucket: string;
  /** Empty, or ends in a slash. */
  readonly prefix: string;
  /** What all previews' keys begin with; absent: there are none. */
  readonly previews?: string | undefined;
  /** Whether the bucket's website settings are written, too. */
  readonly ownsWebsite: boolean;
  /** Distributions that are asked to forget. */
  readonly distributions: readonly string[];
  /** What the distribution before the store is given with each release. */
  readonly means?: {
    readonly viewerFunction?: string | undefined;
    readonly headersPolicy?: string | undefined;
  };
}

const VERSION = "2012-10-17";

/** The least that the delivering identity needs: exactly the requests that deliver, redeliver, prune and verify make. */
export function toDeliveryPolicy(facts: PolicyFacts): Policy {
  const { bucket, ownsWebsite, distributions, means = {} } = facts;
  const arn = `arn:aws:s3:::${bucket}`;
  const prefixes = listPrefixes(facts);
  const listed = prefixes.flatMap((prefix) => [prefix, `${prefix}*`]);
  const below = prefixes.includes("") ? {} : { Condition: { StringLike: { "s3:prefix": listed } } };
  return {
    Version: VERSION,
    Statement: [
      { Sid: "SeeWhatStands", Effect: "Allow", Action: ["s3:ListBucket"], Resource: [arn], ...below },
      {
        Sid: "FindUnfinishedUploads",
        Effect: "Allow",
        Action: ["s3:ListBucketMultipartUploads"],
        Resource: [arn],
      },
      // To see whether a content that is to be forgotten is kept as a version; to remove those is another identity's right.
      {
        Sid: "SeeWhatVersionsStand",
        Effect: "Allow",
        Action: ["s3:ListBucketVersions"],
        Resource: [arn],
        ...below,
      },
      {
        Sid: "ReadWriteAndRemove",
        Effect: "Allow",
        Action: ["s3:GetObject", "s3:PutObject", "s3:DeleteObject", "s3:AbortMultipartUpload"],
        Resource: prefixes.map((prefix) => `${arn}/${prefix}*`),
      },
      ...(ownsWebsite
        ? [
            {
              Sid: "SwitchRedirects",
              Effect: "Allow" as const,
              Action: ["s3:GetBucketWebsite", "s3:PutBucketWebsite"],
              Resource: [arn],
            },
          ]
        : []),
      ...(distributions.length === 0
        ? []
        : [
            {
              Sid: "LetEdgesForget",
              Effect: "Allow" as const,
              Action: ["cloudfront:CreateInvalidation", "cloudfront:GetInvalidation"],
              Resource: distributions.map((id) => `arn:aws:cloudfront::*:distribution/${id}`),
            },
          ]),
      ...toMeansStatements(means, distributions),
    ],
  };
}

/** Functions and headers policies have no regions; what is asked for of one names just that one. */
function toMeansStatements(
  { viewerFunction, headersPolicy }: NonNullable<PolicyFacts["means"]>,
  [distribution = ""]: readonly string[],
): PolicyStatement[] {
  if (viewerFunction === undefined && headersPolicy === undefined) return [];
  const allow = (Sid: string, actions: readonly string[], resource: string): PolicyStatement => ({
    ...{ Sid, Effect: "Allow" },
    Action: actions.map((action) => `cloudfront:${action}`),
    Resource: [`arn:aws:cloudfront::*:${resource}`],
  });
  const toFunction = ["DescribeFunction", "GetFunction", "UpdateFunction", "PublishFunction"];
  const toHeaders = ["GetResponseHeadersPolicy", "UpdateResponseHeadersPolicy"];
  return [
    allow("WaitForTheEdge", ["GetDistribution"], `distribution/${distribution}`),
    ...(viewerFunction === undefined
      ? []
      : [allow("SwitchWhatTheEdgeDoes", toFunction, `function/${viewerFunction}`)]),
    ...(headersPolicy === undefined
      ? []
      : [allow("SwitchHeaders", toHeaders, `response-headers-policy/${headersPolicy}`)]),
  ];
}

/** What all previews' keys begin with, where that is not below their destination's own prefix. */
export const findApart = (facts: Pick<PolicyFacts, "prefix" | "previews">): string | undefined =>
  listPrefixes(facts)[1];

/** Where the tool writes: previews may stand apart from their destination. */
const listPrefixes = ({ prefix, previews }: Pick<PolicyFacts, "prefix" | "previews">): string[] =>
  previews === undefined || previews.startsWith(prefix) ? [prefix] : [prefix, previews];

/** Whom a bucket's policy lets read, and what not. */
export interface ReadPolicyFacts extends Pick<
  PolicyFacts,
  "bucket" | "prefix" | "previews" | "distributions"
> {
  readonly readers: Readers;
  /** The identity that delivers, as policies name it, where it is known. */
  readonly identity?: string | undefined;
}

/** The bucket policy that lets everybody, or just the distributions, read the site and keeps the tool's own part from them. */
export const toReadPolicy = (facts: ReadPolicyFacts): Policy => ({
  Version: VERSION,
  Statement: toReadStatements(facts),
});

/**
 * The statements of it, each under a name of its own for the prefix. A plain deny of the tool's own part would shut the
 * delivering identity out as well. So the part is left out of what is allowed; or, where the identity is known, denied to
 * everybody else. Several destinations may share a bucket: the tool's parts of all of them are left out.
 */
export function toReadStatements(facts: ReadPolicyFacts): PolicyStatement[] {
  const { identity } = facts;
  const [own, apart] = listPrefixes(facts);
  const previews =
    apart === undefined || identity === undefined
      ? []
      : toStatementsBelow({ ...facts, prefix: apart }, `${apart}*/`);
  return [...toStatementsBelow({ ...facts, prefix: own ?? "" }), ...previews];
}

/** Whether the records of previews can be kept from readers: where they stand apart, only by naming who may. */
export const canKeepPreviews = ({
  identity,
  ...facts
}: Pick<ReadPolicyFacts, "prefix" | "previews" | "identity">): boolean =>
  identity !== undefined || listPrefixes(facts).length === 1;

/** @param records what stands before each record's own key */
function toStatementsBelow(
  { bucket, prefix, readers, identity, distributions }: ReadPolicyFacts,
  records = prefix,
): PolicyStatement[] {
  const arn = `arn:aws:s3:::${bucket}`;
  const read: Pick<PolicyStatement, "Effect" | "Principal" | "Action" | "Condition"> = {
    Effect: "Allow",
    ...(readers === "public" ? { Principal: "*" } : { Principal: { Service: "cloudfront.amazonaws.com" } }),
    Action: ["s3:GetObject"],
    ...(readers === "public"
      ? {}
      : {
          Condition: {
            StringLike: {
              "AWS:SourceArn": distributions.map((id) => `arn:aws:cloudfront::*:distribution/${id}`),
            },
          },
        }),
  };
  const name = `ReadTheSite${toName(prefix)}`;
  if (prefix === "")
    return [{ Sid: name, ...read, NotResource: [`${arn}/.courier/*`, `${arn}/*/.courier/*`] }];
  if (identity !== undefined) {
    const kept = {
      Sid: `KeepTheRecords${toName(prefix)}`,
      Effect: "Deny",
      NotPrincipal: { AWS: [identity] },
      Action: ["s3:GetObject"],
      Resource: [`${arn}/${records}.courier/*`],
    } as const;
    return [{ Sid: name, ...read, Resource: [`${arn}/${prefix}*`] }, kept];
  }
  // One statement can't name a prefix and leave a part of it out: what stands below it is named by its first letter.
  const parts = Array.from(FIRST_LETTERS, (letter) => `${arn}/${prefix}${letter}*`);
  return [{ Sid: name, ...read, Resource: [...parts, `${arn}/${prefix}.well-known/*`] }];
}

const FIRST_LETTERS =
  " !\"#%&'()+,-/0123456789;<=>@ABCDEFGHIJKLMNOPQRSTUVWXYZ[]^_`abcdefghijklmnopqrstuvwxyz{|}~";

/** Names of statements take letters and digits only. */
const toName = (prefix: string): string =>
  Array.from(prefix, (letter) =>
    /[A-Za-z0-9]/.test(letter) ? letter : `x${(letter.codePointAt(0) ?? 0).toString(16)}`,
  ).join("");

/** The policy that stands, with our statements in the place of those of the same names; all others stay. */
export function mergePolicy(standing: Policy | undefined, ours: readonly PolicyStatement[]): Policy {
  const others = (standing?.Statement ?? []).filter(
    ({ Sid }) => !ours.some((statement) => statement.Sid === Sid),
  );
  return { Version: standing?.Version ?? VERSION, Statement: [...others, ...ours] };
}

/** Whether two policies say the same, whichever way lists of one and orders are written. */
export const isSamePolicy = (a: Policy, b: Policy): boolean =>
  toComparable(a.Statement) === toComparable(b.Statement);

const toComparable = (statements: readonly PolicyStatement[]): string =>
  JSON.stringify(
    [statements]
      .flat()
      .map(({ Effect, Principal, NotPrincipal, Action, Resource, NotResource, Condition = {} }) =>
        JSON.stringify([
          Effect,
          toNames(Principal),
          toNames(NotPrincipal),
          ...[Action, Resource, NotResource].map(toSorted),
          Object.entries(Condition)
            .map(([test, values]) => [test, toNames(values)])
            .sort(),
        ]),
      )
      .sort(),
  );

const toSorted = (values: string | readonly string[] | undefined): string[] => [values ?? []].flat().sort();

const toNames = (names: PolicyStatement["Principal"]): unknown =>
  names === "*"
    ? [["AWS", ["*"]]]
    : Object.entries(names ?? {})
        .map(([name, values]) => [name, toSorted(values)])
        .sort();
