import { analyseBuild } from "../build/analysis.ts";
import { decideStandIns } from "../build/stand-ins.ts";
import { memoryBuild, memoryRules, type RuleChanges } from "../../../test/support/memory-build.ts";
import { createSiteAnswers } from "./site-answers.ts";
import { findAnswer, type AnsweringEndpoint } from "./find-answer.ts";
import { findDifferences, listEdgeHeaders, type DifferenceFacts } from "./differences.ts";

const FILES = {
  "index.html": "entry",
  "404.html": "nothing here",
  "news/index.html": "news",
  "about.html": "about",
  "fähre 1.txt": "boat",
  "assets/app-1f2e3d4c.js": "app",
};
const OBJECTS = { serves: "objects", carriesRedirects: true } as const;

/** `status key`, `status → where`, or what kind of answer it is. */
function ask(
  path: string,
  changes: RuleChanges = {},
  files: Readonly<Record<string, string>> = FILES,
): string {
  const rules = memoryRules(changes);
  const found = createSiteAnswers(
    analyseBuild(memoryBuild(files).read([]), rules, undefined).wanted,
    rules,
  )(path);
  if (found.kind === "object") return `${found.status} ${found.object.key}`;
  return found.kind === "redirect" ? `${found.status} → ${found.location}` : found.kind;
}

const shop = {
  addressRules: { forms: ["file", "folder"], basePath: "/shop/", indexName: "index.html" },
} as const;
const redirects = [
  { address: "/latest", leadsTo: "/news/", kind: "permanent", keepMethod: false },
  { address: "/news/*", leadsTo: "/old-news/*", kind: "temporary", keepMethod: true },
  { address: "/about.html", leadsTo: "https://elsewhere.example/", kind: "permanent", keepMethod: false },
] as const;

test.each([
  // A website endpoint resolves folders by itself.
  ["/", {}, "200 index.html"],
  ["/news/", {}, "200 news/index.html"],
  ["/news", {}, "302 → /news/"],
  ["/about.html", {}, "200 about.html"],
  ["/about", {}, "404 404.html"],
  ["/f%C3%A4hre%201.txt", {}, "200 fähre 1.txt"],
  ["/f%E4hre%201.txt", {}, "404 404.html"],
  ["/../../../etc/passwd", {}, "404 404.html"],
  ["/%2e%2e/%2e%2e/etc/passwd", {}, "404 404.html"],
  // One that knows exact keys has aliases, and the root from the edge.
  ["/", { endpoint: OBJECTS }, "200 index.html"],
  ["/news/", { endpoint: OBJECTS }, "200 news/"],
  ["/news", { endpoint: OBJECTS }, "404 404.html"],
  [
    "/news",
    { endpoint: OBJECTS, addressRules: { ...shop.addressRules, basePath: "/", forms: ["bare"] } },
    "200 news",
  ],
  // Client routes.
  ["/anywhere/at/all", { clientRoutes: true }, "200 index.html"],
  ["/assets/app-1f2e3d4c.js", { clientRoutes: true }, "200 assets/app-1f2e3d4c.js"],
  // Below a path.
  ["/shop/news/", shop, "200 news/index.html"],
  ["/shop/news", shop, "302 → /shop/news/"],
  ["/news/", shop, "outside"],
  ["/shop", shop, "outside"],
  ["/shop/latest", { ...shop, redirects, endpoint: OBJECTS }, "301 → /shop/news/"],
  // Below a prefix of the bucket.
  ["/news/", { endpoint: { bucketPrefix: "site/" } }, "200 news/index.html"],
  ["/nowhere", { endpoint: { bucketPrefix: "site/" } }, "404 404.html"],
  ["/nowhere", { clientRoutes: true, endpoint: { bucketPrefix: "site/" } }, "200 index.html"],
  // Redirects: in the store, or at the edge before it.
  ["/latest", { redirects: redirects.slice(0, 1) }, "301 → /news/"],
  [
    "/news/x%3Fy",
    { redirects: redirects.slice(1, 2), endpoint: { ownsWebsite: true } },
    "307 → /old-news/x%3Fy",
  ],
  ["/latest", { redirects, endpoint: OBJECTS }, "301 → /news/"],
  ["/news/cape%20wren/", { redirects, endpoint: OBJECTS }, "307 → /old-news/cape%20wren/"],
  ["/about.html", { redirects, endpoint: OBJECTS }, "200 about.html"],
  ["/latest", { redirects, endpoint: { carriesRedirects: false } }, "301 → /news/"],
] as const)("%s by the rules %j: %s", (path, changes, answer) => {
  expect(ask(path, changes)).toBe(answer);
});

