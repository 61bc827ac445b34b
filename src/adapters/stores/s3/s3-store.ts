import { Readable } from "node:stream";
import {
  CopyObjectCommand,
  GetBucketWebsiteCommand,
  GetObjectCommand,
  HeadObjectCommand,
  ListObjectsV2Command,
  PutBucketWebsiteCommand,
  PutObjectCommand,
  type S3Client,
} from "@aws-sdk/client-s3";
import type { ObjectKey } from "../../../core/model/names.ts";
import type { WebsiteSettings } from "../../../core/model/website.ts";
import type { ObjectHeaders } from "../../../core/model/parcel.ts";
import type { StoreAction } from "../../../core/model/store-action.ts";
import {
  NEVER_AGAIN,
  StoreError,
  type Condition,
  type Content,
  type CopySource,
  type CountRequest,
  type ListPage,
  type ObjectFacts,
  type ObjectStore,
  type ObjectVersions,
  type ReadObject,
  type StoreLocation,
  type TryAgain,
  type Written,
} from "../../../ports/object-store.ts";
import { guardBody, PageWatch, toConditions, toHash, toListed } from "./answers.ts";
import { fromWebsite, toWebsite } from "./website.ts";
import { createAnonymousClient, createClient, type S3Settings } from "./client.ts";
import { fromParameters, toParameters, unquoted } from "./headers.ts";
import { isNotFound, toStoreError } from "./failures.ts";
import { S3Removals } from "./removals.ts";
import { createVersions } from "./versions.ts";
import {
  abandonUploads,
  copyInParts,
  LARGEST_COPY,
  MULTIPART_BYTES,
  sendInParts,
  type UploadTools,
} from "./multipart.ts";

/** Any server of the S3 REST protocol. */
export function createS3Store(
  settings: S3Settings,
  count: CountRequest,
  again: TryAgain = NEVER_AGAIN,
): ObjectStore {
  return new S3Store(settings, createClient(settings), count, again);
}

class S3Store implements ObjectStore {
  readonly location: StoreLocation;
  readonly carriesHeaders = true;
  /** Stores that can't copy a part get plain copies. */
  private partCopies = true;
  readonly versions: ObjectVersions;
  private readonly removals: S3Removals;

  constructor(
    private readonly settings: S3Settings,
    private readonly client: S3Client,
    private readonly count: CountRequest,
    private readonly again: TryAgain,
  ) {
    const { bucket, prefix, region, endpoint } = settings;
    this.location = { bucket, prefix, region: region ?? "", endpoint: endpoint ?? "its default address" };
    this.versions = createVersions(settings, client, count);
    this.removals = new S3Removals(settings, client, count);
  }

  async *list(below = ""): AsyncIterable<ListPage> {
    const { prefix } = this.location;
    let token: string | undefined;
    const pages = new PageWatch();
    do {
      this.count("list");
      const page = await this.try({ do: "list" }, () =>
        this.client.send(
          new ListObjectsV2Command({
            ...this.bucket,
            Prefix: prefix + below,
            EncodingType: "url",
            ContinuationToken: token,
          }),
        ),
      );
      const objects = (page.Contents ?? []).map((object) =>
        toListed(object, prefix, page.EncodingType === "url"),
      );
      yield { objects, storeTimeMs: (page.$metadata as { storeTimeMs?: number }).storeTimeMs };
      token = page.IsTruncated === true ? page.NextContinuationToken : undefined;
      pages.watch(token, objects.length);
    } while (token !== undefined);
  }

  async head(key: ObjectKey): Promise<ObjectFacts | undefined> {
    this.count("head");
    return this.orNothing({ do: "look", key }, key, async () => {
      const found = await this.client.send(
        new HeadObjectCommand({ ...this.address(key), ChecksumMode: "ENABLED" }),
      );
      const hash = toHash(found);
      return {
        size: found.ContentLength ?? 0,
        etag: unquoted(found.ETag),
        headers: fromParameters(found),
        ...(hash === undefined ? {} : { hash }),
      };
    });
  }

