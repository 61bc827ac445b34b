import { PureDestination } from "../../../../test/support/pure-destination.ts";
import { parseEdgeFreshness } from "../../model/cache-control.ts";
import type { VisitorAnswer } from "../../model/visitor-answer.ts";
import type { RedirectRule } from "../../addresses/redirects.ts";
import type { EdgeRules } from "../../model/edge-rules.ts";
import type { Waybill } from "../../model/release.ts";
import { CAUSES, explainSymptoms, type Finding } from "./causes.ts";
import { listEarlier, selectChecks, type Check } from "./checks.ts";
import { FINDING_CODES, findSymptoms } from "./findings.ts";

const RULES = { forms: ["file", "folder"] as const, basePath: "/", indexName: "index.html" };
const place = new PureDestination();
const releases = [
  { "index.html": "one", "404.html": "lost", "news/index.html": "n", "app.js": "a".repeat(3000) },
  { "index.html": "two", "404.html": "lost", "news/index.html": "n", "app.js": "a".repeat(3000) },
].map((files) => {
  place.deliver(place.analyse(files).wanted);
  return place.state.waybill as Waybill;
});
const [older, current] = releases as [Waybill, Waybill];
const CHECKS = selectChecks({
  ...{
    current,
    older: [older],
    addressRules: RULES,
    clientRoutes: false,
    leavesRedirects: true,
    hasOwnErrors: true,
  },
  ...{ sample: 100, unused: "unused" },
  redirects: [{ address: "/old", leadsTo: "/news/", kind: "permanent", keepMethod: false }],
});

/** What a site gives that is as it was delivered. */
function answerRightly(check: Check): VisitorAnswer {
  switch (check.kind) {
    case "content":
    case "query": {
      const { headers, hash, size } = check.parcel;
      return { status: 200, headers: { ...headers, "content-encoding": "br" }, hash, size };
    }
    case "redirect":
      return { status: check.statuses[0] ?? 301, headers: { location: check.location }, hash: "", size: 0 };
    default:
      return {
        status: 404,
        headers: {},
        hash: current.parcels.find(({ role }) => role === "notFound")?.hash,
        size: 4,
      };
  }
}

const look = (
  answer: (check: Check) => VisitorAnswer | undefined,
  more: Partial<Parameters<typeof explainSymptoms>[1]> = {},
): Finding[] => {
  const facts = {
    earlierOf: (check: Check) =>
      check.kind === "content" ? listEarlier(check.parcel.key, [older]) : new Map<string, number>(),
    expectedHeaders: {},
  };
  const symptoms = CHECKS.flatMap((check) =>
    findSymptoms(check, [{ form: "br", answer: answer(check) }], facts),
  );
  const contents = CHECKS.filter(({ kind }) => kind === "content").length;
  const rest = {
    lookOf: () => ({ isThere: true, isRight: true, hasRightHeaders: true }),
    isRightPastCache: () => false,
  };
  return explainSymptoms(symptoms, { ...rest, contents, basePath: "/", indexName: "index.html", ...more });
};
const told = (findings: readonly Finding[]): string[] => [...new Set(findings.map(({ code, cause }) => `${code}: ${cause}`))]; // prettier-ignore

test("everything that must answer is asked for, and a site that is as delivered has no finding", () => {
  const addresses = CHECKS.map(({ kind, address }) => `${kind} ${address}`);
  expect(addresses).toEqual(expect.arrayContaining(["content /", "content /news/", "query /", "redirect /old", "missing /unused.html", "missingScript /unused.js"])); // prettier-ignore
  expect(look(answerRightly)).toEqual([]);
});

test("redirects that the store keeps are objects of the release, and asked for as such", () => {
  const rules = {
    current,
    older: [],
    addressRules: RULES,
    clientRoutes: false,
    hasOwnErrors: true,
    sample: 100,
    unused: "u",
  };
  const redirects = [{ address: "/old", leadsTo: "/news/", kind: "temporary", keepMethod: false }] as const;
  const asked = (leavesRedirects: boolean) =>
    selectChecks({ ...rules, redirects, leavesRedirects }).filter(({ kind }) => kind === "redirect");
  expect([asked(false), asked(true)]).toMatchObject([[], [{ address: "/old", statuses: [302] }]]);
});

