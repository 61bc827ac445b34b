import { createHash } from "node:crypto";
import fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import { fillInName, headOf, isPreviewName, mostNameLetters, toPreviewName } from "./preview-name.ts";

const hash = (text: string): string => createHash("sha256").update(text).digest("hex");

test.each([
  ["main", 63, "main"],
  ["spring-fares", 63, "spring-fares"],
  ["feature/spring-fares", 63, /^feature-spring-fares-[0-9a-f]{6}$/],
  ["Feature", 63, /^feature-[0-9a-f]{6}$/],
  ["-boats-", 63, /^boats-[0-9a-f]{6}$/],
  ["Fähre nach Île d’Alder", 63, /^fahre-nach-ile-d-alder-[0-9a-f]{6}$/],
  ["指南", 63, /^[0-9a-f]{6}$/],
  ["", 63, /^[0-9a-f]{6}$/],
  ["a".repeat(80), 63, /^a{56}-[0-9a-f]{6}$/],
  ["timetable-of-the-summer", 20, /^timetable-of-[0-9a-f]{6}$/],
])("%j becomes, within %d letters, %s", (name, most, wanted) => {
  const made = toPreviewName(name, most, hash);
  if (typeof wanted === "string") expect(made).toBe(wanted);
  else expect(made).toMatch(wanted);
});

test("whatever it is called: a label of a host name, the same each time, and another one for another name", async () => {
  const letter = fc.constantFrom("a", "B", "-", "/", "ü", "7", " ", ".", "_");
  const names = fc.array(letter, { maxLength: 30 }).map((letters) => letters.join(""));
  await holds(
    fc.property(names, names, fc.integer({ min: 12, max: 63 }), (one, other, most) => {
      const [a, b] = [toPreviewName(one, most, hash), toPreviewName(other, most, hash)];
      expect(a).toMatch(/^[a-z0-9]([a-z0-9-]*[a-z0-9])?$/);
      expect(a.length).toBeLessThanOrEqual(most);
      expect(isPreviewName(a)).toBe(true);
      expect(toPreviewName(a, most, hash)).toBe(a);
      expect(a === b).toBe(one === other);
    }),
    { numRuns: 500, seeds: [1] },
  );
});

test.each([
  [undefined, 63],
  ["https://{name}.preview.pelicansound.example", 63],
  ["https://preview--{name}.pelicansound.example:8443/a", 54],
  ["https://www.pelicansound.example/previews/{name}/", 63],
])("in %s there is room for %d letters", (address, most) => {
  expect(mostNameLetters(address)).toBe(most);
});

test("a template and its head", () => {
  expect(fillInName("https://{name}.x.example/{name}/", "main")).toBe("https://main.x.example/main/");
  expect(headOf("previews/{name}/")).toBe("previews/");
});
