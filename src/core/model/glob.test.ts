import fc from "fast-check";
import picomatch from "picomatch";
import { countChoices, matcher, MOST_CHOICES } from "./glob.ts";
import { holds } from "../../../test/support/seeds.ts";

const letters = fc.constantFrom("a", "b", ".", "-");
const name = fc.array(letters, { minLength: 1, maxLength: 4 }).map((all) => all.join(""));
const piece = fc.oneof(
  letters,
  fc.constantFrom("*", "?", "[ab]", "[^a]", "[a-b]", "\\*"),
  fc.tuple(name, fc.constantFrom("b", "a?", "a*b")).map(([one, other]) => `{${one},${other}}`),
);
const part = fc.oneof(
  { weight: 1, arbitrary: fc.constant("**") },
  { weight: 4, arbitrary: fc.array(piece, { minLength: 1, maxLength: 4 }).map((all) => all.join("")) },
);
const glob = fc.array(part, { minLength: 1, maxLength: 4 }).map((all) => all.join("/"));
const path = fc.array(name, { minLength: 1, maxLength: 4 }).map((all) => all.join("/"));

/** What the usual package takes for something else: a name of dots, and what it reads as a number of letters or a choice. */
const isOdd = (text: string): boolean =>
  /(^|\/)\.{1,2}(\/|$)|\*\*[^/]|[^/]\*\*|(^|\/)\.\/|\{\.|\{[^}]*\.\.|\*\*\/\*\*/.test(text);

/** Its short cuts are left out: `*.*` asks for a letter behind the dot there, and nowhere else. */
const usual = (text: string) => picomatch(text, { dot: true, noextglob: true, fastpaths: false });

test("globs fit as the usual package says, which makes regular expressions of them", async () => {
  await holds(
    fc.property(glob, path, (text, asked) => {
      fc.pre(!isOdd(text) && !isOdd(asked));
      expect(matcher(text)(asked)).toBe(usual(text)(asked));
    }),
    { seeds: [11], numRuns: 4000, examples: [["*.*", "a."]] },
  );
});

test.each<[string, string[], string[]]>([
  ["**/*.map", ["a.map", "x/y/.a.map"], ["a.mapx", "map"]],
  ["downloads/**", ["downloads/a", "downloads/a/b", "downloads"], ["download/a", "x/downloads/a"]],
  ["a/{b,c/{d,e}}/*.{js,css}", ["a/b/x.js", "a/c/e/x.css"], ["a/c/x.js", "a/b/x.html"]],
  ["*/**", ["a/b", "a/b/c"], ["a"]],
  ["[0-9][!0-9].txt", ["1a.txt"], ["11.txt", "a1.txt"]],
  ["[a-cx-].txt", ["b.txt", "x.txt", "-.txt"], ["d.txt", "w.txt"]],
  ["a{b", ["a{b"], ["ab"]],
  ["{a}", ["{a}"], ["a"]],
  ["a\\{b,c\\}", ["a{b,c}"], ["ab"]],
  ["\\{{b,c}", ["{b", "{c"], ["{{b,c}"]],
  ["a/*", ["a/b"], ["a/", "a"]],
  ["(a+)+$", ["(a+)+$"], ["aa"]],
  ["!(a).js", ["!(a).js"], ["b.js"]],
  ["a[b", ["a[b"], ["ab"]],
])("%s", (text, fitting, others) => {
  expect(fitting.filter((one) => !matcher(text)(one))).toEqual([]);
  expect(others.filter((one) => matcher(text)(one))).toEqual([]);
});

test("no glob and no name takes long together, and choices are counted no further than they may go", () => {
  const long = "a".repeat(255);
  for (const text of [`${"*a".repeat(200)}b`, "(a+)+b", `${"a*".repeat(8)}b`, "{a,a*}{a,a*}{a,a*}{a,a*}b"])
    expect(matcher(text)(long)).toBe(false);
  expect(matcher(`${"**/a/".repeat(60)}b`)(Array.from({ length: 500 }, () => "a").join("/"))).toBe(false);
  expect(countChoices("{a,b}".repeat(40))).toBeGreaterThan(MOST_CHOICES);
});
