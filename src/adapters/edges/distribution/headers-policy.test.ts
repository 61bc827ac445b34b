import { isSameHeadersPolicy, toHeadersPolicy } from "./headers-policy.ts";

const HEADERS = {
  "Strict-Transport-Security": "max-age=63072000; includeSubDomains; preload",
  "X-Content-Type-Options": "nosniff",
  "X-Frame-Options": "sameorigin",
  "Referrer-Policy": "same-origin",
  "Content-Security-Policy": "default-src 'self'",
  "X-XSS-Protection": "1; mode=block",
  "Permissions-Policy": "camera=()",
};

test("each header goes where a policy has a place for it, and all others stand as they are", () => {
  expect(toHeadersPolicy("n", HEADERS)).toMatchObject({
    Name: "n",
    SecurityHeadersConfig: {
      StrictTransportSecurity: { AccessControlMaxAgeSec: 63_072_000, IncludeSubdomains: true, Preload: true },
      ContentTypeOptions: { Override: true },
      FrameOptions: { FrameOption: "SAMEORIGIN" },
      ReferrerPolicy: { ReferrerPolicy: "same-origin" },
      ContentSecurityPolicy: { ContentSecurityPolicy: "default-src 'self'" },
      XSSProtection: { Protection: true, ModeBlock: true },
    },
    CustomHeadersConfig: {
      Quantity: 1,
      Items: [{ Header: "Permissions-Policy", Value: "camera=()", Override: true }],
    },
  });
  // The interface takes no policy that says nothing at all.
  expect(toHeadersPolicy("n", {})).toMatchObject({ ServerTimingHeadersConfig: { Enabled: false } });
});

test("two policies are the same if every header is", () => {
  const same = toHeadersPolicy("n", HEADERS);
  expect(isSameHeadersPolicy(toHeadersPolicy("another", HEADERS), same)).toBe(true);
  expect(isSameHeadersPolicy(undefined, same)).toBe(false);
  for (const [name, value] of Object.entries({
    "Strict-Transport-Security": "max-age=1",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "origin",
    "Content-Security-Policy": "default-src 'none'",
    "X-XSS-Protection": "0",
    "Permissions-Policy": "camera=(self)",
  }))
    expect(isSameHeadersPolicy(toHeadersPolicy("n", { ...HEADERS, [name]: value }), same)).toBe(false);
  for (const name of Object.keys(HEADERS))
    expect(
      isSameHeadersPolicy(
        toHeadersPolicy("n", Object.fromEntries(Object.entries(HEADERS).filter(([one]) => one !== name))),
        same,
      ),
    ).toBe(false);
});