  async get(key: ObjectKey): Promise<ReadObject | undefined> {
    this.count("get");
    return this.orNothing({ do: "read", key }, key, async () => {
      const found = await this.client.send(new GetObjectCommand(this.address(key)));
      const body = guardBody(found.Body as Readable, { do: "read", key }, this.settings);
      return {
        size: found.ContentLength ?? 0,
        etag: unquoted(found.ETag),
        headers: fromParameters(found),
        body,
      };
    });
  }

  async put(
    key: ObjectKey,
    content: Content,
    headers: ObjectHeaders,
    condition?: Condition,
  ): Promise<Written> {
    if (content.size >= MULTIPART_BYTES) return this.putInParts(key, content, headers, condition);
    this.count("put");
    return this.tryConditional({ do: "write", key }, condition, async () => {
      const body = content.open();
      const written = await this.client.send(
        new PutObjectCommand({
          ...this.address(key),
          ...toParameters(headers),
          ...toConditions(condition),
          Body: body as Readable | Uint8Array,
          ContentLength: content.size,
          // Taken up by the client's middleware (client.ts): the hash goes along signed, and the store checks it.
          ChecksumSHA256: content.hash,
        }),
      );
      return { etag: unquoted(written.ETag) };
    });
  }

  private async putInParts(
    key: ObjectKey,
    content: Content,
    headers: ObjectHeaders,
    condition?: Condition,
  ): Promise<Written> {
    const etag = await this.tryConditional({ do: "write", key }, condition, () =>
      sendInParts(
        this.uploadTo(key, { do: "write", key }),
        content,
        toParameters(headers),
        toConditions(condition),
      ),
    );
    // Some stores put the parts together and say no ETag.
    return { etag: unquoted(etag) || ((await this.head(key))?.etag ?? "") };
  }

  async copy(
    from: CopySource,
    to: ObjectKey,
    headers?: ObjectHeaders,
    condition?: Condition,
  ): Promise<Written> {
    const source = `${this.location.bucket}/${this.location.prefix}${from.key}`;
    const wanted = {
      CopySource: encodeURIComponent(source).replace(/%2F/g, "/"),
      ...(from.etag === undefined ? {} : { CopySourceIfMatch: from.etag }),
    };
    const isLarge = (from.size ?? 0) > LARGEST_COPY;
    if (isLarge || (from.freshEtag === true && this.partCopies)) {
      const source = { ...wanted, key: from.key, size: from.size ?? 0 };
      const copied = await this.copyInParts(source, to, headers, condition);
      if (copied) return copied;
    }
    this.count("copy");
    return this.tryCopy({ do: "copy", from: from.key, to }, from.key, async () => {
      const copied = await this.client.send(
        new CopyObjectCommand({
          ...this.address(to),
          ...wanted,
          ...toConditions(condition),
          ...(headers
            ? { MetadataDirective: "REPLACE", ...toParameters(headers) }
            : { MetadataDirective: "COPY" }),
        }),
      );
      return { etag: unquoted(copied.CopyObjectResult?.ETag) };
    });
  }

  /** Undefined where this store can't: then a plain copy must do. */
  private async copyInParts(
    { key: from, ...source }: Parameters<typeof copyInParts>[1] & { readonly key: ObjectKey },
    to: ObjectKey,
    headers: ObjectHeaders | undefined,
    condition: Condition | undefined,
  ): Promise<Written | undefined> {
    const labels = headers ?? (await this.head(from))?.headers ?? {};
    try {
      const etag = await this.tryCopy({ do: "copy", from, to }, from, () =>
        copyInParts(
          this.uploadTo(to, { do: "copy", from, to }),
          source,
          toParameters(labels),
          toConditions(condition),
        ),
      );
      return { etag: unquoted(etag) || ((await this.head(to))?.etag ?? "") };
    } catch (error) {
      const cannot = error instanceof StoreError && ["other", "conditions-unsupported"].includes(error.kind);
      if (!cannot || source.size > LARGEST_COPY) throw error;
      this.partCopies = false;
      return undefined;
    }
  }

  async abandonUploads(keys: ReadonlySet<ObjectKey>): Promise<number> {
    const names = new Set([...keys].map((key) => this.location.prefix + key));
    return this.try({ do: "find-uploads" }, () =>
      abandonUploads({ client: this.client, count: this.count }, this.location.bucket, names),
    );
  }

