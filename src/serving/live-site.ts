import { analyseBuild, type Analysis } from "../core/build/analysis.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import { createSiteAnswers, type SiteAnswer } from "../core/answers/site-answers.ts";
import type { ExplainedParcel } from "../core/model/explained-parcel.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { ObjectKey, Sha256, UrlPath } from "../core/model/names.ts";
import type { ProblemOf } from "../core/model/problem.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { Clock } from "../ports/clock.ts";

/** A build as it is served. */
export interface ServedBuild {
  /** Another one for each state of the build. */
  readonly id: string;
  readonly analysis: Analysis;
  readonly answer: (path: UrlPath, query?: string) => SiteAnswer<ExplainedParcel>;
  /** Since when a key has had its content, as far as it was served. */
  readonly modifiedAt: (key: ObjectKey) => Date;
}

/** Why a build is not whole: somebody is writing it. */
export type HalfWritten =
  | { readonly code: "unreadable"; readonly failure: OperatorError }
  | { readonly code: "no-entry"; readonly entry: string }
  | { readonly code: "changing" };

/** What happens to a build while it is served. */
export type LiveEvent =
  | { readonly event: "half-written"; readonly why: HalfWritten }
  | {
      readonly event: "changed";
      readonly added: number;
      readonly replaced: number;
      readonly removed: number;
      /** Something that a page needs and that was there before, or was not needed. */
      readonly missing?: ProblemOf<"missing-asset"> | undefined;
    };

export interface LiveSiteTools {
  readonly rules: SiteRules;
  readonly clock: Clock;
  readonly tell: (event: LiveEvent) => void;
}

/** What was looked at so shortly ago is not looked at again. */
const FRESH_MS = 250;
/** Large builds take long to look at: at most so much of the time goes there. */
const LOOKING_SHARE = 0.2;
/** How long a request waits for a build that is being written. */
const PATIENCE_MS = 10_000;
const ROUND_MS = 150;

/**
 * A build that is served while others write it. What is handed out is a build that was whole: one that is being written is
 * waited for, and one that can't be read does not take the place of the last one.
 */
export class LiveSite {
  private served: ServedBuild | undefined;
  private trouble: HalfWritten | undefined;
  private lookedMs = -Infinity;
  private tookMs = 0;
  private looking: Promise<void> | undefined;
  /** Since when each key has had its content. */
  private seen: ReadonlyMap<ObjectKey, { readonly hash: Sha256; readonly at: Date }> = new Map();
  /** Addresses that are known to be missing: what a build always lacked says nothing about now. */
  private knownMissing = new Set<UrlPath>();
  private missing: ProblemOf<"missing-asset"> | undefined;

  constructor(
    private readonly source: BuildSource,
    private readonly tools: LiveSiteTools,
  ) {}

  /** Reads the build for the first time. Throws as `BuildSource.read` does. */
  async open(): Promise<ServedBuild> {
    const id = this.source.look(this.tools.rules.exclude);
    this.served = await this.read(id);
    this.acceptMissing();
    return this.served;
  }

  /** The build that was whole last, as far as anybody has looked. */
  get current(): ServedBuild | undefined {
    return this.served;
  }

  /** What a page of it needs and that was not missing before: perhaps it is still to be written. */
  get newlyMissing(): ProblemOf<"missing-asset"> | undefined {
    return this.missing;
  }

  /** What is missing now is not waited for any longer. */
  acceptMissing(): void {
    this.missing = undefined;
    this.knownMissing = new Set(this.served && listMissing(this.served).map(({ facts }) => facts.address));
  }

  /** The build as it is now; undefined: it has not been whole for too long. */
  async now(): Promise<ServedBuild | undefined> {
    const { clock } = this.tools;
    const from = clock.monotonicMs();
    await this.refresh();
    while (this.trouble && clock.monotonicMs() - from < PATIENCE_MS) {
      await clock.sleep(ROUND_MS);
      await this.refresh();
    }
    return this.trouble ? undefined : this.served;
  }

