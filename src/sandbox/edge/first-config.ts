import type { Tree } from "./behaviour.ts";
import type { Distributions } from "./distributions.ts";
import type { OriginKind } from "./origin.ts";

export interface FirstConfigOptions {
  readonly bucket: string;
  readonly origin: OriginKind;
  readonly clientRoutes: boolean;
  readonly query: "ignored" | "keyed";
  /** It reads just what the bucket lets it, and nothing stands for what is missing. */
  readonly bare?: boolean | undefined;
  /** It speaks https. */
  readonly tls?: unknown;
}

/** The configuration of the distribution that is there from the beginning. */
export function toFirstConfig(
  { bucket, origin, clientRoutes, query, bare, tls }: FirstConfigOptions,
  distributions: Distributions,
  region: string,
): Tree {
  const isWebsite = origin === "website";
  const access = distributions.shelve(
    "originAccess",
    {
      ...{ Name: "practice-signed", OriginAccessControlOriginType: "s3" },
      ...{ SigningBehavior: "always", SigningProtocol: "sigv4" },
    },
    true,
  );
  const policy = distributions.shelve(
    "cachePolicies",
    {
      ...{ Name: "practice", MinTTL: "0", DefaultTTL: "86400", MaxTTL: "31536000" },
      ParametersInCacheKeyAndForwardedToOrigin: {
        ...{ EnableAcceptEncodingGzip: "true", EnableAcceptEncodingBrotli: "true" },
        HeadersConfig: { HeaderBehavior: "none" },
        CookiesConfig: { CookieBehavior: "none" },
        QueryStringsConfig: { QueryStringBehavior: query === "keyed" ? "all" : "none" },
      },
    },
    true,
  );
  return {
    ...{ CallerReference: "sandbox", Comment: "there from the beginning", Enabled: "true" },
    Aliases: { Quantity: "0" },
    DefaultRootObject: "index.html",
    Origins: {
      Quantity: "1",
      Items: {
        Origin: {
          Id: "store",
          DomainName: `${bucket}.${isWebsite ? "s3-website." : "s3."}${region}.amazonaws.com`,
          OriginPath: "",
          ...(isWebsite
            ? { CustomOriginConfig: { HTTPPort: "80", HTTPSPort: "443", OriginProtocolPolicy: "http-only" } }
            : { S3OriginConfig: { OriginAccessIdentity: "" }, OriginAccessControlId: access }),
        },
      },
    },
    DefaultCacheBehavior: {
      ...{
        TargetOriginId: "store",
        ViewerProtocolPolicy: tls === undefined ? "allow-all" : "redirect-to-https",
        Compress: "true",
        CachePolicyId: policy,
      },
      AllowedMethods: { Quantity: "2", Items: { Method: ["GET", "HEAD"] } },
    },
    CustomErrorResponses: { Quantity: "2", Items: { CustomErrorResponse: toErrors(clientRoutes, bare) } },
    ViewerCertificate: { CloudFrontDefaultCertificate: "true" },
  };
}

function toErrors(clientRoutes: boolean, bare = false): Tree[] {
  const page = clientRoutes
    ? { ResponsePagePath: "/index.html", ResponseCode: "200" }
    : { ResponsePagePath: "/404.html", ResponseCode: "404" };
  return ["403", "404"].map((code) => ({ ErrorCode: code, ...(bare ? {} : page), ErrorCachingMinTTL: "0" }));
}
