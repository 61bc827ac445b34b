import { createContext, runInContext } from "node:vm";
import fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import type { EdgeMeans, EdgeRules } from "../model/edge-rules.ts";
import type { Parcel } from "../model/parcel.ts";
import { encodeKey, type AddressRules } from "../addresses/addresses.ts";
import { applyRules, toCanonical, type Turned } from "./apply.ts";
import { decideEdgeRules, type EdgeRuleFacts } from "./decide.ts";
import { decideRedirects, RedirectRules, type RedirectRule } from "../addresses/redirects.ts";
import { selectReadBacks } from "../edges/read-back.ts";
import { findRuleChanges } from "./changes.ts";
import { answersRoutes, PASSING_FUNCTION, toFunctionCode } from "./function-code.ts";
import { isSameRules } from "./same.ts";

interface Handled {
  readonly uri?: string;
  readonly statusCode?: number;
  readonly headers?: { readonly location?: { readonly value: string } };
}

/** Runs code as an edge does, with the documented event. */
function run(code: string, uri: string, querystring: Record<string, unknown> = {}, host = ""): Turned {
  const headers = host === "" ? {} : { host: { value: host } };
  const context = createContext({ event: { request: { method: "GET", uri, querystring, headers } } });
  const result = runInContext(`${code}\nhandler(event)`, context) as Handled;
  const { statusCode: status, headers: sent, uri: path = "" } = result;
  if (status === undefined) return { kind: "goes-on", path };
  return { kind: "redirect", status, location: sent?.location?.value ?? "" };
}

const ADDRESSES: AddressRules = { forms: ["file", "folder"], basePath: "/", indexName: "index.html" };
const MEANS: EdgeMeans = { carriesRules: true, setsHeaders: false, headers: {}, apart: [] };
const page = (key: string): Parcel => ({
  ...{ key, hash: "a", storedHash: "a", size: 1, role: "page" },
  headers: { "content-type": key.endsWith(".html") ? "text/html; charset=utf-8" : "text/plain" },
});
const decide = (keys: readonly string[], more: Partial<EdgeRuleFacts> = {}) =>
  decideEdgeRules({
    ...{ means: MEANS, parcels: [...keys].sort().map(page), addressRules: ADDRESSES, serves: "objects" },
    ...{ clientRoutes: false, entry: "index.html", redirects: [], ...more },
  });
const rulesOf = (...args: Parameters<typeof decide>): EdgeRules => decide(...args).rules as EdgeRules;
const pathOf = (rules: EdgeRules, path: string): string => {
  const turned = applyRules(rules, path);
  return turned.kind === "redirect" ? `${turned.status} ${turned.location}` : turned.path;
};

const part = fc.constantFrom("docs", "a b", "é", "v1.2", "x+y", "%", "news", "A", "über.html", "x.js", "");
const path = fc.array(part, { maxLength: 4 }).map((parts) => `/${parts.map(encodeKey).join("/")}`);
const spelt = fc.tuple(
  path,
  fc.constantFrom(
    (one: string) => one,
    (one: string) => one.toLowerCase(),
    decodeSome,
  ),
);
function decodeSome(one: string): string {
  return one.replace(/%C3%A9|%2B/g, decodeURIComponent);
}
const redirect = fc.record({
  address: fc.tuple(path, fc.constantFrom("", "*")).map(([one, star]) => (toCanonical(one) ?? one) + star),
  leadsTo: fc
    .tuple(path, fc.constantFrom("", "*", "?a=1", "#top", "?a=1#top"))
    .map(([one, end]) => one + end),
  status: fc.constantFrom(301 as const, 302 as const, 307 as const, 308 as const),
});
const rules: fc.Arbitrary<EdgeRules> = fc.record({
  basePath: fc.constantFrom("/", "/docs/"),
  apart: fc.constantFrom([], ["/docs/news/"]),
  previews: fc.constantFrom(
    undefined,
    { before: "", after: ".preview.test", path: "/previews/" },
    { before: "pr-", after: ".test", path: "/p/" },
  ),
  redirects: fc.array(redirect, { maxLength: 6 }),
  headers: fc.constant({}),
  pages: fc.option(
    fc.record({
      folders: fc.boolean(),
      indexName: fc.constant("index.html"),
      bare: fc.constantFrom("", ".html", "/index.html"),
      others: fc.dictionary(
        path.map((one) => one.slice(1)),
        fc.constantFrom("", ".html", "/index.html", "index.html"),
        { maxKeys: 4 },
      ),
      entry: fc.option(fc.constant("index.html"), { nil: undefined }),
      endings: fc.constantFrom([], ["js", "html"]),
    }),
    { nil: undefined },
  ),
});