  /** Why the build is not whole; undefined: it is, as far as anybody has looked. */
  get halfWritten(): HalfWritten | undefined {
    return this.trouble;
  }

  /** Reads the build again if it looks otherwise. @param isCertain it does, whatever was seen shortly ago */
  async refresh(isCertain = false): Promise<void> {
    const since = this.tools.clock.monotonicMs() - this.lookedMs;
    if (!isCertain && since < Math.max(FRESH_MS, this.tookMs / LOOKING_SHARE)) return this.looking;
    this.looking ??= this.look().finally(() => (this.looking = undefined));
    return this.looking;
  }

  private async look(): Promise<void> {
    const { clock, rules } = this.tools;
    const from = clock.monotonicMs();
    try {
      const id = this.source.look(rules.exclude);
      this.tookMs = clock.monotonicMs() - from;
      if (id === this.served?.id) this.trouble = undefined;
      else await this.take(id);
    } catch (error) {
      if (!(error instanceof OperatorError)) throw error;
      this.suffer({ code: "unreadable", failure: error });
    } finally {
      this.lookedMs = clock.monotonicMs();
    }
  }

  /** Takes a build over that looks otherwise, if it is whole and nobody writes it meanwhile. */
  private async take(id: string): Promise<void> {
    const { tell } = this.tools;
    const before = this.served;
    const next = await this.read(id);
    const why = this.findTrouble(next, before);
    if (why) {
      this.suffer(why);
      return;
    }
    this.trouble = undefined;
    this.served = next;
    this.missing = listMissing(next).find(({ facts }) => !this.knownMissing.has(facts.address));
    if (!this.missing) this.acceptMissing();
    if (before) tell({ event: "changed", ...countChanges(before, next), missing: this.missing });
  }

  private findTrouble(next: ServedBuild, before: ServedBuild | undefined): HalfWritten | undefined {
    const { exclude, entry } = this.tools.rules;
    if (this.source.look(exclude) !== next.id) return { code: "changing" };
    return lacksEntry(next) && before && !lacksEntry(before) ? { code: "no-entry", entry } : undefined;
  }

  private async read(id: string): Promise<ServedBuild> {
    const { rules } = this.tools;
    const analysis = analyseBuild(await this.source.read(rules.exclude), rules, undefined);
    const now = this.tools.clock.now();
    const before = this.seen;
    const seen = new Map(
      analysis.wanted.parcels.map(({ key, storedHash }) => {
        const known = before.get(key);
        return [key, known?.hash === storedHash ? known : { hash: storedHash, at: now }] as const;
      }),
    );
    this.seen = seen;
    return {
      ...{ id, analysis },
      answer: createSiteAnswers(analysis.wanted, rules),
      modifiedAt: (key) => seen.get(key)?.at ?? now,
    };
  }

  /** Said once for each time. */
  private suffer(why: HalfWritten): void {
    if (!this.trouble) this.tools.tell({ event: "half-written", why });
    this.trouble = why;
  }
}

const lacksEntry = ({ analysis }: ServedBuild): boolean =>
  analysis.findings.problems.some(({ code }) => /^(no-entry|empty-build|wrong-folder)$/.test(code));

function countChanges(
  before: ServedBuild,
  next: ServedBuild,
): { readonly added: number; readonly replaced: number; readonly removed: number } {
  const own = ({ analysis }: ServedBuild): Map<string, string> =>
    new Map(
      analysis.wanted.parcels.flatMap(({ key, hash, aliasOf }) =>
        aliasOf === undefined ? [[key, hash] as const] : [],
      ),
    );
  const [was, is] = [own(before), own(next)];
  const kept = [...is].filter(([key]) => was.has(key));
  return {
    added: is.size - kept.length,
    replaced: kept.filter(([key, hash]) => was.get(key) !== hash).length,
    removed: was.size - kept.length,
  };
}

const listMissing = ({ analysis }: ServedBuild): ProblemOf<"missing-asset">[] =>
  analysis.findings.problems.filter((problem) => problem.code === "missing-asset");
