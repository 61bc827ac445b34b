import { MOST_ROUTING_RULES } from "../model/website.ts";
import type { Serves } from "../model/endpoint.ts";
import {
  decideRedirects,
  RedirectRules,
  statusOf,
  type RedirectFacts,
  type RedirectRule,
} from "./redirects.ts";

const rule = (address: string, leadsTo: string, more: Partial<RedirectRule> = {}): RedirectRule => ({
  address,
  leadsTo,
  kind: "permanent",
  keepMethod: false,
  ...more,
});
const PATHS = new Set(["index.html", "news/index.html", "about.html"]);

const ENDPOINT = {
  ...{ serves: "website" as Serves, carriesRedirects: true, plainNames: false },
  ...{ ownsWebsite: false, bucketPrefix: "" },
};

const decide = (rules: RedirectRule[], more: Partial<Omit<RedirectFacts, "rules">> = {}) =>
  decideRedirects({
    endpoint: ENDPOINT,
    rules: new RedirectRules(rules),
    paths: PATHS,
    addressRules: { forms: ["file", "folder"], basePath: "/", indexName: "index.html" },
    clientRoutes: false,
    edgeCanForget: true,
    ...more,
  });
const found = (...args: Parameters<typeof decide>): string[] =>
  decide(...args).problems.map(({ severity, code, path = "" }) => `${severity} ${code} ${path}`.trim());

test("the status says how long it holds and whether a form stays a form (RFC 9110 §15.4)", () => {
  expect([
    statusOf(rule("/a", "/b")),
    statusOf(rule("/a", "/b", { kind: "temporary" })),
    statusOf(rule("/a", "/b", { keepMethod: true })),
    statusOf(rule("/a", "/b", { kind: "temporary", keepMethod: true })),
  ]).toEqual([301, 302, 308, 307]);
});

test("the first match counts, and a * carries over", () => {
  const rules = [rule("/routes/north", "/news/"), rule("/routes/*", "/crossings/*"), rule("/old/*", "/")];
  expect(
    ["/routes/north", "/routes/a/b?c", "/old/x", "/other"].map(
      (address) => new RedirectRules(rules).follow(address)?.leadsTo,
    ),
  ).toEqual(["/news/", "/crossings/a/b?c", "/", undefined]);
});

test("one address for good is an object of its own, with explicit freshness that browsers don't keep", () => {
  const { parcels, problems } = decide([rule("/latest", "/news/"), rule("/blog/", "https://elsewhere.example/x"), rule("/caf%C3%A9", "/about.html")]);
  expect(problems).toEqual([]);
  expect(parcels.map(({ key, redirectsTo, size }) => [key, redirectsTo, size])).toEqual([
    ["latest", "/news/", 0],
    ["blog/index.html", "https://elsewhere.example/x", 0],
    ["café", "/about.html", 0],
  ]);
  expect(parcels[0]?.headers).toEqual({
    "cache-control": "public, max-age=0, s-maxage=3600, must-revalidate",
    "content-type": "text/plain; charset=utf-8",
    "x-amz-website-redirect-location": "/news/",
  });
  const below = decide([rule("/latest", "/news/")], { addressRules: { forms: ["file"], basePath: "/shop/", indexName: "index.html" } });
  expect(below.parcels[0]?.redirectsTo).toBe("/shop/news/");
}); // prettier-ignore

test.each<[string, RedirectRule[], Partial<RedirectFacts>, string[]]>([
  ["a loop of two", [rule("/a", "/b"), rule("/b", "/a")], {}, ["error redirect-loop /a", "error redirect-loop /b"]],
  ["a loop of one", [rule("/a", "/a")], {}, ["error redirect-loop /a"]],
  ["a pattern that feeds itself", [rule("/a/*", "/a/b/*", { kind: "temporary" })], {}, ["error redirect-loop /a/*", "error redirect-unplaced /a/*"]],
  ["a chain", [rule("/a", "/b"), rule("/b", "/news/")], {}, ["warning redirect-chain /a"]],
  ["one that a file hides", [rule("/about.html", "/news/")], {}, ["warning redirect-hidden /about.html"]],
  [
    "one that an earlier rule hides",
    [rule("/r/*", "/news/", { kind: "temporary" }), rule("/r/x", "/about.html")],
    {},
    ["warning redirect-hidden /r/x", "error redirect-unplaced /r/*"],
  ],
  ["one that leads nowhere", [rule("/a", "/gone/")], {}, ["warning redirect-target /a"]],
  ["the same with client routes", [rule("/a", "/gone/")], { clientRoutes: true }, []],
  ["a temporary one", [rule("/a", "/news/", { kind: "temporary" })], {}, ["error redirect-unplaced /a"]],
  ["an endpoint that can't redirect", [rule("/a", "/news/"), rule("/b/*", "/news/")], { endpoint: { ...ENDPOINT, serves: "objects" } }, ["warning redirect-elsewhere"]],
])("%s is found", (_, rules, more, problems) => {
  expect(found(rules, more)).toEqual(problems);
}); // prettier-ignore

test("where the website settings are ours, routing rules carry what no object can, in their order", () => {
  const rules = [
    rule("/routes/*", "/crossings/*", { kind: "temporary" }),
    rule("/old/*", "/news/"),
    rule("/away/*", "https://elsewhere.example/x/*", { keepMethod: true }),
    rule("/soon", "/about.html", { kind: "temporary" }),
    rule("/latest", "/news/"),
  ];
  const { routing, parcels, problems } = decide(rules, {
    endpoint: { ...ENDPOINT, ownsWebsite: true, bucketPrefix: "site/" },
  });
  expect(problems).toEqual([]);
  expect(parcels.map(({ key }) => key)).toEqual(["latest"]);
  expect(routing).toEqual([
    { prefix: "site/routes/", replacePrefix: "crossings/", status: 302 },
    { prefix: "site/old/", replaceKey: "news/", status: 301 },
    { prefix: "site/away/", replacePrefix: "x/", host: "elsewhere.example", protocol: "https", status: 308 },
    { prefix: "site/soon", replaceKey: "about.html", status: 302 },
  ]);
});

test("a routing rule reaches whatever begins so: what it would cover is said, and more than fifty are refused", () => {
  const owned = { endpoint: { ...ENDPOINT, ownsWebsite: true } };
  expect(found([rule("/news/*", "/about.html")], owned)).toEqual(["warning redirect-covers /news/*"]);
  expect(found([rule("/abou", "/news/", { kind: "temporary" })], owned)).toEqual([
    "error redirect-unplaced /abou",
  ]);
  const many = Array.from({ length: MOST_ROUTING_RULES + 1 }, (_, i) => rule(`/r${i}/*`, "/news/"));
  expect(found(many, owned)).toEqual(["error redirect-unplaced /r50/*"]);
});
