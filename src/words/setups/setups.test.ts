import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import fc from "fast-check";
import { temporaryFolder } from "../../../test/support/builds.ts";
import { needing } from "../../../test/support/needing.ts";
import { holds } from "../../../test/support/seeds.ts";
import {
  CACHE_KINDS,
  toLedAddresses,
  toMissingPages,
  type CacheSetup,
} from "../../core/cache-setup/cache-setup.ts";
import { applyRules } from "../../core/edge-rules/apply.ts";
import { toEdgeRedirect } from "../../core/edge-rules/decide.ts";
import { toDuties } from "./duties.ts";
import { isCacheKind, LEFT, toCacheFiles } from "./print-cache.ts";
import { toRecords } from "./records.ts";

const SETUP: CacheSetup = {
  origin: { protocol: "http", host: "10.0.0.9", port: 8080, path: "/pelican/site", name: "10.0.0.9:8080" },
  port: 6081,
  purge: { header: "X-Purge-Token", from: ["10.0.0.0/24", "fd00::/8"], patterns: "none" },
  ...{ keepsQueries: false, longestFetch: 20, redirects: [], headers: {}, isStoredCompressed: false },
  root: { address: "/", page: "/index.html" },
  missing: toMissingPages("/404.html", undefined),
  leadsToHttps: true,
};
const print = (kind: (typeof CACHE_KINDS)[number], more: Partial<CacheSetup> = {}): string =>
  toCacheFiles(kind, { ...SETUP, ...more }, "www.pelican.test")
    .files.map(({ text }) => text)
    .join("\n");

test.each(CACHE_KINDS)("%s: the token is never printed, networks are, and what was not asked for is not there", (kind) => {
  expect(isCacheKind(kind)).toBe(true);
  const text = print(kind);
  expect(text).toContain("${EDGE_TOKEN}");
  expect([text.includes("10.0.0.0"), text.includes("fd00::")]).toEqual([true, true]);
  const bare = print(kind, { purge: { ...SETUP.purge, from: [] }, leadsToHttps: false, root: undefined, missing: undefined, keepsQueries: true });
  expect(bare).not.toMatch(/10\.0\.0\.0|forwarded|404\.html|all queries|remove-all-params/i);
  const { left } = toCacheFiles(kind, SETUP, undefined);
  expect(left).toEqual({ varnish: [], nginx: [], squid: ["missing-pages", "compression"], trafficserver: ["missing-pages"] }[kind]);
  for (const one of left) expect(LEFT[one].length).toBeGreaterThan(20);
}); // prettier-ignore

test("a header's value is one in each, whatever is in it", () => {
  const headers = { "X-Odd": 'a "b" $c %d \\e' };
  expect(print("varnish", { headers })).toContain('set resp.http.X-Odd = {"a "b" $c %d \\e"};');
  expect(print("varnish", { headers: { "X-Odd": 'a "}' } })).toContain('X-Odd = """a "}""";');
  const nginx = print("nginx", { headers });
  expect(nginx).toContain('add_header X-Odd "a \\"b\\" ${edge_dollar}c %d \\\\e" always;');
  expect(nginx).toContain('geo $edge_dollar { default "$"; }');
  expect(print("squid", { headers })).toContain('reply_header_add X-Odd "a \\"b\\" $c %%d \\\\e"');
  expect(print("trafficserver", { headers })).toContain('set-header X-Odd "a \\"b\\" $c %d \\\\e"');
});

