import { compareParcels } from "./compare.ts";
import type { Look } from "./key-state.ts";
import type { ListedObject, Parcel, RecordedParcel } from "../model/parcel.ts";
import type { ChangeReason } from "../model/reasons.ts";
import type { DestinationState, OpenDelivery } from "../model/release.ts";

const hash = (letter: string): string => letter.repeat(64);
const parcel = (key: string, letter = "a", headers: Record<string, string> = {}): Parcel => ({
  key,
  hash: hash(letter),
  storedHash: hash(letter),
  size: 1,
  headers,
  role: "page",
});
const recorded = (key: string, letter = "a", more: Partial<RecordedParcel> = {}): RecordedParcel => ({
  ...parcel(key, letter),
  etag: letter,
  ...more,
});
const listed = (key: string, etag = "a"): ListedObject => ({ key, size: 1, etag, modifiedMs: 0 });

function compare(
  parcels: Parcel[],
  parts: {
    records?: RecordedParcel[];
    standing?: RecordedParcel[];
    objects?: ListedObject[];
    looks?: Record<string, Look>;
    announced?: Record<string, string>;
  },
) {
  const { records = [], standing = [], objects = [], looks = {}, announced = {} } = parts;
  const state: DestinationState = {
    waybill: { site: "s", release: 3, run: "r", previous: 2, at: "", by: "", parcels: records, standing },
    pointer: { site: "s", release: 3, run: "r", retained: [], owed: [], announced },
    listing: objects,
    storeTimeMs: 0,
  };
  return compareParcels(parcels, state, new Map(Object.entries(looks)));
}
const kinds = (...args: Parameters<typeof compare>): string[] =>
  compare(...args).changes.map(
    ({ kind, parcel: { key }, reason }) => `${kind} ${key}: ${reason.code}${toFacts(reason)}`,
  );

const toFacts = (reason: ChangeReason): string => {
  if (reason.code === "headers") return ` ${reason.names.join()}`;
  return reason.code === "moved" ? ` from ${reason.from}` : "";
};

const look = (letter: string, headers = {}): Look => ({ hash: hash(letter), headers });

test.each<[string, Parameters<typeof compare>, string[]]>([
  ["nothing there", [[parcel("x")], {}], ["new x: absent"]],
  ["as recorded", [[parcel("x")], { records: [recorded("x")], objects: [listed("x")] }], []],
  ["other bytes", [[parcel("x", "b")], { records: [recorded("x")], objects: [listed("x")] }], ["replaced x: content"]],
  ["other headers", [[parcel("x", "a", { "cache-control": "n" })], { records: [recorded("x")], objects: [listed("x")] }], ["relabelled x: headers cache-control"]],
  ["gone by other means", [[parcel("x")], { records: [recorded("x")] }], ["missing x: removed-by-others"]],
  ["changed by other means", [[parcel("x")], { records: [recorded("x")], objects: [listed("x", "z")], looks: { x: look("c") } }], ["drifted x: changed-by-others"]],
  ["changed back to what it should be", [[parcel("x")], { records: [recorded("x")], objects: [listed("x", "z")], looks: { x: look("a") } }], []],
  ["somebody else's, other bytes", [[parcel("x")], { objects: [listed("x", "z")], looks: { x: look("c") } }], ["replaced x: unrecorded"]],
  ["somebody else's, the same bytes and headers", [[parcel("x")], { objects: [listed("x", "z")], looks: { x: look("a") } }], []],
  [
    "somebody else's, the same bytes, other headers",
    [[parcel("x")], { objects: [listed("x", "z")], looks: { x: look("a", { "content-type": "t" }) } }],
    ["relabelled x: headers content-type"],
  ],
  ["the same bytes under another key", [[parcel("x"), parcel("y")], { records: [recorded("y")], objects: [listed("y")] }], ["moved x: moved from y"]],
  ["the same bytes in the vault", [[parcel("x")], { objects: [listed(`.courier/vault/${hash("a")}`)] }], [`moved x: moved from .courier/vault/${hash("a")}`]],
  ["the same bytes under a drifted key", [[parcel("x")], { records: [recorded("y")], objects: [listed("y", "z")] }], ["new x: absent"]],
  ["kept for open tabs and back again", [[parcel("x")], { standing: [recorded("x", "a", { lastIn: 1 })], objects: [listed("x")] }], []],
])("%s", (_, [parcels, parts], expected) => {
  expect(kinds(parcels, parts)).toEqual(expected);
}); // prettier-ignore

test("what no record can be trusted about must be looked at first", () => {
  expect(
    compare([parcel("x"), parcel("y")], {
      records: [recorded("y")],
      objects: [listed("x"), listed("y", "z")],
    }).unlooked,
  ).toEqual(["x", "y"]);
  expect(compare([parcel("x")], { records: [recorded("x")], objects: [listed("x")] }).unlooked).toEqual([]);
});

