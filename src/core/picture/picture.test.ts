import fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import type { Parcel } from "../model/parcel.ts";
import type { EdgeInvalidation } from "../model/plan.ts";
import type { Waybill } from "../model/release.ts";
import { toReleaseFiles } from "./files.ts";
import { toFolders, type Node } from "./folders.ts";
import { FATES, type PictureFile } from "./picture.ts";
import { toPictureEdges } from "./takes.ts";
import { toPictureVisits, toRecordedVisit } from "./visits.ts";
import { groupHeaders, isOfBuild, toReleaseSizes, weighRoles } from "./weights.ts";

const part = fc.constantFrom("a", "b", "news", "x.html");
const file = fc.record({
  key: fc.uniqueArray(part, { minLength: 1, maxLength: 4 }).map((parts) => parts.join("/")),
  fate: fc.constantFrom(...FATES),
  role: fc.constantFrom("page" as const, "asset" as const, "fingerprinted" as const),
  size: fc.nat(100_000),
  headers: fc.constantFrom({ "cache-control": "no-cache" }, { "cache-control": "max-age=60", "content-type": "text/html" }, {}),
  by: fc.constantFrom("sending" as const, "copying" as const, undefined),
}); // prettier-ignore
const files = fc.uniqueArray(file, { maxLength: 40, selector: ({ key }) => key }).map((all): PictureFile[] => {
  // What is a folder can't be a file as well.
  const folders = new Set(all.flatMap(({ key }) => key.split("/").map((_, at, parts) => parts.slice(0, at).join("/"))));
  return all.filter(({ key }) => !folders.has(key));
}); // prettier-ignore

const leavesOf = (node: Node): Node[] => node.children?.flatMap(leavesOf) ?? [node];

test("a map of folders holds every file and every byte, and hides no change", async () => {
  await holds(
    fc.property(files, fc.constantFrom(0, 0.01, 0.2, 0.6), (all, least) => {
      const own = all.filter(isOfBuild);
      const root = toFolders(all, least);
      const leaves = leavesOf(root);
      const bytes = own.reduce((sum, { size }) => sum + Math.max(size, 1), 0);
      const added = (pick: (node: Node) => number): number =>
        leaves.reduce((sum, node) => sum + pick(node), 0);
      expect([root.files, root.size, added((node) => node.files), added((node) => node.size)]).toEqual([own.length, bytes, own.length, bytes]); // prettier-ignore
      expect(leaves.some(({ fate }) => fate !== "unchanged")).toBe(own.some(({ fate }) => fate !== "unchanged")); // prettier-ignore
      if (least === 0 && own.length > 0) expect(leaves.map(({ path }) => path).sort()).toEqual(own.map(({ key }) => key).sort()); // prettier-ignore
    }),
    { seeds: [1], numRuns: 300 },
  );
});

test("weights and headers by role add up to the build", async () => {
  await holds(
    fc.property(files, (all) => {
      const own = all.filter(isOfBuild);
      const roles = weighRoles(all);
      const sum = (counts: readonly number[]): number => counts.reduce((total, count) => total + count, 0);
      expect(sum(roles.map((role) => role.files))).toBe(own.length);
      expect(sum(roles.map(({ stored }) => stored))).toBe(sum(own.map(({ size }) => size)));
      expect(sum(roles.map(({ written }) => written))).toBe(sum(own.map(({ size, by }) => (by === undefined ? 0 : size)))); // prettier-ignore
      const groups = groupHeaders(all);
      expect(sum(groups.map((group) => group.files))).toBe(own.length);
      expect(new Set(groups.map(({ role, headers }) => JSON.stringify([role, headers]))).size).toBe(groups.length); // prettier-ignore
    }),
    { seeds: [1], numRuns: 200 },
  );
});

const rules = { forms: ["file" as const, "folder" as const], basePath: "/", indexName: "index.html" };
const parcelOf = (key: string, hash = key, size = 10): Parcel => ({
  ...{ key, hash, storedHash: hash, size, role: key.endsWith(".html") ? "page" : "asset" },
  headers: { "content-type": key.endsWith(".html") ? "text/html" : "text/css" },
});

