import fc from "fast-check";
import { holds, isSoak } from "../../../../test/support/seeds.ts";
import type { FingerprintName } from "../../model/reasons.ts";
import { findFingerprintNames } from "./find.ts";
import { createTokenFinder, createWordReader, shapesOf } from "./mentions.ts";

const HEX = "0123456789abcdef";
const CAPITALS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ";
const SMALL = CAPITALS.toLowerCase();
const DIGITS = "0123456789";
const BASE64URL = `${CAPITALS}${SMALL}${DIGITS}-_`;

const shownIn = (paths: readonly string[]): [string, FingerprintName][] =>
  [...findFingerprintNames(paths)].filter(([, { strength }]) => strength === "shown");

const of = (letters: string, length: number): fc.Arbitrary<string> =>
  fc
    .array(fc.constantFrom(...Array.from(letters)), { minLength: length, maxLength: length })
    .map((all) => all.join(""));
/** Twenty such, always the same. */
const sample = (letters: string, length: number): string[] =>
  fc.sample(of(letters, length), { seed: 3, numRuns: 20 });

test.each<[string, string, string, string]>([
  ["assets/index-BfL3s-aQ.js", "BfL3s-aQ", "base64url 8", ""],
  ["assets/app.2f0d3e8a.css", "2f0d3e8a", "hex 8", ""],
  ["media/9f2c41d07be35a18.woff2", "9f2c41d07be35a18", "hex 16", ""],
  ["js/main.d1a4201b.js.LICENSE.txt", "d1a4201b", "hex 8", ""],
  ["js/vendor.1f2e3d4c.chunk.js", "1f2e3d4c", "hex 8", ""],
  ["assets/app.js.1f2e3d4c.css.br", "1f2e3d4c", "hex 8", ""],
  ["_next/static/8SQWBgmbR4TB37GCUxwTh/_ssgManifest.js", "8SQWBgmbR4TB37GCUxwTh", "folder 21", ""],
  ["static/9f2c41d07be35a189f2c41d07be35a18/hero.jpg", "9f2c41d07be35a189f2c41d07be35a18", "folder 32", ""],
  ["img/pier_hu28536d0582ec7b6b2b10e7c4ebb0186d_126727_64x0_resize_box_3.png", "28536d0582ec7b6b2b10e7c4ebb0186d", "hex 32", ""],
  ["img/GFk6E9oU1q-600.jpeg", "GFk6E9oU1q", "base64url 10", "img/pZ3Wq8xLr0-600.jpeg"],
  ["js/extra.c228ae9ecc1eecf44114bc5ff779fac7ac5bc72ad87a624daf97294adea7e01d79ff73f22a4aae3ecf0a1fac68eafd4b.js",
    "c228ae9ecc1eecf44114bc5ff779fac7ac5bc72ad87a624daf97294adea7e01d79ff73f22a4aae3ecf0a1fac68eafd4b", "hex 96", ""],
  ["_next/static/chunks/39_j1bdzreq0m.js", "39_j1bdzreq0m", "base36 13", "_next/static/chunks/0p1i487qci2qr.js _next/static/chunks/2vtooi2zidh_p.js"],
  ["_nuxt/DlAUqK2U.js", "DlAUqK2U", "base64url 8", ""],
  ["app/main.23823b.js", "23823b", "hex 6", "app/184.a1a0c5.js app/288.02bc7c.js app/497.04040b.js app/76.bfdd26.js"],
  ["c/chunk-CALMHORT.js", "CALMHORT", "base32 8", sample(`${CAPITALS}234567`, 8).map((one) => `c/chunk-${one}.js`).join(" ")],
])("%s carries %s", (path, token, shape, beside) => {
  const found = new Map(shownIn([path, ...beside.split(" ").filter((one) => one !== "")])).get(path);
  expect(found && [found.token, `${found.shape.alphabet} ${found.shape.length}`]).toEqual([token, shape]);
}); // prettier-ignore

