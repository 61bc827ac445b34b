import { findHeaderMistake } from "./edge-headers.ts";
import { toEdgeMeans } from "./edge-wishes.ts";
import type { NamedEdgeSettings } from "./target.ts";

const EDGE = {
  kind: "distribution",
  headers: { "X-Frame-Options": "DENY" },
  function: "f",
} as unknown as NamedEdgeSettings;

test.each([
  ["https://{name}.preview.pelican.test/", []],
  ["https://www.pelican.test/{name}/", []],
  ["https://www.pelican.test/previews/{name}/", ["/previews/"]],
  ["http://localhost:8460/docs/previews/x-{name}/", ["/docs/previews/x-"]],
])("previews at %s: the edge's rules leave %j alone", (address, apart) => {
  const rules = { prefix: "previews/{name}/", address, lastsSeconds: 60 };
  expect(toEdgeMeans([EDGE], rules)).toEqual({
    ...{ carriesRules: true, setsHeaders: false, headers: { "X-Frame-Options": "DENY" }, apart },
  });
});

test("only a distribution right before the store can be given rules", () => {
  expect(toEdgeMeans([], undefined)).toBeUndefined();
  expect(toEdgeMeans([{ ...EDGE, kind: "purge" } as NamedEdgeSettings, EDGE], undefined)).toBeUndefined();
});

test.each([
  ["Strict-Transport-Security", "max-age=31536000; includeSubDomains", true],
  ["Strict-Transport-Security", "includeSubDomains", false],
  ["X-Content-Type-Options", "nosniff", true],
  ["X-Content-Type-Options", "sniff", false],
  ["X-Frame-Options", "ALLOW-FROM https://a.example", false],
  ["Referrer-Policy", "no-referrer, same-origin", false],
  ["X-XSS-Protection", "1; mode=block", true],
  ["Set-Cookie", "a=b", false],
  ["Permissions-Policy", "camera=()", true],
])("%s: %s can be set at an edge: %s", (name, value, can) => {
  expect(findHeaderMistake(name, value) === undefined).toBe(can);
});
