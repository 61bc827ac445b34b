import type { RecordedParcel } from "../model/parcel.ts";
import { targetOf } from "../model/plan.ts";
import { selectHeldBack } from "./held-back.ts";
import type { DestinationState, RetainedRelease, Waybill } from "../model/release.ts";
import {
  decideKeptUntil,
  selectClearable,
  selectExpiredState,
  selectNeededContents,
  selectRetained,
} from "./retention.ts";

const DAY = 86_400_000;
const NOW = 100 * DAY;

const retained = (release: number, pageFreshnessSeconds = 0): RetainedRelease => ({
  release,
  run: `r${release}`,
  waybillHash: "",
  at: new Date(0).toISOString(),
  pageFreshnessSeconds,
});

/** A destination whose releases were recorded so many days ago, the newest first; by the store's own clock. */
const stateOf = (
  daysAgo: Readonly<Record<number, number>>,
  freshness: Readonly<Record<number, number>> = {},
): DestinationState => {
  const releases = Object.keys(daysAgo)
    .map(Number)
    .sort((a, b) => b - a);
  return {
    pointer: {
      site: "s",
      release: releases[0] ?? 0,
      run: "r",
      retained: releases.map((release) => retained(release, freshness[release])),
      owed: [],
      announced: {},
    },
    listing: releases.map((release) => ({
      key: `.courier/releases/${release}-r${release}.ndjson.gz`,
      size: 1,
      etag: "e",
      modifiedMs: NOW - (daysAgo[release] as number) * DAY,
    })),
    storeTimeMs: NOW,
  };
};
const stay = (state: DestinationState, next: number, releases: number, days: number): number[] =>
  selectRetained(state, next, { releases, forSeconds: days * 86_400 }).map(({ release }) => release);

test("the last N stay, however old, and those superseded a short time ago, however many", () => {
  const old = stateOf({ 4: 30, 3: 40, 2: 50, 1: 60 });
  expect(stay(old, 5, 3, 0)).toEqual([4, 3]);
  expect(stay(old, 5, 1, 0)).toEqual([]);
  // Release 2 was superseded by 3, forty days ago; release 4 is superseded now.
  expect(stay(old, 5, 1, 41)).toEqual([4, 3, 2]);
  expect(stay(old, 5, 1, 35)).toEqual([4, 3]);
});

test("hotfix day: a release that was live for weeks, then five within an hour, is still retained", () => {
  const state = stateOf({ 6: 0.001, 5: 0.01, 4: 0.02, 3: 0.03, 2: 0.04, 1: 30 });
  expect(stay(state, 7, 2, 14)).toEqual([6, 5, 4, 3, 2, 1]);
});

test("never for less than an edge or a browser may reuse its pages; what tells when that ends stays as well", () => {
  expect(stay(stateOf({ 2: 1, 1: 10 }, { 1: 3 * 86_400 }), 3, 1, 0)).toEqual([2, 1]);
  expect(stay(stateOf({ 3: 1, 2: 2, 1: 10 }, { 2: 3 * 86_400 }), 4, 1, 0)).toEqual([3, 2]);
});

test("until when something is kept: both the number and the time must pass", () => {
  const state = stateOf({ 3: 1, 2: 5, 1: 10 });
  expect(decideKeptUntil(state, 2, { releases: 5, forSeconds: 14 * 86_400 })).toEqual({
    release: 7,
    at: new Date(NOW + 13 * DAY).toISOString(),
  });
  expect(decideKeptUntil(state, 3, { releases: 5, forSeconds: 14 * 86_400 }).at).toBe(
    new Date(NOW + 14 * DAY).toISOString(),
  );
});

test("records and contents that no retained release needs are expired; everything else stays", () => {
  const content = (letter: string): string => letter.repeat(64);
  const waybill = { parcels: [{ storedHash: content("a") }] } as unknown as Waybill;
  const keys = [".courier/current.json", ".courier/releases/1-r1.ndjson.gz", ".courier/releases/2-r2.ndjson.gz", ".courier/releases/2-dead.ndjson.gz", `.courier/vault/${content("a")}`, `.courier/vault/${content("b")}`, "index.html"]; // prettier-ignore
  const state: DestinationState = {
    listing: keys.map((key) => ({ key, size: 1, etag: "e", modifiedMs: 0 })),
    storeTimeMs: 0,
  };
  expect(selectExpiredState(state, [retained(2)], selectNeededContents([waybill]))).toEqual([
    ".courier/releases/1-r1.ndjson.gz",
    ".courier/releases/2-dead.ndjson.gz",
    `.courier/vault/${content("b")}`,
  ]);
});

test("held back is what the current release lists and nobody has written since", () => {
  const parcel = (key: string, etag?: string) =>
    ({ key, ...(etag === undefined ? {} : { etag }) }) as RecordedParcel;
  const waybill = {
    run: "a",
    release: 2,
    parcels: [parcel("sw.js"), parcel("app.css", "1"), parcel("version.json")],
  };
  const pointer = { run: "a", release: 2, announced: { "version.json": "2" } };
  expect(selectHeldBack(waybill, pointer)).toEqual(["sw.js"]);
  expect(selectHeldBack(waybill, { ...pointer, release: 3, run: "b" })).toEqual([]);
});

test("where nothing keeps two runs apart, only assets go that were expired before, and records of runs that ended", () => {
  const standing = [["old.js", 1], ["kept.js", 3]].map(([key, lastIn]) => ({ key, lastIn })) as unknown as RecordedParcel[]; // prettier-ignore
  const state = { ...stateOf({ 3: 0, 4: 0 }), waybill: { standing } as unknown as Waybill };
  const remove = (key: string) => ({ do: "remove", key, etag: "e", size: 1 }) as const;
  const groups = [
    { name: "assets", steps: ["old.js", "kept.js", "fresh.js"].map(remove) },
    { name: "contents", steps: [remove(".courier/vault/a")] },
    { name: "ended runs", steps: [remove(".courier/open/a")] },
  ];
  const left = selectClearable({ name: "clear", groups }, state).groups;
  expect(left.map(({ name, steps }) => [name, ...steps.map(targetOf)])).toEqual([["assets", "old.js"], ["ended runs", ".courier/open/a"]]); // prettier-ignore
});