test("a pattern says what it clears and which right copies go along", () => {
  const asked: EdgeInvalidation = {
    ...{ edge: "purge", identity: "p", gap: 0, everything: { addresses: 5, bytes: 50 } },
    addresses: ["/news/a.html"],
    patterns: ["/a.css", "/news/*"],
    collateral: { addresses: 2, bytes: 30 },
  };
  const answering = [parcelOf("news/a.html"), parcelOf("news/b.html", "b", 20), parcelOf("a.css")];
  expect(toPictureEdges([asked, { ...asked, addresses: ["/a.css"], patterns: [] }], answering, rules)).toEqual([
    {
      edge: "purge",
      addresses: ["/a.css", "/news/a.html"],
      patterns: [
        { pattern: "/a.css", clears: 1, takes: { addresses: 0, bytes: 0 } },
        { pattern: "/news/*", clears: 1, takes: { addresses: 1, bytes: 20 } },
      ],
      collateral: { addresses: 4, bytes: 60 },
      everything: { addresses: 5, bytes: 50 },
    },
  ]);
}); // prettier-ignore

const waybill = (facts: Partial<Waybill>): Waybill => ({
  ...{ site: "s", release: 2, run: "r", previous: 1, at: "2026-03-04T14:20:00Z", by: "crew" },
  ...{ parcels: [], standing: [], ...facts },
});

test("a release is told by what became of each file since the one before", () => {
  const before = waybill({
    release: 1,
    parcels: [parcelOf("index.html", "1", 5), parcelOf("a.css"), parcelOf("old.css"), parcelOf("kept.css"), parcelOf("moves.css", "m")],
    firstVisit: { page: "index.html", wire: 30, loads: [{ key: "index.html", wire: 5 }, { key: "a.css", wire: 10 }, { key: "old.css", wire: 15 }] },
  });
  const release = waybill({
    parcels: [parcelOf("index.html", "2", 7), parcelOf("a.css"), parcelOf("new.css"), parcelOf("moved.css", "m")],
    standing: [{ ...parcelOf("kept.css"), lastIn: 1 }],
    firstVisit: { page: "index.html", wire: 20, loads: [{ key: "index.html", wire: 7 }, { key: "a.css", wire: 10 }, { key: "new.css", wire: 3 }] },
  });
  expect(toReleaseFiles(release, before).map(({ key, fate, before: was }) => [key, fate, was])).toEqual([
    ["a.css", "unchanged", undefined],
    ["index.html", "replaced", 5],
    ["kept.css", "kept", undefined],
    ["moved.css", "moved", undefined],
    ["moves.css", "removed", undefined],
    ["new.css", "new", undefined],
    ["old.css", "removed", undefined],
  ]);
  const [visit] = toRecordedVisit(release, before);
  expect(visit?.loads.map(({ key, is }) => [key, is])).toEqual([["index.html", "changed"], ["a.css", "same"], ["new.css", "new"]]);
  expect([visit?.before?.wire, visit?.before?.loads.map(({ key, is }) => [key, is])]).toEqual([30, [["index.html", "changed"], ["a.css", "same"], ["old.css", "gone"]]]);
  expect(toRecordedVisit(release, undefined)[0]).toMatchObject({ before: undefined, loads: [{ is: "unknown" }, { is: "unknown" }, { is: "unknown" }] });
  expect(toReleaseFiles(release, undefined).every(({ fate }) => fate === "new")).toBe(true);
  expect(toReleaseSizes([release, before]).map((one) => [one.release, one.files, one.roles, one.firstVisit])).toEqual([
    [1, 5, { page: 5, asset: 40 }, 30],
    [2, 4, { page: 7, asset: 30 }, 20],
  ]);
}); // prettier-ignore

test("first visits: the entry page with what it loaded before, then the heaviest others", () => {
  const parcels = [
    { ...parcelOf("index.html"), role: "entry" as const },
    ...["a.html", "b.html", "c.html"].map((key, at) => parcelOf(key, key, 10 + at)),
    parcelOf("site.css", "s", 100),
  ];
  const all = parcels.map((parcel): PictureFile => ({ ...parcel, fate: parcel.key === "site.css" ? "replaced" : "unchanged" }));
  const references = ["index.html", "b.html"].map((from) => ({ from, to: "site.css", kind: "asset" as const }));
  const graph = { references } as unknown as Parameters<typeof toPictureVisits>[2];
  const visits = toPictureVisits(all, parcels, graph, { page: "index.html", wire: 90 });
  expect(visits.map(({ page, wire, before }) => [page, wire, before])).toEqual([
    ["index.html", 110, { wire: 90, loads: [] }],
    ["b.html", 111, undefined],
    ["c.html", 12, undefined],
    ["a.html", 10, undefined],
  ]);
  expect(visits[0]?.loads.map(({ is }) => is)).toEqual(["same", "changed"]);
}); // prettier-ignore
