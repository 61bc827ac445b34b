import { isPolled } from "../model/polled.ts";
import { findContents, type Change, type Comparison, type Threatened } from "../compare/compare.ts";
import { recordedByKey } from "../compare/key-state.ts";
import {
  isStateKey,
  OPEN_PREFIX,
  RELEASES_PREFIX,
  vaultKey,
  type ObjectKey,
  type Sha256,
} from "../model/names.ts";
import { isHtml, type Parcel } from "../model/parcel.ts";
import { isAssetLike, kindOf } from "../model/role.ts";
import { REMOVALS } from "../model/plan.ts";
import type {
  CopyStep,
  EdgeInvalidation,
  Expected,
  OutsideContent,
  Plan,
  RemoveStep,
  Step,
  StepGroup,
  StepPhase,
} from "../model/plan.ts";
import type { ChangeReason } from "../model/reasons.ts";
import type { DestinationState, OwedInvalidation } from "../model/release.ts";
import { isAnnounced, isStocked } from "../edges/stale-addresses.ts";

export interface PlanInput {
  readonly release: number;
  readonly state: DestinationState;
  readonly comparison: Comparison;
  /** Service workers: they are written after all that they load. */
  readonly workers: readonly ObjectKey[];
  /** Files of the build that go to the vault alone. */
  readonly aside?: readonly Parcel[];
  /** Whether the release that is current now stays restorable: then what it loses goes to the vault. */
  readonly keepsPrevious: boolean;
  /** Where contents stand at another destination, by the hash of the stored bytes. */
  readonly outside?: ReadonlyMap<Sha256, OutsideContent> | undefined;
  /** Stale assets and records that no retained release needs. */
  readonly expired: readonly ObjectKey[];
  readonly unmaskings: readonly EdgeInvalidation[];
  readonly invalidations: readonly EdgeInvalidation[];
  readonly lateInvalidations: readonly EdgeInvalidation[];
  readonly owed: readonly OwedInvalidation[];
}

/** Decides the order of all writes of a delivery; the same for the same input. */
export function planDelivery(input: PlanInput): Plan {
  const { state, comparison, release } = input;
  const removed = comparison.stale.filter(({ recorded }) => !isAssetLike(recorded.role));
  const vault = new Vault(state);
  const keep: Step[] = input.keepsPrevious
    ? [
        ...comparison.changes.flatMap((change) => vault.keepOverwritten(change)),
        ...removed.flatMap(({ listed, standingHash }) => vault.keep(standingHash, listed)),
      ]
    : [];
  const sources = new CopySources(
    input,
    removed.map(({ recorded }) => recorded.key),
    vault,
  );
  const steps = comparison.changes.map((change) => {
    const step = toStep(change, sources);
    if (!isAnnounced(change)) return { change, step };
    const kept = vault.keepAnnounced(step);
    for (const step of kept.first) keep.push(step);
    return { change, step: kept.step };
  });
  const workers = new Set(input.workers);
  const removals = removed.map(({ listed }) => toRemoval(listed));
  const groups = (names: readonly Turn[]): StepGroup[] =>
    names.map((name) => ({
      name,
      steps: steps.filter(({ change }) => turnOf(change, workers) === name).map(({ step }) => step),
    }));
  const phases: StepPhase[] = [
    {
      name: "keep",
      groups: [
        {
          name: "contents",
          steps: [...keep, ...(input.aside ?? []).flatMap((parcel) => vault.keepAside(parcel, sources))],
        },
        { name: "fenced", steps: comparison.threatened.map(toFence) },
      ],
    },
    { name: "stock", groups: groups(STOCK) },
    { name: "switch", groups: [...groups(SWITCH), { name: REMOVALS, steps: removals }] },
    { name: "announce", groups: groups(ANNOUNCE) },
    { name: "clear", groups: toClearGroups(input) },
  ];
  return {
    release,
    previous: state.pointer?.release ?? 0,
    phases: phases
      .map(({ name, groups: all }) => ({ name, groups: all.filter((group) => group.steps.length > 0) }))
      .filter((phase) => phase.groups.length > 0),
    unmaskings: input.unmaskings,
    invalidations: input.invalidations,
    lateInvalidations: input.lateInvalidations,
    owed: input.owed,
  };
}

const STOCK = ["new assets"] as const;
/** In this order a page never stands before what it names, and the entry page is the last of them. */
const SWITCH = [
  "stable assets",
  "data",
  "pages",
  "page aliases",
  "feeds",
  "entry",
  "entry aliases",
  "redirects",
] as const;
/** What workers load stands before them. */
const ANNOUNCE = ["worker parts", "workers"] as const;
type Turn = (typeof STOCK)[number] | (typeof SWITCH)[number] | (typeof ANNOUNCE)[number];

