import { listEarlierContents, selectReadBacks } from "../core/edges/read-back.ts";
import { runPool } from "../core/delivery/pool.ts";
import type { EdgeFailure, EdgeWait, ReadBack } from "../core/model/edge.ts";
import { listSpellings } from "../core/addresses/spellings.ts";
import type { AddressRules } from "../core/addresses/addresses.ts";
import { isTree } from "../core/edges/cover/cover.ts";
import type { EdgeOutcome } from "../core/model/edge-outcome.ts";
import type { Sha256, UrlPath } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { EdgeInvalidation } from "../core/model/plan.ts";
import type { Clock } from "../ports/clock.ts";
import { EdgeError, type Edge, type ForgetRequest } from "../ports/edge.ts";
import type { EdgeWays, WayBook } from "./edge-ways.ts";
import { EdgeReader, type WrongAnswer } from "./read-back.ts";

/** What is known of a site, so that an edge's answers can be judged. */
export interface ConfirmFacts {
  /** What answers now. */
  readonly parcels: readonly Parcel[];
  readonly addressRules: AddressRules;
  /** Everything that any record says ever answered. */
  readonly loadEarlier: () => Promise<readonly Pick<Parcel, "key" | "hash">[]>;
  /** Whether the vault has a content, of whatever address. */
  readonly isVaulted: (hash: Sha256) => boolean;
}

export interface ConfirmTools {
  readonly clock: Clock;
  readonly run: string;
  readonly book: WayBook;
  readonly facts: ConfirmFacts;
  readonly onWait: (wait: EdgeWait) => void;
}

/** What one edge is to confirm. */
export interface ToConfirm {
  /** Absent: nothing is asked for, only looked at once more. */
  readonly request?: EdgeInvalidation | undefined;
  /** What it was asked for before, and what a fetch under way may have brought back. */
  readonly again: readonly EdgeInvalidation[];
  /** When anything was last written that the edge may have fetched, monotonic; absent: pages follow, and all is looked at again. */
  readonly lastWriteMs?: number | undefined;
}

/** Addresses that are read side by side. */
const WIDTH = 32;
/** How often what is wrong is asked for and read again. */
const PASSES = 5;
const PAUSE_MS = 250;

/**
 * Asks an edge at once, and again after a pause: a fetch that was under way can store the old bytes after the first time. When
 * every fetch has ended that began before the last write, it asks once more, reads back all that was asked for, asks again for
 * what is wrong, and looks again. The same for all kinds of edges, but that one that charges is spared the second time.
 *
 * An address counts as confirmed when it was read right, or when the edge keeps a status of its own and nothing in the
 * sample that was read is wrong. *Fail:* throws nothing of the edge: what it has not confirmed is in `left`.
 */
export async function confirmEdge(tools: ConfirmTools, edge: Edge, wanted: ToConfirm): Promise<EdgeOutcome> {
  return new Confirmation(tools, edge, wanted).end();
}

class Confirmation {
  private readonly addresses: readonly UrlPath[];
  private ways: EdgeWays | undefined;
  private readonly read = new Set<UrlPath>();
  private odd: WrongAnswer[] = [];
  /** Whether everything is asked for once more when all fetches have ended. */
  private asksLast = false;
  /** A pattern that was asked for several times without effect, and an address that it should have taken along. */
  private ignored: { readonly pattern: UrlPath; readonly address: UrlPath } | undefined;

  constructor(
    private readonly tools: ConfirmTools,
    private readonly edge: Edge,
    private readonly wanted: ToConfirm,
  ) {
    this.addresses = [
      ...new Set([wanted.request ?? [], wanted.again].flat().flatMap(({ addresses }) => addresses)),
    ];
  }

  async end(): Promise<EdgeOutcome> {
    try {
      await this.askTwice();
      return await this.readBack();
    } catch (error) {
      if (!(error instanceof EdgeError)) throw error;
      return this.toOutcome(new Set(this.addresses), error.failure);
    }
  }

  private async askTwice(): Promise<void> {
    const { request } = this.wanted;
    const { settle, readBack } = this.edge.confirmation;
    if (readBack.kind !== "off") this.ways = await this.tools.book.find(this.edge);
    if (!request) return;
    await this.forget(request.patterns);
    const { clock, onWait } = this.tools;
    this.asksLast = this.isReadBack && this.fetchesEndMs > clock.monotonicMs() + settle * 1000;
    // Where each request is charged for, there are two: now, and when nothing of before can arrive any more.
    if (this.asksLast && this.edge.hasStatus) return;
    onWait({ code: "settling" });
    await clock.sleep(settle * 1000);
    // Equal wildcards in quick succession were seen to be lost.
    await this.forget(this.asksLast ? request.patterns.filter((one) => !isTree(one)) : request.patterns);
  }

