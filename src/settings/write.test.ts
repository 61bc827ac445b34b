import * as fc from "fast-check";
import { parse } from "yaml";
import { holds } from "../../test/support/seeds.ts";
import { parseSettings } from "./load.ts";
import { addValues, placeOfEdge, toSettingsText, type DestinationAnswers } from "./write.ts";

const VALUES = { id: "E1", negative: "10s" };
const at = (edge: string, more = ""): string =>
  `site: Boats\ndestinations:\n  quay: # ours\n${edge}\n${more}`;

test.each<[string, string, string]>([
  ["on one line", "    edge: { kind: distribution }   # far", "    edge: { kind: distribution, id: E1, negative: 10s }   # far"],
  ["on several lines", "    edge:\n      kind: distribution # far\n\n      # settle: 2s", "    edge:\n      kind: distribution # far\n      id: E1\n      negative: 10s\n\n      # settle: 2s"],
  ["in a list", "    edge:\n      - kind: none\n      - kind: distribution\n        settle: 0s\n      - { kind: purge, nodes: [http://a] }", "    edge:\n      - kind: none\n      - kind: distribution\n        settle: 0s\n        id: E1\n        negative: 10s\n      - { kind: purge, nodes: [http://a] }"],
  ["with lines of another system", "    edge:\r\n      kind: distribution\r\n    ask: true\r", "    edge:\r\n      kind: distribution\r\n      id: E1\r\n      negative: 10s\r\n    ask: true\r"],
])("values of an edge %s go where they belong, everything else stays", (_, before, after) => {
  const text = at(before, "  other: {}\n");
  expect(addValues(text, placeOfEdge(text, "quay"), VALUES)).toBe(at(after, "  other: {}\n"));
}); // prettier-ignore

test.each([
  ["an alias", "    edge: *far"],
  ["nothing", "    edge:"],
  ["a key that is asked for", "    edge:\n      ? kind\n      : distribution"],
])("%s is left alone", (_, edge) => {
  const text = `far: &far { kind: distribution }\n${at(edge)}`;
  expect(addValues(text, placeOfEdge(text, "quay"), VALUES)).toBeUndefined();
});

test("whatever is added, all else says what it said", async () => {
  const scalar = fc.oneof(fc.integer(), fc.boolean(), fc.constantFrom("a b", "x: y", "'", "#", "- z", "", "é"));
  const map = fc.dictionary(fc.constantFrom("kind", "url", "settle", "name"), fc.oneof(scalar, fc.array(scalar)), { minKeys: 1 });
  await holds(
    fc.property(map, fc.boolean(), fc.constantFrom("", "  # said\n"), (edge, isFlow, comment) => {
      const lines = Object.entries(edge).map(([name, value]) => `${name}: ${JSON.stringify(value)}`);
      const shown = isFlow ? ` { ${lines.join(", ")} }` : `\n${lines.map((line) => `      ${line}\n${comment}`).join("")}`;
      const text = `destinations:\n  quay:\n    edge:${shown}\n    ask: true\n`;
      const added = addValues(text, ["destinations", "quay", "edge"], VALUES);
      const before = parse(text) as { destinations: { quay: { edge: object } } };
      expect(parse(added ?? "")).toEqual({ destinations: { quay: { ...before.destinations.quay, edge: { ...edge, ...VALUES } } } });
    }),
    { seeds: [3], numRuns: 300 },
  );
}); // prettier-ignore

test("strict headers are written so that they can be read and changed, the policy reporting first", () => {
  const destination: DestinationAnswers = { name: "quay", url: "https://www.pelican.test", store: { bucket: "pelican" }, edge: { kind: "distribution" }, headers: "strict", ask: false };
  const settingsOf = (one: DestinationAnswers) => parseSettings(toSettingsText({ site: "Boats", folder: "dist", clientRoutes: false, destination: one }), "f", { environment: {} }).settings.destinations.quay?.edge;
  expect(settingsOf(destination)).toMatchObject({ kind: "distribution", headers: { "Strict-Transport-Security": "max-age=31536000", "Content-Security-Policy-Report-Only": "from-build" } });
  expect(settingsOf({ ...destination, url: "http://localhost:1" })).not.toMatchObject({ headers: { "Strict-Transport-Security": expect.anything() as string } });
}); // prettier-ignore
