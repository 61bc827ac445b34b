import { receiveText } from "./body.ts";
import { ProtocolError } from "./failure.ts";
import type { BucketSettings, SandboxRoutingRule } from "./object-table.ts";
import { answer, answerXml, type Call } from "./operations.ts";
import { isPublicPolicy, judge, readPolicy, type Asker, type Right } from "./permissions.ts";
import { many, parseXml, toXml } from "./xml.ts";

/** The settings of a bucket that the sandbox knows. */
export const SETTINGS_QUERIES = [
  "website",
  "policy",
  "versioning",
  "location",
  "publicAccessBlock",
  "tagging",
] as const;
export type SettingsQuery = (typeof SETTINGS_QUERIES)[number];

export function readSettings(call: Call, which: SettingsQuery, region: string): Promise<void> {
  const { settings } = call.table;
  switch (which) {
    case "website":
      if (!settings.website)
        throw new ProtocolError(
          404,
          "NoSuchWebsiteConfiguration",
          "The bucket does not have a website configuration",
        );
      answerXml(call, toXml("WebsiteConfiguration", toWebsiteXml(settings.website)));
      break;
    case "policy":
      if (settings.policy === undefined)
        throw new ProtocolError(404, "NoSuchBucketPolicy", "The bucket policy does not exist");
      call.response.writeHead(200, { "content-type": "application/json" }).end(settings.policy);
      break;
    case "versioning":
      answerXml(
        call,
        toXml(
          "VersioningConfiguration",
          settings.versioning === undefined ? {} : { Status: settings.versioning },
        ),
      );
      break;
    case "publicAccessBlock":
      if (!settings.publicBlock)
        throw new ProtocolError(
          404,
          "NoSuchPublicAccessBlockConfiguration",
          "The public access block configuration was not found",
        );
      answerXml(call, toXml("PublicAccessBlockConfiguration", settings.publicBlock));
      break;
    case "tagging":
      if (!settings.tags) throw new ProtocolError(404, "NoSuchTagSet", "The TagSet does not exist");
      answerXml(call, toXml("Tagging", { TagSet: { Tag: settings.tags } }));
      break;
    case "location":
      answerXml(call, toXml("LocationConstraint", region === "us-east-1" ? {} : { "#text": region }));
  }
  return Promise.resolve();
}

export async function changeSettings(call: Call, which: SettingsQuery): Promise<void> {
  const text = await receiveText(call.request);
  call.table.change(parseChange(which, text, call.table.settings));
  answer(call, which === "policy" ? 204 : 200, {});
}

function parseChange(which: SettingsQuery, text: string, before: BucketSettings): Partial<BucketSettings> {
  switch (which) {
    case "website":
      return { website: parseWebsite(text) };
    case "policy":
      return { policy: parsePolicy(text, before) };
    case "versioning":
      return { versioning: parseVersioning(text) };
    case "publicAccessBlock":
      return { publicBlock: parsePublicBlock(text) };
    case "tagging":
      return {
        tags: many((parseXml(text, "Tagging").TagSet as { Tag?: unknown } | undefined)?.Tag).map(toTag),
      };
    case "location":
      throw notAllowedHere();
  }
}

/** Takes a setting away. */
export function removeSettings(call: Call, which: SettingsQuery): void {
  if (which !== "policy" && which !== "website" && which !== "publicAccessBlock") throw notAllowedHere();
  call.table.change({ [which === "publicAccessBlock" ? "publicBlock" : which]: undefined });
  answer(call, 204, {});
}

const notAllowedHere = (): ProtocolError =>
  new ProtocolError(405, "MethodNotAllowed", "The specified method is not allowed against this resource.");

const toTag = ({ Key, Value }: Record<string, unknown>): { Key: string; Value: string } => ({
  Key: String(Key),
  Value: String(Value),
});

function parsePublicBlock(text: string): NonNullable<BucketSettings["publicBlock"]> {
  const said = parseXml(text, "PublicAccessBlockConfiguration");
  const names = ["BlockPublicAcls", "IgnorePublicAcls", "BlockPublicPolicy", "RestrictPublicBuckets"];
  return Object.fromEntries(names.map((name) => [name, said[name] === "true"]));
}

const toWebsiteXml = ({ index, error, rules = [] }: NonNullable<BucketSettings["website"]>): object => ({
  IndexDocument: { Suffix: index },
  ...(error === undefined ? {} : { ErrorDocument: { Key: error } }),
  ...(rules.length === 0
    ? {}
    : {
        RoutingRules: {
          RoutingRule: rules.map(({ KeyPrefixEquals, ...Redirect }) => ({
            Condition: { KeyPrefixEquals },
            Redirect,
          })),
        },
      }),
});

interface WebsiteXml {
  readonly IndexDocument?: { readonly Suffix?: string };
  readonly ErrorDocument?: { readonly Key?: string };
  readonly RoutingRules?: { readonly RoutingRule?: unknown };
}

function parseWebsite(text: string): NonNullable<BucketSettings["website"]> {
  const { IndexDocument, ErrorDocument, RoutingRules } = parseXml(text, "WebsiteConfiguration") as WebsiteXml;
  const index = IndexDocument?.Suffix;
  const error = ErrorDocument?.Key;
  if (index === undefined || index === "" || index.includes("/"))
    throw new ProtocolError(400, "InvalidArgument", "The IndexDocument Suffix is not well formed");
  const rules = many(RoutingRules?.RoutingRule).map((rule) => ({
    ...(rule.Condition as SandboxRoutingRule),
    ...(rule.Redirect as object),
  }));
  if (rules.length > 50)
    throw new ProtocolError(400, "InvalidRequest", "A website has at most 50 routing rules.");
  return { index, ...(error === undefined ? {} : { error }), ...(rules.length === 0 ? {} : { rules }) };
}

function parsePolicy(text: string, { publicBlock }: BucketSettings): string {
  const policy = readPolicy(text);
  if (publicBlock?.BlockPublicPolicy === true && isPublicPolicy(policy))
    throw new ProtocolError(
      403,
      "AccessDenied",
      "The policy is public, and the bucket's public access block forbids public policies.",
    );
  return text;
}

/** What a bucket's own policy says to a right; a public one says nothing to anybody where the bucket restricts that. */
export function judgeByBucket(
  { policy, publicBlock }: BucketSettings,
  right: Right,
  asker: Asker,
): ReturnType<typeof judge> {
  if (policy === undefined) return undefined;
  const isRestricted = publicBlock?.RestrictPublicBuckets === true && asker.kind === "anybody";
  return isRestricted ? undefined : judge(readPolicy(policy), right, asker);
}

function parseVersioning(text: string): string {
  const { Status = "Suspended" } = parseXml(text, "VersioningConfiguration") as { readonly Status?: string };
  return Status;
}
