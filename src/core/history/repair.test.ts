import type { RecordedParcel } from "../model/parcel.ts";
import type { Waybill } from "../model/release.ts";
import { decideRepair, type FoundWaybill } from "./repair.ts";

const parcelOf = (etag?: string) =>
  ({ key: "index.html", headers: {}, role: "entry", ...(etag && { etag }) }) as RecordedParcel;

/** A waybill that recorded an ETag of its page, made in a minute of the day. */
const found = (release: number, run: string, minute: number, etag?: string): FoundWaybill => ({
  waybill: { ...{ site: "s", release, run, parcels: [parcelOf(etag)], standing: [] }, at: `2026-01-01T00:0${minute}:00Z` } as unknown as Waybill,
  waybillHash: `hash of ${run}`,
}); // prettier-ignore

const repair = (waybills: readonly FoundWaybill[], { unended = [] as string[], etag = "now" } = {}) =>
  decideRepair({
    found: waybills,
    unended: new Set(unended),
    listing: [{ key: "index.html", etag, size: 1, modifiedMs: 0 }],
    addressRules: { forms: ["file"], basePath: "/", indexName: "index.html" },
    edges: [{ identity: "edge" }],
  });

const row = (name: string, waybills: readonly FoundWaybill[], retained: string, unended: string[] = []) =>
  ({ name, waybills, retained, unended }) as const;

test.each([
  row("the newest stands", [found(1, "a", 1, "now"), found(2, "b", 2, "now")], "b a"),
  row("what the newest recorded was written over", [found(1, "a", 1, "now"), found(2, "b", 2, "before")], "a"),
  row("nothing stands, and the newest run did not end", [found(1, "a", 1, "x"), found(2, "b", 2, "y")], "a", ["b"]),
  row("nothing stands, and no run ended", [found(1, "a", 1, "x"), found(2, "b", 2, "y")], "b a", ["a", "b"]),
  row("of one number, the later", [found(1, "a", 1, "now"), found(1, "b", 2, "now")], "b"),
  row("and so in any order", [found(1, "b", 2, "now"), found(1, "a", 1, "now")], "b"),
  row("of two before it, the one that ended", [found(1, "a", 1), found(1, "b", 2), found(2, "c", 3, "now")], "c a", ["b"]),
  row("of two that ended, the later", [found(1, "a", 1), found(1, "b", 2), found(2, "c", 3, "now")], "c b"),
  row("release 0 is kept, but is never the current one", [found(0, "z", 0, "now"), found(1, "a", 1, "before")], "a z"),
])("$name", ({ waybills, retained, unended }) => {
  const pointer = repair(waybills, { unended });
  expect(pointer?.retained.map(({ run }) => run).join(" ")).toBe(retained);
  expect([pointer?.release, pointer?.run]).toEqual([pointer?.retained[0]?.release, pointer?.retained[0]?.run]);
}); // prettier-ignore

test("what edges hold is not known any more: all is owed; of release 0 alone nothing can be made", () => {
  expect(repair([found(1, "a", 1)])?.owed).toEqual([{ edge: "edge", addresses: ["/", "/index.html"] }]);
  expect(repair([found(0, "z", 0, "now")])).toBeUndefined();
});