test("addresses below a path of the origin, client routes, wildcards", () => {
  const missing = toMissingPages("/404.html", "/index.html");
  expect(print("varnish", { missing, purge: { ...SETUP.purge, patterns: "path" } })).toMatch(/X-Stands-As = "200"[\s\S]*url = "\/index.html"/);
  expect(print("varnish", { purge: { ...SETUP.purge, patterns: "ban" } })).toContain('req.method == "BAN"');
  expect(print("nginx", { missing })).toMatch(/location @entry \{\n {4}set \$edge_address "\/index.html";/);
  expect(print("trafficserver")).toContain("^[A-Z]+/pelican/site/(\\?.*)?$ http://10.0.0.9:8080/pelican/site/index.html$1");
}); // prettier-ignore

const path = fc.array(fc.constantFrom("/", "a", "b.c", "(x)", "+", "%20", "&", "#", "$1"), { minLength: 1, maxLength: 4 }).map((parts) => `/${parts.join("")}`); // prettier-ignore
const rule = fc.record({
  address: fc.tuple(path, fc.constantFrom("", "*")).map(([one, star]) => one.replaceAll("#", "") + star),
  leadsTo: fc.tuple(path, fc.constantFrom("", "*", "?q='1'", "?q=a&b")).map(([one, end]) => (end === "*" ? one.replaceAll("#", "") : one) + end),
  kind: fc.constantFrom("permanent" as const, "temporary" as const),
  keepMethod: fc.boolean(),
}); // prettier-ignore

needing("the stream editor of GNU")("Squid's helper says of every address what the rules say", async () => {
  const script = join(temporaryFolder("sed"), "addresses.sed");
  await holds(
    fc.property(fc.array(rule, { minLength: 1, maxLength: 5 }), fc.array(path, { minLength: 1, maxLength: 6 }), fc.constantFrom("", "?a=1&b=%20"), (rules, asked, query) => {
      const redirects = toLedAddresses(rules, "/");
      const { files } = toCacheFiles("squid", { ...SETUP, redirects, root: undefined, origin: { ...SETUP.origin, path: "" } }, undefined);
      writeFileSync(script, files.find(({ path: name }) => name.endsWith("addresses.sed"))?.text ?? "");
      const all = { basePath: "/", apart: [], headers: {}, redirects: rules.map((one) => toEdgeRedirect(one, "/")) };
      const addresses = asked.map((one) => one.replaceAll("#", ""));
      const input = addresses.map((one) => `http://www.pelican.test${one}${query} 10.0.0.1/- - GET myport=6081\n`).join("");
      const said = execFileSync("sed", ["-u", "-E", "-f", script], { input, encoding: "utf8" }).trimEnd().split("\n");
      expect(said).toEqual(
        addresses.map((one) => {
          const turned = applyRules(all, one, query.slice(1));
          return turned.kind === "redirect" ? `OK status=${turned.status} url="${turned.location}"` : "ERR";
        }),
      );
    }),
    { seeds: [1], numRuns: 60 },
  );
}); // prettier-ignore

test("what any other edge must do, a line each", () => {
  const redirects = toLedAddresses([{ address: "/old/*", leadsTo: "/new/*", kind: "temporary", keepMethod: true }], "/");
  const lines = toDuties({ ...SETUP, redirects, headers: { "X-Port": "alder" }, missing: toMissingPages("/404.html", "/index.html") }).map(({ what, how }) => `${what}: ${how}`);
  expect(lines).toEqual(
    expect.arrayContaining([
      "origin: read from http://10.0.0.9:8080/pelican/site/, with the visitor's path after it",
      "Host to the origin: 10.0.0.9:8080",
      "/old/*: answer 307 to /new/*, with the visitor's query",
      "header X-Port: alder (on every answer)",
      "/: answer with /index.html",
      "client routes: for 403 and 404 of the origin: /index.html, with status 200",
      "a fetch: ends after 20 s (longestFetch)",
    ]),
  );
}); // prettier-ignore

test("records by what the name leads to; the first name of a zone, and inner addresses, are told of", () => {
  const of = (host: string, leadsTo: Parameters<typeof toRecords>[0]["leadsTo"], previews?: string) =>
    toRecords({ host, previews, leadsTo, isSecure: true });
  const named = of("pelican.test", { kind: "name", name: "d1.edge.test" }, "*.preview.pelican.test");
  expect(named.records).toEqual([
    { name: "pelican.test", type: "CNAME", value: "d1.edge.test", note: expect.stringContaining("RFC 1034") as string },
    { name: "*.preview.pelican.test", type: "CNAME", value: "d1.edge.test" },
  ]);
  expect(named.left.join()).toMatch(/DNSSEC.*CAA/);
  expect(of("www.pelican.test", { kind: "addresses", addresses: ["203.0.113.7", "2001:db8::7", "10.0.0.4"] }).records).toEqual([
    { name: "www.pelican.test", type: "A", value: "203.0.113.7" },
    { name: "www.pelican.test", type: "AAAA", value: "2001:db8::7" },
    { name: "www.pelican.test", type: "A", value: "10.0.0.4", note: expect.stringContaining("own network") as string },
  ]);
  expect(of("www.pelican.test", { kind: "unknown" }).records).toMatchObject([{ type: "CNAME", value: "?" }]);
}); // prettier-ignore
