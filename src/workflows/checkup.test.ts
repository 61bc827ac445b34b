import { createHash } from "node:crypto";
import { around } from "../../test/support/around.ts";
import { OPTIONS, site, Stage } from "../../test/support/stage.ts";
import { isStateKey } from "../core/model/names.ts";
import type { VisitorAnswer } from "../core/model/visitor-answer.ts";
import { StoreError } from "../ports/object-store.ts";
import { checkUp, type CheckupOptions } from "./checkup.ts";
import { deliver } from "./deliver.ts";

interface Circumstances {
  readonly dryRun?: boolean;
  readonly url?: string | undefined;
  /** Whether the site's name leads anywhere. */
  readonly isNamed?: boolean;
  /** Whether anybody answers. */
  readonly isUp?: boolean;
  /** What the store answers to a list. */
  readonly refuses?: StoreError["kind"];
  readonly isBuilt?: boolean;
}

/** A checkup of a site that is read right out of its store. @returns links and their states, and how many objects were written or removed */
async function look({ dryRun = false, isNamed = true, isUp = true, refuses, isBuilt = true, ...more }: Circumstances) {
  const { url } = { url: "http://pelicansound.example/", ...more };
  const stage = new Stage();
  await deliver(stage.delivery(site("one")), OPTIONS);
  const store = around(stage.store, {
    isPublic: (key) => Promise.resolve(!isStateKey(key)),
    ...(refuses && { list: () => { throw new StoreError(refuses, "no", { action: { do: "list" }, status: 403 }); } }),
  });
  const ask = async (address: string): Promise<VisitorAnswer | undefined> => {
    if (!isUp) return undefined;
    const path = address.slice(1).replace(/\?.*/, "");
    const text = isStateKey(path) ? undefined : await stage.text(path === "" || path.endsWith("/") ? `${path}index.html` : path);
    if (text === undefined) return { status: 404, headers: {}, hash: "x", size: 1 };
    return { status: 200, headers: {}, hash: createHash("sha256").update(text).digest("hex"), size: text.length };
  };
  stage.between = () => store;
  const { run, place } = stage.delivery();
  const options: CheckupOptions = {
    ...{ source: "the environment", dryRun, said: [], onStage: () => undefined, bucket: undefined, distribution: undefined },
    build: { folder: "dist", isThere: isBuilt },
    access: { readers: "public", distributions: [], identity: undefined },
    addresses: [], network: { findProxy: () => undefined, lookUp: () => Promise.resolve(isNamed ? { addresses: ["127.0.0.1"] } : { code: "ENOTFOUND" }), readCertificate: () => Promise.resolve({ code: "ECONNREFUSED" }) },
  };
  const traced = stage.store.trace.length;
  const visitors = { ask, close: () => undefined };
  const { links } = await checkUp({ run: { ...run, clock: { ...run.clock, now: () => new Date(stage.nowMs) } }, place: { ...place, visitors, siteRules: { ...place.siteRules, ...(url !== undefined && { url }) } } }, options);
  const writes = stage.store.trace.slice(traced).filter((line) => !/^(get|head|list)/.test(line));
  expect(await stage.keys("courier-probe")).toEqual([]);
  const names = links.map(({ link, state }) => (state === "good" ? link : `${link}: ${state}`));
  return { links: names.join(", "), written: new Set(writes.map((line) => line.replace(/run-\d+/, "…"))).size };
} // prettier-ignore

const OUTSIDE = "name, certificate: not-tried, edge";
test.each<[string, Circumstances, string, number]>([
  ["all is well", {}, `build, credentials, store, clock, bucket, rights, conditions, records, ${OUTSIDE}, reading, folders, missing pages, root document, forgetting: not-tried`, 8],
  ["a dry run only asks", { dryRun: true }, `build, credentials, store, clock, bucket, ${OUTSIDE}, reading: not-tried, missing pages, root document, forgetting: not-tried`, 0],
  ["nobody answers", { isUp: false }, `build, credentials, store, clock, bucket, rights, conditions, records, ${OUTSIDE}: broken, forgetting: not-tried`, 4],
  ["a name that leads nowhere has said it already", { isNamed: false, isUp: false, url: "https://pelicansound.example/" }, "build, credentials, store, clock, bucket, rights, conditions, records, name: broken, edge: not-tried, forgetting: not-tried", 4],
  ["a name whose server does not answer", { isUp: false, url: "https://pelicansound.example/" }, "build, credentials, store, clock, bucket, rights, conditions, records, name, certificate: broken, edge: not-tried, forgetting: not-tried", 4],
  ["no address is known", { url: undefined }, "build, credentials, store, clock, bucket, rights, conditions, records, edge: note, forgetting: not-tried", 4],
  ["nothing is built", { isBuilt: false, dryRun: true }, `build: note, credentials, store, clock, bucket, ${OUTSIDE}, reading: not-tried, missing pages, root document, forgetting: not-tried`, 0],
  ["without the right to list all else is tried", { refuses: "denied" }, `build, credentials, store, clock: not-tried, bucket, rights: broken, rights, conditions, records, ${OUTSIDE}, reading, folders, missing pages, root document, forgetting: not-tried`, 8],
  ["a store that can't be reached", { refuses: "unreachable" }, `build, credentials: not-tried, store: broken, ${OUTSIDE}, reading: not-tried, missing pages, forgetting: not-tried`, 0],
])("%s", async (_, circumstances, links, written) => {
  expect(await look(circumstances)).toEqual({ links, written });
}); // prettier-ignore
