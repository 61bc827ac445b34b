import {
  CreateBucketCommand,
  DeleteBucketPolicyCommand,
  GetBucketPolicyCommand,
  GetBucketTaggingCommand,
  GetBucketVersioningCommand,
  GetBucketWebsiteCommand,
  GetPublicAccessBlockCommand,
  HeadBucketCommand,
  PutBucketPolicyCommand,
  PutBucketTaggingCommand,
  PutBucketVersioningCommand,
  PutBucketWebsiteCommand,
  PutPublicAccessBlockCommand,
  type BucketLocationConstraint,
  type S3Client,
} from "@aws-sdk/client-s3";
import type { PublicBlock, Reading } from "../../../core/model/bucket.ts";
import type { WebsiteSettings } from "../../../core/model/website.ts";
import type { StoreAction } from "../../../core/model/store-action.ts";
import type { Policy } from "../../../core/model/policy.ts";
import type { Bucket } from "../../../ports/bucket.ts";
import { StoreError, type StoreErrorFacts } from "../../../ports/object-store.ts";
import { createClient, type S3Settings } from "./client.ts";
import { isNotFound, toStoreError } from "./failures.ts";
import { fromWebsite, toWebsite } from "./website.ts";

/** The bucket of any server of the S3 REST protocol. */
export function createS3Bucket(settings: S3Settings): Bucket {
  return new S3Bucket(settings, createClient(settings));
}

class S3Bucket implements Bucket {
  constructor(
    private readonly settings: S3Settings,
    private readonly client: S3Client,
  ) {}

  async isThere(): Promise<boolean> {
    try {
      await this.client.send(new HeadBucketCommand(this.bucket));
      return true;
    } catch (error) {
      // An answer to a HEAD has no body that could name the bucket.
      if ((error as { $metadata?: { httpStatusCode?: number } }).$metadata?.httpStatusCode === 404)
        return false;
      throw toStoreError(error, { do: "look-at-bucket" }, this.settings);
    }
  }

  async create(): Promise<void> {
    const { region, endpoint } = this.settings;
    const isUsual = region === undefined || region === "us-east-1";
    try {
      await this.createIn(isUsual ? undefined : region);
    } catch (error) {
      const { name } = error as Error;
      // Some stores answer so where it is ours already.
      if (name === "BucketAlreadyOwnedByYou") return;
      // A store of one's own has one place only, whatever it calls its region.
      if (/LocationConstraint/.test(name) && endpoint !== undefined) return this.createIn(undefined);
      if (name !== "BucketAlreadyExists") throw toStoreError(error, { do: "create-bucket" }, this.settings);
      const facts: StoreErrorFacts = { action: { do: "create-bucket" }, status: 409, code: name };
      throw new StoreError("bucket-taken", "the name is taken", facts, error);
    }
  }

  private async createIn(region: string | undefined): Promise<void> {
    const place =
      region === undefined
        ? {}
        : { CreateBucketConfiguration: { LocationConstraint: region as BucketLocationConstraint } };
    const command = new CreateBucketCommand({ ...this.bucket, ...place });
    // The SDK puts in the client's region where the request names no place, and a store may know no such place.
    if (region === undefined)
      command.middlewareStack.add(
        (next) => (args) => next({ ...args, input: { ...args.input, CreateBucketConfiguration: undefined } }),
        { step: "initialize", priority: "low" },
      );
    await this.client.send(command);
  }

  readWebsite(): Promise<Reading<WebsiteSettings>> {
    return this.read({ do: "read-website" }, async () => {
      const found = toWebsite(await this.client.send(new GetBucketWebsiteCommand(this.bucket)));
      return found.index === undefined ? undefined : found;
    });
  }

  async writeWebsite(website: WebsiteSettings): Promise<void> {
    const WebsiteConfiguration = fromWebsite(website);
    await this.write({ do: "write-website" }, () =>
      this.client.send(new PutBucketWebsiteCommand({ ...this.bucket, WebsiteConfiguration })),
    );
  }

  readPolicy(): Promise<Reading<Policy>> {
    return this.read({ do: "read-policy" }, async () => {
      const { Policy: text } = await this.client.send(new GetBucketPolicyCommand(this.bucket));
      return text === undefined || text === "" ? undefined : (JSON.parse(text) as Policy);
    });
  }

  async writePolicy(policy: Policy | undefined): Promise<void> {
    if (policy === undefined) {
      await this.write({ do: "remove-policy" }, () =>
        this.client.send(new DeleteBucketPolicyCommand(this.bucket)),
      );
      return;
    }
    const text = JSON.stringify(policy);
    await this.write({ do: "write-policy" }, () =>
      this.client.send(new PutBucketPolicyCommand({ ...this.bucket, Policy: text })),
    );
  }