function turnOf(change: Change, workers: ReadonlySet<ObjectKey>): Turn {
  const { parcel } = change;
  if (parcel.redirectsTo !== undefined) return "redirects";
  if (isStocked(change)) return "new assets";
  switch (kindOf(parcel.role)) {
    case "asset":
      return "stable assets";
    case "page":
      if (parcel.aliasOf !== undefined) return "page aliases";
      return isHtml(parcel) ? "pages" : "data";
    case "entry":
      return parcel.aliasOf === undefined ? "entry" : "entry aliases";
    case "file":
      return parcel.isLoaded !== true && FEED.test(parcel.key) ? "feeds" : "data";
    case "worker":
      if (!isAnnounced(change)) return "stable assets";
      return isPolled(parcel.key) || workers.has(parcel.key) ? "workers" : "worker parts";
  }
}

/** What names pages, for readers that are no browsers. */
const FEED = /(^|\/)(robots\.txt|[^/]*(sitemap|feed|rss|atom)[^/]*)$/i;

/** Contents that wait in the vault, and those that this plan brings there. */
class Vault {
  private readonly held: Set<ObjectKey>;

  constructor(state: DestinationState) {
    this.held = new Set(state.listing.map(({ key }) => key).filter(isStateKey));
  }

  has(hash: Sha256): boolean {
    return this.held.has(vaultKey(hash));
  }

  keepOverwritten({ listed, standingHash, parcel }: Change): CopyStep[] {
    return listed && standingHash !== undefined && standingHash !== parcel.storedHash
      ? this.keep(standingHash, listed)
      : [];
  }

  /**
   * What is written only when the edges have confirmed may never be: a release is recorded by then, and must be one that
   * can be put back, or finished without its build. So its bytes are in the vault before anything is switched.
   */
  keepAnnounced(step: Step): { readonly first: readonly Step[]; readonly step: Step } {
    if (step.do === "remove") return { first: [], step };
    if (step.do === "copy" && step.place) return this.keepOutside(step);
    if (step.do === "copy") {
      const { from, fromEtag, to, storedHash, size } = step;
      const stands = from === to || isStateKey(from) || fromEtag === undefined;
      return { first: stands ? [] : this.keep(storedHash, { key: from, etag: fromEtag, size }), step };
    }
    const { parcel, expected } = step;
    const { key, headers, storedHash, size, role } = parcel;
    const from = vaultKey(storedHash);
    const first: Step[] = this.has(storedHash) ? [] : [{ do: "send", parcel, to: from, expected: "absent" }];
    this.held.add(from);
    return { first, step: { do: "copy", from, to: key, headers, storedHash, size, role, expected } };
  }

  private keepOutside(step: CopyStep): { readonly first: readonly Step[]; readonly step: Step } {
    const { headers: _, place: _p, fromEtag: _e, ...copy } = step;
    const { storedHash, size, from, fromEtag, place } = step;
    const to = vaultKey(storedHash);
    const first: CopyStep[] = this.has(storedHash)
      ? []
      : [
          {
            do: "copy",
            from,
            ...(place && { place }),
            ...(fromEtag !== undefined && { fromEtag }),
            to,
            storedHash,
            size,
            expected: "absent",
          },
        ];
    this.held.add(to);
    return { first, step: { ...copy, from: to, ...(step.headers && { headers: step.headers }) } };
  }

  /** What stands nowhere at this destination, and another one may want. */
  keepAside(parcel: Parcel, sources: CopySources): Step[] {
    const { storedHash, size } = parcel;
    const to = vaultKey(storedHash);
    if (this.held.has(to)) return [];
    const source = sources.find(storedHash);
    this.held.add(to);
    return source
      ? [{ do: "copy", ...source, to, storedHash, size, expected: "absent" }]
      : [{ do: "send", parcel, to, expected: "absent" }];
  }

  keep(hash: Sha256, from: { key: ObjectKey; etag: string; size: number }): CopyStep[] {
    if (this.has(hash)) return [];
    this.held.add(vaultKey(hash));
    const { key, etag, size } = from;
    return [
      {
        do: "copy",
        from: key,
        fromEtag: etag,
        to: vaultKey(hash),
        storedHash: hash,
        size,
        expected: "absent",
      },
    ];
  }
}

/** Finds where bytes can be copied from without reading what the same plan writes or removes. */
class CopySources {
  private readonly contents: Map<Sha256, ObjectKey>;
  private readonly touched: Set<ObjectKey>;
  private readonly etags: Map<ObjectKey, string>;

  private readonly outside: NonNullable<PlanInput["outside"]>;

