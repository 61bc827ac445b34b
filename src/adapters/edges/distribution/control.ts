import { hash } from "node:crypto";
import { ACMClient, ListCertificatesCommand } from "@aws-sdk/client-acm";
import {
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
import { answersRoutes } from "../../../core/edge-rules/function-code.ts";
import type { Reading } from "../../../core/model/bucket.ts";
import type {
  CacheRule,
  CertificateFacts,
  DistributionFacts,
  DistributionSetup,
} from "../../../core/model/distribution.ts";
import type { Clock } from "../../../ports/clock.ts";
import { ControlError, type DistributionControl } from "../../../ports/distribution.ts";
import { ControlCaller, toClientOptions, unlessUnknown, type ControlSettings } from "./caller.ts";
import { EdgeMeansControl } from "./edge-means.ts";
import {
  findOrigin,
  isSameCachePolicy,
  toCachePolicy,
  toNewConfig,
  toSetup,
  withChanges,
  type Referred,
} from "./setup.ts";

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
  private readonly caller: ControlCaller;
  private readonly means: EdgeMeansControl;
  private readonly certificates: ACMClient;
  private readonly seen = new Map<string, Read>();

  constructor(settings: ControlSettings, clock: Clock) {
    this.caller = new ControlCaller(settings, clock);
    this.means = new EdgeMeansControl(this.caller);
    this.certificates = new ACMClient(toClientOptions(settings));
  }

  private get client() {
    return this.caller.client;
  }

  async read(id: string): Promise<DistributionFacts | undefined> {
    const command = new GetDistributionCommand({ Id: id });
    const found = await this.caller
      .call("read-distribution", () => this.client.send(command))
      .catch(unlessUnknown);
    return found ? this.toFacts(found.Distribution, found.ETag) : undefined;
  }

  async find(mark: string): Promise<string | undefined> {
    const all = await this.caller.listAll("list-distributions", async (marker) => {
      const command = new ListDistributionsCommand({ ...(marker === undefined ? {} : { Marker: marker }) });
      const list = (await this.client.send(command)).DistributionList;
      return { items: list?.Items, next: list?.IsTruncated === true ? list.NextMarker : undefined };
    });
    return all.find(({ Comment }) => Comment === mark)?.Id;
  }

  async make(setup: DistributionSetup, mark: string): Promise<DistributionFacts> {
    const refer = await this.makeReferred(setup);
    // Whatever is asked for twice with the same reference is made once.
    const reference = `restless-courier-${hash("sha256", `${mark}\n${JSON.stringify(setup)}`).slice(0, 24)}`;
    const config = toNewConfig(setup, mark, reference, refer);
    const command = new CreateDistributionCommand({ DistributionConfig: config });
    const made = await this.caller.call("make-distribution", () => this.client.send(command));
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
    const changed = await this.caller.call("change-distribution", () => this.client.send(command));
    return this.toFacts(changed.Distribution, changed.ETag);
  }

  async listCertificates(): Promise<Reading<readonly CertificateFacts[]>> {
    try {
      const all = await this.caller.listAll("list-certificates", async (next) => {
        const command = new ListCertificatesCommand({
          Includes: { keyTypes: [...KEY_TYPES] },
          ...(next === undefined ? {} : { NextToken: next }),
        });
        const page = await this.certificates.send(command);
        return { items: page.CertificateSummaryList, next: page.NextToken };
      });
      const certificates = all.map((one) => ({
        reference: one.CertificateArn ?? "",
        names: [...new Set([one.DomainName ?? "", ...(one.SubjectAlternativeNameSummaries ?? [])])],
        ...(one.NotAfter === undefined ? {} : { until: one.NotAfter.toISOString() }),
        isIssued: one.Status === "ISSUED",
      }));
      return certificates.length === 0 ? { state: "unset" } : { state: "set", value: certificates };
    } catch (error) {
      if (!(error instanceof ControlError) || error.failure.kind !== "denied") throw error;
      return { state: "denied", answer: error.failure.answer ?? "" };
    }
  }

  close(): void {
    this.caller.close();
    this.certificates.destroy();
  }

  private async toFacts(raw: Distribution | undefined, version = ""): Promise<DistributionFacts> {
    const { Id: id = "", DomainName: domain = "", Status, DistributionConfig: config } = raw ?? {};
    if (!config) throw new ControlError("read-distribution", { kind: "other", answer: "an empty answer" });
    this.seen.set(id, { config, version });
    const policyId = config.DefaultCacheBehavior?.CachePolicyId ?? "";
    const accessId = findOrigin(config)?.OriginAccessControlId ?? "";
    const headersId = config.DefaultCacheBehavior?.ResponseHeadersPolicyId ?? "";
    const setup = toSetup(config, {
      headersPolicy:
        headersId === "" ? undefined : { id: headersId, name: (await this.means.readPolicy(headersId)).name },
      cachePolicy: policyId === "" ? undefined : await this.readCachePolicy(policyId),
      isSigned: accessId !== "" && (await this.isSigned(accessId)),
    });
    const code =
      setup.viewerFunction === undefined ? undefined : await this.means.readCode(setup.viewerFunction);
    return {
      ...{ ...setup, id, domain, isDeployed: Status === "Deployed" },
      ...(code === undefined ? {} : { answersRoutes: answersRoutes(code) }),
    };
  }

  private async readCachePolicy(id: string) {
    const command = new GetCachePolicyCommand({ Id: id });
    return (await this.caller.call("read-cache-policy", () => this.client.send(command))).CachePolicy
      ?.CachePolicyConfig;
  }

  private async isSigned(id: string): Promise<boolean> {
    const command = new GetOriginAccessControlCommand({ Id: id });
    const found = await this.caller
      .call("read-origin-access", () => this.client.send(command))
      .catch(unlessUnknown);
    const config = found?.OriginAccessControl?.OriginAccessControlConfig;
    return config?.OriginAccessControlOriginType === "s3" && config.SigningBehavior === "always";
  }

  /** What a configuration can only refer to is there before it is. */
  private async makeReferred(changes: Partial<DistributionSetup>): Promise<Referred> {
    const { cache, origin, viewerFunction: name, headersPolicy } = changes;
    return {
      ...(cache === undefined ? {} : { cachePolicyId: await this.makeCachePolicy(cache) }),
      ...(origin?.access === "signed" ? { originAccessId: await this.makeOriginAccess() } : {}),
      ...(name === undefined ? {} : { functionArn: await this.means.makeFunction(name) }),
      ...(headersPolicy === undefined
        ? {}
        : { headersPolicyId: headersPolicy.id || (await this.means.makePolicy(headersPolicy.name)) }),
    };
  }

  private async makeCachePolicy(rule: CacheRule): Promise<string> {
    const wanted = toCachePolicy(rule);
    const all = await this.caller.listAll("list-cache-policies", async (marker) => {
      const list = new ListCachePoliciesCommand({
        Type: "custom",
        ...(marker === undefined ? {} : { Marker: marker }),
      });
      const page = (await this.client.send(list)).CachePolicyList;
      return { items: page?.Items, next: page?.NextMarker };
    });
    const found = all.find(({ CachePolicy: one }) => {
      const config = one?.CachePolicyConfig;
      return config !== undefined && config.Name === wanted.Name && isSameCachePolicy(config, wanted);
    });
    if (found) return found.CachePolicy?.Id ?? "";
    const make = new CreateCachePolicyCommand({ CachePolicyConfig: wanted });
    return (await this.caller.call("make-cache-policy", () => this.client.send(make))).CachePolicy?.Id ?? "";
  }

  private async makeOriginAccess(): Promise<string> {
    const all = await this.caller.listAll("list-origin-access", async (marker) => {
      const list = new ListOriginAccessControlsCommand({
        ...(marker === undefined ? {} : { Marker: marker }),
      });
      const page = (await this.client.send(list)).OriginAccessControlList;
      return { items: page?.Items, next: page?.IsTruncated === true ? page.NextMarker : undefined };
    });
    const found = all.find(
      ({ Name, SigningBehavior, OriginAccessControlOriginType: kind }) =>
        Name === ORIGIN_ACCESS.Name && SigningBehavior === "always" && kind === "s3",
    );
    if (found) return found.Id ?? "";
    const make = new CreateOriginAccessControlCommand({ OriginAccessControlConfig: ORIGIN_ACCESS });
    return (
      (await this.caller.call("make-origin-access", () => this.client.send(make))).OriginAccessControl?.Id ??
      ""
    );
  }
}
