import { parseEdgeFreshness } from "../core/model/cache-control.ts";
import { compareParcels } from "../core/compare/compare.ts";
import { selectHeldBack } from "../core/history/held-back.ts";
import { byText } from "../core/model/names.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { DestinationState, Waybill } from "../core/model/release.ts";
import { explainSymptoms, type StoredLook } from "../core/diagnosis/verification/causes.ts";
import { listEarlier, selectChecks, type Check } from "../core/diagnosis/verification/checks.ts";
import { findSymptoms, type Observation, type Symptom } from "../core/diagnosis/verification/findings.ts";
import { toFindingResult, type VerifyResult } from "../results/verification.ts";
import { readDestination, tryReadWaybill } from "../gather/read-destination.ts";
import { runPool } from "../core/delivery/pool.ts";
import type { PublicSite } from "../ports/public-site.ts";
import type { Clock } from "../ports/clock.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import type { Visit } from "./run.ts";
import { whileTold } from "./while-told.ts";

export interface VerifyOptions {
  /** How many addresses are asked for at most, besides what changed last. */
  readonly sample: number;
  /** Header names and values that every answer must have; `*`: any value. */
  readonly expectedHeaders: Readonly<Record<string, string>>;
}

/** What browsers and simple clients send as `Accept-Encoding`. */
const FORMS = ["gzip, deflate, br, zstd", "gzip, deflate", ""];
const WIDTH = 12;
/** Earlier releases whose contents are recognised. */
const MOST_OLDER = 4;
/** Whether something is held that must not be is seen by asking twice, so long apart. */
const APART_MS = 1100;

type AskedCheck = readonly [Check, readonly Observation[]];

/** Files that are asked for at most, besides what changed last. */
export const DEFAULT_SAMPLE = 200;

/** Asks for what was delivered, as visitors do, and finds what is not so and why; writes nothing. */
export async function verify(
  { run, place }: Visit,
  { sample, expectedHeaders }: VerifyOptions,
): Promise<VerifyResult> {
  const { site, destination, store, visitors, siteRules, preview } = place;
  const { addressRules, clientRoutes, redirects, endpoint, url } = siteRules;
  if (!visitors || url === undefined) throw new OperatorError("no-url", { destination });
  const state = await readDestination(store, destination);
  const { waybill, pointer } = state;
  if (!waybill || !pointer) throw new OperatorError("nothing-delivered", { destination });
  const heldBack = new Set(selectHeldBack(waybill, pointer));
  const current = { ...waybill, parcels: waybill.parcels.filter(({ key }) => !heldBack.has(key)) };
  const older = await readOlder(store, state);
  const unused = `courier-${run.name.slice(-8)}`;
  const isAtEdge = endpoint.edge?.carriesRules === true && waybill.edgeRules !== undefined;
  const leavesRedirects = !isAtEdge && (endpoint.serves !== "website" || !endpoint.carriesRedirects);
  // An edge puts one page in the place of errors, and that is its site's and not a preview's.
  const rest = {
    addressRules,
    clientRoutes,
    redirects,
    leavesRedirects,
    hasOwnErrors: preview === undefined,
  };
  const checks = selectChecks({ current, older, sample, unused, ...rest });
  const counted = count(visitors);
  const addresses = [...new Set(checks.map(({ address }) => address))].sort(byText);
  const task = { code: "ask", url, addresses: addresses.length } as const;
  const symptoms = await whileTold(run.report, task, () =>
    findAll(checks, counted.site, {
      ...{ current, older, state, url, clock: run.clock },
      expectedHeaders: { ...current.edgeRules?.headers, ...expectedHeaders },
    }),
  );
  const findings = explainSymptoms(dedupe(symptoms), {
    contents: new Set(checks.filter(({ kind }) => kind === "content").map(({ address }) => address)).size,
    lookOf: await lookAtStore(store, symptoms, state),
    isRightPastCache: await askPastCache(symptoms, counted.site, unused),
    basePath: addressRules.basePath,
    indexName: addressRules.indexName,
  });
  return {
    ...{ site, destination, release: current.release, url, addresses },
    checked: addresses.length,
    requests: counted.requests(),
    heldBack: [...heldBack],
    findings: findings.map(toFindingResult),
  };
}

interface AskFacts {
  readonly current: Waybill;
  readonly older: readonly Waybill[];
  readonly state: DestinationState;
  readonly url: string;
  readonly expectedHeaders: VerifyOptions["expectedHeaders"];
  readonly clock: Clock;
}

/** Asks for everything in every form, some of it twice, and says what is not as it should be. */
async function findAll(
  checks: readonly Check[],
  site: PublicSite,
  { current, older, state, url, expectedHeaders, clock }: AskFacts,
): Promise<Symptom[]> {
  const started = clock.monotonicMs();
  const asked = await askAll(checks, site);
  const facts = {
    earlierOf: (check: Check) =>
      check.kind === "content" ? listEarlier(check.parcel.key, older) : new Map<string, number>(),
    expectedHeaders,
  };
  const pause = APART_MS - (clock.monotonicMs() - started);
  const again = selectUnheld(checks);
  if (again.length > 0 && pause > 0) await clock.sleep(pause);
  const looked = await askAll(again, site, [""]);
  return [
    ...asked.flatMap(([check, observations]) => findSymptoms(check, observations, facts)),
    ...looked.flatMap(([check, observations]) =>
      findSymptoms(check, observations, facts).filter(({ code }) => code === "held-too-long"),
    ),
    ...(await findInsecure(url, site, checks)),
    ...findStoredOtherwise(current, state, checks),
  ];
}