test.each([
  "service-worker.js", "safety-worker.js", "worker-basic.min.js", "asset-manifest.json", "_payload.json", "icon-192x192.png",
  "apple-touch-icon.png", "inter-latin-400-normal.woff2", "IMG_20240131_142233.jpg", "photo-1633332755192-727a05c4013d.jpg",
  "product-A1B2C3D4.jpg", "report-20240131.txt", "messages.pt-BR.json", "calendar.deadbeef.ics", "module-download.js", "jquery-3.7.1.min.js",
  "123e4567-e89b-12d3-a456-426614174000.png", "assets/app.2f0d3e8a.js.map", "HomePage.js", "lib/MyButton.js", "terms-and-conditions.pdf", "v2.10.4/app.js",
  "fromUtf8.js", "lib/QR8bitByte.js", "toBase64.js", "i/deadc0de.png",
])("%s is a plain name", (path) => {
  expect(shownIn([path])).toEqual([]);
}); // prettier-ignore

test("a date is none in a folder full of hashes, nor is a row of numbers", () => {
  const hashed = sample(HEX, 8).map((one) => `i/pier-${one}.jpg`);
  const numbers = Array.from({ length: 9 }, (_, i) => `i/item-1002345${i}.jpg`);
  const found = shownIn([...hashed, ...numbers, "i/log-20240131.jpg"]).map(([path]) => path);
  expect(found).toEqual(hashed);
});

const upTo = (most: number, digits = 0): fc.Arbitrary<string> =>
  fc.nat(most - 1).map((n) => String(n).padStart(digits, "0"));
const day = fc.tuple(
  fc.integer({ min: 1990, max: 2039 }),
  fc.integer({ min: 1, max: 12 }),
  fc.integer({ min: 1, max: 28 }),
);
const two = (n: number): string => String(n).padStart(2, "0");
const compact = day.map(([y, m, d]) => `${y}${two(m)}${two(d)}`);
const word = fc.constantFrom(
  "harbour", "timetable", "pelican", "anchor", "lighthouse", "polyfill", "settings", "overview", "terminal", "passenger", "facade", "decade", "cafe",
  "faehre", "fahrplan", "abfahrt", "leuchtturm", "schiffswrack", "traversee", "horaires", "quai", "bateau", "gezeiten", "marees", "barco", "horario", "muelle",
  "pasajeros", "traghetto", "orario", "biglietti", "molo", "navio", "bilhete", "cais", "veerboot", "dienstregeling", "haven", "prom", "rozklad", "przystan", "bilety",
  "farja", "tidtabell", "brygga", "biljetter", "utils", "vendors", "jquery", "lodash", "moment", "mjs", "wght", "svg", "xyz", "http", "rgb", "Helvetica", "Roboto",
); // prettier-ignore
const capital = word.map((one) => one.slice(0, 1).toUpperCase() + one.slice(1));
const join = (separator: string, ...parts: fc.Arbitrary<string>[]): fc.Arbitrary<string> =>
  fc.tuple(...parts).map((all) => all.join(separator));

