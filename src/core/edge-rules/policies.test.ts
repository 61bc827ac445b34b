import fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import { parsePolicy, unitePolicies } from "./policies.ts";

const CHAINS: readonly (readonly string[])[] = [
  ["script-src-elem", "script-src", "default-src"],
  ["script-src-attr", "script-src", "default-src"],
  ["style-src-elem", "style-src", "default-src"],
  ["worker-src", "child-src", "script-src", "default-src"],
  ["frame-src", "child-src", "default-src"],
  ["img-src", "default-src"],
  ["base-uri"],
];
const HASH = "'sha256-a'";
const SOURCES = ["'self'", "https://a.test", "'unsafe-inline'", HASH, "'strict-dynamic'", "'none'"];
const WANTED = ["self", "https://a.test", "inline", "hashed"] as const;

/** What a browser lets a page do, in its own words: the rule that is tried is not used. */
function allows(policy: string, chain: readonly string[], wanted: (typeof WANTED)[number]): boolean {
  const directives = parsePolicy(policy);
  const owner = chain.find((name) => directives.has(name));
  const sources = owner === undefined ? undefined : (directives.get(owner) as readonly string[]);
  if (!sources) return true;
  const isStrict = sources.includes("'strict-dynamic'");
  const isInline = sources.includes("'unsafe-inline'") && !isStrict && !sources.includes(HASH);
  if (wanted === "inline") return isInline;
  if (wanted === "hashed") return isInline || sources.includes(HASH);
  return !isStrict && sources.includes(wanted === "self" ? "'self'" : wanted);
}

const policies = fc
  .uniqueArray(fc.constantFrom(...new Set([...CHAINS.flat(), "upgrade-insecure-requests"])), { maxLength: 5 })
  .chain((names) =>
    fc.tuple(
      ...names.map((name) =>
        fc.uniqueArray(fc.constantFrom(...SOURCES), { maxLength: 4 }).map((s) => [name, ...s].join(" ")),
      ),
    ),
  )
  .map((parts) => parts.join("; "));

test("what either of two policies allows, one made of both allows; where there is none, nothing binds", async () => {
  await holds(
    fc.property(policies, policies, (a, b) => {
      const united = unitePolicies(a, b) ?? "";
      const lost = CHAINS.flatMap((chain) =>
        WANTED.filter((wanted) => (allows(a, chain, wanted) || allows(b, chain, wanted)) && !allows(united, chain, wanted)),
      );
      expect({ united, lost }).toEqual({ united, lost: [] });
    }),
    { seeds: [1, 2, 3], numRuns: 1000 },
  );
}); // prettier-ignore

test.each([
  ["a hash would switch off what runs in the page", "script-src 'self' 'unsafe-inline'", "script-src 'self' 'sha256-a'"],
  ["a nonce would", "default-src 'self' 'unsafe-inline'", "script-src 'nonce-a'"],
  ["strict-dynamic would switch off addresses", "script-src 'self'", "script-src 'strict-dynamic' 'sha256-a'"],
  ["each binds another thing", "script-src 'self'", "img-src 'self'"],
])("no policy is made of both: %s", (_, a, b) => {
  expect([unitePolicies(a, b), unitePolicies(b, a)]).toEqual([undefined, undefined]);
}); // prettier-ignore

test.each([
  ["script-src 'self' 'sha256-a'", "script-src 'self' 'sha256-b'", "script-src 'self' 'sha256-a' 'sha256-b'"],
  ["object-src 'none'", "object-src 'none'", "object-src 'none'"],
  ["object-src 'none'", "object-src https://o.test", "object-src https://o.test"],
  ["default-src 'self'; img-src https://i.test", "default-src 'self'", "default-src 'self'; img-src https://i.test 'self'"],
  ["child-src https://c.test; script-src 'self'", "script-src https://s.test", "script-src 'self' https://s.test; worker-src https://c.test https://s.test"],
  ["report-to old; base-uri 'self'", "report-to new; base-uri 'none'", "report-to new; base-uri 'self'"],
])("%s and %s: %s", (a, b, united) => {
  expect(unitePolicies(a, b)).toBe(united);
}); // prettier-ignore