  private get trees(): UrlPath[] {
    return (this.wanted.request?.patterns ?? []).filter(isTree);
  }

  private get isReadBack(): boolean {
    return this.edge.confirmation.readBack.kind !== "off" && this.edge.places.length > 0;
  }

  /** When every fetch has ended that it may have begun before the last write, monotonic. */
  private get fetchesEndMs(): number {
    const { lastWriteMs = -Infinity } = this.wanted;
    return lastWriteMs + this.edge.confirmation.longestFetch * 1000;
  }

  private async forget(patterns: readonly UrlPath[]): Promise<void> {
    if (patterns.length === 0) return;
    const { run, onWait } = this.tools;
    const ways = this.ways && new Map([...this.ways.places].map(([place, { way }]) => [place, way] as const));
    const spelled = patterns.flatMap(listSpellings);
    const request: ForgetRequest = { patterns: spelled, run, onWait, ...(ways ? { ways } : {}) };
    await this.edge.forget(request);
  }

  private async readBack(): Promise<EdgeOutcome> {
    const { readBack } = this.edge.confirmation;
    if (!this.isReadBack) return this.toOutcome(new Set());
    await this.waitForFetches();
    const checks = selectReadBacks(this.addresses, this.tools.facts);
    const chosen = readBack.kind === "most" ? checks.slice(0, readBack.addresses) : checks;
    const unread = new Set(checks.slice(chosen.length).map(({ address }) => address));
    const wrong = await this.readAll(chosen, unread);
    const failure = this.findFailure(wrong, unread);
    return this.toOutcome(this.listLeft(wrong, unread, failure), failure);
  }

  /** Nothing that it may have begun to fetch before the last write arrives any more. */
  private async waitForFetches(): Promise<void> {
    const { clock, onWait } = this.tools;
    const waitMs = this.fetchesEndMs - clock.monotonicMs();
    if (waitMs > 0) {
      onWait({ code: "fetches" });
      await clock.sleep(waitMs);
    }
    // What is held under queries nobody can list, and old headers of the same content can't be told by reading: now that nothing
    // old arrives any more, it goes for good.
    if (this.asksLast) await this.forget(this.wanted.request?.patterns ?? []);
  }

  /** @returns what is still wrong in the end; what there was no time for is added to `unread` */
  private async readAll(checks: readonly ReadBack[], unread: Set<UrlPath>): Promise<WrongAnswer[]> {
    const reader = this.openReader(checks);
    let open = checks;
    for (let pass = 1; ; pass++) {
      const wrong = await this.readOnce(reader, open, unread);
      const { rewrites } = this.edge.confirmation;
      const accepted = rewrites && pass > 1 ? wrong.filter(({ verdict }) => verdict === "foreign") : [];
      for (const one of accepted) this.odd.push(one);
      for (const { check } of accepted) this.read.add(check.address);
      const bad = wrong.filter((entry) => !accepted.includes(entry));
      if (bad.length === 0 || pass === PASSES) return bad;
      // What is known of how it keeps copies may be of another time.
      if (pass === 2 && this.ways?.isFresh === false && this.wanted.request)
        this.ways = await this.tools.book.find(this.edge, true);
      await this.mend(bad, pass);
      open = bad.map(({ check }) => check);
    }
  }

  /** Asks once more for what is wrong: first by the patterns that should have taken it along, then by its own address. */
  private async mend(bad: readonly WrongAnswer[], pass: number): Promise<void> {
    const held = bad.filter(({ verdict }) => verdict !== "no-answer").map(({ check }) => check.address);
    const treeOf = (address: UrlPath): UrlPath | undefined =>
      this.trees.find((tree) => address.startsWith(tree.slice(0, -1)));
    const old = bad.find(({ verdict, check }) => verdict === "old" && treeOf(check.address) !== undefined);
    if (pass > 1 && old)
      this.ignored ??= { pattern: treeOf(old.check.address) as UrlPath, address: old.check.address };
    const asked = pass === 1 ? held.map((address) => treeOf(address) ?? address) : held;
    if (held.length > 0) await this.forget([...new Set(asked)]);
    await this.tools.clock.sleep(PAUSE_MS * pass);
  }