/** Names that people give, by kind. */
const BY_PEOPLE: Readonly<Record<string, fc.Arbitrary<string>>> = {
  words: join("-", word, word),
  camel: join("", word, capital),
  pascal: join("", capital, capital),
  capitals: word.map((one) => one.toUpperCase()),
  dates: join("-", fc.constant("report"), compact),
  "dates with dashes": day.map(([y, m, d]) => `notice-${y}-${two(m)}-${two(d)}`),
  times: join("_", fc.constant("IMG"), compact, join("", upTo(24, 2), upTo(60, 2), upTo(60, 2))),
  "times of phones": join("_", fc.constant("PXL"), compact, join("", upTo(24, 2), upTo(60, 2), upTo(60, 2), upTo(1000, 3))),
  sizes: join("x", join("-", word, upTo(4000)), upTo(4000)),
  widths: join("", join("-", word, upTo(4000)), fc.constant("w")),
  versions: join(".", join("-", word, upTo(20)), upTo(20), upTo(100), fc.constant("min")),
  "words with versions": join("-v", word, join("", upTo(20), fc.constantFrom("", "b", "rc1", "beta2"))),
  locales: join("-", join(".", fc.constant("messages"), of(SMALL, 2)), of(CAPITALS, 2)),
  scripts: join("-", of(SMALL, 2), fc.constantFrom("Hant", "Latn", "Cyrl"), of(CAPITALS, 2)),
  cameras: join("", fc.constantFrom("DSC0", "DSCF", "MVI_", "IMG_", "GOPR"), upTo(10_000, 4)),
  uuids: fc.uuid(),
  numbers: join("-", word, upTo(100_000_000)),
  isbns: join("", fc.constant("978"), of(DIGITS, 10)),
  "hex words": join(".", word, fc.constantFrom("deadbeef", "cafebabe", "faceb00c", "deadc0de", "c0ffee", "badc0ffee", "decade", "defaced")),
  flights: join("", of(CAPITALS, 2), upTo(10_000)),
  tiles: join("-", fc.constant("tile"), upTo(20), upTo(10_000), upTo(10_000)),
  fonts: join("-", capital, fc.constantFrom("Regular", "BoldItalic", "MediumItalic", "latin-ext-400", "wght-normal")),
}; // prettier-ignore

/** Names that are random letters, but no bundler's: of pictures they must not be taken for hashes, of scripts nobody gives them. */
const RANDOM_PICTURES: Readonly<Record<string, fc.Arbitrary<string>>> = {
  emoji: join("-1f", join("", fc.constant("1f"), of(HEX, 3)), of(HEX, 3)),
  photographs: join("-", fc.constant("photo"), of(DIGITS, 13), of(HEX, 12)),
  commits: join("-", word, of(HEX, 7)),
  documents: of(HEX, 24),
  plates: join("", of(CAPITALS, 2), of(DIGITS, 2), of(CAPITALS, 3)),
  codes: of(`${CAPITALS}${DIGITS}`, 10),
};

const RUNS = isSoak ? 60 : 30;
/** All names of so many folders, some of one file, some of many. */
const folders = (name: fc.Arbitrary<string>, ending: string): string[][] =>
  [1, 4, 30].flatMap((size) =>
    fc
      .sample(fc.array(name, { minLength: size, maxLength: size }), { seed: 17, numRuns: RUNS })
      .map((names) => [...new Set(names)].map((one) => `f/${one}.${ending}`)),
  );

test.each(Object.keys(BY_PEOPLE))("no name is taken for a hash: %s", (kind) => {
  for (const ending of ["js", "jpg", "woff2", "json"])
    for (const paths of folders(BY_PEOPLE[kind] as fc.Arbitrary<string>, ending))
      expect(shownIn(paths).map(([path]) => path)).toEqual([]);
});

test.each(Object.keys(RANDOM_PICTURES))("no picture's random name is taken for a hash: %s", (kind) => {
  for (const paths of folders(RANDOM_PICTURES[kind] as fc.Arbitrary<string>, "jpg"))
    expect(shownIn(paths).map(([path]) => path)).toEqual([]);
});

test.each<[string, string, number, number]>([
  ["hex", HEX, 8, 0.99],
  ["hex", HEX, 10, 0.97],
  ["hex", HEX, 16, 0.99],
  ["hex", HEX, 20, 0.99],
  ["hex", HEX, 32, 0.99],
  ["base32", `${CAPITALS}234567`, 8, 0.98],
  ["base36", `${SMALL}${DIGITS}-_`, 13, 0.97],
  ["base36", `${SMALL}${DIGITS}`, 8, 0.85],
  ["base62", `${CAPITALS}${SMALL}${DIGITS}`, 11, 0.98],
  ["base64url", BASE64URL, 8, 0.97],
  ["base64url", BASE64URL, 10, 0.98],
])("random letters are found in twelve scripts: %s of %s, length %i, at least %d", (_, letters, length, share) => {
  for (const before of ["", "page-", "chunk."]) {
    const names = fc.sample(of(letters, length), { seed: 5, numRuns: 12 * RUNS });
    let found = 0;
    for (let at = 0; at < names.length; at += 12)
      found += shownIn(names.slice(at, at + 12).map((name) => `f/${before}${name}.js`)).length;
    expect(found / names.length).toBeGreaterThanOrEqual(share);
  }
}); // prettier-ignore

