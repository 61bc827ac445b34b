import type { StoreAction } from "../model/store-action.ts";
import { toDeliveryPolicy } from "./policies.ts";
import { rightFor } from "./rights.ts";

/** What deliveries, ways back and prunes ask of a store. */
const ASKED: readonly StoreAction["do"][] = [
  "list", "look", "read", "write", "copy", "remove", "remove-many", "find-uploads", "list-versions", "read-website", "write-website",
]; // prettier-ignore

test("the printed policy has each right that a delivery is told to lack, and no other", () => {
  const facts = { bucket: "pelican", prefix: "site/", ownsWebsite: true, distributions: [] };
  const given = toDeliveryPolicy(facts).Statement.flatMap(({ Action }) => Action);
  const needed = ASKED.map((name) => rightFor({ do: name, key: "x" } as StoreAction).name);
  expect(needed.filter((right) => !given.includes(right))).toEqual([]);
  // Parts of an upload that is given up are removed with what is listed.
  expect(given.filter((right) => !needed.includes(right))).toEqual(["s3:AbortMultipartUpload"]);
});
