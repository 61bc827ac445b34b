import fc from "fast-check";
import { isSiteKey } from "../model/names.ts";
import { ROLES } from "../model/role.ts";
import type { OpenDelivery, Pointer, Waybill } from "../model/release.ts";
import {
  parseOpen,
  parsePointer,
  toOpenLines,
  toPointerText,
  toWaybillLines,
  type UnreadableCause,
} from "./waybill.ts";
import { parseWaybill } from "../../../test/support/waybill-lines.ts";
import { holds } from "../../../test/support/seeds.ts";

const sha = fc.stringMatching(/^[0-9a-f]{64}$/);
const parcel = fc.record(
  {
    key: fc.string({ minLength: 1 }).filter(isSiteKey),
    hash: sha,
    storedHash: sha,
    size: fc.nat(),
    role: fc.constantFrom(...ROLES),
    headers: fc.dictionary(fc.stringMatching(/^[a-z-]{1,12}$/), fc.string()),
    etag: fc.string(),
    isOwn: fc.constant(true as const),
    isWorkerNamed: fc.constant(true as const),
  },
  { requiredKeys: ["key", "hash", "storedHash", "size", "role", "headers"] },
);
const key = fc.string({ minLength: 1 }).filter(isSiteKey);
const address = fc.string().map((text) => `/${text}`);
const waybill = fc.record({
  missing: fc.dictionary(key, fc.array(address)), workers: fc.array(key), firstVisit: fc.record({ page: key, wire: fc.nat() }),
  preview: fc.record({ name: fc.string(), until: fc.constant("2026-03-11T14:20:00.000Z") }), takenFrom: fc.string(),
  aside: fc.array(fc.record({ key, hash: sha, size: fc.nat(), role: fc.constantFrom(...ROLES), type: fc.string() })),
  vault: fc.dictionary(fc.stringMatching(/^[1-9]\d{0,3}$/), fc.array(sha)),
  site: fc.string(), release: fc.integer({ min: 1, max: 1e6 }), run: fc.stringMatching(/^[\w-]{1,40}$/), previous: fc.nat(), at: fc.string(), by: fc.string(),
  parcels: fc.array(parcel), standing: fc.array(parcel.chain((facts) => fc.nat().map((lastIn) => ({ ...facts, lastIn })))),
}); // prettier-ignore

test("any waybill is read back as it was written", async () => {
  await holds(
    fc.property(waybill, (written) => {
      expect(parseWaybill(toWaybillLines(written as Waybill), "k")).toEqual(written);
    }),
    { seeds: [2] },
  );
});

const LINES = [...toWaybillLines({
  site: "Pelican Sound Ferries", release: 2, run: "r", previous: 1, at: "2026-03-04T14:20:00.000Z", by: "harbour", note: "spring",
  parcels: [{ key: "a-1f2e3d4c.js", hash: "a".repeat(64), storedHash: "a".repeat(64), size: 3, role: "fingerprinted", headers: {}, etag: "e" }], standing: [],
})]; // prettier-ignore

test("the format of a waybill is pinned", () => {
  expect(LINES).toEqual([
    '{"format":"restless-courier/waybill/1","site":"Pelican Sound Ferries","release":2,"run":"r","previous":1,"at":"2026-03-04T14:20:00.000Z","by":"harbour","note":"spring","parcels":1,"standing":0}',
    `{"key":"a-1f2e3d4c.js","hash":"${"a".repeat(64)}","size":3,"etag":"e","role":"fingerprinted","headers":{}}`,
  ]);
});

test.each<[string, string[], UnreadableCause["code"]]>([
  ["nothing", [], "empty"],
  ["a header alone", LINES.slice(0, 1), "cut-off"],
  ["half a line", [LINES[0] as string, (LINES[1] as string).slice(0, 30)], "damaged"],
  ["a parcel without its hash", [LINES[0] as string, '{"key":"a"}'], "damaged"],
  ["a later version", [(LINES[0] as string).replace("waybill/1", "waybill/2")], "other-format"],
])("%s is no waybill, and is never guessed at", (_, lines, code) => {
  expect(() => parseWaybill(lines, "releases/2-r.ndjson.gz")).toThrow(
    expect.objectContaining({
      code: "record-unreadable",
      data: { key: "releases/2-r.ndjson.gz", cause: expect.objectContaining({ code }) as object },
    }) as Error,
  );
});

