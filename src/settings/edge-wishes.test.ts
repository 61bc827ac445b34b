import { findHeaderMistake } from "./edge-headers.ts";
import { toEdgeMeans } from "./edge-wishes.ts";
import type { NamedEdgeSettings } from "./target.ts";

const EDGE = {
  kind: "distribution",
  headers: { "X-Frame-Options": "DENY" },
  function: "f",
} as unknown as NamedEdgeSettings;

const PLACE = { prefix: "", basePath: "/" };

test.each([
  ["https://{name}.Preview.pelican.test:8443", {}, { before: "", after: ".preview.pelican.test", path: "/previews/" }],
  ["https://pr-{name}.pelican.test/", {}, { before: "pr-", after: ".pelican.test", path: "/previews/" }],
  // Its keys are not below what the edge reads from, or its addresses begin otherwise.
  ["https://{name}.pelican.test/", { prefix: "site/" }, undefined],
  ["https://{name}.pelican.test/docs/", {}, undefined],
  ["https://{name}.pelican.test/docs/", { prefix: "docs/", basePath: "/docs/" }, { before: "", after: ".pelican.test", path: "/previews/" }],
  ["https://www.pelican.test/previews/{name}/", {}, undefined],
])("previews at %s, the site at %j: the edge leads %j", (address, place, previews) => {
  const rules = { prefix: "previews/{name}/", address, lastsSeconds: 60 };
  expect(toEdgeMeans([EDGE], rules, { ...PLACE, ...place })?.previews).toEqual(previews);
}); // prettier-ignore

test.each([
  ["https://{name}.preview.pelican.test/", []],
  ["https://www.pelican.test/{name}/", []],
  ["https://www.pelican.test/previews/{name}/", ["/previews/"]],
  ["http://localhost:8460/docs/previews/x-{name}/", ["/docs/previews/x-"]],
])("previews at %s: the edge's rules leave %j alone", (address, apart) => {
  const rules = { prefix: "previews/{name}/", address, lastsSeconds: 60 };
  expect(toEdgeMeans([EDGE], rules, PLACE)).toMatchObject({
    ...{ carriesRules: true, setsHeaders: false, headers: { "X-Frame-Options": "DENY" }, apart },
  });
});

test("only a distribution right before the store can be given rules", () => {
  expect(toEdgeMeans([], undefined, PLACE)).toBeUndefined();
  expect(
    toEdgeMeans([{ ...EDGE, kind: "purge" } as NamedEdgeSettings, EDGE], undefined, PLACE),
  ).toBeUndefined();
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
