import type { Link } from "./link.ts";
import { judgeForgetting, judgeHabits, type ForgettingTrial } from "./edge-links.ts";
import { judgeDistribution } from "./distribution-link.ts";
import { judgeConditions, judgeFirstLook, judgeTrial, judgeWebsite } from "./store-links.ts";
import {
  judgeCertificate,
  judgeFolders,
  judgeMissing,
  judgeReading,
  judgeRoot,
  withoutConsequences,
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
  const causes = ["credentials-refused", "clock-skew", "no-such-bucket", "wrong-region", "unreachable", "throttled", "server", "other", "no-credentials"].map(
    (kind) => judgeFirstLook(FACTS, { kind, action: { do: "list" } } as never).find(({ state }) => state === "broken")?.cause,
  ); // prettier-ignore
  expect(causes).toEqual(["credentials-refused", "clock-off", "no-bucket", "wrong-region", "nobody-listens", "store-fails", "store-fails", "not-a-store", "no-credentials"]); // prettier-ignore
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
  ["a proxy that refuses", judgeCertificate("h", { code: "EPROXY", proxy: "the proxy http://p refused with 407" }, NOW), "broken", "proxy-fails"],
  ["a root that lists the bucket", judgeRoot({ status: 200, headers: { "content-type": "application/xml" }, hash: "x", size: 1 }, { path: "/", entry: "index.html", isDelivered: true }), "broken", "root-lists"],
  ["client routes that nobody answers", judgeMissing({ status: 404, headers: {}, hash: "x", size: 1 }, { address: "/x", clientRoutes: true, isDelivered: true }), "broken", "routes-not-answered"],
  ["client routes of a site that is not delivered", judgeMissing({ status: 403, headers: {}, hash: "x", size: 1 }, { address: "/x", clientRoutes: true, isDelivered: false }), "not-tried", undefined],
  ["missing pages of a site that is not delivered", judgeMissing({ status: 403, headers: {}, hash: "x", size: 1 }, { address: "/x", clientRoutes: false, isDelivered: false }), "not-tried", undefined],
  ["a distribution that is off", judgeDistribution({ steps: [{ do: "switch-on" }], byHand: [], isDeployed: true }), "broken", "distribution-otherwise"],
  ["a distribution of which only the settings lack something", judgeDistribution({ steps: [{ do: "write-settings", file: "f", names: ["query"] }], byHand: [], isDeployed: false }), "note", "being-deployed"],
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
  ["another place that answers 200", 200, {}, {}, "answers-otherwise", {}],
  ["a sign-in page", 302, { headers: { location: "/sign-in" } }, {}, "leads-elsewhere", {}],
  ["a store that everybody may read, and 403 all the same: it hides what is missing", 403, {}, {}, "not-found-there", {}],
  ["a policy that is right, and an edge that comes unsigned", 403, {}, { readers: "edge-only", distributions: ["D"] }, "edge-unsigned", {}],
  ["a policy that could not be looked at", 403, {}, { isOpen: undefined }, "store-denies", {}],
  ["a key without the prefix", 404, { refusal: { code: "NoSuchKey", key: "p/index.html" } }, {}, "other-path", {}],
  ["a plain 404", 404, {}, {}, "not-found-there", {}],
  ["an origin that fails", 500, {}, {}, "origin-unreachable", { status: 500, endpoint: "http://store" }],
  ["a redirect to nowhere", 301, {}, {}, "leads-elsewhere", { location: "nowhere" }],
  ["another bucket", 404, { refusal: { code: "NoSuchBucket" } }, {}, "other-bucket", { bucket: "pelican" }],
  ["no website", 404, { refusal: { code: "NoSuchWebsiteConfiguration" } }, {}, "endpoint-without-website", {}],
  ["just this key, and nothing there", 404, { refusal: { code: "NoSuchKey", key: "site/p/index.html" } }, {}, "not-found-there", {}],
  ["a bucket that lets nobody in", 401, {}, { isOpen: false }, "store-denies", { kind: "public" }],
  ["a bucket that lets no edge in", 403, {}, { isOpen: false, readers: "edge-only", distributions: ["D"] }, "store-denies", { kind: "edge", distributions: ["D"] }],
] as const)("%s", (_, status, answer, facts, cause, names) => {
  const seen = { status, headers: {}, hash: "other", size: 1, ...answer };
  const link = judgeReading(seen, { ...READING, ...facts });
  expect(link).toMatchObject({ state: "broken", cause, names });
}); // prettier-ignore

test("what was written is read, or nobody answers", () => {
  const right = { status: 200, headers: {}, hash: "right", size: 1 };
  expect(judgeReading(right, READING).state).toBe("good");
  expect(judgeReading(undefined, READING)).toMatchObject({
    link: "edge",
    state: "broken",
    cause: "nobody-answers",
  });
});

