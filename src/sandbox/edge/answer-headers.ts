import { itemsAt, textAt, type Tree } from "./behaviour.ts";

/** The headers that a policy sets, by lower-case name. */
export function readAnswerHeaders(policy: Tree | undefined): Readonly<Record<string, string>> {
  if (!policy) return {};
  const own = (policy.SecurityHeadersConfig ?? {}) as Tree;
  const headers: Record<string, string> = {};
  const strict = own.StrictTransportSecurity;
  if (strict !== undefined)
    headers["strict-transport-security"] = [
      `max-age=${textAt(strict, "AccessControlMaxAgeSec")}`,
      ...(textAt(strict, "IncludeSubdomains") === "true" ? ["includeSubDomains"] : []),
      ...(textAt(strict, "Preload") === "true" ? ["preload"] : []),
    ].join("; ");
  if (own.ContentTypeOptions !== undefined) headers["x-content-type-options"] = "nosniff";
  const xss = own.XSSProtection;
  if (xss !== undefined) {
    const mode = textAt(xss, "ModeBlock") === "true" ? "; mode=block" : "";
    headers["x-xss-protection"] = textAt(xss, "Protection") === "true" ? `1${mode}` : "0";
  }
  const texts = [
    ["content-security-policy", textAt(own, "ContentSecurityPolicy", "ContentSecurityPolicy")],
    ["referrer-policy", textAt(own, "ReferrerPolicy", "ReferrerPolicy")],
    ["x-frame-options", textAt(own, "FrameOptions", "FrameOption")],
  ] as const;
  for (const [name, value] of texts) if (value !== "") headers[name] = value;
  for (const one of itemsAt(policy, "CustomHeadersConfig", "ResponseHeadersPolicyCustomHeader"))
    headers[textAt(one, "Header").toLowerCase()] = textAt(one, "Value");
  return headers;
}
