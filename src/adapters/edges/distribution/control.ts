import { hash } from "node:crypto";
import { ACMClient, ListCertificatesCommand } from "@aws-sdk/client-acm";
import {
  CloudFrontClient,
  CreateCachePolicyCommand,
  CreateDistributionCommand,
  CreateOriginAccessControlCommand,
  GetCachePolicyCommand,
  GetDistributionCommand,
  GetOriginAccessControlCommand,
  ListCachePoliciesCommand,
  ListDistributionsCommand,
  ListOriginAccessControlsCommand,
  UpdateDistributionCommand,
  type Distribution,
  type DistributionConfig,
} from "@aws-sdk/client-cloudfront";
import { DEFAULT_RETRIES, decideWaitMs } from "../../../core/delivery/retry.ts";
import type { Reading } from "../../../core/model/bucket.ts";
import type {
  CacheRule,
  CertificateFacts,
  ControlAction,
  DistributionFacts,
  DistributionSetup,
} from "../../../core/model/distribution.ts";
import type { Clock } from "../../../ports/clock.ts";
import { ControlError, type ControlFailure, type DistributionControl } from "../../../ports/distribution.ts";
import { BoundedHandler } from "../../bounded-handler.ts";
import type { StopSignal } from "../../bounds.ts";
import { createCredentials, type CredentialSettings } from "../../credentials.ts";
import { toEdgeError } from "./failures.ts";
import {
  findOrigin,
  isSameCachePolicy,
  toCachePolicy,
  toNewConfig,
  toSetup,
  withChanges,
  type Referred,
} from "./setup.ts";

export interface ControlSettings extends CredentialSettings {
  /** The edge's name within its destination. */
  readonly name: string;
  readonly endpoint?: string | undefined;
  readonly region: string;
  /** Gives up what is read; absent: nobody does. */
  readonly stop?: StopSignal | undefined;
}

/** One origin access control serves all distributions of an account. */
const ORIGIN_ACCESS = {
  Name: "restless-courier-signed",
  Description: "made by rcourier provision",
  OriginAccessControlOriginType: "s3",
  SigningBehavior: "always",
  SigningProtocol: "sigv4",
} as const;

/** The kinds of keys that visitors' connections can be given; without them the interface lists two kinds only. */
const KEY_TYPES = ["RSA_2048", "RSA_3072", "RSA_4096", "EC_prime256v1", "EC_secp384r1"] as const;

/** The setup of distributions over a REST and XML interface. What is changed is guarded by `If-Match`. */
export function createDistributionControl(settings: ControlSettings, clock: Clock): DistributionControl {
  return new Control(settings, clock);
}

/** What was read last of a distribution, and may be changed. */
interface Read {
  readonly config: DistributionConfig;
  readonly version: string;
}

class Control implements DistributionControl {
  private readonly client: CloudFrontClient;
  private readonly certificates: ACMClient;
  private readonly seen = new Map<string, Read>();

  constructor(
    private readonly settings: ControlSettings,
    private readonly clock: Clock,
  ) {
    const { endpoint, region, stop } = settings;
    const common = {
      region,
      maxAttempts: 1,
      ...(endpoint === undefined ? {} : { endpoint }),
      credentials: createCredentials(settings),
    };
    this.client = new CloudFrontClient({ ...common, requestHandler: new BoundedHandler({ stop }) });
    this.certificates = new ACMClient({ ...common, requestHandler: new BoundedHandler({ stop }) });
  }

  async read(id: string): Promise<DistributionFacts | undefined> {
    const command = new GetDistributionCommand({ Id: id });
    const found = await this.call("read-distribution", () => this.client.send(command)).catch(unlessUnknown);
    return found ? this.toFacts(found.Distribution, found.ETag) : undefined;
  }

  async find(mark: string): Promise<string | undefined> {
    for (let marker: string | undefined; ;) {
      const command = new ListDistributionsCommand({ ...(marker === undefined ? {} : { Marker: marker }) });
      const list = (await this.call("list-distributions", () => this.client.send(command))).DistributionList;
      const found = list?.Items?.find(({ Comment }) => Comment === mark);
      if (found) return found.Id;
      marker = list?.NextMarker;
      if (list?.IsTruncated !== true || marker === undefined || marker === "") return undefined;
    }
  }

  async make(setup: DistributionSetup, mark: string): Promise<DistributionFacts> {
    const refer = await this.makeReferred(setup);
    // Whatever is asked for twice with the same reference is made once.
    const reference = `restless-courier-${hash("sha256", `${mark}\n${JSON.stringify(setup)}`).slice(0, 24)}`;
    const config = toNewConfig(setup, mark, reference, refer);
    const command = new CreateDistributionCommand({ DistributionConfig: config });
    const made = await this.call("make-distribution", () => this.client.send(command));
    return this.toFacts(made.Distribution, made.ETag);
  }

  async change(id: string, changes: Partial<DistributionSetup>): Promise<DistributionFacts> {
    const read = this.seen.get(id);
    if (!read) throw new Error(`the distribution ${id} was not read`);
    const refer = await this.makeReferred(changes);
    const command = new UpdateDistributionCommand({
      Id: id,
      IfMatch: read.version,
      DistributionConfig: withChanges(read.config, changes, refer),
    });
    const changed = await this.call("change-distribution", () => this.client.send(command));
    return this.toFacts(changed.Distribution, changed.ETag);
  }

