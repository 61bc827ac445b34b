import { toExactInvalidation } from "../../../test/support/edges.ts";
import { listAddresses, type AddressRules } from "../addresses/addresses.ts";
import type { Comparison } from "../compare/compare.ts";
import { vaultKey } from "../model/names.ts";
import type { ListedObject, Parcel } from "../model/parcel.ts";
import type { Role } from "../model/role.ts";
import {
  targetOf,
  type CopyStep,
  type Plan,
  type RemoveStep,
  type SendStep,
  type Step,
  type StepPhase,
} from "../model/plan.ts";
import { findOrderViolations } from "./order.ts";

const parcel = (key: string, role: Role): Parcel => ({
  key, role, hash: "b".repeat(64), storedHash: "b".repeat(64), size: 1, headers: { "content-type": key.endsWith(".html") ? "text/html" : "text/css" },
}); // prettier-ignore
const send = (key: string, role: Role): SendStep => ({
  do: "send",
  parcel: parcel(key, role),
  expected: "absent",
});
const copy = (from: string, to: string): CopyStep => ({
  do: "copy",
  from,
  to,
  storedHash: "a".repeat(64),
  size: 1,
  expected: "absent",
});
const WORKER = parcel("sw.js", "worker");
const SENT_WORKER: SendStep = { ...send("sw.js", "worker"), to: vaultKey(WORKER.storedHash) };
const WRITTEN_WORKER: CopyStep = {
  ...copy(vaultKey(WORKER.storedHash), "sw.js"),
  ...{ storedHash: WORKER.storedHash, role: "worker" },
};
const remove = (key: string): RemoveStep => ({ do: "remove", key, etag: "e", size: 1 });

const OLD = "a".repeat(64);
const replaced = {
  kind: "replaced",
  parcel: parcel("index.html", "entry"),
  reason: { code: "content" },
  standingHash: OLD,
} as const;
const comparison: Comparison = {
  changes: [replaced],
  unchanged: [],
  stale: [
    {
      recorded: { ...parcel("stale.css", "asset"), storedHash: OLD },
      listed: { key: "stale.css", etag: "e", size: 1, modifiedMs: 0 },
      standingHash: "c".repeat(64),
    },
  ],
  unrecorded: [],
  pending: new Set(),
  gone: [],
  foreign: ["theirs.txt"],
  unlooked: [],
  unlabelled: [],
  threatened: [],
};

type Phases = Partial<Record<StepPhase["name"], readonly (readonly Step[])[]>>;
const RIGHT: Phases = {
  keep: [[copy("index.html", vaultKey(OLD)), copy("stale.css", vaultKey("c".repeat(64))), SENT_WORKER]],
  stock: [[send("a-1f2e3d4c.js", "fingerprinted")]],
  switch: [
    [send("site.css", "asset")],
    [send("news.html", "page")],
    [send("index.html", "entry")],
    [remove("old.json")],
  ],
  announce: [[WRITTEN_WORKER]],
};
const RIGHT_PARCELS = Object.values(RIGHT)
  .flat(2)
  .flatMap((step) => (step.do === "send" ? [step.parcel] : []));
const RIGHT_LISTING: ListedObject[] = [{ key: "old.json", etag: "e", size: 1, modifiedMs: 0 }];

const ADDRESSES: AddressRules = { forms: ["file", "folder"], basePath: "/", indexName: "index.html" };
const NAMES = ["keep", "stock", "switch", "announce", "clear"] as const;

/** What else a plan and its facts say: right for its phases, unless a case says otherwise. */
interface Other {
  readonly unmaskings?: readonly string[];
  readonly invalidations?: readonly string[];
  readonly lateInvalidations?: readonly string[];
  readonly owed?: readonly string[];
  readonly parcels?: readonly Parcel[];
  readonly listing?: readonly ListedObject[];
  readonly loaded?: readonly string[];
  readonly edges?: readonly string[];
  /** What a run that died has left as it should be. */
  readonly left?: Parcel;
}

const violationsOf = (phases: Phases, other: Other = {}): string[] => {
  const steps = (name: StepPhase["name"]): Step[] => (phases[name] ?? []).flat();
  const ask = (name: StepPhase["name"], given?: readonly string[]) => {
    const addresses = given ?? steps(name).flatMap((step) => listAddresses(targetOf(step), ADDRESSES));
    return [toExactInvalidation("near", addresses)];
  };
  const rounds = {
    unmaskings: ask("stock", other.unmaskings),
    invalidations: ask("switch", other.invalidations),
    lateInvalidations: ask("announce", other.lateInvalidations),
  };
  const owed = other.owed ?? Object.values(rounds).flatMap(([round]) => round?.addresses ?? []);
  const plan: Plan = {
    release: 2,
    previous: 1,
    ...rounds,
    owed: [{ edge: "near", addresses: owed }],
    phases: NAMES.map((name) => ({
      name,
      groups: (phases[name] ?? []).map((group, i) => ({ name: String(i), steps: group })),
    })),
  };
  const all = NAMES.flatMap(steps);
  const removed = all.filter((step) => step.do === "remove");
  const listing = removed.map(({ key, etag, size }) => ({ key, etag, size, modifiedMs: 0 }));
  const state = { listing: other.listing ?? listing, storeTimeMs: 0 };
  const parcels = other.parcels ?? all.flatMap((step) => (step.do === "send" ? [step.parcel] : []));
  const facts = {
    state,
    comparison: other.left
      ? { ...comparison, unchanged: [other.left], unrecorded: [other.left.key] }
      : comparison,
    keepsPrevious: true,
    loaded: new Set(other.loaded),
    parcels,
    addressRules: ADDRESSES,
    edges: (other.edges ?? ["near"]).map((name) => ({ name })),
  };
  return findOrderViolations(plan, facts).map(({ invariant, key }) => `${invariant} ${key}`);
};