/** Earlier releases whose contents are recognised; what can't be read is only not recognised. */
async function readOlder(store: ObjectStore, { pointer }: DestinationState): Promise<Waybill[]> {
  const earlier = (pointer?.retained ?? []).filter(({ release }) => release !== pointer?.release);
  const read = earlier.slice(0, MOST_OLDER).map((release) => tryReadWaybill(store, release));
  return (await Promise.all(read)).filter((waybill) => waybill !== undefined);
}

function count(site: PublicSite): { site: PublicSite; requests: () => number } {
  let requests = 0;
  const ask: PublicSite["ask"] = (...args) => {
    requests += 1;
    return site.ask(...args);
  };
  return { site: { ...site, ask }, requests: () => requests };
}

async function askAll(checks: readonly Check[], site: PublicSite, forms = FORMS): Promise<AskedCheck[]> {
  const asked: AskedCheck[] = [];
  await runPool(
    checks,
    () => WIDTH,
    async (check) => {
      const address = check.address + ("query" in check ? (check.query ?? "") : "");
      const observations: Observation[] = [];
      // Whether a client takes an encoding matters only where there is content.
      for (const form of check.kind === "content" ? forms : [forms[0] as string])
        observations.push({
          ...{ form, answer: await site.ask(address, { encoding: form }) },
          tls: site.unsafe?.(),
        });
      asked.push([check, observations]);
    },
  );
  return asked.sort(([a], [b]) => (a.address < b.address ? -1 : 1));
}

/** A few of those that nobody may hold. */
const selectUnheld = (checks: readonly Check[]): Check[] =>
  checks
    .filter(
      (check) => check.kind === "content" && parseEdgeFreshness(check.parcel.headers["cache-control"]) === 0,
    )
    .slice(0, 3);

/** Whether plain http leads to https, where the site is at https. */
async function findInsecure(url: string, site: PublicSite, [check]: readonly Check[]): Promise<Symptom[]> {
  if (!url.startsWith("https:") || !check) return [];
  const answer = await site.ask(check.address, { isPlain: true });
  const leads = answer?.headers.location?.startsWith("https:") === true && answer.status < 400;
  if (!answer || leads || answer.status >= 400) return [];
  const { address } = check;
  return [
    {
      ...{ address, check, code: "not-secure", expected: { code: "https" } },
      found: { code: "status", status: answer.status },
    },
  ];
}

/** What the store's own list says of what was delivered. */
function findStoredOtherwise(current: Waybill, state: DestinationState, checks: readonly Check[]): Symptom[] {
  const { changes, unlooked } = compareParcels(current.parcels, state);
  const wrong = new Map(changes.map(({ parcel, kind }) => [parcel.key, kind]));
  const doubtful = new Set(unlooked);
  const seen = new Set<string>();
  return checks.flatMap((check): Symptom[] => {
    if (check.kind !== "content" || seen.has(check.parcel.key)) return [];
    const { key } = check.parcel;
    const kind = wrong.get(key);
    if (kind === undefined && !doubtful.has(key)) return [];
    seen.add(key);
    const isThere = state.listing.some((object) => object.key === key);
    return [
      {
        ...{ address: check.address, check, code: "stored-otherwise", expected: { code: "stored", key } },
        found: { code: isThere ? "another-object" : "lacking" },
      },
    ];
  });
}

/** Each kind of symptom once per address: the second look repeats what the first has seen. */
const dedupe = (symptoms: readonly Symptom[]): Symptom[] => [
  ...new Map(symptoms.map((symptom) => [`${symptom.code} ${symptom.address}`, symptom])).values(),
];

/** Keys whose object is looked at, so that a cause can be told. */
const MOST_LOOKS = 40;

async function lookAtStore(
  store: ObjectStore,
  symptoms: readonly Symptom[],
  { listing, pointer }: DestinationState,
): Promise<(symptom: Symptom) => StoredLook | undefined> {
  const listed = new Map(listing.map((object) => [object.key, object]));
  const parcels = symptoms.flatMap(({ check }) => (check.kind === "content" ? [check.parcel] : []));
  const chosen = [...new Map(parcels.map((parcel) => [parcel.key, parcel])).values()].slice(0, MOST_LOOKS);
  const looks = new Map<string, StoredLook>();
  await runPool(
    chosen,
    () => WIDTH,
    async (parcel) => {
      const { key, etag = pointer?.announced[key], size, headers } = parcel;
      const object = listed.get(key);
      const head = object && (await store.head(key));
      const isSame = ([name, value]: [string, string]): boolean => head?.headers[name] === value;
      looks.set(key, {
        isThere: object !== undefined,
        isRight: object !== undefined && object.size === size && (etag === undefined || object.etag === etag),
        hasRightHeaders: !store.carriesHeaders || Object.entries(headers).every(isSame),
      });
    },
  );
  return ({ check }) => (check.kind === "content" ? looks.get(check.parcel.key) : undefined);
}

/** A query that nobody has used gets past what is held, at an edge that holds queries apart. */
async function askPastCache(
  symptoms: readonly Symptom[],
  site: PublicSite,
  unused: string,
): Promise<(symptom: Symptom) => boolean | undefined> {
  const right = new Map<string, boolean>();
  const lost = symptoms.filter(({ check }) => check.kind === "content").slice(0, MOST_LOOKS);
  await runPool(
    lost,
    () => WIDTH,
    async ({ address, check }) => {
      if (check.kind !== "content" || right.has(address)) return;
      const answer = await site.ask(`${address}?past=${unused}`);
      right.set(address, answer?.status === 200 && answer.hash === check.parcel.hash);
    },
  );
  return ({ address }) => right.get(address);
}
