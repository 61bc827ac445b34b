import type { BucketFacts, Reading } from "../model/bucket.ts";
import type { Policy } from "../model/policy.ts";
import { isSamePolicy, mergePolicy, toReadPolicy, toReadStatements } from "./policies.ts";
import { planProvision, type ProvisionWishes } from "./provision.ts";

const unset: Reading<never> = { state: "unset" };
const NEW: BucketFacts = {
  isThere: false,
  website: unset,
  policy: unset,
  publicBlock: unset,
  versioning: unset,
  tags: unset,
};
const set = <Value>(value: Value): Reading<Value> => ({ state: "set", value });
const unsupported: Reading<never> = { state: "unsupported", answer: "501 NotImplemented" };
const denied: Reading<never> = { state: "denied", answer: "403 AccessDenied" };

const WISHES: ProvisionWishes = {
  bucket: "pelican",
  prefix: "",
  region: "eu-west-1",
  readers: "public",
  distributions: [],
  hasOtherEdges: false,
  website: { index: "index.html", error: "404.html" },
  ownsWebsite: false,
  versioning: false,
  tags: {},
};
const EDGE_ONLY: Partial<ProvisionWishes> = {
  readers: "edge-only",
  distributions: ["D1"],
  website: undefined,
};
const ALL_SHUT = { newLists: true, lists: true, newPolicies: true, policies: true };
const ours = (more: Partial<ProvisionWishes> = {}): Reading<Policy> =>
  set(toReadPolicy({ ...WISHES, ...more }));
const website = set({ index: "index.html", error: "404.html", rules: [] });

const plan = (facts: Partial<BucketFacts>, wishes: Partial<ProvisionWishes> = {}) => {
  const { steps, byHand } = planProvision({ ...NEW, isThere: true, ...facts }, { ...WISHES, ...wishes });
  return [
    steps.map((step) => step.do),
    byHand.map((left) => ("wish" in left ? `${left.code} ${left.wish.kind}` : left.code)),
  ];
};

test.each([
  ["a new bucket for the public", plan({ isThere: false }), ["create-bucket", "set-policy", "set-website"], []],
  ["a new bucket for an edge: its policy comes before the block", plan({ isThere: false }, EDGE_ONLY), ["create-bucket", "set-policy", "set-public-block"], []],
  ["all as it should be", plan({ policy: ours(), website }), [], []],
  ["all as it should be, for an edge", plan({ policy: ours(EDGE_ONLY), publicBlock: set(ALL_SHUT) }, EDGE_ONLY), [], []],
  ["a block in the way of the public", plan({ policy: ours(), website, publicBlock: set(ALL_SHUT) }), ["set-public-block"], []],
  ["another site's documents", plan({ policy: ours(), website: set({ index: "home.html", rules: [] }) }), [], ["others-website website"]],
  ["documents that are ours to change", plan({ policy: ours(), website: set({ index: "home.html", rules: [] }) }, { ownsWebsite: true }), ["set-website"], []],
  ["a store without website endpoints", plan({ policy: ours(), website: unsupported }), [], ["unknown website"]],
  ["a store without policies", plan({ policy: unsupported, website }), [], ["unknown policy"]],
  ["an identity that may not look", plan({ policy: denied, website, publicBlock: denied }), [], ["denied publicBlock", "denied policy"]],
  ["versions and tags that were asked for", plan({ policy: ours(), website, tags: set({ team: "quay" }) }, { versioning: true, tags: { team: "web" } }), ["keep-versions", "set-tags"], []],
  ["versions and tags that are there", plan({ policy: ours(), website, versioning: set(true), tags: set({ team: "web", more: "x" }) }, { versioning: true, tags: { team: "web" } }), [], []],
  ["the edge only, and a cache without an identity", plan({}, { ...EDGE_ONLY, distributions: [], hasOtherEdges: true }), ["set-public-block"], ["other-edge"]],
  ["the edge only, and no edge", plan({}, { ...EDGE_ONLY, distributions: [] }), ["set-public-block"], ["nobody"]],
  ["previews apart, and nobody named", plan({}, { prefix: "live/", previews: "previews/" }), ["set-policy", "set-website"], ["previews-apart"]],
  ["previews apart, and somebody named", plan({}, { prefix: "live/", previews: "previews/", identity: "arn:aws:iam::1:user/ci" }), ["set-policy", "set-website"], []],
])("%s", (_, [steps, byHand], wantedSteps, wantedByHand) => {
  expect([steps, byHand]).toEqual([wantedSteps, wantedByHand]);
}); // prettier-ignore

test("others' statements and tags stay; lists of one, orders and both forms of 'everybody' are the same", () => {
  const theirs = { Sid: "Backup", Effect: "Allow", Principal: { AWS: "arn:x" }, Action: "s3:GetObject", Resource: "r" } as const;
  const stale = { ...toReadStatements({ ...WISHES, prefix: "" })[0], Action: "s3:*" } as const;
  const merged = mergePolicy({ Version: "2012-10-17", Statement: [theirs, stale as never] }, toReadStatements(WISHES));
  expect(merged.Statement.map(({ Sid }) => Sid)).toEqual(["Backup", "ReadTheSite"]);
  const asStored: Policy = {
    ...merged,
    Statement: [...merged.Statement]
      .reverse()
      .map((one) => ({ ...one, Action: [one.Action].flat()[0] ?? "", ...(one.Principal === "*" ? { Principal: { AWS: ["*"] } } : {}) })),
  };
  expect(isSamePolicy(merged, asStored)).toBe(true);
  expect(isSamePolicy(merged, { ...asStored, Statement: asStored.Statement.slice(1) })).toBe(false);
  const tagged = planProvision({ ...NEW, isThere: true, tags: set({ cost: "7" }) }, { ...WISHES, tags: { team: "web" } });
  expect(tagged.steps).toContainEqual(expect.objectContaining({ do: "set-tags", tags: { cost: "7", team: "web" } }));
}); // prettier-ignore

test("destinations that share a bucket have statements of their own, and none opens the tool's part of another", () => {
  const [root, a, b] = ["", "a-b/", "ab/"].map((prefix) => toReadStatements({ ...WISHES, prefix }));
  expect(new Set([root, a, b].map((statements) => statements?.[0]?.Sid)).size).toBe(3);
  expect(root?.[0]?.NotResource).toContain("arn:aws:s3:::pelican/*/.courier/*");
  const known = toReadStatements({ ...WISHES, prefix: "a/", identity: "arn:aws:iam::1:user/ci" });
  expect(known.map(({ Effect }) => Effect)).toEqual(["Allow", "Deny"]);
});
