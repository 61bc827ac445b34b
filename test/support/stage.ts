import { MemoryStore, type MemoryTraits } from "../../src/adapters/stores/memory/memory-store.ts";
import { EdgeError, type Edge } from "../../src/ports/edge.ts";
import type { ObjectStore } from "../../src/ports/object-store.ts";
import type { Delivery } from "../../src/workflows/run.ts";
import { deliver } from "../../src/workflows/deliver.ts";
import { redeliver } from "../../src/workflows/redeliver.ts";
import { readText } from "../contracts/object-store.ts";
import { toEdge } from "./edges.ts";
import { memoryDelivery, type RuleChanges } from "./memory-build.ts";

export const OPTIONS = { dryRun: false, all: false };
export const PRUNE = { ...OPTIONS, foreign: false, forget: [], queueSeconds: 0 };
export const DAY = 86_400_000;

/** One destination through time. */
export class Stage {
  nowMs = 1_000_000;
  readonly store: MemoryStore;
  /** What lies between a run and the store; absent: nothing. */
  between: ((store: ObjectStore) => ObjectStore) | undefined;
  /** What differs in the rules of the site. */
  rules: RuleChanges = {};

  constructor(traits: MemoryTraits = {}) {
    this.store = new MemoryStore(undefined, () => this.nowMs, traits);
  }

  retention = { releases: 2, forSeconds: 86_400 };
  /** Whether the one edge confirms; undefined: there is none. */
  edgeConfirms: boolean | undefined;
  readonly asked: string[] = [];
  readonly edge: Edge = toEdge({
    name: "near",
    forget: ({ patterns }) => {
      if (!this.edgeConfirms)
        return Promise.reject(new EdgeError("near", { kind: "other", answer: "not today" }));
      this.asked.push(...patterns);
      return Promise.resolve();
    },
  });

  delivery(files: Record<string, string> = {}, allowed: readonly string[] = []): Delivery {
    this.nowMs += 1000;
    const { retention, rules } = this;
    const store = this.between?.(this.store) ?? this.store;
    const edges = this.edgeConfirms === undefined ? [] : [this.edge];
    const delivery = memoryDelivery({ files, store, rules, retention, edges });
    const { safety } = delivery;
    return { ...delivery, safety: { ...safety, allowed: new Set([...safety.allowed, ...allowed]) } };
  }
  deliver = (files: Record<string, string>) => deliver(this.delivery(files), OPTIONS);
  redeliver = (name: string) => redeliver(this.delivery(), name, OPTIONS);
  text = async (key: string) => readText(await this.store.get(key));
  keys = async (below: string) => {
    const keys: string[] = [];
    for await (const { objects } of this.store.list(below)) keys.push(...objects.map(({ key }) => key));
    return keys;
  };
}

export const site = (name: string): Record<string, string> => ({
  "index.html": `${name} index`,
  "old.html": `${name} old`,
  [`assets/${name}-1f2e3d4c.js`]: name,
});
