import { createHash } from "node:crypto";
import fc from "fast-check";
import { Parser } from "htmlparser2";
import { holds } from "../../test/support/seeds.ts";
import type { PictureFile } from "../core/picture/picture.ts";
import { createSiteIndex } from "../core/traffic/site-index.ts";
import { summarise } from "../core/traffic/summary.ts";
import { Tally } from "../core/traffic/tally.ts";
import type { Report } from "../results/report.ts";
import { toTrafficResult } from "../results/traffic.ts";
import { drawReport } from "./draw.ts";
import { drawTraffic } from "./traffic/draw.ts";
import { packRows, selectRows, unpackRows, type Row } from "./rows.ts";

const text = fc.string({
  unit: fc.constantFrom("a", "/", "-", "é", "\ud83d", "\ude00", "<", '"', "\n"),
  maxLength: 12,
});
const row: fc.Arbitrary<Row> = fc.record({
  key: text,
  fate: fc.constantFrom("new", "replaced", "unchanged"),
  role: fc.constantFrom("page", "asset"),
  reason: text,
  size: fc.nat(1000),
  wire: fc.integer({ min: -1, max: 1000 }),
  by: fc.nat(2),
}); // prettier-ignore
const byKey = (rows: readonly Row[]): Row[] => [...rows].sort((a, b) => (a.key < b.key ? -1 : 1));

test("rows are carried and come back as they were", async () => {
  await holds(
    fc.property(fc.array(row), (rows) => {
      const carried = JSON.parse(JSON.stringify(packRows(byKey(rows)))) as ReturnType<typeof packRows>;
      expect(unpackRows(carried)).toEqual(byKey(rows));
    }),
    { seeds: [1], numRuns: 200 },
  );
});

test("what is asked for is shown, all of it, and in order", async () => {
  const rank = new Map(["new", "replaced", "unchanged"].map((fate, at) => [fate, at]));
  const wish = fc.record({
    text: fc.constantFrom("", "A", "/-", " é "),
    fates: fc.subarray(["new", "replaced"]).map((fates) => new Set(fates)),
    role: fc.constantFrom("", "page"),
    by: fc.constantFrom("key" as const, "fate" as const, "role" as const, "size" as const, "wire" as const, "reason" as const),
    isDown: fc.boolean(),
  }); // prettier-ignore
  await holds(
    fc.property(fc.array(row, { maxLength: 30 }), wish, (rows, asked) => {
      const found = selectRows(rows, asked, rank);
      const wanted = rows.filter(({ key, fate, role }) => key.toLowerCase().includes(asked.text.trim().toLowerCase()) && (asked.fates.size === 0 || asked.fates.has(fate)) && (asked.role === "" || role === asked.role)); // prettier-ignore
      expect(byKey(found).map(({ key }) => key)).toEqual(byKey(wanted).map(({ key }) => key));
      const value = (one: Row) => (asked.by === "fate" ? (rank.get(one.fate) ?? 0) : one[asked.by]);
      for (const [at, one] of found.entries()) {
        const next = found[at + 1];
        if (next) expect(asked.isDown ? value(one) >= value(next) : value(one) <= value(next)).toBe(true);
      }
    }),
    { seeds: [1], numRuns: 200 },
  );
});

const ASSETS = { style: "b { color: red }", script: "/* ours */" };
const HOSTILE = [`</script><script>alert(1)</script>`, `"><img src=x onerror=alert(1)>`, "<!--", "]]>", "${x}", "</style>", "a\u0000b"]; // prettier-ignore

const file = (key: string, more: Partial<PictureFile> = {}): PictureFile => ({
  ...{ key, fate: "new", role: "page", size: 100, headers: { "cache-control": key } },
  ...more,
});

const reportOf = (words: readonly string[]): Report => ({
  kind: "planned",
  ...{ site: words.join(" "), destination: words.join(" "), url: words.join(" "), by: words.join(" "), note: words.join(" ") }, // prettier-ignore
  ...{ release: 2, previous: 1, at: "2026-03-04T14:20:00Z" },
  files: words.map((word) => file(word, { reason: { code: "moved", from: word } })),
  visits: [{ page: words[0] ?? "", wire: 3, loads: words.map((key) => ({ key, wire: 1, is: "new" })), before: { wire: 4, loads: [] } }], // prettier-ignore
  edges: [{ edge: words.join(" "), addresses: words, patterns: words.map((pattern) => ({ pattern, clears: 1, takes: { addresses: 1, bytes: 1 } })), collateral: { addresses: 1, bytes: 1 }, everything: { addresses: 1, bytes: 1 } }], // prettier-ignore
  releases: [1, 2].map((release) => ({ release, at: "2026-03-04T14:20:00Z", files: 1, roles: { page: 5 }, firstVisit: 9 })), // prettier-ignore
  problems: words.map((word) => ({ code: "x", severity: "error", path: word, message: word, hint: word })),
});

