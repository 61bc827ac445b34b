import type { SiteRules } from "../core/build/site-rules.ts";
import type { Pace } from "../core/delivery/pace.ts";
import type { RetentionRule } from "../core/history/retention.ts";
import type { OtherPlace } from "../core/model/plan.ts";
import type { EdgeNeeds } from "../core/model/edge.ts";
import type { WriteGate } from "../perform/gate.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { Clock } from "../ports/clock.ts";
import type { Edge } from "../ports/edge.ts";
import type { EdgeRuleKeeper } from "../ports/edge-rules.ts";
import type { Machine } from "../ports/machine.ts";
import type { ObjectStore, RequestTally } from "../ports/object-store.ts";
import type { PublicSite } from "../ports/public-site.ts";
import type { Reporter } from "../ports/reporter.ts";

/** Whether somebody has asked a run to stop. */
export interface Interruption {
  /** Throws `interrupted` once somebody has asked. */
  assertGoesOn(): void;
  /** The same outcome, or `interrupted` as soon as somebody asks: for waiting that can be given up at any time. */
  orStop<T>(work: Promise<T>): Promise<T>;
}

/** One call of the tool. */
export interface Run {
  /** Names it among all. */
  readonly name: string;
  readonly author: Author;
  readonly clock: Clock;
  readonly report: Reporter;
  readonly interruption: Interruption;
}

/** Who delivers what, for the waybill. */
export interface Author {
  readonly by: string;
  readonly commit?: string;
  readonly note?: string;
  readonly sequence?: number;
}

/** Where it works: a site at a destination. */
export interface Place {
  readonly site: string;
  readonly destination: string;
  readonly siteRules: SiteRules;
  readonly store: ObjectStore;
  /** From the store outwards. */
  readonly edges: readonly Edge[];
  /** The site as visitors reach it; undefined where no address is known. */
  readonly visitors: PublicSite | undefined;
  /** What gives the edge before the store the rules of a release; undefined: the edge can be given none. */
  readonly ruleKeeper?: EdgeRuleKeeper | undefined;
  /** What was asked of the store so far. */
  readonly tally: RequestTally;
  /** What it is a preview of; absent: it is none. */
  readonly preview?: PreviewPlace | undefined;
}

/** What a preview has besides what every destination has. */
export interface PreviewPlace {
  /** As it was asked for: a branch, say. */
  readonly name: string;
  readonly lastsSeconds: number;
  /** When its time is over if this run delivers it, ISO 8601 UTC. */
  readonly until: string;
  /** The destination that it is a preview of: to be read, never written. */
  readonly original: { readonly store: ObjectStore; readonly place: OtherPlace };
}

/** What only those need that write. */
interface Writing {
  readonly pace: Pace;
  /** What each write of the store has to pass. */
  readonly gate: WriteGate;
  readonly machine: Machine;
  /** How long a hold lasts that nobody renews. */
  readonly leaseSeconds: number;
}

/** What keeps a destination from harm. */
export interface Safety {
  readonly retention: RetentionRule;
  /** The share of addresses that may stop answering, 0 to 1. */
  readonly vanishShare: number;
  /** Guards that are lifted. */
  readonly allowed: ReadonlySet<string>;
}

/** A run at a place: enough to look. */
export interface Visit {
  readonly run: Run;
  readonly place: Place;
}

/** The same that may change what stands there. */
export interface Stay extends Visit {
  readonly writing: Writing;
  readonly safety: Safety;
}

/** The same with a build to bring. */
export interface Delivery extends Stay {
  readonly source: BuildSource;
}

/** What edges can be asked for, by name. */
export const needsOf = ({ edges }: Pick<Place, "edges">): EdgeNeeds[] =>
  edges.map(({ name, identity, abilities }) => ({ name, identity, ...abilities }));