  async listCertificates(): Promise<Reading<readonly CertificateFacts[]>> {
    const certificates: CertificateFacts[] = [];
    try {
      for (let next: string | undefined; ;) {
        const command = new ListCertificatesCommand({
          Includes: { keyTypes: [...KEY_TYPES] },
          ...(next === undefined ? {} : { NextToken: next }),
        });
        const page = await this.call("list-certificates", () => this.certificates.send(command));
        for (const one of page.CertificateSummaryList ?? [])
          certificates.push({
            reference: one.CertificateArn ?? "",
            names: [...new Set([one.DomainName ?? "", ...(one.SubjectAlternativeNameSummaries ?? [])])],
            ...(one.NotAfter === undefined ? {} : { until: one.NotAfter.toISOString() }),
            isIssued: one.Status === "ISSUED",
          });
        next = page.NextToken;
        if (next === undefined || next === "") break;
      }
    } catch (error) {
      if (!(error instanceof ControlError) || error.failure.kind !== "denied") throw error;
      return { state: "denied", answer: error.failure.answer ?? "" };
    }
    return certificates.length === 0 ? { state: "unset" } : { state: "set", value: certificates };
  }

  close(): void {
    this.client.destroy();
    this.certificates.destroy();
  }

  private async toFacts(raw: Distribution | undefined, version = ""): Promise<DistributionFacts> {
    const { Id: id = "", DomainName: domain = "", Status, DistributionConfig: config } = raw ?? {};
    if (!config) throw new ControlError("read-distribution", { kind: "other", answer: "an empty answer" });
    this.seen.set(id, { config, version });
    const policyId = config.DefaultCacheBehavior?.CachePolicyId ?? "";
    const accessId = findOrigin(config)?.OriginAccessControlId ?? "";
    const setup = toSetup(config, {
      cachePolicy: policyId === "" ? undefined : await this.readCachePolicy(policyId),
      isSigned: accessId !== "" && (await this.isSigned(accessId)),
    });
    return { ...setup, id, domain, isDeployed: Status === "Deployed" };
  }

  private async readCachePolicy(id: string) {
    const command = new GetCachePolicyCommand({ Id: id });
    return (await this.call("read-cache-policy", () => this.client.send(command))).CachePolicy
      ?.CachePolicyConfig;
  }

  private async isSigned(id: string): Promise<boolean> {
    const command = new GetOriginAccessControlCommand({ Id: id });
    const found = await this.call("read-origin-access", () => this.client.send(command)).catch(unlessUnknown);
    const config = found?.OriginAccessControl?.OriginAccessControlConfig;
    return config?.OriginAccessControlOriginType === "s3" && config.SigningBehavior === "always";
  }

  /** What a configuration can only refer to is there before it is. */
  private async makeReferred({ cache, origin }: Partial<DistributionSetup>): Promise<Referred> {
    return {
      ...(cache === undefined ? {} : { cachePolicyId: await this.makeCachePolicy(cache) }),
      ...(origin?.access === "signed" ? { originAccessId: await this.makeOriginAccess() } : {}),
    };
  }

  private async makeCachePolicy(rule: CacheRule): Promise<string> {
    const wanted = toCachePolicy(rule);
    for (let marker: string | undefined; ;) {
      const list = new ListCachePoliciesCommand({
        Type: "custom",
        ...(marker === undefined ? {} : { Marker: marker }),
      });
      const page = (await this.call("list-cache-policies", () => this.client.send(list))).CachePolicyList;
      const found = (page?.Items ?? []).find(({ CachePolicy: one }) => {
        const config = one?.CachePolicyConfig;
        return config !== undefined && config.Name === wanted.Name && isSameCachePolicy(config, wanted);
      });
      if (found) return found.CachePolicy?.Id ?? "";
      marker = page?.NextMarker;
      if (marker === undefined || marker === "") break;
    }
    const make = new CreateCachePolicyCommand({ CachePolicyConfig: wanted });
    return (await this.call("make-cache-policy", () => this.client.send(make))).CachePolicy?.Id ?? "";
  }

  private async makeOriginAccess(): Promise<string> {
    for (let marker: string | undefined; ;) {
      const list = new ListOriginAccessControlsCommand({
        ...(marker === undefined ? {} : { Marker: marker }),
      });
      const page = (await this.call("list-origin-access", () => this.client.send(list)))
        .OriginAccessControlList;
      const found = (page?.Items ?? []).find(
        ({ Name, SigningBehavior, OriginAccessControlOriginType: kind }) =>
          Name === ORIGIN_ACCESS.Name && SigningBehavior === "always" && kind === "s3",
      );
      if (found) return found.Id ?? "";
      marker = page?.NextMarker;
      if (page?.IsTruncated !== true || marker === undefined || marker === "") break;
    }
    const make = new CreateOriginAccessControlCommand({ OriginAccessControlConfig: ORIGIN_ACCESS });
    return (
      (await this.call("make-origin-access", () => this.client.send(make))).OriginAccessControl?.Id ?? ""
    );
  }

  /** One call, tried again where that can help. */
  private async call<T>(action: ControlAction, send: () => Promise<T>): Promise<T> {
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
}

function toControlFailure(error: unknown, failure: ControlFailure): ControlFailure {
  const { name, message } = error as Error;
  if (name === "PreconditionFailed" || name === "InvalidIfMatchVersion")
    return { kind: "changed", answer: message };
  if (name === "CNAMEAlreadyExists") return { kind: "name-taken", answer: message };
  return failure;
}

function unlessUnknown(error: unknown): undefined {
  if (error instanceof ControlError && error.failure.kind === "not-found") return undefined;
  throw error;
}
