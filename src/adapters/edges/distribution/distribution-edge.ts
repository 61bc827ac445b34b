import { hash } from "node:crypto";
import {
  CloudFrontClient,
  CreateInvalidationCommand,
  GetInvalidationCommand,
  type Invalidation,
} from "@aws-sdk/client-cloudfront";
import { CLIENT_FORMS } from "../../../core/edges/client-forms.ts";
import type { ConfirmationRule, EdgeAbilities, EdgeWait } from "../../../core/model/edge.ts";
import { DEFAULT_RETRIES, decideWaitMs } from "../../../core/delivery/retry.ts";
import type { Clock } from "../../../ports/clock.ts";
import { EdgeError, type Edge, type ForgetRequest } from "../../../ports/edge.ts";
import type { PublicSite } from "../../../ports/public-site.ts";
import { BoundedHandler } from "../../bounded-handler.ts";
import type { StopSignal } from "../../bounds.ts";
import { createCredentials, type CredentialSettings } from "../../credentials/credentials.ts";
import { toBatches } from "./batches.ts";
import { toEdgeError } from "./failures.ts";

export interface DistributionSettings
  extends
    CredentialSettings,
    Pick<EdgeAbilities, "wildcard" | "query" | "minimumFreshness" | "holdsFor" | "negative" | "worth"> {
  readonly name: string;
  readonly identity: string;
  readonly confirmation: ConfirmationRule;
  readonly id: string;
  readonly endpoint?: string | undefined;
  readonly region: string;
  /** Patterns that may be in flight at the same time, and how many of these may be wildcards. */
  readonly patterns: number;
  readonly wildcards: number;
  /** Seconds until an unconfirmed invalidation counts as failed, waiting for others included. */
  readonly confirmWithin: number;
  /** Gives up what is read; absent: nobody does. */
  readonly stop?: StopSignal | undefined;
}

/** The first look at a batch's status comes after this long, each later one after a little more. */
const FIRST_LOOK_MS = 250;
const LAST_LOOK_MS = 10_000;

/** Each path is charged for beyond a monthly allowance; so few are cheaper than a copy that is fetched anew everywhere. */
const EXACT_UP_TO = 20;

export interface DistributionTools {
  readonly clock: Clock;
  /** The site as this distribution answers it; absent: nobody can look at it by itself. */
  readonly site?: PublicSite | undefined;
}

/**
 * A CDN that takes batches of path patterns over a REST and XML interface and tells their status. What does not fit into
 * what may be in flight is queued: behind our own batches, and behind those of others.
 */
export function createDistributionEdge(
  settings: DistributionSettings,
  { clock, site }: DistributionTools,
): Edge {
  const { name, identity, confirmation, endpoint, region, query, minimumFreshness, holdsFor, negative } =
    settings;
  const client = new CloudFrontClient({
    region,
    // Our own retries know when to give up; the client's would be hidden in them.
    maxAttempts: 1,
    ...(endpoint === undefined ? {} : { endpoint }),
    credentials: createCredentials(settings),
    requestHandler: new BoundedHandler({ stop: settings.stop }),
  });
  let calls = 0;
  return {
    ...{ name, identity, confirmation },
    abilities: {
      wildcard: settings.wildcards > 0 ? settings.wildcard : "none",
      reachesQuery: true,
      mostPatterns: settings.patterns,
      mostWildcards: settings.wildcards,
      worth: settings.worth,
      exactUpTo: EXACT_UP_TO,
      ...{ query, minimumFreshness, holdsFor, negative },
    },
    places: site ? [settings.id] : [],
    hasStatus: true,
    forms: CLIENT_FORMS,
    // What it is asked to forget it forgets in all forms.
    hasAllForms: true,
    forget: async (request) => {
      calls += 1;
      const asking = new Asking({ client, settings, clock, request, call: calls });
      for (const batch of toBatches(request.patterns, settings)) await asking.confirm(batch);
    },
    look: async (address, { form }) => site?.ask(address, { encoding: form }),
    close: () => {
      client.destroy();
      site?.close();
    },
  };
}

interface AskingFacts {
  readonly client: CloudFrontClient;
  readonly settings: DistributionSettings;
  readonly clock: Clock;
  readonly request: ForgetRequest;
  /** Which of this run's requests it is. */
  readonly call: number;
}

/** One request's way through the interface, batch after batch. */
class Asking {
  private readonly started: number;
  private readonly client: CloudFrontClient;
  private readonly settings: DistributionSettings;
  private readonly clock: Clock;

  constructor(private readonly facts: AskingFacts) {
    ({ client: this.client, settings: this.settings, clock: this.clock } = facts);
    this.started = this.clock.monotonicMs();
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
    // One reference for all tries of one HTTP call: a batch whose answer was lost is found again and not made twice.
    const command = new CreateInvalidationCommand({
      DistributionId: this.settings.id,
      InvalidationBatch: {
        CallerReference: this.nameBatch(batch),
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

  /** Different for each request of a run: a reference that was used before stands for the batch of that time, long completed. */
  private nameBatch(batch: readonly string[]): string {
    const { request, call } = this.facts;
    return `${request.run}-${call}-${hash("sha256", batch.join("\n")).slice(0, 16)}`;
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
    this.facts.request.onWait?.(wait);
    await this.clock.sleep(ms);
  }
}
