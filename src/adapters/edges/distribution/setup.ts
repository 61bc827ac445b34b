import type {
  CacheBehavior,
  CachePolicyConfig,
  CustomErrorResponse,
  DefaultCacheBehavior,
  DistributionConfig,
  Origin as RawOrigin,
  ViewerProtocolPolicy,
} from "@aws-sdk/client-cloudfront";
import type {
  CacheRule,
  DistributionSetup,
  ErrorAnswer,
  HeadersPolicy,
  Origin,
  PlainHttp,
} from "../../../core/model/distribution.ts";

/** What a configuration only refers to, read beside it. */
export interface ReferredTo {
  /** Absent: it names no cache policy. */
  readonly cachePolicy?: CachePolicyConfig | undefined;
  /** Absent: it names no policy of headers. */
  readonly headersPolicy?: HeadersPolicy | undefined;
  /** Whether the origin's access control has each request signed. */
  readonly isSigned: boolean;
}

const HTTP: Readonly<Record<ViewerProtocolPolicy, PlainHttp>> = {
  "allow-all": "open",
  "redirect-to-https": "leads",
  "https-only": "shut",
};

/** The origin of whatever no other behaviour is for. */
export function findOrigin(config: DistributionConfig): RawOrigin | undefined {
  const id = config.DefaultCacheBehavior?.TargetOriginId;
  return config.Origins?.Items?.find((one) => one.Id === id);
}

/** A configuration, as far as the tool sees to it. */
export function toSetup(
  config: DistributionConfig,
  { cachePolicy, headersPolicy, isSigned }: ReferredTo,
): DistributionSetup {
  const behaviour = config.DefaultCacheBehavior;
  const { ACMCertificateArn, IAMCertificateId } = config.ViewerCertificate ?? {};
  const certificate = ACMCertificateArn ?? IAMCertificateId;
  return {
    origin: toOrigin(findOrigin(config), isSigned),
    rootDocument: config.DefaultRootObject ?? "",
    errors: (config.CustomErrorResponses?.Items ?? []).map(toErrorAnswer),
    compresses: behaviour?.Compress ?? false,
    plainHttp: HTTP[behaviour?.ViewerProtocolPolicy ?? "allow-all"],
    methods: behaviour?.AllowedMethods?.Items ?? ["GET", "HEAD"],
    cache: toCacheRule(behaviour, cachePolicy),
    names: config.Aliases?.Items ?? [],
    ...(certificate === undefined || certificate === "" ? {} : { certificate }),
    isOn: config.Enabled ?? false,
    ...(headersPolicy && { headersPolicy }),
    ...toViewerFunction(behaviour),
  };
}

