import {
  broken,
  good,
  note,
  notTried,
  type Fault,
  type Link,
  type Way,
} from "../core/diagnosis/checkup/link.ts";
import { PROBE_HEADERS, toProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import { toCheckupResult, type CheckupResult } from "../results/checkup.ts";
import {
  judgeFirstLook,
  judgeTrial,
  judgeWebsite,
  type StoreFailure,
} from "../core/diagnosis/checkup/store-links.ts";
import {
  judgeCertificate,
  judgeFolders,
  judgeMissing,
  judgeName,
  judgeWays,
  judgeReading,
  judgeRoot,
  withoutConsequences,
} from "../core/diagnosis/checkup/visitor-links.ts";
import { isSamePolicy, mergePolicy, toReadStatements, type Readers } from "../core/bucket/policies.ts";
import {
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
import type { SiteRules } from "../core/build/site-rules.ts";
import {
  judgeForgetting,
  judgeHabits,
  readHabits,
  type SaidHabits,
} from "../core/diagnosis/checkup/edge-links.ts";
import { readPointer, tryReadWaybill } from "../gather/read-destination.ts";
import { ControlError } from "../ports/distribution.ts";
import { judgeDistribution, judgeRules } from "../core/diagnosis/checkup/distribution-link.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Clock } from "../ports/clock.ts";
import { lookAtEdge, type EdgeToProvision } from "./provision-edge.ts";
import type { Place, Visit } from "./run.ts";

export interface CheckupOptions {
  /** Where credentials were found, in words. */
  readonly source: string;
  /** What is asked on the way. */
  readonly addresses: readonly { readonly to: Way["to"]; readonly url: string }[];
  /** The build's folder, and whether anything is there. */
  readonly build: { readonly folder: string; readonly isThere: boolean } | undefined;
  /** Absent: the store is a folder. */
  readonly bucket: Bucket | undefined;
  /** The distribution before the store; absent: none stands there. */
  readonly distribution: EdgeToProvision | undefined;
  /** Who is to read the site from the store. */
  readonly access: AccessWish;
  /** What the settings say of each edge. */
  readonly said: readonly SaidOfEdge[];
  readonly network: Network;
  /** Asks only, and writes no probe. */
  readonly dryRun: boolean;
  /** Is told what is being tried. */
  readonly onStage: (stage: CheckupStage) => void;
}

interface AccessWish {
  readonly readers: Readers;
  readonly distributions: readonly string[];
  /** What all previews' keys begin with; absent: there are none. */
  readonly previews?: string | undefined;
  /** The delivering identity as policies name it, where it is known. */
  readonly identity: string | undefined;
}

export interface SaidOfEdge extends SaidHabits {
  readonly name: string;
  /** How it is said to take patterns; undefined: it takes none, or its kind leaves no doubt. */
  readonly patterns: string | undefined;
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
export async function checkUp(visit: Visit, options: CheckupOptions): Promise<CheckupResult> {
  const { run, place } = visit;
  const { store, visitors, siteRules } = place;
  const links: Link[] = [
    ...(options.build ? [judgeBuild(options.build)] : []),
    ...judgeWays(options.addresses.map(({ to, url }) => ({ to, proxy: options.network.findProxy(url) }))),
  ];
  options.onStage({ code: "store" });
  const first = await lookFirst(visit, options.source);
  links.push(...first.links);
  const keys = toProbeKeys(run.name, siteRules.addressRules.indexName);
  const canTry = first.isReached && !options.dryRun;
  let canWrite = false;
  if (canTry) {
    options.onStage({ code: "work" });
    const isServed = async (hash: Sha256): Promise<boolean | undefined> => {
      const answer = await visitors?.ask(siteRules.addressRules.basePath + keys.own);
      return answer && answer.status === 200 && answer.hash === hash;
    };
    const trial = await tryStore(store, { run: run.name, keys, isServed });
    links.push(...judgeTrial(trial, { ...store.location, url: siteRules.url ?? "" }));
    ({ canWrite } = trial);
  }
  if (first.isReached && options.bucket)
    links.push(judgeWebsite(await options.bucket.readWebsite(), toWantedWebsite(siteRules)));
  links.push(...(await lookAtDistribution(options.distribution, run.clock)), ...(await lookAtRules(place)));
  links.push(...(await lookFromOutside(visit, { ...options, canWrite, isReached: first.isReached })));
  return toCheckupResult(place, links);
}

function judgeBuild({ folder, isThere }: NonNullable<CheckupOptions["build"]>): Link {
  const asked = { code: "folder", folder } as const;
  return isThere
    ? good("build", asked, { code: "there" })
    : note("build", { asked, found: { code: "nothing" }, cause: "no-build", names: { folder } });
}

/** One list of the bucket tells of credentials, endpoint, clock, name, region and the right to list. */
async function lookFirst(
  { run: { clock }, place: { store } }: Visit,
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
    failure = { kind: error.kind, answer: error.message, ...error.facts };
  }
  const links = judgeFirstLook({ endpoint, bucket, source, skewMs }, failure);
  // Without the right to list, everything else can still be tried.
  return { links, isReached: failure === undefined || failure.kind === "denied" };
}

/** Whether the edge does what the release has it do. What can't be read is told by other links. */
async function lookAtRules({ store, ruleKeeper }: Place): Promise<Link[]> {
  if (!ruleKeeper) return [];
  try {
    const current = (await readPointer(store))?.pointer.retained[0];
    const release = current && (await tryReadWaybill(store, current));
    if (!release?.edgeRules) return [];
    return judgeRules(await ruleKeeper.findOther(release.edgeRules), release.release);
  } catch (error) {
    if (error instanceof StoreError || error instanceof ControlError || error instanceof OperatorError)
      return [];
    throw error;
  }
}

/** How it is set up, where this identity may look at it; one that is not there is told by whoever asks it to forget. */
async function lookAtDistribution(edge: EdgeToProvision | undefined, clock: Clock): Promise<Link[]> {
  if (!edge) return [];
  try {
    const look = await lookAtEdge(edge, clock);
    // Where nobody answers is told by whoever asks it to forget.
    const left = look.byHand.find((one) => one.code === "out-of-reach");
    if (left) return left.why === "denied" ? [notTried("distribution", { code: "may-not-look-there" })] : [];
    return [judgeDistribution({ ...look, isDeployed: look.facts?.isDeployed ?? false })];
  } catch (error) {
    if (!(error instanceof OperatorError)) throw error;
    return [];
  }
}

const toWantedWebsite = ({ endpoint, addressRules }: SiteRules): { readonly index: string } | undefined =>
  endpoint.serves === "website" ? { index: addressRules.indexName } : undefined;

type OutsideFacts = CheckupOptions & { readonly canWrite: boolean; readonly isReached: boolean };

async function lookFromOutside(visit: Visit, facts: OutsideFacts): Promise<Link[]> {
  const { run, place } = visit;
  const { siteRules, visitors, destination } = place;
  const trial: Trial = { tools: toEdgeTools(visit, facts), trials: listTrials(place, facts), facts };
  if (siteRules.url === undefined || !visitors) {
    const fault = { asked: { code: "url" }, found: { code: "none" }, cause: "no-url" } as const;
    return [note("edge", { ...fault, names: { destination } }), ...(await tryRight(trial))];
  }
  const url = new URL(siteRules.url);
  facts.onStage({ code: "visitors", host: url.host });
  const way = await lookAtWay(url, facts, run.clock.now().getTime());
  const answer = await visitors.ask(siteRules.addressRules.basePath);
  const asked = { code: "address", address: siteRules.url } as const;
  if (answer) {
    const links = [...way, good("edge", asked, { code: "status", status: answer.status })];
    return [...links, ...(await lookBehind(visit, trial))];
  }
  const found = { code: "no-answer" } as const;
  const proxy = facts.network.findProxy(url.href);
  const fault: Fault =
    proxy === undefined
      ? { asked, found, cause: "nobody-answers", names: { host: url.host, code: "no answer" } }
      : { asked, found, cause: "proxy-fails", names: { answer: proxy } };
  // A name that leads nowhere, or a certificate that is refused, has said it already.
  const isTold = way.some(({ state }) => state === "broken");
  const edge = isTold ? notTried("edge", { code: "told-above" }) : broken("edge", fault);
  return [...way, edge, ...(await tryRight(trial))];
}

/** An edge, and what the settings say of it. */
interface SaidEdgeOnTrial extends EdgeOnTrial {
  readonly said: SaidHabits;
}

/** The edges, and what they are tried with. */
interface Trial {
  readonly tools: EdgeTools;
  readonly trials: readonly SaidEdgeOnTrial[];
  readonly facts: OutsideFacts;
}

/** Where no probe tells what an edge holds, whether it takes an invalidation can still be told. */
const tryRight = async (trial: Trial): Promise<Link[]> =>
  trial.facts.dryRun ? [notTried("forgetting", { code: "dry-run" })] : tryEdges(trial, undefined);

function toEdgeTools({ run, place }: Visit, { onStage }: OutsideFacts): EdgeTools {
  const { store, visitors, siteRules } = place;
  const { basePath, indexName } = siteRules.addressRules;
  return {
    ...{ store, clock: run.clock, run: run.name },
    keys: toProbeKeys(run.name, indexName),
    ask: (address) => visitors?.ask(address) ?? Promise.resolve(undefined),
    addressOf: (key) => basePath + key,
    onWait: (wait) => {
      onStage({ code: "edge", wait });
    },
  };
}

async function lookAtWay(url: URL, { network }: OutsideFacts, nowMs: number): Promise<Link[]> {
  const { hostname: host } = url;
  const isProxied = network.findProxy(url.href) !== undefined;
  const name = isProxied
    ? notTried("name", { code: "proxy-looks-up" })
    : judgeName(host, await network.lookUp(host));
  if (url.protocol !== "https:") return [name, notTried("certificate", { code: "plain-http" })];
  if (name.state === "broken") return [name];
  const look = await network.readCertificate(host, Number(url.port || 443));
  return [name, judgeCertificate(host, look, nowMs)];
}

/** What the edge does with what stands in the store. */
async function lookBehind({ run, place }: Visit, trial: Trial): Promise<Link[]> {
  const { store, siteRules } = place;
  const { tools, facts } = trial;
  const { keys, ask, addressOf } = tools;
  const missing = addressOf(keys.nothing);
  const { clientRoutes, entry } = siteRules;
  const isDelivered = !facts.isReached || (await isThere(store, entry));
  const links = [
    judgeMissing(await ask(missing), { address: missing, clientRoutes, isDelivered }),
    ...(facts.isReached ? [await lookAtRoot(place, { ask, isDelivered })] : []),
  ];
  if (!facts.canWrite)
    return [...links, notTried("reading", { code: "no-probe" }), ...(await tryRight(trial))];
  try {
    const late = await ask(addressOf(keys.late));
    const page = toProbe(run.name, 1);
    await store.put(keys.page, page, PROBE_HEADERS.page);
    const reading = await lookAtReading(place, tools, facts);
    links.push(reading);
    if (reading.state !== "good") return [...withoutConsequences(links, reading), ...(await tryRight(trial))];
    const { serves, edge } = siteRules.endpoint;
    const isLed = edge?.carriesRules === true;
    const folder = addressOf(keys.folder);
    links.push(judgeFolders(await ask(folder), { address: folder, hash: page.hash, serves, isLed }));
    return [...links, ...(await tryEdges(trial, late))];
  } finally {
    await store.remove([keys.page, keys.zero, keys.late]).catch(() => undefined);
  }
}

const isThere = async (store: Place["store"], key: string): Promise<boolean> =>
  (await store.head(key).catch(() => undefined)) !== undefined;

async function lookAtRoot(
  { siteRules }: Place,
  { ask, isDelivered }: Pick<EdgeTools, "ask"> & { readonly isDelivered: boolean },
): Promise<Link> {
  const { basePath: path } = siteRules.addressRules;
  const { entry } = siteRules;
  return judgeRoot(isDelivered ? await ask(path) : undefined, { path, entry, isDelivered });
}

async function lookAtReading(
  { siteRules, store }: Place,
  { ask, addressOf, keys, run }: EdgeTools,
  { bucket, access }: OutsideFacts,
): Promise<Link> {
  const { readers, distributions } = access;
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
    const ours = toReadStatements({ ...access, bucket: name, prefix });
    return isSamePolicy(policy.value, mergePolicy(policy.value, ours));
  };
  return judgeReading(answer, {
    ...{ address, hash, prefix, endpoint, readers, distributions, bucket: name },
    key: prefix + keys.page,
    host: new URL(siteRules.url ?? "").host,
    isOpen: isRight ? true : await isOpen(),
  });
}

/** Undefined: no probe answers, so that only the right to invalidate can be tried. */
async function tryEdges(
  { tools, trials }: Trial,
  late: Awaited<ReturnType<EdgeTools["ask"]>>,
): Promise<Link[]> {
  const [only, ...others] = trials;
  if (!only) return [notTried("forgetting", { code: "no-edge" })];
  const forget = async (holdsOld: boolean): Promise<Link[]> =>
    (await tryForgetting(tools, trials, holdsOld)).map(judgeForgetting);
  if (!late) return forget(false);
  const { holdsOld, habits } = readHabits(await watchHabits(tools, late.status >= 400));
  const links = await forget(holdsOld);
  // Where several edges stand in a row, nobody can tell which of them does what.
  return others.length > 0 ? links : [...links, judgeHabits(habits, only.said)];
}

const listTrials = ({ edges }: Place, { said }: CheckupOptions): SaidEdgeOnTrial[] =>
  edges.flatMap((edge) => {
    const own = said.find(({ name }) => name === edge.name);
    return own ? [{ edge, said: own, patterns: own.patterns }] : [];
  });
