import {
  GetBucketWebsiteCommand,
  PutBucketWebsiteCommand,
  type GetBucketWebsiteCommandOutput,
  type S3Client,
} from "@aws-sdk/client-s3";
import type { ObjectKey } from "../../../core/model/names.ts";
import type { ObjectHeaders } from "../../../core/model/parcel.ts";
import type { StoreAction } from "../../../core/model/store-action.ts";
import type { WebsiteSettings } from "../../../core/model/website.ts";
import type {
  Condition,
  Content,
  CountRequest,
  ObjectVersions,
  StoreError,
  TryAgain,
} from "../../../ports/object-store.ts";
import { toConditions } from "./answers.ts";
import { createClient, type S3Settings } from "./client.ts";
import { toStoreError } from "./failures.ts";
import { toParameters } from "./headers.ts";
import { abandonUploads, copyInParts, sendInParts, type UploadTools } from "./multipart.ts";
import { createVersions } from "./versions.ts";
import { fromWebsite } from "./website.ts";

export interface PartsSource {
  readonly CopySource: string;
  readonly CopySourceIfMatch?: string;
  /** Bytes. */
  readonly size: number;
}

/**
 * Requests that few deliveries make, by the storage SDK as a whole. It takes a while to load, so this module is loaded when
 * the first of them is made. But for `versions` its calls throw the SDK's errors.
 */
export class RareRequests {
  readonly versions: ObjectVersions;
  private readonly client: S3Client;

  constructor(
    private readonly settings: S3Settings,
    private readonly count: CountRequest,
    private readonly again: TryAgain,
  ) {
    this.client = createClient(settings);
    this.versions = createVersions(settings, this.client, count);
  }

  /** @returns the ETag, as the store writes it; empty where it says none */
  sendInParts(
    key: ObjectKey,
    content: Content,
    headers: ObjectHeaders,
    condition?: Condition,
  ): Promise<string> {
    const tools = this.uploadTo(key, { do: "write", key });
    return sendInParts(tools, content, toParameters(headers), toConditions(condition));
  }

  copyInParts(
    action: { readonly do: "copy"; readonly from: ObjectKey; readonly to: ObjectKey },
    source: PartsSource,
    headers: ObjectHeaders,
    condition?: Condition,
  ): Promise<string> {
    const tools = this.uploadTo(action.to, action);
    return copyInParts(tools, source, toParameters(headers), toConditions(condition));
  }

  abandonUploads(names: ReadonlySet<string>): Promise<number> {
    return abandonUploads({ client: this.client, count: this.count }, this.settings.bucket, names);
  }

  readWebsite(): Promise<GetBucketWebsiteCommandOutput> {
    return this.client.send(new GetBucketWebsiteCommand({ Bucket: this.settings.bucket }));
  }

  async writeWebsite(settings: WebsiteSettings): Promise<void> {
    const WebsiteConfiguration = fromWebsite(settings);
    await this.client.send(
      new PutBucketWebsiteCommand({ Bucket: this.settings.bucket, WebsiteConfiguration }),
    );
  }

  close(): void {
    this.client.destroy();
  }

  private uploadTo(key: ObjectKey, action: StoreAction): UploadTools {
    const { client, count, again, settings } = this;
    const toFailure = (error: unknown): StoreError => toStoreError(error, action, settings);
    const address = { Bucket: settings.bucket, Key: settings.prefix + key };
    return { client, count, again, toFailure, address };
  }
}