/** A function of either kind that is run for each request: there can be one. */
function toViewerFunction(behaviour: DefaultCacheBehavior | undefined): { readonly viewerFunction?: string } {
  const own = (behaviour?.FunctionAssociations?.Items ?? []).find(({ EventType }) => EventType === VIEWER);
  const other = (behaviour?.LambdaFunctionAssociations?.Items ?? []).find(
    ({ EventType }) => EventType === VIEWER,
  );
  const arn = own?.FunctionARN ?? other?.LambdaFunctionARN;
  // Of the other kind the whole reference is its name, so that it is never taken for one of ours.
  return arn === undefined ? {} : { viewerFunction: own ? arn.replace(/^.*:function\//, "") : arn };
}

const VIEWER = "viewer-request";

const PORTS = { http: 80, https: 443 } as const;

function toOrigin(raw: RawOrigin | undefined, isSigned: boolean): Origin {
  const { DomainName: host = "", OriginPath: path = "", CustomOriginConfig: custom } = raw ?? {};
  const access = isSigned && !custom ? "signed" : "plain";
  if (!custom) return { host, path, access, protocol: "https" };
  const policy = custom.OriginProtocolPolicy;
  const protocol = policy === "http-only" ? "http" : policy === "https-only" ? "https" : "as-asked";
  const port = protocol === "https" ? custom.HTTPSPort : custom.HTTPPort;
  const isUsual = port === undefined || port === PORTS[protocol === "https" ? "https" : "http"];
  return { host: isUsual ? host : `${host}:${port}`, path, access, protocol };
}

const toErrorAnswer = (raw: CustomErrorResponse): ErrorAnswer => {
  const { ErrorCode, ResponsePagePath: page = "", ResponseCode: as = "", ErrorCachingMinTTL } = raw;
  return {
    status: ErrorCode ?? 0,
    ...(page === "" ? {} : { page }),
    ...(as === "" ? {} : { as: Number(as) }),
    heldSeconds: ErrorCachingMinTTL ?? 10,
  };
};

/** The older way: a behaviour says by itself what it tells copies apart by. It can be read, and is no longer written. */
interface OwnValues {
  readonly ForwardedValues?: {
    readonly QueryString?: boolean;
    readonly Cookies?: { readonly Forward?: string };
    readonly Headers?: { readonly Items?: readonly string[] };
  };
  readonly MinTTL?: number;
}

const OWN_VALUES = new Set(["ForwardedValues", "MinTTL", "DefaultTTL", "MaxTTL"]);

function toCacheRule(
  behaviour: DefaultCacheBehavior | undefined,
  policy: CachePolicyConfig | undefined,
): CacheRule {
  const own = policy?.ParametersInCacheKeyAndForwardedToOrigin;
  if (policy && own)
    return {
      query: own.QueryStringsConfig?.QueryStringBehavior !== "none",
      cookies: own.CookiesConfig?.CookieBehavior !== "none",
      headers: toHeaderNames(own.HeadersConfig?.Headers?.Items),
      compressed: own.EnableAcceptEncodingGzip === true && own.EnableAcceptEncodingBrotli === true,
      minimumSeconds: policy.MinTTL ?? 0,
    };
  const { ForwardedValues: forwarded, MinTTL: least } = (behaviour ?? {}) as OwnValues;
  return {
    query: forwarded?.QueryString ?? false,
    cookies: (forwarded?.Cookies?.Forward ?? "none") !== "none",
    headers: toHeaderNames(forwarded?.Headers?.Items),
    compressed: true,
    minimumSeconds: least ?? 0,
  };
}

const toHeaderNames = (names: readonly string[] = []): string[] =>
  names.map((name) => name.toLowerCase()).filter((name) => name !== "accept-encoding");

/** What changes refer to: ids of what was made for them. */
export interface Referred {
  readonly cachePolicyId?: string | undefined;
  readonly originAccessId?: string | undefined;
  readonly functionArn?: string | undefined;
  readonly headersPolicyId?: string | undefined;
}

/** The configuration with what is changed, and everything else as it is. */
export function withChanges(
  config: DistributionConfig,
  changes: Partial<DistributionSetup>,
  refer: Referred,
): DistributionConfig {
  const { origin, rootDocument, errors, names, certificate, isOn } = changes;
  const placed = origin ? withOrigin(config, origin, refer.originAccessId) : config;
  return {
    ...placed,
    DefaultCacheBehavior: withBehaviour(placed.DefaultCacheBehavior, changes, refer),
    ...(rootDocument === undefined ? {} : { DefaultRootObject: rootDocument }),
    ...(errors === undefined ? {} : { CustomErrorResponses: toList(errors.map(toRawError)) }),
    ...(names === undefined ? {} : { Aliases: toList([...names]) }),
    ...(certificate === undefined ? {} : { ViewerCertificate: toViewerCertificate(config, certificate) }),
    ...(isOn === undefined ? {} : { Enabled: isOn }),
  };
}

const toList = <Item>(items: Item[]): { Quantity: number; Items: Item[] } => ({
  Quantity: items.length,
  Items: items,
});

const toRawError = ({ status, page, as, heldSeconds }: ErrorAnswer): CustomErrorResponse => ({
  ErrorCode: status,
  ...(page === undefined ? {} : { ResponsePagePath: page, ResponseCode: String(as ?? status) }),
  ErrorCachingMinTTL: heldSeconds,
});

function withOrigin(
  config: DistributionConfig,
  origin: Origin,
  originAccessId: string | undefined,
): DistributionConfig {
  const before = findOrigin(config);
  const items = config.Origins?.Items ?? [];
  const others: readonly CacheBehavior[] = config.CacheBehaviors?.Items ?? [];
  // What other behaviours read from stays as it is: then an origin is added.
  const isShared = others.some(({ TargetOriginId }) => TargetOriginId === before?.Id);
  const id = before && !isShared ? before.Id : nameOrigin(items);
  const { CustomOriginConfig: _custom, S3OriginConfig: _bucket, ...kept } = before ?? {};
  const raw = { ...(isShared ? {} : kept), ...toRawOrigin(origin, originAccessId), Id: id } as RawOrigin;
  const placed = items.some(({ Id }) => Id === id)
    ? items.map((one) => (one.Id === id ? raw : one))
    : [...items, raw];
  const behaviour = { ...config.DefaultCacheBehavior, TargetOriginId: id } as DefaultCacheBehavior;
  return { ...config, Origins: toList(placed), DefaultCacheBehavior: behaviour };
}

function nameOrigin(items: readonly RawOrigin[]): string {
  for (let number = 1; ; number++) {
    const name = number === 1 ? "site" : `site-${number}`;
    if (!items.some(({ Id }) => Id === name)) return name;
  }
}

function toRawOrigin({ host, path, access, protocol }: Origin, originAccessId = ""): Partial<RawOrigin> {
  const [name = "", port] = host.split(":");
  const common = { DomainName: name, OriginPath: path, OriginAccessControlId: originAccessId };
  if (access === "signed") return { ...common, S3OriginConfig: { OriginAccessIdentity: "" } };
  const ports = {
    HTTPPort: port !== undefined && protocol !== "https" ? Number(port) : PORTS.http,
    HTTPSPort: port !== undefined && protocol === "https" ? Number(port) : PORTS.https,
  };
  return {
    ...common,
    OriginAccessControlId: "",
    CustomOriginConfig: {
      ...ports,
      OriginProtocolPolicy:
        protocol === "http" ? "http-only" : protocol === "https" ? "https-only" : "match-viewer",
      OriginSslProtocols: toList(["TLSv1.2"]),
    },
  };
}

function withBehaviour(
  before: DefaultCacheBehavior | undefined,
  { compresses, plainHttp, methods }: Partial<DistributionSetup>,
  { cachePolicyId, functionArn, headersPolicyId }: Referred,
): DefaultCacheBehavior {
  const cached = toList<"GET" | "HEAD">(["GET", "HEAD"]);
  const after = {
    ...before,
    ...(compresses === undefined ? {} : { Compress: compresses }),
    ...(plainHttp === undefined ? {} : { ViewerProtocolPolicy: toViewerPolicy(plainHttp) }),
    ...(methods === undefined ? {} : { AllowedMethods: { ...toList([...methods]), CachedMethods: cached } }),
    ...(functionArn === undefined ? {} : { FunctionAssociations: withFunction(before, functionArn) }),
    ...(headersPolicyId === undefined ? {} : { ResponseHeadersPolicyId: headersPolicyId }),
  } as DefaultCacheBehavior;
  if (cachePolicyId === undefined) return after;
  // A behaviour has either a policy or its own values.
  const kept = Object.fromEntries(Object.entries(after).filter(([name]) => !OWN_VALUES.has(name)));
  return { ...kept, CachePolicyId: cachePolicyId } as DefaultCacheBehavior;
}

/** What is run at other times stays. */
function withFunction(
  before: DefaultCacheBehavior | undefined,
  arn: string,
): NonNullable<DefaultCacheBehavior["FunctionAssociations"]> {
  const others = (before?.FunctionAssociations?.Items ?? []).filter(({ EventType }) => EventType !== VIEWER);
  return toList([...others, { FunctionARN: arn, EventType: VIEWER }]);
}

const toViewerPolicy = (wanted: PlainHttp): ViewerProtocolPolicy =>
  (Object.keys(HTTP) as ViewerProtocolPolicy[]).find((policy) => HTTP[policy] === wanted) ?? "allow-all";

function toViewerCertificate(
  { ViewerCertificate: before }: DistributionConfig,
  reference: string,
): NonNullable<DistributionConfig["ViewerCertificate"]> {
  const isOwn = before === undefined || before.CloudFrontDefaultCertificate === true;
  return {
    ACMCertificateArn: reference,
    SSLSupportMethod: (isOwn ? undefined : before.SSLSupportMethod) ?? "sni-only",
    MinimumProtocolVersion: (isOwn ? undefined : before.MinimumProtocolVersion) ?? "TLSv1.2_2021",
  };
}

/** The configuration of a new one. */
export function toNewConfig(
  setup: DistributionSetup,
  mark: string,
  reference: string,
  refer: Referred,
): DistributionConfig {
  const { certificate: _named, ...rest } = setup;
  const bare = {
    ...{ CallerReference: reference, Comment: mark, Enabled: true },
    Origins: toList<RawOrigin>([]),
    DefaultCacheBehavior: { TargetOriginId: "", ViewerProtocolPolicy: "allow-all" as const },
    ...{ HttpVersion: "http2and3" as const, IsIPV6Enabled: true },
    ViewerCertificate: { CloudFrontDefaultCertificate: true },
  };
  return withChanges(bare, setup.certificate === undefined ? rest : setup, refer);
}

/** Values that say nothing where answers say it themselves. */
const USUAL_SECONDS = 86_400;
const MOST_SECONDS = 31_536_000;

/** A cache policy of the tool's own: its name says what is in it, so that one serves all distributions of an account. */
export function toCachePolicy({ query, minimumSeconds }: CacheRule): CachePolicyConfig {
  return {
    Name: `restless-courier-${query ? "queries-apart" : "queries-ignored"}-${minimumSeconds}s`,
    Comment: "made by rcourier provision",
    MinTTL: minimumSeconds,
    DefaultTTL: Math.max(USUAL_SECONDS, minimumSeconds),
    MaxTTL: Math.max(MOST_SECONDS, minimumSeconds),
    ParametersInCacheKeyAndForwardedToOrigin: {
      EnableAcceptEncodingGzip: true,
      EnableAcceptEncodingBrotli: true,
      HeadersConfig: { HeaderBehavior: "none" },
      CookiesConfig: { CookieBehavior: "none" },
      QueryStringsConfig: { QueryStringBehavior: query ? "all" : "none" },
    },
  };
}

/** Whether two cache policies do the same. */
export const isSameCachePolicy = (a: CachePolicyConfig, b: CachePolicyConfig): boolean =>
  JSON.stringify(toCacheRule(undefined, a)) === JSON.stringify(toCacheRule(undefined, b)) &&
  a.DefaultTTL === b.DefaultTTL &&
  a.MaxTTL === b.MaxTTL;
