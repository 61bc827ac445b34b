import fc from "fast-check";
import { hashesOf, PureDestination } from "../../../test/support/pure-destination.ts";
import { compareParcels } from "../compare/compare.ts";
import { DIFFERENCES, findReleaseDifferences } from "../compare/release-differences.ts";
import { selectForgotten } from "../history/forgotten.ts";
import {
  decidePrune,
  describeContents,
  findContentsOf,
  toPrunePhase,
  toPruneRecord,
  withoutStale,
  type PruneFacts,
} from "../history/prune.ts";
import { findRelease, listReleaseNames } from "../history/release-names.ts";
import { isAnnounced, isStocked } from "../edges/stale-addresses.ts";
import { vaultKey } from "../model/names.ts";
import { isAssetLike } from "../model/role.ts";
import { targetOf } from "../model/plan.ts";
import type { DestinationState, Waybill } from "../model/release.ts";
import { releaseOf } from "../model/wanted.ts";
import { decideDelivery, selectNeededWaybills } from "./decide.ts";
import { findRefusals, GUARD_CODES } from "./guards.ts";
import { planDelivery } from "./plan.ts";
import { toOpenDelivery, toPointer, toReleaseZero } from "./record.ts";
import { findGoneContents, fromRelease } from "../history/way-back.ts";

/** Of fingerprinted names the content never changes, as toolchains do it. */
import { holds } from "../../../test/support/seeds.ts";

const BUILDS = fc.array(
  fc
    .dictionary(
      fc.constantFrom("404.html", "news/index.html", "feed.xml", "sw.js", "assets/a-1f2e3d4c.js", "assets/b-2f3e4d5c.js"), // prettier-ignore
      fc.constantFrom("one", "two"),
    )
    .map((files): Record<string, string> => {
      const fixed = Object.entries(files).map(([key, text]) => [key, key.includes("-") ? key : text]);
      return { "index.html": "i", ...(Object.fromEntries(fixed) as Record<string, string>) };
    }),
  { minLength: 2, maxLength: 6 },
);
const ASIDE = { forgotten: new Set<string>(), ownsWebsite: false, carriesEdgeRules: false };

/** What a prune is decided by. */
const toPruneFacts = (place: PureDestination): PruneFacts => {
  const { state, pointer, waybills } = place;
  if (!pointer || !state.waybill) throw new Error("nothing delivered");
  const older = pointer.retained
    .slice(1, place.retention.releases)
    .map(({ release }) => waybills.get(release));
  return {
    ...{ state, pointer, current: state.waybill, older: older.filter((one) => one !== undefined) },
    ...{ retention: place.retention, addressRules: place.rules.addressRules, edges: place.edges },
    ...{ foreign: false, forget: new Set() },
  };
};

test("any history: what is wanted stands, pages of retained releases can all come back without a byte sent, a prune takes nothing that they need", async () => {
  await holds(
    fc.property(BUILDS, (builds) => {
      const place = new PureDestination();
      for (const files of builds) {
        const { wanted } = place.analyse(files);
        const before = place.pointer?.release ?? 0;
        const decision = place.deliver(wanted);
        expect(place.site).toMatchObject(hashesOf(files));
        expect(releaseOf(wanted.origin)).toBeUndefined();
        expect(place.pointer?.release).toBe(decision.makesRelease ? before + 1 : before);
        // Nothing but assets stays that the build does not have.
        const left = Object.keys(place.site).filter((key) => !(key in files));
        expect(left.filter((key) => !key.startsWith("assets/"))).toEqual([]);
        expect(place.decide(place.analyse(files).wanted)).toMatchObject({ makesRelease: false });
        expect(compareParcels(wanted.parcels, place.state).changes).toEqual([]);
      }
      const { pointer } = place;
      const previous = pointer && findRelease("previous", pointer);
      expect(findRelease("current", pointer as never)?.release).toBe(pointer?.release);
      expect(listReleaseNames(pointer as never).split(", ")[0]).toBe(String(pointer?.release));
      place.carryOut(toPrunePhase(decidePrune(toPruneFacts(place))));
      if (!previous) return;
      const release = place.waybills.get(previous.release) as Waybill;
      const { wanted, leftOut } = fromRelease(release, place.state.waybill, ASIDE);
      expect([leftOut, releaseOf(wanted.origin)]).toEqual([[], previous.release]);
      expect(findGoneContents(place.decide(wanted).plan)).toEqual([]);
      place.deliver(wanted);
      expect(place.site).toMatchObject(
        Object.fromEntries(release.parcels.map(({ key, storedHash }) => [key, storedHash])),
      );
      expect(place.waybills.get(place.pointer?.release ?? 0)?.redelivers).toBe(previous.release);
    }),
    { numRuns: 100, seeds: [41] },
  );
});

