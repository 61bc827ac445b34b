import { deliverInFlight, readSetUp, stopAll, type Kind } from "../support/caches.ts";

afterEach(stopAll);

test.each<[string, Kind, boolean]>([
  ["Varnish", "varnish", true],
  ["nginx", "nginx", true],
  ["Squid", "squid", true],
  ["Traffic Server", "trafficserver", true],
  ["Varnish", "varnish", false],
  ["nginx", "nginx", false],
  ["Squid", "squid", false],
  ["Traffic Server", "trafficserver", false],
])("%s as docs/caches.md sets it up (%s, answers vary: %j): nothing old in any form, under no query, and confirmed", async (title, kind, varies) => {
  const { settings, setUp } = readSetUp(title);
  const outcome = await deliverInFlight({ kind, varies, setUp, edge: settings, queries: ["", "?utm_source=letter"] });
  expect(outcome).toEqual({ exit: 0, old: [], owed: [] });
}); // prettier-ignore