test("twins and sizes of one picture are one witness, and no order of the names tells", () => {
  const twins = ["f/a.2f0d3e.js", "f/a.2f0d3e.js.br", "f/a.2f0d3e.js.gz", "f/b.2f0d3e.js"];
  expect(shownIn(twins)).toEqual([]);
  const paths = ["f/a.2f0d3e.js", "f/b.91ac07.js", "f/c.0be24d.js", "f/settings.js", "f/d.7ce1a2.js"];
  expect(new Map(shownIn(paths.toReversed()))).toEqual(new Map(shownIn(paths)));
  expect(shownIn(paths).length).toBe(4);
});

test("a folder that is named by a hash makes its scripts immutable, and never its pages", () => {
  const folder = "data/28536d0582ec7b6b2b10e7c4ebb0186d";
  expect(shownIn([`${folder}/app.js`, `${folder}/index.html`]).map(([path]) => path)).toEqual([`${folder}/app.js`]);
}); // prettier-ignore

/** What finds these hashes in a text. */
function createFinder(tokens: ReadonlySet<string>): (text: string) => string[] {
  const [find, read] = [createTokenFinder(tokens), createWordReader(shapesOf(tokens))];
  return (text) => find(read(Buffer.from(text)));
}

/** The same by a regular expression for each: between separators or after a mark, at the end of a name, before what stands after it. */
const toSearch = (token: string): RegExp =>
  /[-_~]/.test(token)
    ? new RegExp(`${token}((_[A-Za-z0-9]{5,6}|[-_][0-9wx]{1,9})?(?![\\w~-]))`)
    : new RegExp(`(?<![A-Za-z0-9])([g-z]{1,3}(?=[0-9a-f]{16}))?${token}(?![A-Za-z0-9])`);

test("the hashes that a text names are those that a search for each of them finds", async () => {
  const tokens = ["2f0d3e8a", "BfL3s-aQ", "a1b2c3", "zxcvbnml", "X_Y~Z9-8", "0123456789abcdef", "-bcdefg8"];
  const findTokens = createFinder(new Set(tokens));
  const searches = tokens.map((token) => ({ token, search: toSearch(token) }));
  const piece = fc.constantFrom(...tokens, "hu", "-", "_", "~", ".", " ", "/", "é", "12x9", "_Z1kXy", "w", "a", "G");
  await holds(
    fc.property(fc.array(piece, { maxLength: 8 }), (pieces) => {
      const text = pieces.join("");
      const named = searches.filter(({ search }) => search.test(text)).map(({ token }) => token);
      expect(findTokens(text)).toEqual(named.sort());
    }),
    { seeds: [12], numRuns: 5000 },
  );
}); // prettier-ignore

test("tokens are found in names, in chunk maps and after a transform's hash", () => {
  const tokens = new Set(["2f0d3e8a", "BfL3s-aQ", "BfL3s9aQ", "X9f-s2aQ", "a1b2c3", "zzzzzzzz", "28536d0582ec7b6b2b10e7c4ebb0186d", "0123456789abcdef"]);
  const text = `s0123456789abcdef import("./index-BfL3s-aQ.js"); m={7:"2f0d3e8a",8:"a1b2c3"}; src="/a/photo.BfL3s9aQ_Z1kXy2.webp,/a/quay-X9f-s2aQ_Z1kXy2.webp" a="/pier_hu28536d0582ec7b6b2b10e7c4ebb0186d_12_64x0.png"`;
  expect(createFinder(tokens)(text)).toEqual(["0123456789abcdef", "28536d0582ec7b6b2b10e7c4ebb0186d", "2f0d3e8a", "BfL3s-aQ", "BfL3s9aQ", "X9f-s2aQ", "a1b2c3"]);
}); // prettier-ignore
