import { judgeForgetting, judgeHabits } from "./edge-links.ts";
import { judgeConditions, judgeFirstLook, judgeWebsite } from "./store-links.ts";
import {
  judgeCertificate,
  judgeMissing,
  judgeReading,
  judgeRoot,
  type ReadingFacts,
} from "./visitor-links.ts";

const FACTS = { endpoint: "http://store", bucket: "pelican", source: "the environment" };
const NOW = Date.parse("2026-03-04T14:20:00Z");

test("a first look that holds tells of four links; one that fails breaks just one, and tells nothing of what lies behind", () => {
  expect(judgeFirstLook({ ...FACTS, skewMs: 500 }, undefined).map(({ link, state }) => `${link} ${state}`)).toEqual(["credentials good", "store good", "clock good", "bucket good"]); // prettier-ignore
  const broken = (kind: string, more: object = {}) =>
    judgeFirstLook(FACTS, { kind, action: { do: "list" }, ...more }).map(
      ({ link, state }) => `${link} ${state}`,
    );
  expect(broken("unreachable", { code: "ECONNREFUSED" })).toEqual(["credentials not-tried", "store broken"]);
  expect(broken("clock-skew")).toEqual(["credentials good", "store good", "clock broken"]);
  expect(broken("denied")).toEqual(["credentials good", "store good", "clock not-tried", "bucket good", "rights broken"]); // prettier-ignore
  const [, , drifts] = judgeFirstLook({ ...FACTS, skewMs: -300_000 }, undefined);
  expect(drifts).toMatchObject({
    state: "note",
    found: { code: "skew", skewMs: -300_000 },
    cause: "clock-drifts",
  });
});

test.each([
  ["conditions that are checked", judgeConditions("checked"), "good", undefined],
  ["conditions that are ignored", judgeConditions("ignored"), "note", "no-conditions"],
  ["conditions that are not known", judgeConditions("unsupported"), "note", "no-conditions"],
  ["another site's documents", judgeWebsite({ state: "set", value: { index: "home.html", rules: [] } }, { index: "index.html" }), "broken", "website-otherwise"],
  ["a store without website endpoints", judgeWebsite({ state: "unsupported", answer: "501" }, { index: "index.html" }), "broken", "website-unknown"],
  ["settings that may not be looked at", judgeWebsite({ state: "denied", answer: "403" }, { index: "index.html" }), "not-tried", undefined],
  ["a certificate that ends soon", judgeCertificate("h", { untilMs: NOW + 86_400_000, names: ["h"] }, NOW), "note", "certificate-ends"],
  ["a certificate that will do", judgeCertificate("h", { untilMs: NOW + 86_400_000 * 60, names: ["h"] }, NOW), "good", undefined],
  ["a root that lists the bucket", judgeRoot({ status: 200, headers: { "content-type": "application/xml" }, hash: "x", size: 1 }, { path: "/", entry: "index.html", isDelivered: true }), "broken", "root-lists"],
  ["client routes that nobody answers", judgeMissing({ status: 404, headers: {}, hash: "x", size: 1 }, { address: "/x", clientRoutes: true }), "broken", "routes-not-answered"],
  ["a pattern that fails", judgeForgetting({ edge: "e", patterns: "ban", exact: { state: "new" }, pattern: { state: "failed", failure: { kind: "no-purges", node: "n" } } }), "broken", "patterns-unknown"],
  ["an edge that holds nothing", judgeForgetting({ edge: "e", exact: { state: "not-held" } }), "good", undefined],
  ["habits that the settings say", judgeHabits({ holdsZero: false, ignoresQuery: true, holdsNegative: true }, { minimumFreshness: 0, query: "ignored" }), "good", undefined],
  ["'not found' that is held against the settings", judgeHabits({ holdsNegative: true }, { negative: 0 }), "broken", "habits-otherwise"],
  ["habits that can't be told", judgeHabits({}, {}), "not-tried", undefined],
])("%s", (_, link, state, cause) => {
  expect([link.state, link.cause]).toEqual([state, cause]);
}); // prettier-ignore

const READING: ReadingFacts = {
  address: "/p/index.html",
  key: "site/p/index.html",
  hash: "right",
  ...{ bucket: "pelican", prefix: "site/", endpoint: "http://store", host: "h" },
  ...{ readers: "public", distributions: [], isOpen: true },
};

test.each([
  ["another place that answers 200", 200, {}, {}, "answers-otherwise"],
  ["a sign-in page", 302, { headers: { location: "/sign-in" } }, {}, "leads-elsewhere"],
  ["a store that everybody may read, and 403 all the same: it hides what is missing", 403, {}, {}, "not-found-there"],
  ["a policy that is right, and an edge that comes unsigned", 403, {}, { readers: "edge-only", distributions: ["D"] }, "edge-unsigned"],
  ["a policy that could not be looked at", 403, {}, { isOpen: undefined }, "store-denies"],
  ["a key without the prefix", 404, { refusal: { code: "NoSuchKey", key: "p/index.html" } }, {}, "other-path"],
  ["a plain 404", 404, {}, {}, "not-found-there"],
] as const)("%s", (_, status, answer, facts, cause) => {
  const seen = { status, headers: {}, hash: "other", size: 1, ...answer };
  expect(judgeReading(seen, { ...READING, ...facts })).toMatchObject({ state: "broken", cause });
}); // prettier-ignore