test("differences of two releases, put to the first, make the second", async () => {
  await holds(
    fc.property(BUILDS, ([one = {}, two = {}]) => {
      const place = new PureDestination();
      place.deliver(place.analyse(one).wanted);
      const from = place.state.waybill as Waybill;
      place.deliver(place.analyse(two).wanted);
      const to = place.state.waybill as Waybill;
      const found = findReleaseDifferences(from, to);
      expect(found.every(({ change }) => DIFFERENCES.includes(change))).toBe(true);
      const keys = new Set(Object.keys(one));
      for (const { key, change } of found)
        if (change === "removed") keys.delete(key);
        else keys.add(key);
      expect([...keys].sort()).toEqual(Object.keys(two).sort());
      const touched = new Set(found.map(({ key }) => key));
      const same = Object.keys(two).filter((key) => !touched.has(key));
      expect(same.filter((key) => one[key] !== two[key])).toEqual([]);
    }),
    { numRuns: 100, seeds: [42] },
  );
});

test("a file that comes back while it still stands for open tabs is recorded again: no prune takes it", () => {
  const place = delivered(
    { "index.html": "i", "logo.png": "l" },
    { "index.html": "i" },
    { "index.html": "i", "logo.png": "l" },
  );
  expect(place.pointer?.release).toBe(3);
  expect(decidePrune({ ...toPruneFacts(place), retention: { releases: 1, forSeconds: 0 } }).removals.map(({ key }) => key)).not.toContain("logo.png"); // prettier-ignore
});

const delivered = (...builds: readonly Record<string, string>[]): PureDestination => {
  const place = new PureDestination();
  for (const files of builds) place.deliver(place.analyse(files).wanted);
  return place;
};

test("what is forgotten goes wherever it stands, is known again by what records say of it, and does not come back", () => {
  const secret = { "index.html": "i", "crew.csv": "secret", "copy/crew.csv": "secret" };
  const place = delivered(secret, { "index.html": "i", "copy/crew.csv": "secret" });
  const facts = toPruneFacts(place);
  const all = [facts.current, ...facts.older];
  const forget = findContentsOf("/crew.csv", all, place.rules.addressRules);
  const [hash = ""] = forget;
  expect(describeContents(forget, all).get(hash)).toMatchObject({ size: 6 });
  const decision = decidePrune({ ...facts, forget });
  expect(decision.removals.filter(({ why }) => why === "forgotten").map(({ key }) => key)).toEqual(
    expect.arrayContaining([vaultKey(hash), "copy/crew.csv"]),
  );
  expect(decision.owed[0]?.addresses).toContain("/copy/crew.csv");
  expect(withoutStale(decision).removals.map(({ why }) => why)).not.toContain("stale");
  const author = { run: "p", at: "", by: "test" };
  expect(toPruneRecord(decision, place.state, author).open.removes).toContain("copy/crew.csv");
  place.pointer = { ...decision.pointer, forgotten: [hash] };
  expect([...selectForgotten(place.state)]).toEqual([hash]);
  const first = place.waybills.get(1) as Waybill;
  expect(fromRelease(first, undefined, { ...ASIDE, forgotten: forget }).leftOut).toEqual([
    "copy/crew.csv",
    "crew.csv",
  ]);
});

test("what waits aside for other destinations is forgotten as well", () => {
  const place = delivered({ "index.html": "i" });
  const { current, addressRules } = toPruneFacts(place);
  const hash = "a".repeat(64);
  const waybill: Waybill = { ...current, aside: [{ key: "plan.json", hash, size: 2, role: "document", type: "" }] };
  const forgotten = findContentsOf("/plan.json", [waybill], addressRules);
  expect([...forgotten]).toEqual([hash]);
  const { wanted } = fromRelease(waybill, waybill, ASIDE);
  expect([wanted.aside?.length, fromRelease(waybill, waybill, { ...ASIDE, forgotten }).wanted.aside]).toEqual([1, []]);
  const { state } = place;
  const facts = { ...{ site: "Pelican Sound Ferries", problems: [], vanishShare: 1, exposedAt: undefined }, state, comparison: compareParcels(wanted.parcels, state) };
  const build = { ...wanted, origin: { from: "build" } } as const;
  expect(findRefusals({ ...facts, wanted: build, forgottenElsewhere: forgotten }, new Set())).toMatchObject([{ code: "forgotten", path: "plan.json" }]);
}); // prettier-ignore

