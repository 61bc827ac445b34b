import { memoryBuild, memoryRules, type RuleChanges } from "../../../test/support/memory-build.ts";
import { parseReleaseName } from "../history/release-names.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import type { Waybill } from "../model/release.ts";
import { analyseBuild } from "./analysis.ts";
import { fromElsewhere } from "./from-elsewhere.ts";
import { KEEP_OUT } from "./keep-out.ts";

const FILES = {
  "index.html":
    '<script src="assets/app-1f2e3d4c.js"></script><script>navigator.serviceWorker.register("sw.js")</script>',
  "assets/app-1f2e3d4c.js": "app",
  "sw.js": 'precache(["about.css"])',
  "about.css": "p{}",
  "news/index.html": "news",
  "robots.txt": "Allow: /",
  "plan.json": "{}",
  "notes/draft.txt": "draft",
};
const BUILD = memoryBuild(FILES).read([]);
const redirects = [{ address: "/latest", leadsTo: "/news/", kind: "permanent", keepMethod: false }] as const;
const OBJECTS = { serves: "objects", carriesRedirects: true } as const;

/** The record of a release as a destination with these rules makes it. */
function recordOf(changes: RuleChanges, build = BUILD): Waybill {
  const { wanted } = analyseBuild(build, memoryRules(changes), undefined);
  const aside = wanted.aside?.map(({ key, hash, size, role, headers }) => ({
    ...{ key, hash, size, role },
    type: headers["content-type"] ?? "",
  }));
  return {
    ...{ site: "Pelican Sound Ferries", release: 3, run: "r", previous: 2, at: "", by: "", standing: [] },
    workers: wanted.workers,
    ...(aside && { aside }),
    parcels: wanted.parcels.map((parcel): RecordedParcel => ({ ...parcel, etag: "e" })),
  };
}

const take = (release: Waybill, changes: RuleChanges = {}, madeFor = "/") =>
  fromElsewhere(release, { name: "preview/main@3", rules: memoryRules(changes), madeFor, added: [] });

/** What of a parcel counts at a destination. */
const plain = ({ wanted }: Pick<ReturnType<typeof analyseBuild>, "wanted">) =>
  wanted.parcels.map(({ key, hash, role, headers, aliasOf, redirectsTo, isOwn }) => ({
    ...{ key, hash, role, headers, aliasOf, redirectsTo, isOwn },
  }));

test.each<[string, RuleChanges]>([
  ["plain rules", {}],
  ["aliases and redirects", { redirects, endpoint: OBJECTS }],
  ["redirects in the store", { redirects, endpoint: { ownsWebsite: true } }],
  ["rules of its own", { headers: { freshness: [{ files: "*.json", browser: 60, edge: 60 }], headers: [{ files: "news/**", set: { "Content-Language": "en" } }] } }],
  ["search engines kept out as well", { noIndex: true }],
  ["files that stay behind", { exclude: ["notes/**"] }],
])("a preview that goes live becomes what a delivery of its build would make: %s", (_, rules) => {
  const preview = recordOf({ noIndex: true, headers: { keepsNothing: true, edgeCanForget: false } });
  const isExcluded = (path: string): boolean => rules.exclude !== undefined && path.startsWith("notes/");
  const build = { ...BUILD, files: BUILD.files.filter(({ path }) => !isExcluded(path)) };
  const taken = take(preview, rules);
  expect(plain(taken)).toEqual(plain(analyseBuild(build, memoryRules(rules), undefined)));
  expect(taken.wanted.workers).toEqual(["sw.js"]);
  expect(taken.wanted.origin).toEqual({ from: "elsewhere", name: "preview/main@3" });
  expect(taken.problems.filter(({ severity }) => severity === "error")).toEqual([]);
}); // prettier-ignore

test("own files take the place of the other destination's, whose build waits aside for the next", () => {
  const [app] = BUILD.files.filter(({ path }) => path === "plan.json");
  const other = { ...BUILD, added: new Set(["plan.json", "only-there.json"]), covered: app ? [{ ...app, hash: "a".repeat(64) }] : [] };
  const release = recordOf({}, other);
  expect(release.aside?.map(({ key, hash }) => [key, hash[0]])).toEqual([["plan.json", "a"]]);
  const { wanted } = take(release, { noIndex: true });
  expect(wanted.parcels.find(({ key }) => key === "plan.json")?.hash).toBe("a".repeat(64));
  expect(wanted.parcels.find(({ key }) => key === "robots.txt")?.hash).toBe(KEEP_OUT.hash);
  expect(wanted.aside?.map(({ key }) => key)).toEqual(["robots.txt"]);
}); // prettier-ignore

test("a type that the first bytes had told is kept, and one that a rule says is not", () => {
  const release = recordOf({ headers: { types: [{ files: "notes/**", type: "text/x-boats" }] } });
  const typeOf = (changes: RuleChanges): string | undefined =>
    take(release, changes).wanted.parcels.find(({ key }) => key === "notes/draft.txt")?.headers[
      "content-type"
    ];
  expect(typeOf({})).toMatch(/^text\/x-boats/);
  expect(typeOf({ headers: { types: [{ files: "notes/**", type: "text/csv" }] } })).toMatch(/^text\/csv/);
});

test("what was made for another base path is refused", () => {
  expect(take(recordOf({}), {}, "/previews/main/").problems).toMatchObject([
    { code: "wrong-base", severity: "error", facts: { builtFor: "/previews/main/", deliveredAt: "/" } },
  ]);
});

test.each([
  ["current", { release: "current" }],
  ["12", { release: "12" }],
  ["staging:previous", { destination: "staging", release: "previous" }],
  ["preview/main", { preview: "main", release: "current" }],
  ["preview/feature/boats@4", { preview: "feature/boats", mustBe: 4, release: "current" }],
  ["staging:preview/main@4", { destination: "staging", preview: "main", mustBe: 4, release: "current" }],
  ["boats", undefined],
  ["preview/", undefined],
  ["12@3", undefined],
  [":current", undefined],
])("the name %s means %j", (name, meant) => {
  expect(parseReleaseName(name)).toEqual(meant);
});
