import { CloudFrontClient } from "@aws-sdk/client-cloudfront";
import { DEFAULT_RETRIES, decideWaitMs } from "../../../core/delivery/retry.ts";
import type { ControlAction } from "../../../core/model/distribution.ts";
import type { Clock } from "../../../ports/clock.ts";
import { ControlError, type ControlFailure } from "../../../ports/distribution.ts";
import { BoundedHandler } from "../../bounded-handler.ts";
import type { StopSignal } from "../../bounds.ts";
import { createCredentials, type CredentialSettings } from "../../credentials/credentials.ts";
import { toEdgeError } from "./failures.ts";

export interface ControlSettings extends CredentialSettings {
  /** The edge's name within its destination. */
  readonly name: string;
  readonly endpoint?: string | undefined;
  readonly region: string;
  /** Gives up what is read; absent: nobody does. */
  readonly stop?: StopSignal | undefined;
}

/** What clients of the interface have in common: one attempt a call, since trying again is `ControlCaller`'s. */
export const toClientOptions = (settings: ControlSettings) => ({
  region: settings.region,
  maxAttempts: 1,
  ...(settings.endpoint === undefined ? {} : { endpoint: settings.endpoint }),
  credentials: createCredentials(settings),
  requestHandler: new BoundedHandler({ stop: settings.stop }),
});

/** Calls of the REST and XML interface by which distributions are set up. */
export class ControlCaller {
  readonly client: CloudFrontClient;

  constructor(
    private readonly settings: ControlSettings,
    private readonly clock: Clock,
  ) {
    this.client = new CloudFrontClient(toClientOptions(settings));
  }

  /** One call, tried again where that can help. Its failure is a `ControlError`. */
  async call<T>(action: ControlAction, send: () => Promise<T>): Promise<T> {
    for (let tried = 1; ; tried++) {
      try {
        return await send();
      } catch (error) {
        const { failure, isTransient } = toEdgeError(error, { name: this.settings.name, id: "" });
        const waitMs = isTransient ? decideWaitMs(DEFAULT_RETRIES, tried, this.clock.random()) : undefined;
        if (waitMs === undefined)
          throw new ControlError(action, toControlFailure(error, failure.failure), error);
        await this.clock.sleep(waitMs);
      }
    }
  }

  /** All items of a list that comes in pages. */
  async listAll<Item>(
    action: ControlAction,
    askFor: (
      marker: string | undefined,
    ) => Promise<{ readonly items: readonly Item[] | undefined; readonly next: string | undefined }>,
  ): Promise<Item[]> {
    const all: Item[] = [];
    for (let marker: string | undefined; ;) {
      const { items = [], next } = await this.call(action, () => askFor(marker));
      all.push(...items);
      if (next === undefined || next === "") return all;
      marker = next;
    }
  }

  close(): void {
    this.client.destroy();
  }
}

function toControlFailure(error: unknown, failure: ControlFailure): ControlFailure {
  const { name, message } = error as Error;
  if (name === "PreconditionFailed" || name === "InvalidIfMatchVersion")
    return { kind: "changed", answer: message };
  if (name === "CNAMEAlreadyExists") return { kind: "name-taken", answer: message };
  return failure;
}

/** Turns what is not there into nothing. */
export function unlessUnknown(error: unknown): undefined {
  if (error instanceof ControlError && error.failure.kind === "not-found") return undefined;
  throw error;
}