test("ours and no longer wanted is stale, changed by others is theirs, never recorded is foreign, another destination is neither", () => {
  const found = compare([], {
    records: [recorded("old.html"), recorded("defaced.html"), recorded("gone.html")],
    standing: [recorded("a-1f2e3d4c.js", "b", { lastIn: 1 })],
    objects: [listed("old.html"), listed("defaced.html", "z"), listed("a-1f2e3d4c.js", "b"), listed("theirs.txt"), listed("preview/index.html"), listed("preview/.courier/current.json"), listed(".courier/current.json")],
  }); // prettier-ignore
  expect(found.stale.map(({ recorded: { key } }) => key)).toEqual(["a-1f2e3d4c.js", "old.html"]);
  expect(found.foreign).toEqual(["defaced.html", "theirs.txt"]);
  expect(found.gone).toEqual(["gone.html"]);
});

test("what a dead run may have written under a key of ours is stale where it is what the record says, or what the run meant", () => {
  const { etag: _, ...unwritten } = recorded("x");
  const staleOf = (record: RecordedParcel, letter: string): number => {
    const { waybill } = state({});
    const died = state({ open: [open(parcel("x", "b"))], listing: [listed("x", "z")] });
    const before = { ...died, ...(waybill && { waybill: { ...waybill, parcels: [record] } }) };
    return compareParcels([], before, new Map([["x", look(letter)]])).stale.length;
  };
  expect(["a", "b", "c"].map((letter) => staleOf(recorded("x"), letter))).toEqual([1, 1, 0]);
  expect(["a", "b", "c"].map((letter) => staleOf(unwritten, letter))).toEqual([1, 1, 1]);
});

test("a worker that was still to be written is pending; once announced it is like any other", () => {
  const { etag: _, ...unwritten } = recorded("sw.js");
  const before = compare([parcel("sw.js")], { records: [unwritten] });
  expect([before.pending.has("sw.js"), before.changes.map(({ kind }) => kind)]).toEqual([true, ["new"]]);
  const after = compare([parcel("sw.js")], {
    records: [unwritten],
    objects: [listed("sw.js", "e")],
    announced: { "sw.js": "e" },
  });
  expect([after.pending.size, after.changes, after.unrecorded]).toEqual([0, [], []]);
});

const open = (...parcels: Parcel[]): OpenDelivery => ({
  ...{ site: "s", run: "dead", release: 4, at: "", by: "", originals: [], removes: [], owed: [] },
  parcels,
});
const state = (parts: Partial<DestinationState>): DestinationState => ({
  waybill: {
    site: "s",
    release: 3,
    run: "r",
    previous: 2,
    at: "",
    by: "",
    parcels: [recorded("x")],
    standing: [],
  },
  pointer: { site: "s", release: 3, run: "r", retained: [], owed: [], announced: {} },
  listing: [listed("x")],
  storeTimeMs: 0,
  ...parts,
});

test("what a run that died had begun is ours: looked at, told from what others did, and never foreign", () => {
  const died = state({ open: [open(parcel("x", "b"), parcel("y", "c"))], listing: [listed("x", "b"), listed("y", "c"), listed("z")] }); // prettier-ignore
  const first = compareParcels([parcel("x")], died);
  expect([first.unlooked, first.foreign]).toEqual([["x", "y"], ["z"]]);
  const looked = compareParcels([parcel("x")], died, new Map([["x", look("b")], ["y", look("c")]])); // prettier-ignore
  expect(looked.changes.map(({ kind, theirs }) => [kind, theirs])).toEqual([["replaced", undefined]]);
  expect(looked.stale.map(({ recorded: { key, lastIn } }) => [key, lastIn])).toEqual([["y", 3]]);
  const others = compareParcels([parcel("x")], died, new Map([["x", look("d")], ["y", look("d")]])); // prettier-ignore
  expect(others.changes.map(({ kind, theirs }) => [kind, theirs !== undefined])).toEqual([["drifted", true]]);
  expect(others.foreign).toEqual(["y", "z"]);
});

test("headers are looked at where something was written later than the records, or may have been; bytes are believed", () => {
  const records = { key: ".courier/releases/3-r.ndjson.gz", size: 1, etag: "p", modifiedMs: 100 };
  const later = state({ listing: [{ ...listed("x"), modifiedMs: 101 }, records] });
  expect(compareParcels([parcel("x")], later).unlabelled).toEqual([{ key: "x", hash: hash("a") }]);
  const changed = compareParcels([parcel("x")], later, new Map([["x", look("a", { expires: "0" })]]));
  expect(changed.changes.map(({ kind, reason }) => [kind, reason])).toEqual([["drifted", { code: "headers", names: ["expires"], by: "others" }]]); // prettier-ignore
  expect(compareParcels([parcel("x")], later, new Map([["x", look("a")]])).changes).toEqual([]);
  expect(compareParcels([parcel("x")], { ...later, carriesHeaders: false }).unlabelled).toEqual([]);
  const equal = state({ listing: [{ ...listed("x"), modifiedMs: 100 }, records] });
  expect(compareParcels([parcel("x")], equal).unlabelled).toEqual([]);
  const begun = state({ open: [open(parcel("x", "a", { expires: "0" }))] });
  expect(compareParcels([parcel("x")], begun).unlabelled).toEqual([{ key: "x", hash: hash("a") }]);
});
