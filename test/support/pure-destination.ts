import { hash } from "node:crypto";
import { analyseBuild } from "../../src/core/build/analysis.ts";
import { compareParcels } from "../../src/core/compare/compare.ts";
import {
  decideDelivery,
  selectNeededWaybills,
  type DeliveryDecision,
} from "../../src/core/delivery/decide.ts";
import { toPointer, toWaybill } from "../../src/core/delivery/record.ts";
import { listOwed } from "../../src/core/edges/owed.ts";
import { POINTER_KEY, waybillKey, type ObjectKey, type Sha256 } from "../../src/core/model/names.ts";
import type { ListedObject } from "../../src/core/model/parcel.ts";
import { phaseOf, stepsOf, type Step, type StepPhase } from "../../src/core/model/plan.ts";
import type { DestinationState, Pointer, Waybill } from "../../src/core/model/release.ts";
import type { Wanted } from "../../src/core/model/wanted.ts";
import { EXACT_EDGE } from "./edges.ts";
import type { EdgeAbilities } from "../../src/core/model/edge.ts";
import { memoryBuild, memoryRules, type RuleChanges } from "./memory-build.ts";

interface Stored extends ListedObject {
  readonly hash: Sha256;
}

/** A destination that is nothing but data: what core decides is done to it step by step, without any store or clock. */
export class PureDestination {
  readonly objects = new Map<ObjectKey, Stored>();
  readonly waybills = new Map<number, Waybill>();
  pointer: Pointer | undefined;
  readonly rules;
  retention = { releases: 2, forSeconds: 0 };
  readonly edges;
  private time = 0;

  constructor(rules: RuleChanges = {}, edge: EdgeAbilities = EXACT_EDGE) {
    this.rules = memoryRules(rules);
    this.edges = [{ name: "near", identity: "near", ...edge }];
  }

  get state(): DestinationState {
    const { pointer, objects, time } = this;
    const waybill = pointer && this.waybills.get(pointer.release);
    return {
      ...(pointer && { pointer }),
      ...(waybill && { waybill }),
      listing: [...objects.values()],
      storeTimeMs: time,
    };
  }

  analyse = (files: Readonly<Record<string, string>>) =>
    analyseBuild(memoryBuild(files).read([]), this.rules, this.state);

  facts(wanted: Wanted): Omit<Parameters<typeof decideDelivery>[0], "olderWaybills"> {
    const { state, retention } = this;
    return {
      ...{ site: "Pelican Sound Ferries", wanted, problems: [], state, retention, edges: this.edges },
      comparison: compareParcels(wanted.parcels, state),
      ...{ addressRules: this.rules.addressRules, clientRoutes: false, bucketPrefix: "", vanishShare: 1 },
      ...{ exposedAt: undefined, allowed: new Set<string>() },
    };
  }

  decide(wanted: Wanted): DeliveryDecision {
    const facts = this.facts(wanted);
    const needed = selectNeededWaybills(facts).map(({ release }) => this.waybills.get(release));
    return decideDelivery({ ...facts, olderWaybills: needed.filter((waybill) => waybill !== undefined) });
  }

  /** Carries a decision out. @returns what it did */
  deliver(wanted: Wanted): DeliveryDecision {
    const decision = this.decide(wanted);
    const etags = new Map<ObjectKey, string>();
    for (const name of ["keep", "stock", "switch"] as const)
      this.carryOut(phaseOf(decision.plan, name), etags);
    if (decision.makesRelease) this.record(wanted, decision, etags);
    const announced = new Map<ObjectKey, string>();
    this.carryOut(phaseOf(decision.plan, "announce"), announced);
    if (this.pointer) {
      const both = { ...this.pointer.announced, ...Object.fromEntries(announced) };
      this.pointer = { ...this.pointer, owed: [], announced: both };
      this.write(POINTER_KEY, "pointer", 1);
    }
    this.carryOut(phaseOf(decision.plan, "clear"), etags);
    return decision;
  }

  private record(wanted: Wanted, decision: DeliveryDecision, etags: ReadonlyMap<ObjectKey, string>): void {
    const run = `r${decision.plan.release}`;
    const at = new Date(this.time).toISOString();
    const facts = { site: "Pelican Sound Ferries", run, at, author: { by: "test" }, wanted, decision };
    const all = { ...facts, state: this.state, keptSettings: [] };
    const waybill = toWaybill(all, etags);
    this.waybills.set(waybill.release, waybill);
    this.write(waybillKey(waybill.release, run), "waybill", 1);
    this.pointer = toPointer(all, "hash");
    expect(listOwed({ ...this.state, open: [] })).toEqual(this.pointer.owed);
  }

  carryOut(phase: StepPhase, etags = new Map<ObjectKey, string>()): void {
    for (const step of stepsOf(phase)) this.carryOutStep(step, etags);
  }

  private carryOutStep(step: Step, etags: Map<ObjectKey, string>): void {
    if (step.do === "remove") {
      assertStands(step.key, this.objects.get(step.key)?.etag, step.etag);
      this.objects.delete(step.key);
      return;
    }
    const to = step.do === "send" ? (step.to ?? step.parcel.key) : step.to;
    const stands = this.objects.get(to)?.etag;
    assertStands(to, stands, step.expected === "absent" ? undefined : step.expected.etag);
    if (step.do === "send") etags.set(to, this.write(to, step.parcel.storedHash, step.parcel.size));
    else {
      assertStands(step.from, this.objects.get(step.from)?.hash, step.storedHash);
      etags.set(to, this.write(to, step.storedHash, step.size));
    }
  }

  private write(key: ObjectKey, content: Sha256, size: number): string {
    this.time += 1;
    const etag = `e${this.time}`;
    this.objects.set(key, { key, etag, size, modifiedMs: this.time, hash: content });
    return etag;
  }

  /** Keys of the site with the hashes of what stands there. */
  get site(): Record<ObjectKey, Sha256> {
    const own = [...this.objects.values()].filter(({ key }) => !key.startsWith(".courier/"));
    return Object.fromEntries(own.map((object) => [object.key, object.hash]));
  }
}

export const hashesOf = (files: Readonly<Record<string, string>>): Record<string, Sha256> =>
  Object.fromEntries(Object.entries(files).map(([key, text]) => [key, hash("sha256", text)]));

/** One of many thousand looks, of which each `expect` would take its stack. */
function assertStands(key: ObjectKey, stands: string | undefined, wanted: string | undefined): void {
  if (stands !== wanted)
    throw new Error(`${key} is ${stands ?? "missing"} instead of ${wanted ?? "missing"}`);
}