  readPublicBlock(): Promise<Reading<PublicBlock>> {
    return this.read({ do: "read-block" }, async () => {
      const { PublicAccessBlockConfiguration: found } = await this.client.send(
        new GetPublicAccessBlockCommand(this.bucket),
      );
      const switches = {
        newLists: found?.BlockPublicAcls,
        lists: found?.IgnorePublicAcls,
        newPolicies: found?.BlockPublicPolicy,
        policies: found?.RestrictPublicBuckets,
      };
      // Some stores answer a question that they do not know with the list of the bucket.
      if (Object.values(switches).every((one) => one === undefined)) throw unknownHere({ do: "read-block" });
      const { newLists = false, lists = false, newPolicies = false, policies = false } = switches;
      return { newLists, lists, newPolicies, policies };
    });
  }

  async writePublicBlock({ newLists, lists, newPolicies, policies }: PublicBlock): Promise<void> {
    const PublicAccessBlockConfiguration = {
      BlockPublicAcls: newLists,
      IgnorePublicAcls: lists,
      BlockPublicPolicy: newPolicies,
      RestrictPublicBuckets: policies,
    };
    await this.write({ do: "write-block" }, () =>
      this.client.send(new PutPublicAccessBlockCommand({ ...this.bucket, PublicAccessBlockConfiguration })),
    );
  }

  readVersioning(): Promise<Reading<boolean>> {
    return this.read({ do: "read-versioning" }, async () => {
      const { Status } = await this.client.send(new GetBucketVersioningCommand(this.bucket));
      return Status === undefined ? undefined : Status === "Enabled";
    });
  }

  async keepVersions(): Promise<void> {
    const VersioningConfiguration = { Status: "Enabled" as const };
    await this.write({ do: "keep-versions" }, () =>
      this.client.send(new PutBucketVersioningCommand({ ...this.bucket, VersioningConfiguration })),
    );
  }

  readTags(): Promise<Reading<Readonly<Record<string, string>>>> {
    return this.read({ do: "read-tags" }, async () => {
      const { TagSet: tags = [] } = await this.client.send(new GetBucketTaggingCommand(this.bucket));
      return tags.length === 0
        ? undefined
        : Object.fromEntries(tags.map(({ Key = "", Value = "" }) => [Key, Value]));
    });
  }

  async writeTags(tags: Readonly<Record<string, string>>): Promise<void> {
    const TagSet = Object.entries(tags).map(([Key, Value]) => ({ Key, Value }));
    await this.write({ do: "write-tags" }, () =>
      this.client.send(new PutBucketTaggingCommand({ ...this.bucket, Tagging: { TagSet } })),
    );
  }

  close(): void {
    this.client.destroy();
  }

  private get bucket(): { Bucket: string } {
    return { Bucket: this.settings.bucket };
  }

  private async read<Value>(
    action: StoreAction,
    look: () => Promise<Value | undefined>,
  ): Promise<Reading<Value>> {
    try {
      const value = await look();
      return value === undefined ? { state: "unset" } : { state: "set", value };
    } catch (error) {
      if (isNotFound(error)) return { state: "unset" };
      const failure = toBucketError(error, action, this.settings);
      if (failure.kind === "denied") return { state: "denied", answer: describe(failure) };
      // Stores have many ways of not knowing a question.
      if (failure.kind === "unsupported" || failure.kind === "other")
        return { state: "unsupported", answer: describe(failure) };
      throw failure;
    }
  }

  private async write(action: StoreAction, change: () => Promise<unknown>): Promise<void> {
    try {
      await change();
    } catch (error) {
      throw toBucketError(error, action, this.settings);
    }
  }
}

const describe = ({ facts: { status, code } }: StoreError): string => `${status ?? ""} ${code ?? ""}`.trim();

const unknownHere = (action: StoreAction): StoreError =>
  new StoreError("unsupported", "an answer to another question", { action });

/** A request of this kind that is not known is told by its status, whatever the store calls it. */
function toBucketError(error: unknown, action: StoreAction, settings: S3Settings): StoreError {
  if (error instanceof StoreError) return error;
  const failure = toStoreError(error, action, settings);
  const { status, code } = failure.facts;
  const isUnknown = status === 501 || status === 405 || code === "NotImplemented";
  return isUnknown ? new StoreError("unsupported", failure.message, failure.facts, error) : failure;
}