const HOSTS = fc.constantFrom(
  "",
  "www.test",
  "a.preview.test",
  "A-1.Preview.Test:8080",
  "a.b.preview.test",
  ".preview.test",
  "pr-7.test",
  "pr-.test",
  "pr-pr-a.test",
);

test("a preview's name leads to its folder, with the site's own redirects and ways to pages; its folder is no page of the site", () => {
  const previews = { before: "", after: ".preview.test", path: "/previews/" };
  const made = decide(["index.html", "about.html", "docs/index.html"], {
    means: { ...MEANS, apart: ["/previews/"], previews },
    addressRules: { ...ADDRESSES, forms: ["file", "folder", "bare"] },
    redirects: [{ address: "/old", leadsTo: "/docs/", kind: "permanent", keepMethod: false }],
  }).rules as EdgeRules;
  const at = (path: string, host: string) => {
    const turned = applyRules(made, path, "", host);
    return turned.kind === "redirect" ? turned.location : turned.path;
  };
  expect(["/", "/about", "/docs/", "/a.js", "/old", "/new"].map((path) => at(path, "Spring-fares.preview.test:443"))).toEqual([
    "/previews/spring-fares/index.html", "/previews/spring-fares/about.html", "/previews/spring-fares/docs/index.html",
    "/previews/spring-fares/a.js", "/docs/", "/previews/spring-fares/new.html",
  ]);
  expect(["/", "/previews/spring-fares/"].map((path) => at(path, "www.preview.test.example"))).toEqual(["/index.html", "/previews/spring-fares/index.html"]);
  expect(findRuleChanges({ ...made, previews: undefined }, made)).toEqual([{ kind: "previews", name: "*.preview.test", change: "new", now: "/previews/" }]);
  expect(findRuleChanges(made, { ...made, previews: { ...previews, path: "/p/" } })).toMatchObject([{ change: "replaced" }]);
  expect(findRuleChanges(made, { ...made, previews: undefined })).toMatchObject([{ kind: "previews", name: "*.preview.test", change: "gone" }]);
}); // prettier-ignore

test("the function does with every request just what the rules say, as they are written down", () =>
  holds(
    fc.property(
      rules,
      spelt,
      fc.constantFrom({}, { b: "2" }, { b: "" }),
      HOSTS,
      (all, [one, spell], query, host) => {
        const uri = spell(one);
        const said = Object.entries(query).map(([name, value]) => (value === "" ? name : `${name}=${value}`));
        const values = Object.fromEntries(Object.entries(query).map(([name, value]) => [name, { value }]));
        const recorded = JSON.parse(JSON.stringify(all)) as EdgeRules;
        expect(run(toFunctionCode(recorded), uri, values, host)).toEqual(
          applyRules(all, uri, said.join("&"), host),
        );
        expect(isSameRules(recorded, all)).toBe(true);
        expect(answersRoutes(toFunctionCode(all))).toBe(all.pages?.entry !== undefined);
      },
    ),
    { seeds: [1, 2], numRuns: 400 },
  ));

test("what an edge does not understand goes on as it came, and a query is sent on as it was", () => {
  const all = rulesOf(["index.html"], {
    redirects: [{ address: "/old/*", leadsTo: "/new/*", kind: "temporary", keepMethod: true }],
  });
  expect(run(toFunctionCode(all), "/%E0%A4%A")).toEqual({ kind: "goes-on", path: "/%E0%A4%A" });
  expect(run(PASSING_FUNCTION, "/docs/")).toEqual({ kind: "goes-on", path: "/docs/" });
  const many = { a: { value: "1", multiValue: [{ value: "1" }, { value: "%20" }] }, b: { value: "" } };
  expect(run(toFunctionCode(all), "/old/x%2fy", many)).toEqual({
    kind: "redirect",
    status: 307,
    location: "/new/x%2Fy?a=1&a=%20&b",
  });
});