  constructor(
    { state, comparison, outside = new Map() }: PlanInput,
    removed: readonly ObjectKey[],
    private readonly vault: Vault,
  ) {
    this.outside = outside;
    // What is cleared goes last: until then it can be copied from, and a way back may need just that.
    this.touched = new Set([
      ...removed,
      ...[...comparison.changes, ...comparison.threatened].map(({ parcel }) => parcel.key),
    ]);
    const untouched = { ...state, listing: state.listing.filter(({ key }) => !this.touched.has(key)) };
    this.contents = findContents(untouched, recordedByKey(state));
    this.etags = new Map(state.listing.map(({ key, etag }) => [key, etag]));
  }

  findPage(page: ObjectKey, hash: Sha256): Pick<CopyStep, "from" | "fromEtag" | "place"> {
    return this.touched.has(page) ? { from: page } : (this.find(hash) ?? { from: page });
  }

  find(hash: Sha256): Pick<CopyStep, "from" | "fromEtag" | "place"> | undefined {
    const from = this.contents.get(hash) ?? (this.vault.has(hash) ? vaultKey(hash) : undefined);
    if (from === undefined || this.touched.has(from)) return this.findOutside(hash);
    const fromEtag = this.etags.get(from);
    return fromEtag === undefined ? { from } : { from, fromEtag };
  }

  private findOutside(hash: Sha256): Pick<CopyStep, "from" | "fromEtag" | "place"> | undefined {
    const found = this.outside.get(hash);
    return found && { from: found.key, fromEtag: found.etag, place: found.place };
  }
}

function toStep(change: Change, sources: CopySources): Step {
  const { parcel, listed, reason, standingHash } = change;
  const expected: Expected = listed ? { etag: listed.etag } : "absent";
  // The bytes stand there already: only their headers are written anew.
  if (listed && standingHash === parcel.storedHash) {
    const copied = toCopy(parcel, { from: parcel.key, fromEtag: listed.etag }, expected);
    const isFresh = changesMeaning(reason) || (change.isThreatened === true && !isOfOnePart(listed.etag));
    return isFresh ? { ...copied, freshEtag: true } : copied;
  }
  // The page that it stands for is written a turn before, or stands already: the same bytes are never sent twice.
  const source =
    parcel.aliasOf === undefined
      ? sources.find(parcel.storedHash)
      : sources.findPage(parcel.aliasOf, parcel.storedHash);
  return source ? toCopy(parcel, source, expected) : { do: "send", parcel, expected };
}

/** Headers by which a browser reads the bytes: a cache that only asks whether these changed must not keep the old ones. */
const MEANING = new Set(["content-type", "content-encoding"]);

const changesMeaning = (reason: ChangeReason): boolean =>
  reason.code === "headers" && reason.names.some((name) => MEANING.has(name));

function toCopy(
  parcel: Parcel,
  source: Pick<CopyStep, "from" | "fromEtag" | "place">,
  expected: Expected,
): CopyStep {
  const { key: to, headers, storedHash, size, role } = parcel;
  return { do: "copy", ...source, to, headers, storedHash, size, role, expected };
}

/** The same object once more, with another ETag than before: put together from one part, or in one piece where it was. */
function toFence({ parcel, listed: { key, etag } }: Threatened): CopyStep {
  const { headers, storedHash, size } = parcel;
  return {
    ...{ do: "copy", from: key, fromEtag: etag, to: key, headers, storedHash, size, expected: { etag } },
    ...(isOfOnePart(etag) ? {} : { freshEtag: true as const }),
  };
}

/** Put together from one part: copied in one piece, it gets the ETag of its bytes again. */
const isOfOnePart = (etag: string): boolean => etag.endsWith("-1");

/** Assets first, then contents, then records: a record outlives what only it names. */
function toClearGroups({ expired, state }: PlanInput): StepGroup[] {
  const listing = new Map(state.listing.map((object) => [object.key, object]));
  const objects = expired.flatMap((key) => listing.get(key) ?? []);
  const group = (name: string, belongs: (key: ObjectKey) => boolean): StepGroup => ({
    name,
    steps: objects.filter(({ key }) => belongs(key)).map(toRemoval),
  });
  return [
    group("stale assets", (key) => !isStateKey(key)),
    group("contents", (key) => key.startsWith(vaultKey(""))),
    group("records", (key) => key.startsWith(RELEASES_PREFIX)),
    group("ended runs", (key) => key.startsWith(OPEN_PREFIX)),
  ];
}

const toRemoval = ({ key, etag, size }: { key: ObjectKey; etag: string; size: number }): RemoveStep => ({
  ...{ do: "remove", key, etag, size },
});
