import {
  CloudFrontClient,
  CreateInvalidationCommand,
  GetInvalidationCommand,
  type Invalidation,
} from "@aws-sdk/client-cloudfront";
import type { EdgeAbilities, EdgeWait } from "../../../core/model/edge.ts";
import { DEFAULT_RETRIES, decideWaitMs } from "../../../core/delivery/retry.ts";
import type { Clock } from "../../../ports/clock.ts";
import { EdgeError, type Edge, type EdgeRequest } from "../../../ports/edge.ts";
import { createCredentials, type CredentialSettings } from "../../credentials.ts";
import { toBatches } from "./batches.ts";
import { toEdgeError } from "./failures.ts";

export interface DistributionSettings
  extends
    CredentialSettings,
    Pick<EdgeAbilities, "wildcard" | "query" | "minimumFreshness" | "holdsFor" | "negative" | "worth"> {
  readonly name: string;
  readonly id: string;
  readonly endpoint?: string | undefined;
  readonly region: string;
  /** Patterns that may be in flight at the same time, and how many of these may be wildcards. */
  readonly patterns: number;
  readonly wildcards: number;
  /** Seconds until an unconfirmed invalidation counts as failed, waiting for others included. */
  readonly confirmWithin: number;
}

/** The first look at a batch's status comes after this long, each later one after a little more. */
const FIRST_LOOK_MS = 250;
const LAST_LOOK_MS = 10_000;

/**
 * A CDN that takes batches of path patterns over a REST and XML interface and tells their status. What does not fit into
 * what may be in flight is queued: behind our own batches, and behind those of others.
 */
export function createDistributionEdge(settings: DistributionSettings, clock: Clock): Edge {
  const { name, endpoint, region, query, minimumFreshness, holdsFor, negative } = settings;
  process.env.AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED ??= "true";
  const client = new CloudFrontClient({
    region,
    // Our own retries know when to give up; the client's would be hidden in them.
    maxAttempts: 1,
    ...(endpoint === undefined ? {} : { endpoint }),
    credentials: createCredentials(settings),
  });
  return {
    name,
    abilities: {
      wildcard: settings.wildcards > 0 ? settings.wildcard : "none",
      reachesQuery: true,
      mostPatterns: settings.patterns,
      mostWildcards: settings.wildcards,
      worth: settings.worth,
      ...{ query, minimumFreshness, holdsFor, negative },
    },
    invalidate: async (request) => {
      const asking = new Asking(client, settings, clock, request);
      for (const batch of toBatches(request.patterns, settings)) await asking.confirm(batch);
    },
    close: () => {
      client.destroy();
    },
  };
}

/** One request's way through the interface, batch after batch. */
class Asking {
  private readonly started: number;

  constructor(
    private readonly client: CloudFrontClient,
    private readonly settings: DistributionSettings,
    private readonly clock: Clock,
    private readonly request: EdgeRequest,
  ) {
    this.started = clock.monotonicMs();
  }

  /** Sends one batch and waits until all of it is confirmed. */
  async confirm(batch: readonly string[]): Promise<void> {
    const { id } = this.settings;
    let found = await this.create(batch);
    for (
      let waitMs = FIRST_LOOK_MS;
      found?.Status !== "Completed";
      waitMs = Math.min(LAST_LOOK_MS, waitMs * 1.5)
    ) {
      await this.wait(waitMs, { code: "confirmation" });
      const look = new GetInvalidationCommand({ DistributionId: id, Id: found?.Id ?? "" });
      found = (await this.call(() => this.client.send(look))).Invalidation;
    }
  }

  private async create(batch: readonly string[]): Promise<Invalidation | undefined> {
    // One reference for all tries of one call: a batch whose answer was lost is found again and not made twice.
    const command = new CreateInvalidationCommand({
      DistributionId: this.settings.id,
      InvalidationBatch: {
        CallerReference: this.request.nameBatch(batch),
        Paths: { Quantity: batch.length, Items: [...batch] },
      },
    });
    for (let waitMs = FIRST_LOOK_MS; ; waitMs = Math.min(LAST_LOOK_MS, waitMs * 1.5)) {
      try {
        return (await this.call(() => this.client.send(command))).Invalidation;
      } catch (error) {
        if (!(error instanceof EdgeError) || error.failure.kind !== "busy") throw error;
      }
      await this.wait(waitMs, { code: "others" });
    }
  }

  /** One call, tried again where that can help. */
  private async call<T>(send: () => Promise<T>): Promise<T> {
    for (let tried = 1; ; tried++) {
      try {
        return await send();
      } catch (error) {
        const { failure, isTransient } = toEdgeError(error, this.settings);
        const waitMs = isTransient ? decideWaitMs(DEFAULT_RETRIES, tried, this.clock.random()) : undefined;
        if (waitMs === undefined) throw failure;
        await this.wait(waitMs, { code: "retry", failure: failure.failure });
      }
    }
  }

  private async wait(ms: number, wait: EdgeWait): Promise<void> {
    const { name, confirmWithin } = this.settings;
    if (this.clock.monotonicMs() - this.started > confirmWithin * 1000)
      throw new EdgeError(name, { kind: "unconfirmed", seconds: confirmWithin, wait });
    this.request.onWait?.(wait);
    await this.clock.sleep(ms);
  }
}