test("a plan in the right order breaks nothing", () => {
  expect(violationsOf(RIGHT)).toEqual([]);
});

test.each<[string, Phases, string, Other?]>([
  ["an overwrite whose content is not kept", { ...RIGHT, keep: [[copy("stale.css", vaultKey("c".repeat(64))), SENT_WORKER]] }, "O1 index.html"],
  ["a page beside the assets", { ...RIGHT, switch: [[send("site.css", "asset"), send("news.html", "page")], [send("index.html", "entry")]] }, "O2 news.html"],
  ["a page that names what a run that died has stocked, and edges may hold as missing", RIGHT, "O2 b-5a6b7c8d.js", { left: parcel("b-5a6b7c8d.js", "fingerprinted") }],
  ["a page after the entry", { ...RIGHT, switch: [[send("index.html", "entry")], [send("news.html", "page")]] }, "O3 news.html"],
  ["a worker in the switch", { ...RIGHT, announce: [], switch: [[send("index.html", "entry")], [WRITTEN_WORKER]] }, "O3 sw.js"],
  ["a parcel that nothing writes", RIGHT, "O4 more.css", { parcels: [...RIGHT_PARCELS, parcel("more.css", "asset")] }],
  [
    "a worker's parcel that only the last phase would write, though it is a page",
    { ...RIGHT, announce: [[WRITTEN_WORKER, { ...copy(vaultKey("b".repeat(64)), "late.json"), storedHash: "b".repeat(64), role: "page" }]] },
    "O4 late.json",
    { parcels: [...RIGHT_PARCELS, parcel("late.json", "page")] },
  ],
  [
    "a worker that would be sent only when the release is recorded, so that it may never be anywhere",
    { ...RIGHT, announce: [[send("sw.js", "worker")]] },
    "O4 sw.js",
    { parcels: RIGHT_PARCELS },
  ],
  ["an address asked for too early", RIGHT, "O5 old.json", { unmaskings: ["/a-1f2e3d4c.js", "/old.json"], invalidations: ["/site.css", "/news.html", "/index.html", "/"] }],
  ["a worker's address asked for before it stands", RIGHT, "O5 sw.js", { invalidations: ["/site.css", "/news.html", "/index.html", "/", "/old.json", "/sw.js"], lateInvalidations: [] }],
  ["an asset pruned in the switch", { ...RIGHT, switch: [...(RIGHT.switch ?? []), [remove("stale.css")]] }, "O6 stale.css"],
  ["a removal of what is no longer as it was", RIGHT, "O8 old.json", { listing: [{ key: "old.json", etag: "other", size: 1, modifiedMs: 0 }] }],
  ["a new name under which something stands", RIGHT, "O8 sw.js", { listing: [...RIGHT_LISTING, { key: "sw.js", etag: "x", size: 1, modifiedMs: 0 }] }],
  ["an address that is not written down", RIGHT, "O9 /old.json", { owed: ["/a-1f2e3d4c.js", "/site.css", "/news.html", "/index.html", "/", "/sw.js"] }],
  ["a write to a foreign object", { ...RIGHT, clear: [[remove("theirs.txt")]] }, "O7 theirs.txt"],
  ["a write to our own records", { ...RIGHT, stock: [[send(".courier/current.json", "document")]] }, "O7 .courier/current.json"],
  ["a copy of what was just written", { ...RIGHT, announce: [[WRITTEN_WORKER, copy("site.css", "other.css")]] }, "copy-source site.css"],
])("%s breaks just its invariant", (...[, phases, violation, other]) => {
  expect(violationsOf(phases, other)).toEqual([violation]);
}); // prettier-ignore

test("each edge is asked for each address: what another is asked for counts for nothing", () => {
  const violations = violationsOf(RIGHT, { edges: ["near", "far"] });
  expect(violations.every((one) => one.startsWith("O5 "))).toBe(true);
  expect(violations).toEqual(expect.arrayContaining(["O5 a-1f2e3d4c.js", "O5 index.html", "O5 sw.js"]));
});
