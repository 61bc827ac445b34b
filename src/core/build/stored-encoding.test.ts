import type { ExplainedParcel } from "../model/explained-parcel.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import { applyEncodedForms, isWorthEncoding } from "./stored-encoding.ts";

const parcel = (key: string, size: number, type = "text/html", more: Partial<ExplainedParcel> = {}): ExplainedParcel => ({
  key, size, hash: "raw", storedHash: "raw", role: "page", roleReason: { code: "html" }, headers: { "content-type": type }, freshness: { browser: 0, edge: 0 }, trace: [], ...more,
}); // prettier-ignore
const EMPTY = { listing: [], storeTimeMs: 0 };

test("only text of some size that is not encoded yet may be worth it", () => {
  const worth = [
    parcel("a", 1024),
    parcel("b", 5000, "application/json"),
    parcel("c", 5000, "image/svg+xml"),
  ];
  const not = [
    parcel("d", 1023),
    parcel("e", 5000, "image/png"),
    parcel("f", 5000, "font/woff2"),
    parcel("g", 5000, "text/css", { headers: { "content-type": "text/css", "content-encoding": "br" } }),
  ];
  expect([worth.map(isWorthEncoding), not.map(isWorthEncoding)]).toEqual([
    [true, true, true],
    [false, false, false, false],
  ]);
});

test("a form that saves a tenth is stored, aliases alike, with the header and the rule behind it; one that saves less is not", () => {
  const forms = new Map([["a/index.html", { storedHash: "gz", size: 900 }], ["b", { storedHash: "gz", size: 901 }]]); // prettier-ignore
  const [page, alias, other] = applyEncodedForms(
    [
      parcel("a/index.html", 1000),
      parcel("a/", 1000, "text/html", { aliasOf: "a/index.html" }),
      parcel("b", 1000),
    ],
    forms,
    EMPTY,
  );
  for (const encoded of [page, alias])
    expect(encoded).toMatchObject({
      hash: "raw",
      storedHash: "gz",
      size: 900,
      encoding: "gzip",
      headers: { "content-encoding": "gzip" },
      trace: [{ rule: { by: "compression" } }],
    });
  expect(other).toEqual(parcel("b", 1000));
});

test("another encoder's bytes of the same content are left as they stand, and only while they stand", () => {
  const known: RecordedParcel = {
    ...parcel("a", 700),
    storedHash: "older",
    etag: "e",
    headers: { "content-type": "text/html", "content-encoding": "gzip" },
  };
  const stateWith = (etag: string, hash = "raw") => ({
    waybill: { site: "s", release: 1, run: "r", previous: 0, at: "", by: "", parcels: [{ ...known, hash }], standing: [] },
    listing: [{ key: "a", size: 700, etag, modifiedMs: 0 }],
    storeTimeMs: 0,
  });
  const forms = new Map([["a", { storedHash: "newer", size: 600 }]]);
  const stored = (state: Parameters<typeof applyEncodedForms>[2]): string | undefined =>
    applyEncodedForms([parcel("a", 1000)], forms, state)[0]?.storedHash;
  expect([stored(stateWith("e")), stored(stateWith("changed")), stored(stateWith("e", "other content")), stored(EMPTY)]).toEqual([
    "older",
    "newer",
    "newer",
    "newer",
  ]);
}); // prettier-ignore
