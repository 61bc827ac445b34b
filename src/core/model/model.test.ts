import fc from "fast-check";
import { isPolled, isWorkerScript, isManifest } from "./polled.ts";
import {
  longestPageFreshness,
  toCacheControl,
  parseBrowserFreshness,
  parseEdgeFreshness,
} from "./cache-control.ts";
import { matcher } from "./glob.ts";
import { largest } from "./largest.ts";
import { SEVERITIES } from "./problem.ts";
import { spread } from "./spread.ts";
import { holds } from "../../../test/support/seeds.ts";

test.each([
  ["news/*", ["news/a.html", "news/.b"], ["news/x/a.html", "newsa"]],
  ["**/*.{js,css}", ["a.js", "x/y/b.css", ".z.js"], ["a.json"]],
  ["?.[ab]", ["x.a"], ["xx.a", "x.c"]],
])("the glob %s", (glob, inside, outside) => {
  const matches = matcher(glob);
  expect([inside.every(matches), outside.some(matches)]).toEqual([true, false]);
});

test("a spread keeps the order, takes each item once, and reaches over the whole", async () => {
  await holds(
    fc.property(fc.uniqueArray(fc.nat(), { minLength: 1, maxLength: 60 }), fc.integer({ min: 1, max: 20 }), (items, most) => {
      const chosen = spread(items, most);
      expect(chosen).toHaveLength(Math.min(most, items.length));
      const places = chosen.map((item) => items.indexOf(item));
      expect(places).toEqual([...new Set(places)].sort((a, b) => a - b));
      // No gap is more than one item wider than another.
      const gaps = [...places.slice(1), items.length].map((place, index) => place - (places[index] as number));
      expect(largest(gaps) - Math.min(...gaps)).toBeLessThanOrEqual(1);
    }),
    { seeds: [2] },
  );
}); // prettier-ignore

test("what is written as Cache-Control is read back with the same freshness", async () => {
  await holds(
    fc.property(fc.nat(1e8), fc.nat(1e8), fc.boolean(), (browser, edge, immutable) => {
      const said = toCacheControl({ browser, edge, immutable });
      expect([parseBrowserFreshness(said), parseEdgeFreshness(said)]).toEqual([browser, edge]);
    }),
    { seeds: [3] },
  );
});

test("the longest that a page may be shown without asking, by an edge or a browser, whatever wrote the header", () => {
  const of = (...said: (string | undefined)[]): number =>
    longestPageFreshness(said.map((value) => ({ role: "page", headers: value === undefined ? {} : { "cache-control": value } }))); // prettier-ignore
  expect([of("max-age=600, s-maxage=0"), of("max-age=0, s-maxage=700"), of("max-age=5", "max-age=6"), of(undefined), of()]).toEqual([600, 700, 6, 0, 0]); // prettier-ignore
  expect(longestPageFreshness([{ role: "asset", headers: { "cache-control": "max-age=9" } }])).toBe(0);
});

test.each([
  ["sw.js", true, true, false],
  ["service_worker.js", true, true, false],
  ["sw-v2.js", true, true, false],
  ["push-worker.js", true, true, false],
  ["sw-precache.js", false, false, false],
  ["js/service-worker.min.js", false, false, false],
  ["site.webmanifest", true, false, true],
  ["asset-manifest.json", true, false, true],
  ["ngsw.json", true, false, false],
  ["data/version.json", true, false, false],
  ["swimming.js", false, false, false],
])("%s: polled %s, a worker script %s, a manifest %s", (key, polled, script, manifest) => {
  expect([isPolled(key), isWorkerScript(key), isManifest(key)]).toEqual([polled, script, manifest]);
});

test("the largest of very many, and the order of severities", () => {
  expect(largest(Array.from({ length: 400_000 }, (_, index) => index))).toBe(399_999);
  expect(largest([])).toBe(0);
  expect(SEVERITIES).toEqual(["error", "warning", "note"]);
});
