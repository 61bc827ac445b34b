import { existsSync } from "node:fs";
import { join } from "node:path";
import type { Bucket } from "../ports/bucket.ts";
import type { Clock } from "../ports/clock.ts";
import type { Edge } from "../ports/edge.ts";
import type { CountRequest, ObjectStore, TryAgain } from "../ports/object-store.ts";
import type { DistributionControl } from "../ports/distribution.ts";
import type { EdgeRuleKeeper } from "../ports/edge-rules.ts";
import { findDistribution, type DistributionEdge } from "../settings/edge-wishes.ts";
import type { Network } from "../ports/network.ts";
import type { PublicSite } from "../ports/public-site.ts";
import type { AskingBounds } from "../adapters/bounds.ts";
import type { Target } from "../settings/target.ts";
import { SANDBOX_CREDENTIALS } from "./sandbox-credentials.ts";

/** The sandbox's keys stand in a file of the project; everybody else's where the user keeps them. */
export function findCredentialsFile(
  profile: string | undefined,
  { projectFolder }: Target,
): string | undefined {
  const file = join(projectFolder, SANDBOX_CREDENTIALS);
  return profile === "sandbox" && existsSync(file) ? file : undefined;
}

/** What whoever asks the world must know of the run. */
export interface RunTies extends AskingBounds {
  /** Is told each secret as soon as it is known. */
  readonly hide: (secret: string) => void;
}

/** What a store tells besides, and how it tries again. */
export interface StoreTools extends RunTies {
  readonly count: CountRequest;
  readonly again: TryAgain;
}

/** The store of a destination, each request counted. */
export async function openStore(target: Target, { count, again, ...ties }: StoreTools): Promise<ObjectStore> {
  const { store } = target;
  if (store.kind === "folder") {
    const { createFolderStore } = await import("../adapters/stores/folder/folder-store.ts");
    return createFolderStore(store.folder, count, store.within);
  }
  const { createS3Store } = await import("../adapters/stores/s3/s3-store.ts");
  return createS3Store(
    { ...store, credentialsFile: findCredentialsFile(store.profile, target), ...ties },
    count,
    again,
  );
}

/** The bucket of a store that has one. */
export async function openBucket(target: Target, ties: RunTies): Promise<Bucket> {
  const { store } = target;
  if (store.kind === "folder") throw new Error("a folder is no bucket");
  const { createS3Bucket } = await import("../adapters/stores/s3/bucket.ts");
  return createS3Bucket({ ...store, credentialsFile: findCredentialsFile(store.profile, target), ...ties });
}

/** The site as visitors reach it; undefined where no address is known. */
export async function openVisitors(
  { siteRules: { url } }: Target,
  bounds: RunTies,
): Promise<PublicSite | undefined> {
  if (url === undefined) return undefined;
  const { createHttpSite } = await import("../adapters/public-site/http-site.ts");
  return createHttpSite(url, bounds);
}

/** From the store outwards. */
export async function openEdges(target: Target, clock: Clock, ties: RunTies): Promise<Edge[]> {
  const { edges } = target;
  const { url } = target.siteRules;
  return Promise.all(
    edges.map(async (edge, index) => {
      if (edge.kind === "distribution") {
        const { createDistributionEdge } =
          await import("../adapters/edges/distribution/distribution-edge.ts");
        const credentialsFile = findCredentialsFile(edge.profile, target);
        // Visitors come to the outermost one.
        const answersAt = edge.url ?? (index === edges.length - 1 ? url : undefined);
        const { createHttpSite } = await import("../adapters/public-site/http-site.ts");
        const site = answersAt === undefined ? undefined : createHttpSite(answersAt, ties);
        return createDistributionEdge({ ...edge, credentialsFile, ...ties }, { clock, site });
      }
      if (edge.kind === "request") {
        const { createRequestEdge } = await import("../adapters/edges/request/request-edge.ts");
        const { createHttpSite } = await import("../adapters/public-site/http-site.ts");
        const answersAt = edge.url ?? (index === edges.length - 1 ? url : undefined);
        const site = answersAt === undefined ? undefined : createHttpSite(answersAt, ties);
        const { origin } = new URL(url ?? edge.url ?? "");
        return createRequestEdge({ ...edge, origin, stop: ties.stop }, { clock, site });
      }
      const { createPurgeEdge } = await import("../adapters/edges/purge/purge-edge.ts");
      const nodes = edge.nodes ?? [edge.url ?? url ?? ""];
      const host = (edge.host ?? new URL(url ?? (nodes[0] as string)).host).toLowerCase();
      return createPurgeEdge({ ...edge, nodes, host, bounds: ties });
    }),
  );
}

/** What gives the distribution before the store the rules of a release; undefined: the settings name nothing for that. */
export async function openRuleKeeper(
  target: Target,
  clock: Clock,
  ties: RunTies,
): Promise<EdgeRuleKeeper | undefined> {
  const edge = findDistribution(target);
  if (!edge || target.store.kind !== "s3") return undefined;
  const { id, confirmWithin, name, endpoint, region, profile, headersPolicy } = edge;
  if (edge.function === undefined && headersPolicy === undefined) return undefined;
  const { createRuleKeeper } = await import("../adapters/edges/distribution/rule-keeper.ts");
  const credentialsFile = findCredentialsFile(profile, target);
  const settings = { name, endpoint, region, profile, credentialsFile, ...ties };
  const means = { viewerFunction: edge.function, headersPolicy };
  return createRuleKeeper({ ...settings, ...means, id, deployedWithin: confirmWithin }, clock);
}

/** The interface by which a distribution is set up. */
export async function openControl(
  target: Target,
  { name, endpoint, region, profile }: DistributionEdge,
  ties: RunTies & { readonly clock: Clock },
): Promise<DistributionControl> {
  const { createDistributionControl } = await import("../adapters/edges/distribution/control.ts");
  const credentialsFile = findCredentialsFile(profile, target);
  return createDistributionControl({ name, endpoint, region, profile, credentialsFile, ...ties }, ties.clock);
}

/** Names and certificates as this machine sees them. */
export async function openNetwork(): Promise<Network> {
  const { systemNetwork } = await import("../adapters/network/system-network.ts");
  return systemNetwork;
}
