import { deliverInFlight, EIGHT, stopAll, type Kind } from "../support/caches.ts";
import { isSoak } from "../support/seeds.ts";

afterEach(stopAll);

const SAID = `, encodings: ${JSON.stringify(EIGHT)}`;
const CASES: [Kind, NodeJS.ProcessEnv, boolean, string, number][] = [
  ["varnish", {}, false, "", 0],
  ["varnish", {}, true, "", 0],
  ["varnish", { VARNISH_GZIP: "off", VARNISH_PURGE: "stock" }, true, "", 0],
  ["nginx", {}, false, "", 0],
  ["nginx", {}, true, "", 5],
  ["nginx", {}, true, SAID, 0],
  ["nginx", { NGINX_AE: "key" }, true, "", 0],
  ["squid", {}, false, "", 0],
  ["squid", {}, true, "", 5],
  ["squid", {}, true, SAID, 0],
  ["trafficserver", {}, false, "", 0],
  ["trafficserver", {}, true, "", 0],
  ["trafficserver", { ATS_NORMALIZE_AE: "0" }, true, "", 0],
];
// Where answers don't vary, by day the caches as they are printed say enough (printed-caches).
test.each(CASES.filter(([, , varies]) => varies || isSoak))("%s %j, answers vary: %j%s: warm in eight forms, with a fetch under way: never old and confirmed", async (kind, environment, varies, edge, expected) => {
  const { exit, old, owed } = await deliverInFlight({ kind, environment, varies, edge: `query: ignored${edge}` });
  const seen = `${kind} ${JSON.stringify(environment)} varies ${varies}${edge === "" ? "" : ", forms said"}: exit ${exit}, old ${old.length}, owed ${owed.length}`;
  if (process.env.COURIER_FLIGHT !== undefined) process.stderr.write(`${seen}\n`);
  expect([seen, exit, old.filter((address) => exit === 0 || !owed.includes(address))]).toEqual([seen, expected, []]);
}); // prettier-ignore