/** All that a page would run or load, and the names of its elements. */
function inspect(page: string) {
  const [scripts, styles, seen]: [string[], string[], Set<string>] = [[], [], new Set()];
  let [policy, inside] = ["", ""];
  const parser = new Parser({
    onopentag: (name, attributes) => {
      inside = name;
      seen.add(name);
      for (const attribute of Object.keys(attributes)) expect(attribute).not.toMatch(/^on|^style$|^srcset?$/);
      if (attributes["http-equiv"] === "Content-Security-Policy") policy = attributes.content ?? "";
      if (attributes.href !== undefined) expect(attributes.href).toMatch(/^(#|data:,)/);
      if (name === "script" && attributes.type === undefined) scripts.push("");
    },
    ontext: (piece) => {
      if (inside === "script") scripts.push(`${scripts.pop() ?? ""}${piece}`);
      if (inside === "style") styles.push(piece);
    },
    onclosetag: () => (inside = ""),
  });
  parser.end(page);
  expect(seen.has("img")).toBe(false);
  expect(policy).toMatch(/^default-src 'none'; /);
  expect(styles.join("")).toBe(ASSETS.style);
  return { scripts, policy, seen };
}

const toHash = (text: string): string => `'sha256-${createHash("sha256").update(text).digest("base64")}'`;

test("whatever a build's names and texts are, nothing of them becomes markup, and only our own script may run", () => {
  const page = drawReport(reportOf(HOSTILE), ASSETS);
  const { scripts, policy, seen } = inspect(page);
  expect([...seen]).toEqual(expect.arrayContaining(["table", "svg", "details"]));
  const [data = "", ...own] = [/id="data">([^]*?)<\/script>/.exec(page)?.[1], ...scripts];
  expect(unpackRows((JSON.parse(data) as { rows: Parameters<typeof unpackRows>[0] }).rows).map(({ key }) => key)).toEqual(HOSTILE); // prettier-ignore
  expect(own.at(-1)).toContain(ASSETS.script);
  for (const text of [ASSETS.script, ASSETS.style]) expect(policy).toContain(toHash(text));
});

test("whatever stands in a log, nothing of it becomes markup, and no script may run at all", () => {
  const tally = new Tally(createSiteIndex({ waybills: [], names: new Map(), times: [{ release: 3, atMs: 50_000 }], rules: { forms: [], basePath: "/", indexName: "index.html" } }));
  for (const [at, word] of HOSTILE.entries())
    for (const status of [200, 404])
      tally.add({ atMs: at * 60_000, method: "GET", path: word, hasQuery: false, status, bytes: 1, seconds: 1, cache: "miss", referrer: `https://${word}/${word}`, agent: word });
  const facts = { basePath: "/", destination: HOSTILE.join(""), release: 3, logs: HOSTILE, cut: HOSTILE, retention: { releases: 1, forSeconds: 1 } };
  const { scripts, policy, seen } = inspect(drawTraffic(toTrafficResult(summarise(tally), facts), HOSTILE.join(""), ASSETS.style));
  expect([...seen]).toEqual(expect.arrayContaining(["table", "svg", "details"]));
  expect([scripts, policy.includes("script-src")]).toEqual([[], false]);
}); // prettier-ignore

test("twenty thousand files make a page of less than three megabytes, and a map of some hundred boxes", () => {
  const hashed = (index: number): string => (index * 2_654_435_761).toString(36).slice(0, 8).padStart(8, "x");
  const files = Array.from({ length: 20_000 }, (_, index) =>
    file(index % 2 === 0 ? `assets/part-${index % 90}/chunk-${hashed(index)}.js` : `guides/part-${index % 300}/page-${index}/index.html`, {
      fate: index % 11 === 0 ? "replaced" : "unchanged",
      size: 300 + ((index * 7919) % 60_000),
      headers: { "cache-control": "no-cache" },
    }),
  ).sort((a, b) => (a.key < b.key ? -1 : 1)); // prettier-ignore
  const page = drawReport({ ...reportOf(["a"]), files }, ASSETS);
  expect(page.length).toBeLessThan(3_000_000);
  expect(page.match(/class="cell/g)?.length).toBeLessThan(4000);
});
