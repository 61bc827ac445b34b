import { receiveText } from "./body.ts";
import { ProtocolError } from "./failure.ts";
import type { BucketSettings, SandboxRoutingRule } from "./object-table.ts";
import { answer, answerXml, type Call } from "./operations.ts";
import { many, parseXml, toXml } from "./xml.ts";

/** The settings of a bucket that the sandbox knows: website, policy, versioning, location. */
export const SETTINGS_QUERIES = ["website", "policy", "versioning", "location"] as const;
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
    case "location":
      answerXml(call, toXml("LocationConstraint", region === "us-east-1" ? {} : { "#text": region }));
  }
  return Promise.resolve();
}

export async function changeSettings(call: Call, which: SettingsQuery): Promise<void> {
  const text = await receiveText(call.request);
  if (which === "location")
    throw new ProtocolError(
      405,
      "MethodNotAllowed",
      "The specified method is not allowed against this resource.",
    );
  call.table.change(
    which === "website"
      ? { website: parseWebsite(text) }
      : which === "policy"
        ? { policy: parsePolicy(text) }
        : { versioning: parseVersioning(text) },
  );
  answer(call, which === "policy" ? 204 : 200, {});
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

function parsePolicy(text: string): string {
  try {
    JSON.parse(text);
  } catch {
    throw new ProtocolError(400, "MalformedPolicy", "This policy contains invalid JSON");
  }
  return text;
}

const parseVersioning = (text: string): string =>
  String(parseXml(text, "VersioningConfiguration").Status ?? "Suspended");

interface Statement {
  readonly Effect?: string;
  readonly Principal?: unknown;
  readonly Action?: string | string[];
  readonly Resource?: string | string[];
}

/** Whether the bucket's policy lets anybody do this; a statement that denies it wins. */
export function isAllowedToAll({ policy }: BucketSettings, action: string, resource: string): boolean {
  if (policy === undefined) return false;
  const { Statement: statements = [] } = JSON.parse(policy) as { Statement?: Statement | Statement[] };
  const fitting = [statements].flat().filter(({ Principal, Action, Resource }) => {
    const anybody = Principal === "*" || (Principal as { AWS?: unknown } | undefined)?.AWS === "*";
    return (
      anybody &&
      [Action ?? []].flat().some((pattern) => matches(pattern, action)) &&
      [Resource ?? []].flat().some((pattern) => matches(pattern, resource))
    );
  });
  return fitting.some(({ Effect }) => Effect === "Allow") && !fitting.some(({ Effect }) => Effect === "Deny");
}

const matches = (pattern: string, text: string): boolean =>
  new RegExp(
    `^${pattern
      .replace(/[.+^${}()|[\]\\]/g, "\\$&")
      .replace(/\*/g, ".*")
      .replace(/\?/g, ".")}$`,
    "s",
  ).test(text);
