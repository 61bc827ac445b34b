import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { around } from "../../test/support/around.ts";
import { memoryDelivery } from "../../test/support/memory-build.ts";
import { isStateKey } from "../core/model/names.ts";
import type { PublicBlock, Reading } from "../core/model/bucket.ts";
import type { ProvisionWishes } from "../core/bucket/provision.ts";
import { toReadPolicy } from "../core/bucket/policies.ts";
import { StoreError } from "../ports/object-store.ts";
import type { Bucket } from "../ports/bucket.ts";
import type { DistributionWishes } from "../core/distribution/plan.ts";
import type { DistributionFacts } from "../core/model/distribution.ts";
import { ControlError, type DistributionControl } from "../ports/distribution.ts";
import type { EdgeToProvision } from "./provision-edge.ts";
import { provision } from "./provision.ts";

const WISHES: ProvisionWishes = {
  ...{ bucket: "pelican", prefix: "", region: "eu-west-1", readers: "public", distributions: [] },
  ...{ hasOtherEdges: false, ownsWebsite: false, versioning: true, tags: { team: "quay" } },
  website: { index: "index.html", error: "404.html" },
};
const FOR_THE_EDGE = { readers: "edge-only", distributions: ["D1"], website: undefined } as const;

/** What a bucket of a test is like besides an empty one that takes everything. */
interface Habits {
  /** Settings that are taken, and are not there afterwards. */
  readonly loses?: keyof Bucket;
  /** Settings that are refused, and how. */
  readonly refuses?: Readonly<Partial<Record<keyof Bucket, StoreError["kind"]>>>;
  /** Who gets what, whatever the policy says. */
  readonly isOpen?: (key: string) => boolean;
  readonly isThere?: boolean;
}

/** A bucket with a store in it; every change is noted. */
function openBucket({ loses, refuses = {}, isOpen, isThere = false }: Habits = {}) {
  const settings = new Map<string, unknown>();
  const changes: string[] = [];
  const tell = <Value>(name: string): Promise<Reading<Value>> =>
    Promise.resolve(
      settings.has(name) ? { state: "set", value: settings.get(name) as Value } : { state: "unset" },
    );
  const change = (call: keyof Bucket, name: string, value: unknown): Promise<void> => {
    const kind = refuses[call];
    if (kind !== undefined)
      return Promise.reject(new StoreError(kind, "no", { action: { do: "write-policy" }, status: 400, code: "Refused" })); // prettier-ignore
    changes.push(value === undefined ? `no ${name}` : name);
    if (value === undefined) settings.delete(name);
    else if (loses !== call) settings.set(name, value);
    return Promise.resolve();
  };
  if (isThere) settings.set("bucket", true);
  const bucket: Bucket = {
    isThere: () => Promise.resolve(settings.has("bucket")),
    create: () => change("create", "bucket", true),
    readWebsite: () => tell("website"),
    writeWebsite: (website) => change("writeWebsite", "website", website),
    readPolicy: () => tell("policy"),
    writePolicy: (policy) => change("writePolicy", "policy", policy),
    readPublicBlock: () => tell<PublicBlock>("block"),
    writePublicBlock: (block) => change("writePublicBlock", "block", block),
    readVersioning: () => tell("versions"),
    keepVersions: () => change("keepVersions", "versions", true),
    readTags: () => tell("tags"),
    writeTags: (tags) => change("writeTags", "tags", tags),
    close: () => undefined,
  };
  const isLetIn = (key: string): boolean =>
    JSON.stringify(settings.get("policy") ?? "").includes('"Principal":"*","Action"') && !isStateKey(key);
  const memory = new MemoryStore();
  const store = around(memory, { isPublic: (key) => Promise.resolve((isOpen ?? isLetIn)(key)) });
  return { bucket, store, memory, settings, changes };
}

type Opened = ReturnType<typeof openBucket>;

/** Time passes only where the run sleeps. */
const ofRun = (store: Opened["store"]) => {
  let nowMs = 0;
  const clock = { now: () => new Date(nowMs), monotonicMs: () => nowMs, sleep: (ms: number) => Promise.resolve(void (nowMs += ms)), every: () => () => undefined, random: () => 0 }; // prettier-ignore
  return memoryDelivery({ files: {}, store, clock });
};
const run = (
  { bucket, store }: Opened,
  wishes: Partial<ProvisionWishes> = {},
  dryRun = false,
  edge?: EdgeToProvision,
) => provision(ofRun(store), bucket, { wishes: { ...WISHES, ...wishes }, dryRun, edge });

test("a new bucket is made ready and tried; again, nothing is changed; a dry run changes nothing at all", async () => {
  const opened = openBucket();
  const planned = await run(opened, {}, true);
  expect([opened.changes, planned.checked]).toEqual([[], []]);
  const done = await run(opened);
  expect(opened.changes).toEqual(["bucket", "policy", "website", "versions", "tags"]);
  expect([done.steps, done.byHand]).toEqual([planned.steps, []]);
  expect(done.checked).not.toEqual([]);
  const again = await run(opened);
  expect([again.steps, opened.changes.length]).toEqual([[], 5]);
  expect(again.checked).not.toEqual([]);
  // Nothing of the tries is left.
  expect([...opened.memory.trace].filter((line) => line.startsWith("put")).length).toBeGreaterThan(0);
  for await (const { objects } of opened.memory.list()) expect(objects).toEqual([]);
});