  private async readOnce(
    reader: EdgeReader,
    checks: readonly ReadBack[],
    unread: Set<UrlPath>,
  ): Promise<WrongAnswer[]> {
    const { clock, onWait } = this.tools;
    const { readBack } = this.edge.confirmation;
    const untilMs = readBack.kind === "time" ? clock.monotonicMs() + readBack.seconds * 1000 : Infinity;
    const wrong: WrongAnswer[] = [];
    let read = 0;
    await runPool(
      checks,
      () => WIDTH,
      async (check) => {
        if (clock.monotonicMs() > untilMs) {
          unread.add(check.address);
          return;
        }
        const found = await reader.read(check);
        read += 1;
        if (found) wrong.push(found);
        else this.read.add(check.address);
        if (read % REPORTED === 0) onWait({ code: "reading", read, of: checks.length });
      },
    );
    return wrong;
  }

  private openReader(checks: readonly ReadBack[]): EdgeReader {
    const { facts, run } = this.tools;
    const { addressRules } = facts;
    return new EdgeReader(this.edge, {
      unknownAddress: `${addressRules.basePath}courier-unknown-${run.slice(-8)}`,
      isVaulted: facts.isVaulted,
      loadEarlier: async () => {
        const addresses = new Set(checks.map(({ address }) => address));
        return listEarlierContents(await facts.loadEarlier(), addresses, addressRules);
      },
    });
  }

  private findFailure(wrong: readonly WrongAnswer[], unread: ReadonlySet<UrlPath>): EdgeFailure | undefined {
    for (const [verdict, kind] of FAILURES) {
      const own = wrong.filter((entry) => entry.verdict === verdict);
      if (own[0]) return { kind, held: own[0].held, count: own.length };
    }
    const ignored = this.ignored ?? this.findDeaf();
    if (ignored) return { kind: "wildcards-ignored", ...ignored };
    const { hasStatus } = this.edge;
    const unclear = this.findUnclear();
    if (unclear) return unclear;
    const isSampled = hasStatus && this.read.size > 0;
    return unread.size > 0 && !isSampled ? { kind: "unread", count: unread.size } : undefined;
  }

  /** A place whose copies don't all go, whatever is done. */
  private findUnclear(): EdgeFailure | undefined {
    // Where all forms are listed, all are read back: what was tried is of no weight beside that.
    if (this.edge.hasAllForms) return undefined;
    const places = [...(this.ways?.places ?? [])];
    const deaf = places.find(([, { clears }]) => clears === "none")?.[0];
    if (deaf !== undefined) return { kind: "clears-nothing", node: deaf };
    const node = places.find(([, { clears }]) => clears === "some")?.[0];
    return node === undefined ? undefined : { kind: "unlisted-forms", node };
  }

  /** A place that was seen to take no wildcards, though it is asked for some. */
  private findDeaf(): Confirmation["ignored"] {
    const asked = [this.wanted.request ?? [], this.wanted.again].flat();
    const pattern = asked.flatMap(({ patterns }) => patterns).find(isTree);
    const deaf = [...(this.ways?.places ?? [])].find(([, known]) => known.takesWildcards === false);
    return pattern !== undefined && deaf ? { pattern, address: `a trial object at ${deaf[0]}` } : undefined;
  }

  private listLeft(
    wrong: readonly WrongAnswer[],
    unread: ReadonlySet<UrlPath>,
    failure: EdgeFailure | undefined,
  ): Set<UrlPath> {
    if (!failure) return new Set();
    // Nobody can list what is held in other forms, or under queries.
    if (UNLISTABLE.has(failure.kind)) return new Set(this.addresses);
    const trees = this.addresses.filter(isTree);
    const isBad = new Set([...unread, ...wrong.map(({ check }) => check.address)]);
    return new Set([...this.addresses.filter((address) => isBad.has(address)), ...trees]);
  }

  private toOutcome(left: ReadonlySet<UrlPath>, failure?: EdgeFailure): EdgeOutcome {
    const { name, identity, forms } = this.edge;
    const [first] = this.odd;
    return {
      ...{ edge: name, identity, left, read: this.read, forms: forms.length },
      settled: this.addresses.filter((address) => !left.has(address)),
      ...(first ? { odd: { count: this.odd.length, first: first.held } } : {}),
      ...(failure ? { failure } : {}),
    };
  }
}

/** What is left of these, nobody can list. */
const UNLISTABLE = new Set<EdgeFailure["kind"]>(["unlisted-forms", "wildcards-ignored", "clears-nothing"]);

/** The worst first. */
const FAILURES = [
  ["old", "still-old"],
  ["no-answer", "no-answer"],
  ["foreign", "foreign"],
  ["unreadable", "unreadable"],
] as const;

/** After so many addresses it is told how many were read. */
const REPORTED = 500;