test("a run's own record names all that it is about to write, and release 0 what others had there", () => {
  const place = new PureDestination();
  place.objects.set("index.html", { key: "index.html", hash: "theirs", etag: "x", size: 3, modifiedMs: 0 });
  const { wanted } = place.analyse({ "index.html": "ours", "app.js": "a" });
  const looks = new Map([["index.html", { hash: "theirs", headers: {} }]]);
  const { state, rules, retention, edges } = place;
  const comparison = compareParcels(wanted.parcels, state, looks);
  const decision = decideDelivery({
    ...{ site: "s", wanted, problems: [], state, comparison, retention, edges, clientRoutes: false },
    ...{ addressRules: rules.addressRules, bucketPrefix: "", vanishShare: 1, exposedAt: undefined },
    ...{ allowed: new Set<string>(), olderWaybills: [] },
  });
  expect(decision.takesOver).toEqual(["index.html"]);
  const facts = { site: "s", run: "r", at: "", author: { by: "b" }, wanted, state, decision, keptSettings: [] };
  expect(
    toOpenDelivery(facts)
      .parcels.map(({ key }) => key)
      .sort(),
  ).toEqual(["app.js", "index.html"]);
  expect(toReleaseZero(facts, undefined, "n").parcels.map(({ storedHash }) => storedHash)).toEqual(["theirs"]);
}); // prettier-ignore

test("what a person asks to forget may be named as an address, a path, or without its ending", () => {
  const { waybills, rules } = delivered({ "index.html": "i", "crew.html": "c", "news/index.html": "n" });
  const found = (name: string) => findContentsOf(name, [...waybills.values()], rules.addressRules).size;
  expect(["/crew.html", "crew.html", "crew", "/news/", "/", "bridge"].map(found)).toEqual([1, 1, 1, 1, 1, 0]);
});

test("of release 0 the way back tells what the current release told, of any other what it told itself", () => {
  const { waybills } = delivered({ "index.html": "i", "sw.js": "w" }, { "index.html": "i" });
  const [one, two] = [waybills.get(1), waybills.get(2)] as [Waybill, Waybill];
  const told = { firstVisit: { page: "index.html", wire: 7 }, missing: { "index.html": ["/a.css"] } };
  const back = (release: Waybill) => fromRelease(release, { ...two, ...told }, ASIDE).wanted;
  expect(back({ ...one, release: 0 })).toMatchObject({ ...told, workers: [] });
  expect(back(one)).toMatchObject({ firstVisit: undefined, missing: undefined, workers: ["sw.js"] });
});

test("a way back wants what the record says of each file, without what the store once gave it", () => {
  const plain = { hash: "h", storedHash: "s", size: 1, headers: { "content-type": "text/html" }, role: "page" } as const;
  const parcels = [{ ...plain, key: "a" }, { ...plain, key: "b", aliasOf: "a" }, { ...plain, key: "c", redirectsTo: "/a" }, { ...plain, key: "d", isLoaded: true as const }];
  const recorded = { release: 3, parcels: parcels.map((parcel) => ({ ...parcel, etag: "e", lastIn: 2 })) } as unknown as Waybill;
  const { wanted } = fromRelease(recorded, undefined, ASIDE);
  expect(wanted.parcels).toStrictEqual(parcels);
  expect([...wanted.loaded]).toEqual(["d"]);
}); // prettier-ignore