test("redirects that are set up by hand are asked for as the first rule says, below the base path, trees included; none that a rule or a file hides", () => {
  const rule = (address: string, leadsTo: string): RedirectRule => ({ address, leadsTo, kind: "temporary", keepMethod: false });
  const redirects = [rule("/old", "/new/"), rule("/tides/*", "/archive/*"), rule("/tides/may", "/never"), rule("/away/*", "https://x.test/"), rule("/news/", "/hidden")];
  const addressRules = { ...RULES, basePath: "/shop/" };
  const checks = selectChecks({ current, older: [], addressRules, clientRoutes: false, hasOwnErrors: true, sample: 100, unused: "u", redirects, leavesRedirects: true });
  expect(checks.flatMap((check) => (check.kind === "redirect" ? [`${check.address} ${check.location}`] : []))).toEqual([
    "/shop/old /shop/new/", "/shop/tides/u /shop/archive/u", "/shop/away/u https://x.test/",
  ]);
}); // prettier-ignore

const EDGE_RULES = { basePath: "/", apart: [], redirects: [], headers: { "X-Port": "alder" } };
/** The checks of a release with rules for its edge, as `kind address`. */
function asksOf(edgeRules: EdgeRules, redirects: readonly RedirectRule[], clientRoutes = false): string[] {
  const facts = { addressRules: RULES, clientRoutes, redirects, leavesRedirects: edgeRules.pages === undefined };
  const rest = { older: [], hasOwnErrors: true, sample: 100, unused: "u" };
  return selectChecks({ current: { ...current, edgeRules }, ...facts, ...rest }).map(({ kind, address }) => `${kind} ${address}`);
} // prettier-ignore

test("an edge that only sets headers leaves redirects to be set up by hand, and they are asked for", () => {
  const old: RedirectRule = { address: "/old", leadsTo: "/news/", kind: "permanent", keepMethod: false };
  expect(asksOf(EDGE_RULES, [old])).toContain("redirect /old");
});

test("where a redirect takes every address, nothing is missing and no route leads to the entry page", () => {
  const moved: RedirectRule = { address: "/*", leadsTo: "/news/", kind: "permanent", keepMethod: false };
  const pages = { folders: true, indexName: "index.html", bare: "", others: {}, entry: "index.html", endings: ["js"] };
  const redirects = [{ address: "/*", leadsTo: "/news/", status: 301 }] as const;
  const asked = asksOf({ ...EDGE_RULES, redirects, pages }, [moved], true);
  expect(asked).toContain("redirect /u");
  expect(asked.filter((one) => /route|missing/.test(one))).toEqual([]);
  expect(asksOf(EDGE_RULES, [moved]).filter((one) => /route|missing/.test(one))).toEqual([]);
  expect(asksOf({ ...EDGE_RULES, pages }, [], true)).toEqual(expect.arrayContaining(["route /u", "missingScript /u.js"]));
}); // prettier-ignore

const at = (address: string, answer: Partial<VisitorAnswer> | undefined) => (check: Check) =>
  check.kind === "content" && check.address === address
    ? answer && { ...answerRightly(check), ...answer }
    : answerRightly(check);
/** Every answer has this header as well. */
const withHeader = (name: string, value: string) => (check: Check) => {
  const { headers, ...answer } = answerRightly(check);
  return { ...answer, headers: { ...headers, [name]: value } };
};
test("a site without a page for what is missing leaves the answer to the store, which may hide what it has", () => {
  const parcels = current.parcels.filter(({ role }) => role !== "notFound");
  const [check] = selectChecks({
    ...{
      current: { ...current, parcels },
      older: [],
      redirects: [],
      addressRules: RULES,
      clientRoutes: false,
    },
    ...{ leavesRedirects: true, hasOwnErrors: true, sample: 100, unused: "unused" },
  }).filter(({ kind }) => kind === "missing");
  const codes = (status: number): unknown =>
    check &&
    findSymptoms(check, [{ form: "br", answer: { status, headers: {}, hash: "x", size: 1 } }], {
      ...{ earlierOf: () => new Map<string, number>(), expectedHeaders: {} },
    }).map(({ code }) => code);
  expect([403, 404, 200].map(codes)).toEqual([[], [], ["not-found-page"]]);
});

/** A script is so many seconds older than it may become. */
const beyond = (seconds: number) => (check: Check) => {
  if (check.kind !== "content" || check.address !== "/app.js") return answerRightly(check);
  const allowed = parseEdgeFreshness(check.parcel.headers["cache-control"]) ?? Number.NaN;
  return withHeader("age", String(allowed + seconds))(check);
};
const oldHash = older.parcels.find(({ key }) => key === "index.html")?.hash;