test("each address of a page leads to its object, whatever forms are promised and however pages are named", () =>
  holds(
    fc.property(
      fc.uniqueArray(fc.constantFrom("about", "news", "news/2026", "v1.2", "é", "a b/c"), { minLength: 1 }),
      fc.array(fc.boolean(), { minLength: 6, maxLength: 6 }),
      fc.constantFrom<AddressRules["forms"]>(
        ["file", "folder"],
        ["file", "bare"],
        ["file", "folder", "bare"],
      ),
      fc.boolean(),
      (names, isFolder, forms, clientRoutes) => {
        const keys = names.map((name, index) =>
          isFolder[index] === true ? `${name}/index.html` : `${name}.html`,
        );
        const all = ["index.html", "CNAME", ...keys];
        const made = rulesOf(all, { addressRules: { ...ADDRESSES, forms }, clientRoutes });
        for (const key of all) {
          const own = `/${encodeKey(key)}`;
          expect(pathOf(made, own)).toBe(own);
          const folder = own.replace(/index\.html$/, "");
          if (folder !== own && (forms.includes("folder") || folder === "/"))
            expect(pathOf(made, folder)).toBe(own);
          const bare = own.replace(/(\/index)?\.html$/, "");
          const isTaken = keys.some(
            (other) => other !== key && `/${encodeKey(other)}`.replace(/(\/index)?\.html$/, "") === bare,
          );
          if (
            forms.includes("bare") &&
            key.endsWith(".html") &&
            bare !== "" &&
            !isTaken &&
            key !== "index.html"
          )
            expect(pathOf(made, bare)).toBe(own);
        }
        expect(pathOf(made, "/gone.js")).toBe("/gone.js");
        if (clientRoutes) expect(pathOf(made, "/no/such/route")).toBe("/index.html");
      },
    ),
    { seeds: [1], numRuns: 200 },
  ));

test("below a path, the first address and folders are the site's own, and all else goes on", () => {
  const made = rulesOf(["index.html", "fares/index.html"], {
    addressRules: { ...ADDRESSES, basePath: "/docs/" },
  });
  expect(["/docs/", "/docs/fares/", "/docs", "/other/"].map((one) => pathOf(made, one))).toEqual([
    "/docs/index.html",
    "/docs/fares/index.html",
    "/docs",
    "/other/",
  ]);
});

test("previews below the site are sites of their own: no route or redirect of the site counts there", () => {
  const means = { ...MEANS, apart: ["/previews/"] };
  const redirects = [{ address: "/*", leadsTo: "/", kind: "temporary", keepMethod: false }] as const;
  const made = rulesOf(["index.html"], { means, redirects, clientRoutes: true });
  expect(["/previews/a/", "/previews/a/x", "/x"].map((one) => pathOf(made, one))).toEqual([
    "/previews/a/index.html",
    "/previews/a/x",
    "302 /",
  ]);
});

test("a website endpoint resolves folders by itself: the edge gets no more than it needs", () => {
  expect(rulesOf(["index.html", "a/index.html"], { serves: "website" }).pages).toBeUndefined();
  const bare = { ...ADDRESSES, forms: ["file", "bare"] } as const;
  const made = rulesOf(["a/index.html", "b.html", "index.html"], { serves: "website", addressRules: bare });
  expect(["/a", "/a/", "/b"].map((one) => pathOf(made, one))).toEqual(["/a", "/a/index.html", "/b.html"]);
});

test("what the edge can't take is known before anything is written", () => {
  const redirects = Array.from({ length: 300 }, (_, index) => ({
    ...{ address: `/old-crossing-${index}`, leadsTo: `/crossings/${index}/` },
    ...{ kind: "permanent" as const, keepMethod: false },
  }));
  const headers = {
    ...Object.fromEntries(Array.from({ length: 11 }, (_, at) => [`X-${at}`, "1"])),
    "Content-Security-Policy": "a".repeat(1784),
  };
  const { problems } = decide(["index.html"], { redirects, means: { ...MEANS, setsHeaders: true, headers } });
  expect(problems.map(({ code, severity }) => [code, severity])).toEqual([
    ["edge-rules-large", "error"],
    ["edge-header-long", "error"],
    ["edge-headers-many", "error"],
  ]);
  expect(decide(["index.html"], { redirects: redirects.slice(0, 60) }).problems).toEqual([]);
});