/** Keys under which no object of a site stands: the tool's own part, what climbs, nothing, and too much. */
const FOREIGN = [".courier/current.json", "../other/index.html", "a/../../b", "", "x".repeat(2000)];

test("a record that names what no run could have written is damaged: none of it is believed", () => {
  const [header = "", line = ""] = LINES;
  const open = { site: "s", run: "r", release: 1, at: "", by: "", parcels: [], originals: [], owed: [], removes: [] };
  const pointer = { site: "s", release: 1, run: "r", owed: [], announced: {}, retained: [{ release: 1, run: "r", waybillHash: "b".repeat(64), at: "", pageFreshnessSeconds: 1 }] };
  const damaged = expect.objectContaining({ code: "record-unreadable" }) as Error;
  for (const key of FOREIGN) {
    const parcel = JSON.stringify({ ...(JSON.parse(line) as object), key });
    expect(() => parseWaybill([header, parcel], "k")).toThrow(damaged);
    expect(() => parseWaybill([header, JSON.stringify({ ...(JSON.parse(line) as object), aliasOf: key })], "k")).toThrow(damaged);
    expect(() => parseOpen([...toOpenLines({ ...open, removes: [key] })], "k")).toThrow(damaged);
    expect(() => parsePointer(toPointerText({ ...pointer, announced: { [key]: "e" } }))).toThrow(damaged);
  }
  expect(() => parseOpen([...toOpenLines({ ...open, owed: [{ edge: "e", addresses: ["news"] }] })], "k")).toThrow(damaged);
  for (const run of ["", "../../r", "a/b"]) {
    expect(() => parsePointer(toPointerText({ ...pointer, run }))).toThrow(damaged);
    expect(() => parseOpen([...toOpenLines({ ...open, run })], "k")).toThrow(damaged);
  }
  expect(parseOpen([...toOpenLines({ ...open, removes: ["news/index.html"] })], "k").removes).toEqual(["news/index.html"]);
}); // prettier-ignore

test("what a run that has not ended says is read back as it was written", () => {
  const parcel = (key: string) => ({ key, hash: "a".repeat(64), storedHash: "b".repeat(64), size: 1, role: "page", headers: { "content-type": "text/html" } }) as const;
  const open: OpenDelivery = {
    site: "Pelican Sound Ferries", run: "r", release: 3, at: "2026-03-04T14:20:00.000Z", by: "harbour", removes: ["old.html"],
    parcels: [parcel("a.html"), parcel("b.html")], originals: [{ ...parcel("c.html"), etag: "e" }],
    owed: [{ edge: "near", addresses: ["/a.html"] }, { edge: "far", addresses: ["/", "/b.html"] }],
  };
  expect(parseOpen([...toOpenLines(open)], "k")).toEqual(open);
}); // prettier-ignore

test("a pointer is read back, and a damaged one is refused", () => {
  const pointer: Pointer = {
    site: "Pelican Sound Ferries", release: 2, run: "r",
    retained: [{ release: 2, run: "r", waybillHash: "b".repeat(64), at: "2026-03-04T14:20:00.000Z", pageFreshnessSeconds: 86_400 }],
    owed: [{ edge: "purge", addresses: ["/news/"] }], announced: { "sw.js": "e" },
  }; // prettier-ignore
  expect(parsePointer(toPointerText(pointer))).toEqual(pointer);
  for (const text of [
    "",
    "{}",
    "[]",
    "null",
    toPointerText(pointer).replace("pointer/1", "pointer/9"),
    toPointerText({ ...pointer, retained: [] }),
  ]) {
    expect(() => parsePointer(text)).toThrow(expect.objectContaining({ code: "record-unreadable" }) as Error);
  }
});