test("without a page for it, what is missing is missing", () => {
  expect(ask("/nowhere", {}, { "index.html": "entry" })).toBe("missing");
});

test("a rule's target is an address as it stands, and what is left of the key becomes one", () => {
  const endpoint: AnsweringEndpoint<never> = {
    ...{ get: () => undefined, redirectOf: () => undefined, indexName: "index.html" },
    ...{ serves: "website", prefix: "", basePath: "/", hasRootDocument: true },
    routing: [
      { prefix: "old/", replacePrefix: "f%C3%A4hre/", status: 302 },
      { prefix: "one", replaceKey: "fähre?x=1", host: "other.example", protocol: "https", status: 301 },
      { prefix: "moved/", host: "other.example", status: 301 },
    ],
  };
  const lead = (path: string): string => {
    const found = findAnswer(path, endpoint);
    return found.kind === "redirect" ? found.location : found.kind;
  };
  expect(lead("/old/cape%20wren%25")).toBe("/f%C3%A4hre/cape%20wren%25");
  expect(lead("/one")).toBe("https://other.example/f%C3%A4hre?x=1");
  expect(lead("/moved/a%20b")).toBe("http://other.example/moved/a%20b");
});

test("what is another at the destination is said, and nothing else", () => {
  const find = (changes: RuleChanges, more: Partial<DifferenceFacts> = {}) =>
    findDifferences({
      ...{ rules: memoryRules(changes), references: [], expectedHeaders: {} },
      ...{ hasEdge: false, speaksTls: true, isNear: true, reloads: false },
      ...more,
    });
  expect(find({})).toEqual([]);
  expect(find({ url: "http://boats.example", redirects }, { speaksTls: false })).toEqual([]);
  expect(find({}, { speaksTls: false, isNear: false })).toEqual([{ code: "plain-http", isNear: false }]);
  const expectedHeaders = { "X-Boat": "*", "X-Port": "alder", "Strict-Transport-Security": "max-age=1" };
  expect(listEdgeHeaders(expectedHeaders)).toEqual({ "x-port": "alder" });
  const reference = { kind: "link", line: 1, from: "index.html" } as const;
  const references = [
    { ...reference, url: "https://boats.example/a", address: "/a" },
    { ...reference, url: "https://boats.example.org/", address: "/" },
    { ...reference, url: "/b", address: "/b" },
  ];
  expect(
    find(
      { url: "https://boats.example/x/", redirects, endpoint: OBJECTS },
      { expectedHeaders, references, hasEdge: true, reloads: true },
    ),
  ).toEqual([
    { code: "no-cache" },
    { code: "unknown-headers", names: ["X-Boat"] },
    { code: "no-transport-security" },
    { code: "edge-redirects", count: 3 },
    { code: "full-addresses", origin: "https://boats.example", count: 1, from: "index.html" },
    { code: "reload-script" },
  ]);
});

test("what the edge does by itself comes first: redirects with their query, pages without objects that stand for them, routes", () => {
  const edge = { carriesRules: true, setsHeaders: false, headers: {}, apart: [] };
  const at = (path: string, clientRoutes = false): string => ask(path, { endpoint: { ...OBJECTS, edge }, redirects, clientRoutes });
  expect(["/", "/about.html", "/news/", "/latest", "/gone"].map((path) => at(path))).toEqual(["200 index.html", "200 about.html", "307 → /old-news/", "301 → /news/", "404 404.html"]);
  expect([at("/gone", true), at("/gone.js", true)]).toEqual(["200 index.html", "404 404.html"]);
  const rules = memoryRules({ endpoint: { ...OBJECTS, edge }, redirects });
  const answers = createSiteAnswers(analyseBuild(memoryBuild(FILES).read([]), rules, undefined).wanted, rules);
  expect(answers("/latest", "a=1")).toMatchObject({ location: "/news/?a=1" });
  const { parcels, edgeRules } = decideStandIns([], { references: [] }, rules);
  expect([parcels, edgeRules?.redirects.length]).toEqual([[], 3]);
}); // prettier-ignore

test("an edge that only sets headers leaves addresses and redirects as they are without it", () => {
  const edge = { carriesRules: false, setsHeaders: true, headers: { "X-Port": "alder" }, apart: [] };
  for (const endpoint of [OBJECTS, { serves: "website", carriesRedirects: false } as const])
    for (const path of ["/", "/latest", "/news/a", "/about.html", "/gone"])
      expect([path, ask(path, { endpoint: { ...endpoint, edge }, redirects })]).toEqual([path, ask(path, { endpoint, redirects })]);
}); // prettier-ignore