  private uploadTo(key: ObjectKey, action: StoreAction): UploadTools {
    const { client, count, again, settings } = this;
    const toFailure = (error: unknown): StoreError => toStoreError(error, action, settings);
    return { client, count, again, toFailure, address: this.address(key) };
  }

  remove(
    keys: readonly ObjectKey[],
    expected?: ReadonlyMap<ObjectKey, string>,
  ): Promise<readonly ObjectKey[]> {
    return this.removals.remove(keys, expected);
  }

  async readWebsite(): Promise<WebsiteSettings | undefined> {
    this.count("get");
    return this.orNothing({ do: "read-website" }, undefined, async () =>
      toWebsite(await this.client.send(new GetBucketWebsiteCommand(this.bucket))),
    );
  }

  async writeWebsite(settings: WebsiteSettings): Promise<void> {
    this.count("put");
    const WebsiteConfiguration = fromWebsite(settings);
    await this.try({ do: "write-website" }, () =>
      this.client.send(new PutBucketWebsiteCommand({ ...this.bucket, WebsiteConfiguration })),
    );
  }

  async isPublic(key: ObjectKey): Promise<boolean> {
    this.count("head");
    const anybody = createAnonymousClient(this.settings);
    try {
      await anybody.send(new HeadObjectCommand(this.address(key)));
      return true;
    } catch {
      // What can't be reached unsigned is not public from here.
      return false;
    } finally {
      anybody.destroy();
    }
  }

  close(): void {
    this.client.destroy();
  }

  private get bucket(): { Bucket: string } {
    return { Bucket: this.location.bucket };
  }

  private address(key: ObjectKey): { Bucket: string; Key: string } {
    return { ...this.bucket, Key: this.location.prefix + key };
  }

  /** A copy whose source is gone, as one whose source changed. */
  private async tryCopy<T>(action: StoreAction, from: ObjectKey, call: () => Promise<T>): Promise<T> {
    const copied = await this.orNothing(action, from, call);
    if (copied !== undefined) return copied;
    throw new StoreError("precondition", "what was to be copied is gone", { action, status: 404 });
  }

  /** A write over an object that is gone: stores answer 404 to its `If-Match`, which is a failed condition all the same. */
  private tryConditional<T>(
    action: StoreAction,
    condition: Condition | undefined,
    call: () => Promise<T>,
  ): Promise<T> {
    return this.try(action, async () => {
      try {
        return await call();
      } catch (error) {
        const isGone = condition && "ifEtag" in condition && (error as Error).name === "NoSuchKey";
        if (!isGone) throw error;
        throw new StoreError(
          "precondition",
          "what was to be written over is gone",
          { action, status: 404 },
          error,
        );
      }
    });
  }

  private async try<T>(action: StoreAction, call: () => Promise<T>): Promise<T> {
    try {
      return await call();
    } catch (error) {
      throw error instanceof StoreError ? error : toStoreError(error, action, this.settings);
    }
  }

  /** @param key what may be missing; undefined: no object */
  private async orNothing<T>(
    action: StoreAction,
    key: ObjectKey | undefined,
    call: () => Promise<T>,
  ): Promise<T | undefined> {
    try {
      return await call();
    } catch (error) {
      if (isNotFound(error)) return undefined;
      const failure = toStoreError(error, action, this.settings);
      if (failure.kind === "denied" && key !== undefined && (await this.isMissing(key))) return undefined;
      throw failure;
    }
  }

  /**
   * Whoever may list only below a prefix is told 'denied' of what is missing, since the question names no prefix: the list
   * tells. Where that is denied too, nobody can say.
   */
  private async isMissing(key: ObjectKey): Promise<boolean> {
    const Prefix = this.location.prefix + key;
    this.count("list");
    try {
      const page = await this.client.send(
        new ListObjectsV2Command({ ...this.bucket, Prefix, EncodingType: "url", MaxKeys: 1 }),
      );
      return !(page.Contents ?? []).some(
        (object) => toListed(object, this.location.prefix, page.EncodingType === "url").key === key,
      );
    } catch {
      return false;
    }
  }
}
