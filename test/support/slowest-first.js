/** Files that take minutes: begun last, one of them would keep a single worker busy while all others are done. */
const SLOWEST = [/real-caches/, /fetches-in-flight/, /documented-caches/, /trips\/invalidation/, /resilience\/fault/, /trips\/(confirmation|policy|stores|verify)/, /hostile\/(answers|build)/, /interleaving/, /resilience/, /e2e\/delivery/, /commands/]; // prettier-ignore

const rankOf = ({ path }) => {
  const rank = SLOWEST.findIndex((name) => name.test(path));
  return rank === -1 ? SLOWEST.length : rank;
};

/** The order of test files; what Jest asks of it besides is answered with as little as will do. */
export default class SlowestFirst {
  sort(tests) {
    return [...tests].sort((a, b) => rankOf(a) - rankOf(b));
  }
  allFailedTests(tests) {
    return tests;
  }
  cacheResults() {
    // Nothing is remembered: the order is always the same.
  }
}