test("a folder is answered with its index page by a website, and as an exact key by objects", () => {
  const judge = (serves: "website" | "objects", answer?: { status: number; hash: string }, isLed = false) => {
    const seen = answer && { headers: {}, size: 1, ...answer };
    const { state, cause } = judgeFolders(seen, { address: "/p/", hash: "right", serves, isLed });
    return [state, cause];
  };
  const right = { status: 200, hash: "right" };
  for (const wrong of [{ status: 200, hash: "list" }, { status: 404, hash: "right" }, undefined]) {
    expect(judge("website", wrong)).toEqual(["broken", "no-index-documents"]);
    expect(judge("objects", wrong)).toEqual(["good", undefined]);
  }
  expect([judge("website", right), judge("objects", right)]).toEqual([["good", undefined], ["note", "resolves-index-documents"]]);
  expect([judge("objects", right, true), judge("objects", undefined, true)]).toEqual([["good", undefined], ["good", undefined]]);
}); // prettier-ignore

test("what a try of the store tells: each right once, then conditions, then who reads the records", () => {
  const put = { kind: "denied", action: { do: "write", key: "a" }, status: 403 } as const;
  const remove = { kind: "denied", action: { do: "remove", key: "a" }, status: 403 } as const;
  const at = { bucket: "pelican", endpoint: "http://store", url: "https://www.pelicansound.example" };
  const judge = (trial: object, place = at) =>
    judgeTrial({ denials: [], canWrite: true, condition: undefined, records: undefined, ...trial }, place).map(({ link, state, cause = "" }) => `${link} ${state} ${cause}`.trim());
  expect(judge({})).toEqual(["rights good"]);
  expect(judge({ denials: [put, put, remove], condition: "ignored" })).toEqual(["rights broken right-missing", "rights broken right-missing", "conditions note no-conditions"]);
  expect(judge({ denials: [put, remove] }, { ...at, bucket: "" })).toEqual(["rights broken folder-denied"]);
  const records = (isPublic?: boolean, isServed?: boolean) => judge({ records: { isPublic, isServed } })[1];
  expect([records(true, true), records(false, true), records(undefined, undefined), records(false, false), records(undefined, false), records(false)]).toEqual(
    ["records broken records-open", "records broken records-served", "records not-tried", "records good", "records good", "records good"]);
}); // prettier-ignore

test("an edge that does not forget is told by what it did", () => {
  const judge = (trial: object) => {
    const { state, cause } = judgeForgetting({ edge: "e", ...trial } as ForgettingTrial);
    return cause ?? state;
  };
  const failed = (kind: string) => judge({ exact: { state: "failed", failure: { kind } } });
  expect(["denied", "credentials-refused", "not-found", "other"].map(failed)).toEqual(["may-not-invalidate", "may-not-invalidate", "edge-unknown", "edge-fails"]);
  const exact = { state: "new" };
  expect([judge({ exact }), judge({ exact, pattern: exact }), judge({ exact, pattern: { state: "old" } }), judge({ exact: { state: "old" } })]).toEqual(["good", "good", "patterns-unknown", "still-old"]);
}); // prettier-ignore

test("habits against what the settings say: right, wrong, or not said and worth saying", () => {
  const seen = { holdsZero: false, ignoresQuery: true, holdsNegative: false };
  expect(judgeHabits(seen, {})).toMatchObject({ state: "note", cause: "habits-unsaid", names: { habits: "minimumFreshness: 0s, query: ignored, negative: 0s" } });
  expect(judgeHabits(seen, { minimumFreshness: 0, query: "ignored", negative: 0 }).state).toBe("good");
  // Of what holds too long nothing could be said that helps.
  const holding = { holdsZero: true, ignoresQuery: false, holdsNegative: true };
  expect(judgeHabits(holding, {}).state).toBe("good");
  expect(judgeHabits(holding, { minimumFreshness: 60, query: "keyed", negative: 60 }).state).toBe("good");
  expect(judgeHabits(holding, { minimumFreshness: 0, query: "ignored", negative: 0 })).toMatchObject({ state: "broken", names: { habits: "minimumFreshness: 1m, query: keyed, negative: 1m" } });
}); // prettier-ignore

test("what only follows from a store that can't be read is not told as a fault of its own", () => {
  const denied = { status: 403, headers: {}, size: 1, hash: undefined, refusal: { code: "AccessDenied" } };
  const reading = judgeReading(denied, {
    ...{ address: "/p/", key: "p/", hash: "h", bucket: "b", prefix: "", endpoint: "http://e", host: "h" },
    ...{ readers: "public" as const, distributions: [], isOpen: false },
  });
  const root = judgeRoot(denied, { path: "/", entry: "index.html", isDelivered: true });
  const missing = judgeMissing({ ...denied, status: 404 }, { address: "/n", clientRoutes: true, isDelivered: true });
  const states = (links: Link[]): string[] => links.map(({ link, state }) => `${link} ${state}`);
  expect(states(withoutConsequences([missing, root, reading], reading))).toEqual(["missing pages broken", "root document not-tried", "reading broken"]);
  const fine: Link = { ...reading, state: "good" };
  expect(withoutConsequences([root, fine], fine)).toEqual([root, fine]);
}); // prettier-ignore