test("of runs that died a prune takes over those that only remove, and of its removals it does in turn what there is", () => {
  const place = delivered({ "index.html": "i", "old.html": "o" });
  const died = { run: "died", removes: ["old.html"], parcels: [], owed: [], originals: [] };
  const others = [{ ...died, parcels: [{}] }, { ...died, originals: [{}] }, { ...died, owed: [{}] }, { ...died, website: {} }];
  const decision = decidePrune(toPruneFacts(place));
  const author = { run: "r", at: "", by: "b" };
  const taken = (open: object) => toPruneRecord(decision, { ...place.state, open: [open as never] }, author).taken.length;
  expect([taken(died), ...others.map(taken)]).toEqual([1, 0, 0, 0, 0]);
  expect(toPrunePhase(decision).groups.filter(({ steps }) => steps.length === 0)).toEqual([]);
}); // prettier-ignore

test("a pointer names one release 0, the latest", () => {
  const place = delivered({ "index.html": "i" });
  const { wanted } = place.analyse({ "index.html": "j" });
  const decision = place.decide(wanted);
  const zero = (run: string) => ({ release: 0, run, waybillHash: "h", at: "", pageFreshnessSeconds: 0 });
  const facts = {
    site: "s",
    run: "r",
    at: "",
    author: { by: "b" },
    wanted,
    state: place.state,
    keptSettings: [],
  };
  const { retained } = toPointer({ ...facts, decision: { ...decision, retained: [...decision.retained, zero("a")] } }, "h", zero("b")); // prettier-ignore
  expect(retained.map(({ release, run }) => [release, run])).toEqual([[2, "r"], [1, "r1"], [0, "b"]]); // prettier-ignore
});

test("a run's own record names what it is about to remove, and what those before it were", () => {
  const place = delivered({ "index.html": "i", "old.html": "o" });
  const { wanted } = place.analyse({ "index.html": "i" });
  const facts = { site: "s", run: "r", at: "", author: { by: "b" }, wanted, keptSettings: [] };
  const died = { removes: ["older.html", "old.html"], parcels: [], owed: [], originals: [] };
  const open = toOpenDelivery({ ...facts, decision: place.decide(wanted), state: { ...place.state, open: [died as never] } }); // prettier-ignore
  expect(open.removes).toEqual(["old.html", "older.html"]);
});

test("the website's settings that a run which died has saved stay in the vault until a delivery has written its rules", () => {
  const place = delivered(...["one", "two", "three", "four"].map((text) => ({ "index.html": text })));
  const kept = { key: vaultKey("b".repeat(64)), etag: "e", size: 1, modifiedMs: 0 };
  const { wanted } = place.analyse({ "index.html": "five" });
  const clearedWith = (website?: object): string[] => {
    const dead = { site: "s", run: "dead", release: 5, at: "", by: "b", parcels: [], removes: [], originals: [], owed: [], website };
    const state = { ...place.state, listing: [...place.state.listing, kept], open: [dead], storeTimeMs: 1e12 } as never as DestinationState;
    const facts = {
      ...{ site: "Pelican Sound Ferries", wanted, problems: [], state, edges: place.edges, clientRoutes: false },
      ...{ comparison: compareParcels(wanted.parcels, state), retention: place.retention, bucketPrefix: "" },
      ...{ addressRules: place.rules.addressRules, vanishShare: 1, exposedAt: undefined, allowed: new Set<string>() },
    };
    const needed = selectNeededWaybills(facts).map(({ release }) => place.waybills.get(release));
    const { plan } = decideDelivery({ ...facts, olderWaybills: needed.filter((waybill) => waybill !== undefined) });
    return plan.phases.flatMap(({ name, groups }) => (name === "clear" ? groups.flatMap(({ steps }) => steps.map(targetOf)) : []));
  };
  expect([clearedWith({ kept: ["b".repeat(64)], rules: [] }).includes(kept.key), clearedWith().includes(kept.key)]).toEqual([false, true]);
}); // prettier-ignore

test("where the newest record does not say what the vault holds, the older ones must be read, or nothing of ours goes", () => {
  const place = delivered({ "index.html": "1" }, { "index.html": "2" }, { "index.html": "3" });
  const newest = place.waybills.get(3) as Waybill;
  place.waybills.set(3, { ...newest, vault: undefined } as never);
  const { wanted } = place.analyse({ "index.html": "4" });
  const facts = { ...place.facts(wanted), olderWaybills: undefined };
  expect(selectNeededWaybills(facts).map(({ release }) => release)).toEqual([2, 1]);
  const { plan, lastListed, warnings } = decideDelivery(facts);
  expect([plan.phases.some(({ name }) => name === "clear"), lastListed]).toEqual([false, undefined]);
  expect(warnings.map(({ code }) => code)).toContain("older-unreadable");
});

