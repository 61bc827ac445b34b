import type { Comparison } from "./compare.ts";
import { vaultKey } from "./model/names.ts";
import type { Parcel, Role } from "./model/parcel.ts";
import type { CopyStep, Plan, RemoveStep, SendStep, Step, StepPhase } from "./model/plan.ts";
import { findOrderViolations } from "./order.ts";

const parcel = (key: string, role: Role): Parcel => ({
  key, role, hash: "b".repeat(64), storedHash: "b".repeat(64), size: 1, headers: { "content-type": key.endsWith(".html") ? "text/html" : "text/css" },
}); // prettier-ignore
const send = (key: string, role: Role): SendStep => ({
  do: "send",
  parcel: parcel(key, role),
  expected: "absent",
  reason: "",
});
const copy = (from: string, to: string): CopyStep => ({
  do: "copy",
  from,
  to,
  storedHash: "a".repeat(64),
  size: 1,
  expected: "absent",
  reason: "",
});
const remove = (key: string): RemoveStep => ({ do: "remove", key, etag: "e", size: 1, reason: "" });

const OLD = "a".repeat(64);
const replaced = {
  kind: "replaced",
  parcel: parcel("index.html", "entry"),
  reason: "",
  standingHash: OLD,
} as const;
const comparison: Comparison = {
  changes: [replaced],
  unchanged: [],
  stale: [],
  unrecorded: [],
  pending: new Set(),
  gone: [],
  foreign: ["theirs.txt"],
  unprobed: [],
};

type Phases = Partial<Record<StepPhase["name"], readonly (readonly Step[])[]>>;
const RIGHT: Phases = {
  keep: [[copy("index.html", vaultKey(OLD))]],
  stock: [[send("a-1f2e3d4c.js", "fingerprinted")]],
  switch: [
    [send("site.css", "asset")],
    [send("news.html", "page")],
    [send("index.html", "entry")],
    [remove("old.json")],
  ],
  announce: [[send("sw.js", "worker")]],
};
const violationsOf = (phases: Phases): string[] => {
  const names = ["keep", "stock", "switch", "announce", "clear"] as const;
  const plan: Plan = {
    release: 2, previous: 1, unmaskings: [], invalidations: [], lateInvalidations: [],
    phases: names.map((name) => ({ name, groups: (phases[name] ?? []).map((steps, i) => ({ name: String(i), steps })) })),
  }; // prettier-ignore
  const state = { listing: [], storeTimeMs: 0 };
  return findOrderViolations(plan, { state, comparison, keepsPrevious: true }).map(
    ({ invariant, key }) => `${invariant} ${key}`,
  );
};

test("a plan in the right order breaks nothing", () => {
  expect(violationsOf(RIGHT)).toEqual([]);
});

test.each<[string, Phases, string]>([
  ["an overwrite whose content is not kept", { ...RIGHT, keep: [] }, "O1 index.html"],
  [
    "a page beside the assets",
    {
      ...RIGHT,
      switch: [[send("site.css", "asset"), send("news.html", "page")], [send("index.html", "entry")]],
    },
    "O2 news.html",
  ],
  [
    "a page after the entry",
    { ...RIGHT, switch: [[send("index.html", "entry")], [send("news.html", "page")]] },
    "O3 news.html",
  ],
  [
    "a worker in the switch",
    { ...RIGHT, announce: [], switch: [[send("index.html", "entry")], [send("sw.js", "worker")]] },
    "O3 sw.js",
  ],
  ["a write to a foreign object", { ...RIGHT, clear: [[remove("theirs.txt")]] }, "O7 theirs.txt"],
  [
    "a write to our own records",
    { ...RIGHT, stock: [[send(".courier/current.json", "document")]] },
    "O7 .courier/current.json",
  ],
  [
    "a copy of what was just written",
    { ...RIGHT, announce: [[copy("site.css", "other.css")]] },
    "copy-source site.css",
  ],
])("%s breaks just its invariant", (_, phases, violation) => {
  expect(violationsOf(phases)).toEqual([violation]);
});