test("headers wait for a place, and without means there are no rules", () => {
  const headers = { "X-Frame-Options": "DENY" };
  const waiting = decide(["index.html"], { means: { ...MEANS, carriesRules: false, headers } });
  expect([waiting.rules, waiting.problems]).toMatchObject([
    undefined,
    [{ code: "edge-headers-unplaced", severity: "warning" }],
  ]);
  const placed = decide(["index.html"], {
    means: { ...MEANS, carriesRules: false, setsHeaders: true, headers },
  });
  expect([placed.rules?.headers, placed.rules?.pages, placed.problems]).toEqual([headers, undefined, []]);
  expect(decide(["index.html"], { means: undefined }).rules).toBeUndefined();
});

const RULES: EdgeRules = {
  ...{ basePath: "/", apart: [], headers: { "X-Frame-Options": "DENY" } },
  redirects: [
    { address: "/a", leadsTo: "/b", status: 302 },
    { address: "/a", leadsTo: "/never", status: 301 },
  ],
};

test("what an edge does otherwise is told rule by rule; of two rules for one address the first counts", () => {
  const redirects = [{ address: "/a", leadsTo: "/b", status: 301 }, { address: "/c*", leadsTo: "/d", status: 308 }] as const;
  const pages = { folders: true, indexName: "index.html", bare: "", others: {}, endings: [] };
  const next: EdgeRules = { ...RULES, redirects, pages, headers: { "Referrer-Policy": "origin" } };
  expect(findRuleChanges(RULES, next)).toEqual([
    { kind: "redirect", name: "/a", change: "replaced", now: "/b (301)" },
    { kind: "redirect", name: "/c*", change: "new", now: "/d (308)" },
    { kind: "pages", name: "/", change: "new" },
    { kind: "header", name: "Referrer-Policy", change: "new", now: "origin" },
    { kind: "header", name: "X-Frame-Options", change: "gone" },
  ]);
  expect([findRuleChanges(next, next), findRuleChanges(undefined, undefined)]).toEqual([[], []]);
  expect(findRuleChanges(next).map(({ change }) => change)).toEqual(["gone", "gone", "gone", "gone"]);
  expect(isSameRules(RULES, { ...RULES, redirects: RULES.redirects.toReversed() })).toBe(false);
}); // prettier-ignore

test("what is read back of an edge is what its own doing makes of an address", () => {
  const parcels = [page("index.html"), page("docs/index.html")].map((one, at) => ({ ...one, hash: `h${at}` }));
  const edgeRules = rulesOf(["index.html", "docs/index.html"], { clientRoutes: true, redirects: [{ address: "/old", leadsTo: "/docs/", kind: "temporary", keepMethod: false }] });
  const read = selectReadBacks(["/docs/", "/old", "/gone", "/gone.js"], { parcels, addressRules: ADDRESSES, edgeRules });
  expect(Object.fromEntries(read.map(({ address, right }) => [address, "hash" in right && right.kind === "content" ? right.hash : right.kind]))).toEqual({ "/docs/": "h1", "/old": "redirect", "/gone": "h0", "/gone.js": "missing" });
}); // prettier-ignore

test("at a website endpoint the edge gets what no object carries, and what such a rule would overtake", () => {
  const rule = (address: string, more: Partial<RedirectRule> = {}): RedirectRule => ({ address, leadsTo: "/", kind: "permanent", keepMethod: false, ...more });
  const rules = [rule("/a"), rule("/x/1"), rule("/x/*"), rule("/b", { kind: "temporary" })];
  const endpoint = { serves: "website" as const, carriesRedirects: true, ownsWebsite: true, bucketPrefix: "", edge: MEANS };
  const decideAt = (serves: "website" | "objects") =>
    decideRedirects({ endpoint: { ...endpoint, serves }, rules: new RedirectRules(rules), paths: new Set(["index.html"]), addressRules: ADDRESSES, clientRoutes: true, edgeCanForget: true });
  const website = decideAt("website");
  expect([website.parcels.map(({ key }) => key), website.atEdge.map(({ address }) => address), website.routing]).toEqual([["a"], ["/x/1", "/x/*", "/b"], []]);
  expect(decideAt("objects").atEdge).toHaveLength(4);
}); // prettier-ignore