test.each<[string, (check: Check) => VisitorAnswer | undefined, Parameters<typeof look>[1], string[]]>([
  ["an old page", at("/", { hash: oldHash }), {}, ["old-content: edge-holds-old-copy"]],
  ["the only page that was asked for", at("/", { status: 404 }), { contents: 1 }, ["not-answered: no-root-document"]],
  ["an old page that the store has, too", at("/", { hash: oldHash }), { lookOf: () => ({ isThere: true, isRight: false, hasRightHeaders: true }) }, ["old-content: changed-in-store"]],
  ["a file that went by other means", at("/app.js", { status: 404 }), { lookOf: () => ({ isThere: false, isRight: false, hasRightHeaders: false }) }, ["not-answered: changed-in-store"]],
  ["bytes that nobody delivered", at("/app.js", { hash: "x" }), {}, ["other-content: edge-changes-content"]],
  ["bytes that come only out of the cache", at("/app.js", { hash: "x" }), { isRightPastCache: () => true }, ["other-content: edge-holds-old-copy"]],
  ["folders that don't answer", at("/news/", { status: 404 }), {}, ["not-answered: no-index-documents"]],
  ["a root that does not", at("/", { status: 404 }), {}, ["not-answered: no-root-document"]],
  ["nobody there", () => undefined, {}, ["unreachable: nobody-answers"]],
  ["a type that the edge sets", at("/app.js", { headers: { "content-type": "text/plain" } }), {}, ["type: header-set-by-edge", "cache-control: header-set-by-edge", "not-compressed: compression-off"]],
  ["a copy that may live on for longer than it was given", withHeader("cache-status", "near; hit; ttl=40000000"), {}, ["held-too-long: edge-holds-longer"]],
  ["a copy that may live on for less", withHeader("cache-status", "near; hit; ttl=60"), {}, []],
  ["a copy whose fetch took seconds", beyond(5), {}, []],
  ["a copy that is held for seconds more", beyond(6), {}, ["held-too-long: edge-holds-longer"]],
  ["a copy that is older than it may become", withHeader("age", "40000000"), {}, ["held-too-long: edge-holds-longer"]],
  ["a failing origin", at("/", { status: 502 }), {}, ["failing: origin-fails"]],
  ["the first page for every address", (check) => (check.kind.startsWith("missing") ? { status: 200, headers: {}, hash: "x", size: 1 } : answerRightly(check)), {}, ["not-found-page: entry-answers-for-all", "script-answered: entry-answers-for-all"]],
  ["a redirect that says its whole address", (check) => (check.kind === "redirect" ? { ...answerRightly(check), headers: { location: `https://www.pelicansound.example${check.location}` } } : answerRightly(check)), {}, []],
  ["another page for what is missing", (check) => (check.kind === "missing" ? { ...answerRightly(check), hash: "x" } : answerRightly(check)), {}, ["not-found-page: no-error-document"]],
  ["a page for what is missing that could not be unpacked", (check) => (check.kind === "missing" ? { ...answerRightly(check), hash: undefined } : answerRightly(check)), {}, []],
  ["a store that hides what is missing", (check) => (check.kind.startsWith("missing") ? { status: 403, headers: {}, hash: "x", size: 1 } : answerRightly(check)), {}, ["not-found-page: store-hides-missing"]],
  ["a page that is gone for good", at("/", { status: 410 }), {}, ["not-answered: no-root-document"]],
  ["an address that asks who comes", at("/app.js", { status: 401 }), {}, ["refused: store-denies-edge"]],
  ["redirects that nobody has set up", (check) => (check.kind === "redirect" ? { status: 404, headers: {}, hash: "", size: 0 } : answerRightly(check)), {}, ["redirect: redirect-not-set-up"]],
  ["a store that denies everything", (check) => (check.kind === "content" ? { status: 403, headers: {}, hash: "", size: 0 } : answerRightly(check)), {}, ["refused: store-denies-edge"]],
])("%s", (_, answer, more, expected) => {
  const findings = look(answer, more);
  expect(told(findings)).toEqual(expected);
  expect(findings.every(({ code, cause }) => FINDING_CODES.includes(code) && CAUSES.includes(cause))).toBe(true);
}); // prettier-ignore