test("for an edge alone everything else is shut, and the policy comes first", async () => {
  const opened = openBucket({ isThere: true });
  await run(opened, { ...FOR_THE_EDGE, versioning: false, tags: {} });
  expect(opened.changes).toEqual(["policy", "block"]);
});

test.each<[string, Habits, Partial<ProvisionWishes>, string]>([
  ["a policy under which records are open", { isOpen: () => true }, {}, "records-open"],
  ["a policy that lets nobody in", { isOpen: () => false }, {}, "public-shut"],
  ["a policy that lets everybody in where it is for the edge", { isOpen: (key) => !isStateKey(key) }, FOR_THE_EDGE, "edge-only-open"], // prettier-ignore
])("%s is taken back, and the one before stands", async (_, habits, wishes, code) => {
  const opened = openBucket({ ...habits, isThere: true });
  const before = { Version: "2012-10-17", Statement: [] };
  opened.settings.set("policy", before);
  await expect(run(opened, wishes)).rejects.toMatchObject({ code: "policy-taken-back", data: { wrong: { code } } }); // prettier-ignore
  expect([opened.settings.get("policy"), opened.changes]).toEqual([before, ["policy", "policy"]]);
});

test("a block that shuts out more than the public is taken back and left to a person", async () => {
  let asked = 0;
  // Right under the policy; not under the block that comes after it.
  const opened = openBucket({ isThere: true, isOpen: () => asked++ >= 2 });
  opened.settings.set("policy", toReadPolicy({ ...WISHES, ...FOR_THE_EDGE }));
  asked = 2;
  const { byHand, steps } = await run(opened, { ...FOR_THE_EDGE, versioning: false, tags: {} });
  expect([steps, byHand.length, opened.changes]).toEqual([[], 1, ["block", "block"]]);
  expect(opened.settings.get("block")).toEqual({ newLists: false, lists: false, newPolicies: false, policies: false }); // prettier-ignore
});

test("what the store does not know is left to a person; a policy that is refused ends the run", async () => {
  const opened = openBucket({ isThere: true, refuses: { keepVersions: "unsupported", writeTags: "other" } });
  const { byHand } = await run(opened);
  expect(byHand).toHaveLength(2);
  expect(opened.changes).toEqual(["policy", "website"]);
  // Again there is nothing to do but by hand, and that may be just what decides who reads.
  expect(await run(opened)).toMatchObject({ steps: [], checked: [] });
  const refused = openBucket({ isThere: true, refuses: { writePolicy: "denied" } });
  await expect(run(refused)).rejects.toMatchObject({ kind: "denied" });
});

test.each<keyof Bucket>(["writeWebsite", "keepVersions", "writeTags"])(
  "a change that is gone afterwards is told: %s",
  async (loses) => {
    const lost = run(openBucket({ loses }));
    await expect(lost).rejects.toMatchObject({ code: "provision-lost", data: { steps: [expect.anything()] } }); // prettier-ignore
  },
);

test("a bucket that needs nothing and is read otherwise than it should be is told", async () => {
  const opened = openBucket();
  await run(opened);
  const wrong = { ...opened, store: around(opened.memory, { isPublic: () => Promise.resolve(false) }) };
  await expect(run(wrong)).rejects.toMatchObject({ code: "provision-wrong", data: { wrong: { code: "public-shut" } } }); // prettier-ignore
});

test("a probe that is not there when it has been written is told, and nothing of it is left", async () => {
  const opened = openBucket({ isThere: true });
  const blind = { ...opened, store: around(opened.memory, { head: () => Promise.resolve(undefined) }) };
  await expect(run(blind)).rejects.toMatchObject({ data: { wrong: { code: "not-found" } } });
  for await (const { objects } of opened.memory.list()) expect(objects).toEqual([]);
});

test("a person who says no changes nothing", async () => {
  const { bucket, store, changes } = openBucket();
  const options = { wishes: WISHES, dryRun: false, confirm: () => Promise.reject(new Error("no")) };
  await expect(provision(ofRun(store), bucket, options)).rejects.toThrow("no");
  expect(changes).toEqual([]);
});

const SIGNED = {
  host: "pelican.s3.eu-west-1.amazonaws.com",
  path: "",
  access: "signed",
  protocol: "https",
} as const;
const OF_EDGE: DistributionWishes = {
  ...{ origin: SIGNED, sameHosts: [], rootDocument: "index.html", missing: { page: "/404.html", as: 404 } },
  ...{ missingFiles: { page: "/404.html", as: 404 }, means: {} },
  ...{ isWhole: true, https: true, ignoresQuery: true, minimumSeconds: 0, names: [], certificateRegion: "r" },
}; // prettier-ignore

