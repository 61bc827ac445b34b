import type { ResponseHeadersPolicyConfig } from "@aws-sdk/client-cloudfront";

type SecurityHeaders = NonNullable<ResponseHeadersPolicyConfig["SecurityHeadersConfig"]>;
type FrameOption = NonNullable<SecurityHeaders["FrameOptions"]>["FrameOption"];
type ReferrerPolicy = NonNullable<SecurityHeaders["ReferrerPolicy"]>["ReferrerPolicy"];

const COMMENT = "made by rcourier provision; each delivery says which headers";

/** How each header with a place of its own is put there; undefined: its value has none, and it goes among the others. */
const PLACES: Readonly<Record<string, (value: string) => SecurityHeaders | undefined>> = {
  "strict-transport-security": toTransportSecurity,
  "content-security-policy": (value) => ({
    ContentSecurityPolicy: { Override: true, ContentSecurityPolicy: value },
  }),
  "referrer-policy": (value) => ({
    ReferrerPolicy: { Override: true, ReferrerPolicy: value.trim().toLowerCase() as ReferrerPolicy },
  }),
  "x-content-type-options": () => ({ ContentTypeOptions: { Override: true } }),
  "x-frame-options": (value) => ({
    FrameOptions: { Override: true, FrameOption: value.trim().toUpperCase() as FrameOption },
  }),
  "x-xss-protection": (value) => ({
    XSSProtection: {
      Override: true,
      Protection: value.trim().startsWith("1"),
      ...(/mode\s*=\s*block/i.test(value) ? { ModeBlock: true } : {}),
    },
  }),
};

/** RFC 6797 §6.1: directives in any order. */
function toTransportSecurity(value: string): SecurityHeaders {
  const directives = value.split(";").map((one) => one.trim().toLowerCase());
  const age = directives
    .map((one) => /^max-age\s*=\s*"?(\d+)"?$/.exec(one)?.[1])
    .find((one) => one !== undefined);
  return {
    StrictTransportSecurity: {
      Override: true,
      AccessControlMaxAgeSec: Number(age ?? 0),
      IncludeSubdomains: directives.includes("includesubdomains"),
      Preload: directives.includes("preload"),
    },
  };
}

/** A policy that sets just these headers. One that sets none has to say something all the same. */
export function toHeadersPolicy(
  name: string,
  headers: Readonly<Record<string, string>>,
): ResponseHeadersPolicyConfig {
  const entries = Object.entries(headers);
  const placed = entries.flatMap(([header, value]) => PLACES[header.toLowerCase()]?.(value) ?? []);
  const custom = entries
    .filter(([header]) => PLACES[header.toLowerCase()] === undefined)
    .map(([Header, Value]) => ({ Header, Value, Override: true }));
  return {
    ...{ Name: name, Comment: COMMENT },
    ...(entries.length === 0 ? { ServerTimingHeadersConfig: { Enabled: false, SamplingRate: 0 } } : {}),
    ...(placed.length === 0
      ? {}
      : { SecurityHeadersConfig: Object.assign({}, ...placed) as SecurityHeaders }),
    ...(custom.length === 0 ? {} : { CustomHeadersConfig: { Quantity: custom.length, Items: custom } }),
  };
}

/** The same policy of headers with another content security policy; undefined: without one. */
export function withContentPolicy(
  config: ResponseHeadersPolicyConfig,
  text: string | undefined,
): ResponseHeadersPolicyConfig {
  const { SecurityHeadersConfig: own = {}, ServerTimingHeadersConfig: timing, ...rest } = config;
  const { ContentSecurityPolicy: _, ...others } = own;
  const security = {
    ...others,
    ...(text === undefined ? {} : { ContentSecurityPolicy: { Override: true, ContentSecurityPolicy: text } }),
  };
  const hasSome = Object.keys(security).length > 0;
  const isEmpty = !hasSome && rest.CustomHeadersConfig === undefined;
  return {
    ...rest,
    ...(hasSome ? { SecurityHeadersConfig: security } : {}),
    ...(timing || isEmpty
      ? { ServerTimingHeadersConfig: timing ?? { Enabled: false, SamplingRate: 0 } }
      : {}),
  };
}

/** Whether two policies set the same headers. */
export const isSameHeadersPolicy = (
  a: ResponseHeadersPolicyConfig | undefined,
  b: ResponseHeadersPolicyConfig,
): boolean => a !== undefined && JSON.stringify(toPlain(a)) === JSON.stringify(toPlain(b));

function toPlain({
  SecurityHeadersConfig: own = {},
  CustomHeadersConfig: custom,
}: ResponseHeadersPolicyConfig) {
  const { StrictTransportSecurity: strict, XSSProtection: xss } = own;
  return [
    strict && [strict.AccessControlMaxAgeSec, strict.IncludeSubdomains === true, strict.Preload === true],
    own.ContentSecurityPolicy?.ContentSecurityPolicy,
    own.ReferrerPolicy?.ReferrerPolicy,
    own.ContentTypeOptions !== undefined,
    own.FrameOptions?.FrameOption,
    xss && [xss.Protection, xss.ModeBlock === true],
    (custom?.Items ?? []).map(({ Header, Value }) => [Header?.toLowerCase(), Value]).sort(),
  ];
}
