import type {
  GetBucketWebsiteCommandOutput,
  RoutingRule as ProtocolRule,
  WebsiteConfiguration,
} from "@aws-sdk/client-s3";
import type { RoutingRule, WebsiteSettings } from "../../../core/model/website.ts";

/** The protocol's website settings as ours, and back. */
export function toWebsite({
  IndexDocument,
  ErrorDocument,
  RoutingRules,
}: GetBucketWebsiteCommandOutput): WebsiteSettings {
  return {
    ...(IndexDocument?.Suffix === undefined ? {} : { index: IndexDocument.Suffix }),
    ...(ErrorDocument?.Key === undefined ? {} : { error: ErrorDocument.Key }),
    rules: (RoutingRules ?? []).map(toRule),
  };
}

/** Website settings as the protocol writes them. */
export const fromWebsite = ({ index, error, rules }: WebsiteSettings): WebsiteConfiguration => ({
  IndexDocument: { Suffix: index ?? "index.html" },
  ...(error === undefined ? {} : { ErrorDocument: { Key: error } }),
  ...(rules.length === 0 ? {} : { RoutingRules: rules.map(fromRule) }),
});

function toRule({ Condition, Redirect }: ProtocolRule): RoutingRule {
  const { HostName, Protocol, ReplaceKeyPrefixWith, ReplaceKeyWith, HttpRedirectCode } = Redirect ?? {};
  return {
    prefix: Condition?.KeyPrefixEquals ?? "",
    ...(ReplaceKeyPrefixWith === undefined ? {} : { replacePrefix: ReplaceKeyPrefixWith }),
    ...(ReplaceKeyWith === undefined ? {} : { replaceKey: ReplaceKeyWith }),
    ...(HostName === undefined ? {} : { host: HostName }),
    ...(Protocol === undefined ? {} : { protocol: Protocol }),
    status: Number(HttpRedirectCode ?? 301),
  };
}

const fromRule = ({
  prefix,
  replacePrefix,
  replaceKey,
  host,
  protocol,
  status,
}: RoutingRule): ProtocolRule => ({
  Condition: { KeyPrefixEquals: prefix },
  Redirect: {
    ...(replacePrefix === undefined ? {} : { ReplaceKeyPrefixWith: replacePrefix }),
    ...(replaceKey === undefined ? {} : { ReplaceKeyWith: replaceKey }),
    ...(host === undefined ? {} : { HostName: host }),
    ...(protocol === undefined ? {} : { Protocol: protocol }),
    HttpRedirectCode: String(status),
  },
});
