import { isOver, isToProlong, selectOthers, toFoundPreviews, toRemovalOrder } from "./previews.ts";
import type { Pointer } from "../model/release.ts";

const at = (key: string, size = 1, modifiedMs = 5) => ({ key, size, modifiedMs, etag: "e" });
const DAY = 86_400_000;
const pointer = (until?: string): Pointer => ({
  ...{ site: "Pelican Sound Ferries", release: 1, run: "r", retained: [], owed: [], announced: {} },
  ...(until === undefined ? {} : { preview: { name: "main", until } }),
});

test("previews are told by their records; what else stands in their folder is none", () => {
  const listing = [
    ...[at("main/index.html", 10, 7), at("main/.courier/current.json", 20, 9), at("main/a/.courier/x", 1)],
    ...[at("theirs/index.html"), at("loose.txt"), at("/odd"), at("half/.courier/hold.json", 3)],
    ...["Theirs", "their_site", "-theirs", "..", "a".repeat(64)].map((name) =>
      at(`${name}/.courier/current.json`),
    ),
  ];
  expect(toFoundPreviews(listing, 11)).toEqual([
    { label: "main", objects: 3, bytes: 31, touchedMs: 9, storeTimeMs: 11 },
    { label: "half", objects: 1, bytes: 3, touchedMs: 5, storeTimeMs: 11 },
  ]);
});

test("a preview's time is over by the store's clock; what never came to its end has a day", () => {
  const found = { label: "main", objects: 1, bytes: 1, touchedMs: 0, storeTimeMs: DAY };
  expect(isOver({ ...found, pointer: pointer("1970-01-02T00:00:00.000Z") })).toBe(true);
  expect(isOver({ ...found, pointer: pointer("1970-01-02T00:00:00.001Z") })).toBe(false);
  expect(isOver({ ...found, pointer: pointer() })).toBe(false);
  expect(isOver({ ...found, storeTimeMs: 9 * DAY, pointer: "unreadable" })).toBe(false);
  expect(isOver(found)).toBe(false);
  expect(isOver({ ...found, storeTimeMs: DAY + 1 })).toBe(true);
});

test("what is no preview, or can't be known for one, is never meant by leaving it out", () => {
  const found = { objects: 1, bytes: 1, touchedMs: 0, storeTimeMs: DAY };
  const all = [
    { ...found, label: "main", pointer: pointer("1970-01-02T00:00:00.000Z") },
    { ...found, label: "another-site", pointer: pointer() },
    { ...found, label: "damaged", pointer: "unreadable" as const },
    { ...found, label: "unfinished" },
  ];
  expect(selectOthers(all, new Set(["kept"])).map(({ label }) => label)).toEqual(["main", "unfinished"]);
  expect(selectOthers(all, new Set(["main"])).map(({ label }) => label)).toEqual(["unfinished"]);
});

test("an unchanged one lives on once half of its time is gone", () => {
  const until = pointer("1970-01-02T00:00:00.000Z");
  expect(isToProlong(until, 86_400, DAY / 2)).toBe(false);
  expect(isToProlong(until, 86_400, DAY / 2 + 1)).toBe(true);
  expect(isToProlong(pointer(), 86_400, 0)).toBe(true);
});

test("pages go before what they load, records after that, the pointer last, the hold not at all", () => {
  const keys = [
    ...["assets/app.js", "index.html", "news/", "about", "a.b/c", "a/b.txt"],
    ...[".courier/current.json", ".courier/hold.json", ".courier/vault/1"],
  ];
  expect(toRemovalOrder(keys.map((key) => at(key)))).toEqual([
    ["index.html", "news/", "about", "a.b/c"],
    ["assets/app.js", "a/b.txt"],
    [".courier/vault/1"],
    [".courier/current.json"],
  ]);
  expect(toRemovalOrder([])).toEqual([]);
});
