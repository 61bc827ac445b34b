import {
  CloudFrontClient,
  CreateInvalidationCommand,
  GetInvalidationCommand,
} from "@aws-sdk/client-cloudfront";
import { defaultProvider } from "@aws-sdk/credential-provider-node";
import type { Clock } from "../../../ports/clock.ts";
import { EdgeError, type Edge, type EdgeRequest } from "../../../ports/edge.ts";

export interface DistributionSettings {
  readonly name: string;
  readonly id: string;
  readonly endpoint?: string | undefined;
  readonly region: string;
  readonly profile?: string | undefined;
  /** Patterns of one batch. */
  readonly patterns: number;
  readonly wildcards: number;
  readonly wildcard: "prefix" | "segment" | "none";
  /** Seconds until an unconfirmed invalidation counts as failed. */
  readonly confirmWithin: number;
}

/** The first look at a batch's status comes after this long, each later one after a little more. */
const FIRST_LOOK_MS = 250;
const LAST_LOOK_MS = 10_000;

/** A CDN that takes batches of path patterns over a REST and XML interface and tells their status. */
export function createDistributionEdge(settings: DistributionSettings, clock: Clock): Edge {
  const { name, endpoint, region, profile } = settings;
  process.env.AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED ??= "true";
  const client = new CloudFrontClient({
    region,
    ...(endpoint === undefined ? {} : { endpoint }),
    credentials: defaultProvider({
      ...(profile === undefined ? {} : { profile }),
      timeout: 1000,
      maxRetries: 0,
    }),
  });
  return {
    name,
    abilities: {
      mostPatterns: settings.patterns,
      takesEverything: settings.wildcards > 0 && settings.wildcard !== "none",
    },
    invalidate: (request) => invalidate(client, settings, request, clock),
    close: () => {
      client.destroy();
    },
  };
}

async function invalidate(
  client: CloudFrontClient,
  settings: DistributionSettings,
  { reference, patterns }: EdgeRequest,
  clock: Clock,
): Promise<void> {
  const { id, name } = settings;
  try {
    for (let start = 0; start < patterns.length; start += settings.patterns) {
      const batch = patterns.slice(start, start + settings.patterns);
      const command = new CreateInvalidationCommand({
        DistributionId: id,
        InvalidationBatch: {
          CallerReference: `${reference}-${start}`,
          Paths: { Quantity: batch.length, Items: [...batch] },
        },
      });
      const { Invalidation: created } = await client.send(command);
      await waitUntilConfirmed(client, settings, created?.Id ?? "", clock);
    }
  } catch (error) {
    if (error instanceof EdgeError) throw error;
    const {
      name: code,
      message,
      $metadata,
    } = error as { name: string; message: string; $metadata?: { httpStatusCode?: number } };
    const status = $metadata?.httpStatusCode;
    throw new EdgeError(
      name,
      message === "" ? code : message,
      { code, ...(status === undefined ? {} : { status }) },
      error,
    );
  }
}

async function waitUntilConfirmed(
  client: CloudFrontClient,
  { id, name, confirmWithin }: DistributionSettings,
  batch: string,
  clock: Clock,
): Promise<void> {
  const started = clock.monotonicMs();
  for (let waitMs = FIRST_LOOK_MS; ; waitMs = Math.min(LAST_LOOK_MS, waitMs * 1.5)) {
    const { Invalidation: found } = await client.send(
      new GetInvalidationCommand({ DistributionId: id, Id: batch }),
    );
    if (found?.Status === "Completed") return;
    if (clock.monotonicMs() - started > confirmWithin * 1000)
      throw new EdgeError(name, `not confirmed within ${confirmWithin} s`);
    await clock.sleep(waitMs);
  }
}
