import { broken, good, note, notTried, type Link } from "../core/diagnosis/checkup/link.ts";
import { PROBE_HEADERS, toProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import { toCheckupResult, type CheckupResult } from "../results/checkup.ts";
import { judgeFirstLook, judgeWebsite, type StoreFailure } from "../core/diagnosis/checkup/store-links.ts";
import {
  judgeCertificate,
  judgeFolders,
  judgeMissing,
  judgeName,
  judgeReading,
  judgeRoot,
} from "../core/diagnosis/checkup/visitor-links.ts";
import { isSamePolicy, mergePolicy, toReadStatements } from "../core/bucket/policies.ts";
import {
  judgeHabitsOf,
  toProbe,
  tryForgetting,
  watchHabits,
  type EdgeOnTrial,
  type EdgeTools,
} from "../perform/try-edges.ts";
import { tryStore } from "../perform/try-store.ts";
import type { EdgeWait } from "../core/model/edge.ts";
import type { Sha256 } from "../core/model/names.ts";
import type { Bucket } from "../ports/bucket.ts";
import type { Network } from "../ports/network.ts";
import { StoreError } from "../ports/object-store.ts";
import type { Delivery } from "./delivery.ts";

export interface CheckupOptions {
  /** Where credentials were found, in words. */
  readonly source: string;
  /** The build's folder, and whether anything is there. */
  readonly build: { readonly folder: string; readonly isThere: boolean } | undefined;
  /** Absent: the store is a folder. */
  readonly bucket: Bucket | undefined;
  readonly network: Network;
  /** Asks only, and writes no probe. */
  readonly dryRun: boolean;
  /** Is told what is being tried. */
  readonly onStage: (stage: CheckupStage) => void;
}

/** What is being tried. */
export type CheckupStage =
  | { readonly code: "store" | "work" }
  | { readonly code: "visitors"; readonly host: string }
  | { readonly code: "edge"; readonly wait: EdgeWait };

/**
 * Tries the whole chain, from the settings to what a visitor gets, link by link, and goes on past a failure where that
 * can tell more. Small objects of its own come and go: below `courier-probe-…/`, and one in the tool's own part.
 */
export async function checkUp(delivery: Delivery, options: CheckupOptions): Promise<CheckupResult> {
  const { target } = delivery;
  const links: Link[] = options.build ? [judgeBuild(options.build)] : [];
  options.onStage({ code: "store" });
  const first = await lookFirst(delivery, options.source);
  links.push(...first.links);
  const keys = toProbeKeys(delivery.run, target.addresses.indexName);
  const canTry = first.isReached && !options.dryRun;
  let canWrite = false;
  if (canTry) {
    options.onStage({ code: "work" });
    const isServed = async (hash: Sha256): Promise<boolean | undefined> => {
      const answer = await delivery.site?.ask(target.addresses.basePath + keys.own);
      return answer && answer.status === 200 && answer.hash === hash;
    };
    const { run, store } = delivery;
    const trial = await tryStore(store, { run, keys, isServed, url: target.url ?? "" });
    links.push(...trial.links);
    ({ canWrite } = trial);
  }
  if (first.isReached && options.bucket)
    links.push(judgeWebsite(await options.bucket.readWebsite(), toWantedWebsite(delivery)));
  links.push(...(await lookFromOutside(delivery, { ...options, canWrite, isReached: first.isReached })));
  return toCheckupResult(target, links);
}

function judgeBuild({ folder, isThere }: NonNullable<CheckupOptions["build"]>): Link {
  const asked = { code: "folder", folder } as const;
  return isThere
    ? good("build", asked, { code: "there" })
    : note("build", { asked, found: { code: "nothing" }, cause: "no-build", names: { folder } });
}

/** One list of the bucket tells of credentials, endpoint, clock, name, region and the right to list. */
async function lookFirst(
  { store, clock }: Delivery,
  source: string,
): Promise<{ readonly links: Link[]; readonly isReached: boolean }> {
  const { endpoint, bucket } = store.location;
  let skewMs: number | undefined;
  let failure: StoreFailure | undefined;
  try {
    for await (const { storeTimeMs } of store.list(".courier/hold.json")) {
      skewMs = storeTimeMs === undefined ? undefined : clock.now().getTime() - storeTimeMs;
      break;
    }
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    failure = { kind: error.kind, ...error.facts };
  }
  const links = judgeFirstLook({ endpoint, bucket, source, skewMs }, failure);
  // Without the right to list, everything else can still be tried.
  return { links, isReached: failure === undefined || failure.kind === "denied" };
}

const toWantedWebsite = ({ target }: Delivery): { readonly index: string } | undefined =>
  target.serves === "website" ? { index: target.addresses.indexName } : undefined;

type OutsideFacts = CheckupOptions & { readonly canWrite: boolean; readonly isReached: boolean };

async function lookFromOutside(delivery: Delivery, facts: OutsideFacts): Promise<Link[]> {
  const { target, site } = delivery;
  const tools = toEdgeTools(delivery, facts);
  if (target.url === undefined || !site) {
    const names = { destination: target.destination };
    const fault = { asked: { code: "url" }, found: { code: "none" }, cause: "no-url", names } as const;
    return [note("edge", fault), ...(await tryRight(delivery, tools, facts))];
  }
  const url = new URL(target.url);
  facts.onStage({ code: "visitors", host: url.host });
  const way = await lookAtWay(url, facts, delivery.clock.now().getTime());
  const answer = await site.ask(target.addresses.basePath);
  const asked = { code: "address", address: target.url } as const;
  if (answer) {
    const links = [...way, good("edge", asked, { code: "status", status: answer.status })];
    return [...links, ...(await lookBehind(delivery, tools, facts))];
  }
  const names = { host: url.host, code: "no answer" };
  const fault = { asked, found: { code: "no-answer" }, cause: "nobody-answers", names } as const;
  // A name that leads nowhere, or a certificate that is refused, has said it already.
  const isTold = way.some(({ state }) => state === "broken");
  const edge = isTold ? notTried("edge", { code: "told-above" }) : broken("edge", fault);
  return [...way, edge, ...(await tryRight(delivery, tools, facts))];
}

/** Where no probe tells what an edge holds, whether it takes an invalidation can still be told. */
const tryRight = async (delivery: Delivery, tools: EdgeTools, { dryRun }: OutsideFacts): Promise<Link[]> =>
  dryRun ? [notTried("forgetting", { code: "dry-run" })] : tryEdges(delivery, tools, undefined);

function toEdgeTools({ target, store, clock, run, site }: Delivery, { onStage }: OutsideFacts): EdgeTools {
  const { basePath, indexName } = target.addresses;
  return {
    ...{ store, clock, run },
    keys: toProbeKeys(run, indexName),
    ask: (address) => site?.ask(address) ?? Promise.resolve(undefined),
    addressOf: (key) => basePath + key,
    onWait: (wait) => {
      onStage({ code: "edge", wait });
    },
  };
}

async function lookAtWay(url: URL, { network }: OutsideFacts, nowMs: number): Promise<Link[]> {
  const { hostname: host } = url;
  const name = judgeName(host, await network.lookUp(host));
  if (url.protocol !== "https:") return [name, notTried("certificate", { code: "plain-http" })];
  if (name.state === "broken") return [name];
  const look = await network.readCertificate(host, Number(url.port || 443));
  return [name, judgeCertificate(host, look, nowMs)];
}

/** What the edge does with what stands in the store. */
async function lookBehind(delivery: Delivery, tools: EdgeTools, facts: OutsideFacts): Promise<Link[]> {
  const { target, store, run } = delivery;
  const forget = (): Promise<Link[]> => tryRight(delivery, tools, facts);
  const { keys, ask, addressOf } = tools;
  const missing = addressOf(keys.nothing);
  const links = [
    judgeMissing(await ask(missing), { address: missing, clientRoutes: target.clientRoutes }),
    ...(facts.isReached ? [await lookAtRoot(delivery, ask)] : []),
  ];
  if (!facts.canWrite) return [...links, notTried("reading", { code: "no-probe" }), ...(await forget())];
  try {
    const late = await ask(addressOf(keys.late));
    const page = toProbe(run, 1);
    await store.put(keys.page, page, PROBE_HEADERS.page);
    const reading = await lookAtReading(delivery, tools, facts);
    links.push(reading);
    if (reading.state !== "good") return [...links, ...(await forget())];
    const { serves } = target;
    const folder = addressOf(keys.folder);
    links.push(judgeFolders(await ask(folder), { address: folder, hash: page.hash, serves }));
    return [...links, ...(await tryEdges(delivery, tools, late))];
  } finally {
    await store.remove([keys.page, keys.zero, keys.late]).catch(() => undefined);
  }
}

async function lookAtRoot({ target, store }: Delivery, ask: EdgeTools["ask"]): Promise<Link> {
  const { basePath: path } = target.addresses;
  const { entry } = target;
  const isDelivered = (await store.head(entry).catch(() => undefined)) !== undefined;
  return judgeRoot(isDelivered ? await ask(path) : undefined, { path, entry, isDelivered });
}

async function lookAtReading(
  { target, store, run }: Delivery,
  { ask, addressOf, keys }: EdgeTools,
  { bucket }: OutsideFacts,
): Promise<Link> {
  const { readers, distributions } = target;
  const { bucket: name, prefix, endpoint } = store.location;
  const address = addressOf(keys.page);
  const answer = await ask(address);
  const { hash } = toProbe(run, 1);
  const isRight = answer?.status === 200 && answer.hash === hash;
  const isOpen = async (): Promise<boolean | undefined> => {
    if (readers === "public") return store.isPublic(keys.page);
    const policy = await bucket?.readPolicy();
    if (policy?.state === "unset") return false;
    if (policy?.state !== "set") return undefined;
    const identity = target.store.kind === "s3" ? target.store.identity : undefined;
    const ours = toReadStatements({ bucket: name, prefix, readers, identity, distributions });
    return isSamePolicy(policy.value, mergePolicy(policy.value, ours));
  };
  return judgeReading(answer, {
    ...{ address, hash, prefix, endpoint, readers, distributions, bucket: name },
    key: prefix + keys.page,
    host: new URL(target.url ?? "").host,
    isOpen: isRight ? true : await isOpen(),
  });
}

/** Undefined: no probe answers, so that only the right to invalidate can be tried. */
async function tryEdges(
  delivery: Delivery,
  tools: EdgeTools,
  late: Awaited<ReturnType<EdgeTools["ask"]>>,
): Promise<Link[]> {
  const trials = listTrials(delivery);
  if (trials.length === 0) return [notTried("forgetting", { code: "no-edge" })];
  if (!late) return tryForgetting(tools, trials, { holdsOld: false });
  const trial = await watchHabits(tools, late.status >= 400);
  return [...(await tryForgetting(tools, trials, trial)), ...judgeHabitsOf(trials, trial)];
}

const listTrials = ({ target, edges }: Delivery): EdgeOnTrial[] =>
  edges.flatMap((edge) => {
    const said = target.edges.find(({ name }) => name === edge.name);
    if (!said) return [];
    const patterns = said.kind === "purge" && said.patterns !== "none" ? said.patterns : undefined;
    return [{ edge, said, patterns }];
  });