test("a record says nothing of what there is nothing to say of", () => {
  const { waybill } = delivered({ "index.html": "one" }).state;
  expect(Object.keys(waybill ?? {}).sort()).toEqual(["at", "by", "parcels", "previous", "release", "run", "site", "standing", "vault"]); // prettier-ignore
});

test("of a way back only the store can speak; errors of a build refuse unless they are lifted, and an empty one always", () => {
  const { state, rules } = new PureDestination();
  const comparison = compareParcels([], state);
  const problems = [
    { code: "no-entry", severity: "error", facts: { entry: rules.entry } },
    { code: "empty-build", severity: "error", facts: { folder: "dist" } },
    { code: "old-build", severity: "warning", facts: { source: "a.ts" } },
  ] as const;
  const facts = { site: "s", problems, state, comparison, vanishShare: 1, exposedAt: "site" as const };
  const refused = (from: "build" | "release", allowed: readonly string[]): string[] =>
    findRefusals({ ...facts, wanted: { parcels: [], origin: { from, release: 1 } } }, new Set(allowed)).map(
      ({ code }) => code,
    );
  expect(refused("build", [])).toEqual(["no-entry", "empty-build", "exposed"]);
  expect(refused("build", GUARD_CODES)).toEqual(["empty-build"]);
  expect(refused("release", [])).toEqual([]);
});

test("ten addresses may always go; more only up to the share that the settings allow", () => {
  const pages = (count: number) => Object.fromEntries(Array.from({ length: count }, (_, index) => [`page-${index}.html`, `p${index}`]));
  /** Of a site of so many pages so many go. */
  const refused = (of: number, going: number, vanishShare = 0.3): string[] => {
    const place = delivered({ "index.html": "i", ...pages(of - 1) });
    const { wanted } = place.analyse({ "index.html": "i", ...pages(of - 1 - going) });
    const comparison = compareParcels(wanted.parcels, place.state);
    const facts = { site: "Pelican Sound Ferries", problems: [], state: place.state, comparison, vanishShare };
    return findRefusals({ ...facts, wanted, exposedAt: undefined }, new Set()).map(({ code }) => code);
  };
  expect([refused(12, 10), refused(12, 11)]).toEqual([[], ["vanish"]]);
  expect([refused(40, 12), refused(40, 13), refused(40, 13, 0.5)]).toEqual([[], ["vanish"], []]);
}); // prettier-ignore

test("what a worker is made of stands in the vault before anything is switched, wherever its bytes come from", () => {
  const place = delivered({ "index.html": "i", "sw.js": "one", "parts.js": "two" });
  const { plan } = place.decide(place.analyse({ "index.html": "i", "sw.js": "two" }).wanted);
  const kept = plan.phases.find(({ name }) => name === "keep")?.groups.flatMap(({ steps }) => steps) ?? [];
  expect(kept.map((step) => [step.do, step.do === "copy" && step.from, targetOf(step).includes("/vault/")])).toEqual([["copy", "parts.js", true]]); // prettier-ignore
});

test("new assets are stocked before any page, and workers that visitors have are announced after all else", () => {
  const place = delivered({ "index.html": "i", "sw.js": "one" });
  const { wanted } = place.analyse({ "index.html": "j", "sw.js": "two", "new.css": "c" });
  const comparison = compareParcels(wanted.parcels, place.state);
  const byKey = new Map(comparison.changes.map((change) => [change.parcel.key, change]));
  const tell = (key: string) => [isStocked(byKey.get(key) as never), isAnnounced(byKey.get(key) as never)];
  expect([tell("new.css"), tell("index.html"), tell("sw.js")]).toEqual([[true, false], [false, false], [false, true]]); // prettier-ignore
  const plan = planDelivery({
    workers: [],
    ...{ release: 2, state: place.state, comparison, keepsPrevious: true, expired: [], owed: [] },
    ...{ unmaskings: [], invalidations: [], lateInvalidations: [] },
  });
  const phases = plan.phases.filter(({ groups }) => groups.length > 0).map(({ name }) => name);
  expect(phases).toEqual(["keep", "stock", "switch", "announce"]);
  expect(comparison.changes.every(({ parcel: { role } }) => role === "worker" || isAssetLike(role) || role === "entry")).toBe(true); // prettier-ignore
});
