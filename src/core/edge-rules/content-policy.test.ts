import type { EdgeRules } from "../model/edge-rules.ts";
import { fillPolicies, loosenPolicy, needsPages, policyOf, toPolicy, withPolicy } from "./content-policy.ts";

const rulesOf = (headers: Record<string, string>): EdgeRules => ({
  basePath: "/",
  apart: [],
  redirects: [],
  headers,
});

test("a site of its own files is bound to itself; what it needs besides is added, and what the settings add", () => {
  expect(toPolicy({}, "")).toBe("default-src 'self'; base-uri 'self'; form-action 'self'; frame-ancestors 'self'; object-src 'none'");
  const policy = toPolicy({ "script-src": ["'sha256-a'"], "object-src": ["https://o.test"] }, "connect-src https://api.test; frame-ancestors 'none'; upgrade-insecure-requests; report-uri /csp");
  expect(policy).toBe("default-src 'self'; base-uri 'self'; form-action 'self'; frame-ancestors 'none'; object-src 'self' https://o.test; script-src 'self' 'sha256-a'; connect-src 'self' https://api.test; upgrade-insecure-requests; report-uri /csp");
}); // prettier-ignore

test("only policies are worked out, and what an edge can't take is told", () => {
  const headers = { "Content-Security-Policy-Report-Only": "from-build; img-src *", "Referrer-Policy": "from-build" };
  expect([needsPages(headers), needsPages({ "Referrer-Policy": "from-build" })]).toEqual([true, false]);
  const filled = fillPolicies(rulesOf(headers), { "img-src": ["data:"] });
  expect(filled.rules.headers).toEqual({ "Content-Security-Policy-Report-Only": toPolicy({ "img-src": ["data:"] }, "img-src *"), "Referrer-Policy": "from-build" });
  expect(fillPolicies(rulesOf(headers), undefined).problems).toMatchObject([{ code: "policy-unknown", severity: "error" }]);
  const many = { "script-src": Array.from({ length: 40 }, (_, at) => `'sha256-${String(at).padStart(44, "0")}'`) };
  expect(fillPolicies(rulesOf(headers), many).problems).toMatchObject([{ code: "edge-header-long", severity: "error" }]);
  expect(fillPolicies(rulesOf({ "Content-Security-Policy": "default-src *" }), undefined).problems).toEqual([]);
}); // prettier-ignore

test("while pages of two releases are about, what either allows is allowed", () => {
  const [old, fresh] = [toPolicy({ "script-src": ["'sha256-a'"] }, ""), toPolicy({ "script-src": ["'sha256-b'"], "img-src": ["data:"] }, "")];
  const both = loosenPolicy(old, rulesOf({ "Content-Security-Policy": fresh })) ?? "";
  for (const source of ["script-src 'self' 'sha256-a' 'sha256-b'", "img-src 'self' data:", "object-src 'none'"]) expect(both).toContain(source);
  expect(loosenPolicy(fresh, rulesOf({ "content-security-policy": fresh }))).toBe(fresh);
  // A page that nothing bound until now, or that nothing is to bind, is bound by nothing meanwhile.
  expect([loosenPolicy(undefined, rulesOf({ "Content-Security-Policy": fresh })), loosenPolicy(old, rulesOf({}))]).toEqual([undefined, undefined]);
  // What one of them does not bind at all is free.
  expect(loosenPolicy("script-src 'self'", rulesOf({ "Content-Security-Policy": "img-src 'self'" }))).toBeUndefined();
  expect(loosenPolicy("object-src 'none'", rulesOf({ "Content-Security-Policy": "object-src https://o.test" }))).toBe("object-src https://o.test");
}); // prettier-ignore

test("headers get another policy, and all else stays", () => {
  const headers = { "content-security-policy": "a", "X-Frame-Options": "DENY" };
  expect(withPolicy(headers, "b")).toEqual({ "X-Frame-Options": "DENY", "Content-Security-Policy": "b" });
  expect([withPolicy(headers, undefined), withPolicy(headers, "a"), policyOf(headers)]).toEqual([
    { "X-Frame-Options": "DENY" },
    headers,
    "a",
  ]);
});
