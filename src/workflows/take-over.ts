import { findFileNameProblems } from "../core/build/names-check.ts";
import { takeCaseOf } from "../core/compare/fold-case.ts";
import { Readable } from "node:stream";
import { decideParcels } from "../core/build/parcels.ts";
import { fromElsewhere } from "../core/build/from-elsewhere.ts";
import { recordedByKey } from "../core/compare/key-state.ts";
import { findContents } from "../core/compare/compare.ts";
import { findGoneContents } from "../core/history/way-back.ts";
import type { ReleaseName } from "../core/history/release-names.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Sha256 } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { OutsideContent } from "../core/model/plan.ts";
import type { DestinationState, Waybill } from "../core/model/release.ts";
import { readDestination } from "../gather/read-destination.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { Content, ObjectStore } from "../ports/object-store.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import { readNamed } from "./named-release.ts";
import { decideOutlook, withPolicies, type Outlook } from "./outlook.ts";
import { runRelease, type DeliverOptions } from "./run-release.ts";
import type { Author, Stay } from "./run.ts";

/** A release of another destination, or of a preview, and how it comes here. */
export interface Elsewhere {
  readonly name: ReleaseName;
  /** The destination that it is of, as people call it. */
  readonly of: string;
  readonly store: ObjectStore;
  /** The base path of that destination. */
  readonly basePath: string;
  /** Files of the taking destination alone. */
  readonly added: BuildSource;
  /** Whether contents go through this machine, each checked by its hash; else they are copied inside the store. */
  readonly isThroughHere: boolean;
}

/**
 * Makes a destination hold what another one's release holds: the very bytes, by copies inside the store, with the headers and
 * the own files of the destination that takes them over. In the order of a delivery, and with all its guards. Throws
 * `preview-changed`, `no-copies-between`, `content-gone`, `content-out-of-reach`, and what a delivery throws.
 */
export async function takeOver(
  stay: Stay,
  from: Elsewhere,
  options: DeliverOptions,
): Promise<DeliveryResult> {
  const elsewhere = {
    ...from,
    isThroughHere: from.isThroughHere || areFolders(stay.place.store, from.store),
  };
  assertCopies(stay, elsewhere);
  let found = await readElsewhere(elsewhere);
  const { release, run } = found.waybill;
  const author = withBuildOf(stay.run.author, found.waybill);
  const own = { ...stay, run: { ...stay.run, author } };
  const taking: Taking = { stay: own, elsewhere, release, run, whole: nameOf(elsewhere, release) };
  const plan = (): Promise<Outlook> => planTaking(taking, found);
  const canSend = ({ isOwn }: Parcel): boolean => isOwn === true || elsewhere.isThroughHere;
  return runRelease(own, options, {
    work: "redeliver",
    source: {
      open: (parcel) =>
        parcel.isOwn === true ? elsewhere.added.open(parcel) : openThere(parcel, taking, found.outside),
      findChanged: (parcels) => elsewhere.added.findChanged(parcels.filter(({ isOwn }) => isOwn)),
    },
    canSend,
    plan,
    planAgain: async () => {
      found = await readElsewhere(elsewhere, taking);
      return plan();
    },
  });
}

interface Taking {
  readonly stay: Stay;
  readonly elsewhere: Elsewhere;
  /** The release that the name meant when it was first looked up. */
  readonly release: number;
  readonly run: string;
  /** Its whole name. */
  readonly whole: string;
}

interface FoundElsewhere {
  /** Where each content stands there. */
  readonly outside: ReadonlyMap<Sha256, OutsideContent>;
  readonly waybill: Waybill;
}

const nameOf = ({ name: { preview }, of }: Elsewhere, release: number): string =>
  preview === undefined ? `${of}:${release}` : `${of}@${release}`;

/** What goes from one folder to another comes through this machine, whoever copies it. */
const areFolders = (...stores: readonly ObjectStore[]): boolean =>
  stores.every(({ location: { bucket } }) => bucket === "");

function assertCopies({ place: { store, destination } }: Stay, elsewhere: Elsewhere): void {
  const [from, to] = [elsewhere.store.location, store.location];
  const isOne = from.endpoint === to.endpoint && from.bucket !== "" && to.bucket !== "";
  if (!isOne && !elsewhere.isThroughHere)
    throw new OperatorError("no-copies-between", { from: elsewhere.of, to: destination });
}