/** A distribution that notes in the bucket's list what is done to it, and is deployed at its second look. */
function openEdge({ changes }: Pick<Opened, "changes">, { id = "", looks = 2, more = {} }: EdgeHabits = {}) {
  let [standing, left]: [DistributionFacts | undefined, number] = [undefined, 0];
  const show = (): DistributionFacts => ({ ...(standing as DistributionFacts), isDeployed: left <= 0 });
  const control: DistributionControl = {
    read: () => {
      left -= 1;
      if (standing && left === 0) changes.push("deployed");
      return Promise.resolve(standing && show());
    },
    find: () => Promise.resolve(standing?.id),
    make: (setup) => {
      changes.push("made");
      [standing, left] = [{ ...setup, id: "D1", domain: "d1", isDeployed: false }, looks];
      return Promise.resolve(show());
    },
    change: (_, changed) => {
      changes.push(`edge ${Object.keys(changed).join(" ")}`);
      [standing, left] = [{ ...(standing as DistributionFacts), ...changed }, looks];
      return Promise.resolve(show());
    },
    listCertificates: () => Promise.resolve({ state: "unset" }),
    close: () => undefined,
    ...more,
  };
  const settings = { file: "courier.yaml", names: ["id"], write: ({ id: known }: { id: string }) => void changes.push(`written ${known}`) };
  const edge: EdgeToProvision = { ...{ control, id, wishes: OF_EDGE, mark: "m", settings, deployedWithin: 60 }, onWait: () => undefined };
  const stand = (facts: Partial<DistributionFacts>): void => {
    standing = { ...(standing as DistributionFacts), ...facts };
    changes.length = 0;
  };
  return { edge, stand };
} // prettier-ignore

interface EdgeHabits {
  readonly id?: string;
  readonly looks?: number;
  readonly more?: Partial<DistributionControl>;
}

const NO_MORE = { versioning: false, tags: {} } as const;

test("a distribution is made once there is a bucket, written down at once, let in, and waited for", async () => {
  const opened = openBucket();
  const { edge } = openEdge(opened);
  const wishes = { ...FOR_THE_EDGE, ...NO_MORE, distributions: [""] };
  const planned = await run(opened, wishes, true, edge);
  expect([opened.changes, planned.distribution]).toEqual([[], undefined]);
  const done = await run(opened, wishes, false, edge);
  expect(opened.changes).toEqual(["bucket", "made", "written D1", "policy", "block", "deployed"]);
  expect(JSON.stringify(opened.settings.get("policy"))).toContain("distribution/D1");
  expect(done.distribution).toEqual({ id: "D1", domain: "d1", deployed: true });
  expect(done.steps.map((step) => step.do)).toEqual(planned.steps.map((step) => step.do));
}); // prettier-ignore

test("others are shut out only when no place reads as they do; whoever is to read is let in before", async () => {
  const opened = openBucket({ isThere: true });
  const { edge, stand } = openEdge(opened);
  await run(opened, { ...FOR_THE_EDGE, ...NO_MORE, distributions: [""] }, false, edge);
  opened.settings.delete("block");
  opened.settings.set("policy", toReadPolicy({ ...WISHES, readers: "public" }));
  stand({ origin: { ...SIGNED, access: "plain" } });
  const named = { ...edge, id: "D1", settings: { ...edge.settings, names: [] } };
  await run(opened, { ...FOR_THE_EDGE, ...NO_MORE }, false, named);
  expect(opened.changes).toEqual(["edge origin", "deployed", "policy", "block"]);
  const website = { host: "w", path: "", access: "plain", protocol: "http" } as const;
  opened.changes.length = 0;
  await run(opened, { ...NO_MORE, distributions: ["D1"] }, false, { ...named, wishes: { ...OF_EDGE, origin: website } });
  expect(opened.changes).toEqual(["block", "policy", "website", "edge origin", "deployed"]);
}); // prettier-ignore

test("what can't be written down is left to a person; what takes too long, or was changed meanwhile, is told", async () => {
  const wishes = { ...FOR_THE_EDGE, ...NO_MORE, distributions: [""] };
  const opened = openBucket({ isThere: true });
  const { edge, stand } = openEdge(opened);
  const unwritten = { ...edge, settings: { ...edge.settings, write: () => ({ why: "no", lines: ["id: D1"] }) } };
  expect((await run(opened, wishes, false, unwritten)).byHand).toEqual([expect.objectContaining({ what: "write into courier.yaml: id: D1" })]);
  const slow = openBucket({ isThere: true });
  await expect(run(slow, wishes, false, openEdge(slow, { looks: 1e6 }).edge)).rejects.toMatchObject({ code: "distribution-undeployed", data: { id: "D1", seconds: 60 } });
  stand({ compresses: false });
  const change = () => Promise.reject(new ControlError("change-distribution", { kind: "changed" }));
  await expect(run(opened, wishes, false, { ...edge, id: "D1", control: { ...edge.control, change } })).rejects.toMatchObject({ code: "distribution-changed" });
  const none = openBucket({ isThere: true });
  await expect(run(none, wishes, false, openEdge(none, { id: "D0" }).edge)).rejects.toMatchObject({ code: "distribution-unknown", data: { id: "D0" } });
}); // prettier-ignore
