import { sep } from "node:path";

const near = (process.env.COURIER_NEAR ?? "").split("/");

/** How many folders a test's path shares with the file that was changed. */
const sharedBy = (path) => {
  const parts = path.split(sep);
  const start = parts.lastIndexOf("src");
  return near.filter((part, index) => parts[start + index] === part).length;
};

/** Tests that take long are asked last: others may have noticed by then. */
const isLong = (path) => /interleaving|late|promises/.test(path);

/** The order of test files for a fault: those beside the changed file come first. */
export default class NearestFirst {
  sort(tests) {
    return [...tests].sort(
      (a, b) => Number(isLong(a.path)) - Number(isLong(b.path)) || sharedBy(b.path) - sharedBy(a.path),
    );
  }
  allFailedTests(tests) {
    return tests;
  }
  cacheResults() {
    // Nothing is remembered: the order is always the same.
  }
}