/** @param before what the name meant when it was first looked up: it must still mean that */
async function readElsewhere({ store, of, name }: Elsewhere, before?: Taking): Promise<FoundElsewhere> {
  const state = await readDestination(store, of);
  const { pointer } = state;
  if (!pointer) throw new OperatorError("nothing-delivered", { destination: of });
  const { mustBe, release } = name;
  if (mustBe !== undefined && pointer.release !== mustBe)
    throw new OperatorError("preview-changed", { name: of, asked: mustBe, now: pointer.release });
  const waybill = await readNamed(store, pointer, before ? String(before.release) : release, state.waybill);
  if (before && waybill.run !== before.run)
    throw new OperatorError("preview-changed", { name: of, asked: before.release, now: pointer.release });
  return { outside: listOutside(state, store), waybill };
}

/** Who built it is known from its own record; who takes it over is whoever calls. */
function withBuildOf(author: Author, { sequence, commit }: Waybill): Author {
  const own = Object.getOwnPropertyDescriptors(author);
  const value = (told: unknown): PropertyDescriptor => ({ value: told, enumerable: true });
  return Object.defineProperties({} as Author, {
    ...own,
    ...(sequence !== undefined && { sequence: value(sequence) }),
    ...(commit !== undefined && { commit: value(commit) }),
  });
}

async function planTaking(
  { stay, elsewhere, whole }: Taking,
  { outside: there, waybill }: FoundElsewhere,
): Promise<Outlook> {
  const { run, place } = stay;
  const { store, destination, siteRules } = place;
  const [found, build] = [await readDestination(store, destination), await elsewhere.added.read([])];
  const taken = fromElsewhere(waybill, {
    ...{ name: whole, rules: siteRules, madeFor: elsewhere.basePath },
    added: decideParcels(build, siteRules, new Map()),
  });
  const { wanted, problems: ofPolicies } = withPolicies(taken.wanted);
  const keys = wanted.parcels.map(({ key }) => key);
  const state = takeCaseOf(found, keys);
  const { plainNames } = siteRules.endpoint;
  const ofNames = plainNames === false ? [] : findFileNameProblems(keys, plainNames);
  const problems = [...taken.problems, ...ofPolicies, ...ofNames];
  const outside = elsewhere.isThroughHere ? new Map() : there;
  const decision = await decideOutlook(stay, { wanted, state, problems, outside });
  const own = new Set(wanted.parcels.filter(({ isOwn }) => isOwn).map(({ key }) => key));
  const gone = elsewhere.isThroughHere ? [] : findGoneContents(decision.plan).filter((key) => !own.has(key));
  if (gone.length > 0) throw new OperatorError("content-gone", { release: whole, keys: gone });
  run.report({
    event: "gathered",
    what: whole,
    files: wanted.parcels.length,
    bytes: wanted.parcels.reduce((sum, { size }) => sum + size, 0),
    objects: state.listing.length,
  });
  return { wanted, state, decision };
}

/** Where each content stands there: live, for open tabs, or in the vault. */
function listOutside(state: DestinationState, store: ObjectStore): Map<Sha256, OutsideContent> {
  const { bucket, prefix } = store.location;
  const etags = new Map(state.listing.map(({ key, etag }) => [key, etag]));
  return new Map(
    [...findContents(state, recordedByKey(state))].map(([hash, key]) => [
      hash,
      { place: { bucket, prefix }, key, etag: etags.get(key) ?? "" },
    ]),
  );
}

/** A content that is read where it stands, and sent: the store that takes it checks its hash. */
function openThere(
  { key, size, storedHash }: Parcel,
  { elsewhere: { store }, whole }: Taking,
  places: ReadonlyMap<Sha256, OutsideContent>,
): Content {
  const place = places.get(storedHash);
  async function* read(): AsyncGenerator<Uint8Array> {
    const found = place && (await store.get(place.key));
    if (!found) throw new OperatorError("content-gone", { release: whole, keys: [key] });
    yield* found.body;
  }
  return { size, hash: storedHash, open: () => (size === 0 ? Buffer.alloc(0) : Readable.from(read())) };
}
