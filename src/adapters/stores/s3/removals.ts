import { DeleteObjectCommand, DeleteObjectsCommand, type S3Client } from "@aws-sdk/client-s3";
import type { ObjectKey } from "../../../core/model/names.ts";
import { StoreError, type CountRequest } from "../../../ports/object-store.ts";
import type { S3Settings } from "./client.ts";
import { toOwnKey } from "./answers.ts";
import { isNotFound, toStoreError } from "./failures.ts";

/** Objects of one bulk delete; the protocol's limit. */
const DELETE_BATCH = 1000;

/** Removes objects, many at once where the store can, each only while what is expected stands where the store checks that. */
export class S3Removals {
  /** Stores that refuse bulk deletes get single ones; found out at the first refusal. */
  private bulkDelete = true;

  constructor(
    private readonly settings: S3Settings,
    private readonly client: S3Client,
    private readonly count: CountRequest,
  ) {}

  /** @returns keys that were left, since another state stood there */
  async remove(
    keys: readonly ObjectKey[],
    expected: ReadonlyMap<ObjectKey, string> | undefined,
  ): Promise<readonly ObjectKey[]> {
    const left: ObjectKey[] = [];
    for (let start = 0; start < keys.length; start += DELETE_BATCH)
      left.push(...(await this.removeBatch(keys.slice(start, start + DELETE_BATCH), expected)));
    return left;
  }

  private async removeBatch(
    keys: readonly ObjectKey[],
    expected: ReadonlyMap<ObjectKey, string> | undefined,
  ): Promise<readonly ObjectKey[]> {
    if (this.bulkDelete && keys.length > 1) {
      try {
        return await this.removeInBulk(keys, expected);
      } catch (error) {
        // Refused as such, not for a right: this store may have single deletes only, or none with ETags.
        const isUnknown = error instanceof StoreError && UNKNOWN.has(error.kind);
        if (!isUnknown) throw error;
        if (expected) return this.removeBatch(keys, undefined);
        this.bulkDelete = false;
      }
    }
    const left: ObjectKey[] = [];
    for (const key of keys) if (!(await this.removeOne(key, expected?.get(key)))) left.push(key);
    return left;
  }

  /** @returns whether it is gone */
  private async removeOne(key: ObjectKey, etag: string | undefined): Promise<boolean> {
    const { bucket: Bucket, prefix } = this.settings;
    this.count("delete");
    try {
      await this.client.send(
        new DeleteObjectCommand({
          ...{ Bucket, Key: prefix + key },
          ...(etag === undefined ? {} : { IfMatch: etag }),
        }),
      );
      return true;
    } catch (error) {
      if (isNotFound(error)) return true;
      const failure = toStoreError(error, { do: "remove", key }, this.settings);
      if (etag === undefined) throw failure;
      if (failure.kind === "precondition") return false;
      if (UNKNOWN.has(failure.kind)) return this.removeOne(key, undefined);
      throw failure;
    }
  }

  private async removeInBulk(
    keys: readonly ObjectKey[],
    expected: ReadonlyMap<ObjectKey, string> | undefined,
  ): Promise<readonly ObjectKey[]> {
    const { bucket: Bucket, prefix } = this.settings;
    const Objects = keys.map((key) => ({ Key: prefix + key, ETag: expected?.get(key) }));
    this.count("delete");
    const { Errors = [] } = await this.client
      .send(new DeleteObjectsCommand({ Bucket, Delete: { Objects, Quiet: true } }))
      .catch((error: unknown) => {
        throw toStoreError(error, { do: "remove-many", count: keys.length }, this.settings);
      });
    const left: ObjectKey[] = [];
    for (const { Key = "", Code, Message } of Errors) {
      if (Code === "NoSuchKey") continue;
      const failure = toStoreError(
        { name: Code, message: Message },
        { do: "remove", key: Key },
        this.settings,
      );
      if (failure.kind !== "precondition" || !expected) throw failure;
      left.push(toOwnKey(Key, prefix, false));
    }
    return left;
  }
}

/** How stores say that they don't know a kind of request, or a part of one. */
const UNKNOWN: ReadonlySet<StoreError["kind"]> = new Set<StoreError["kind"]>([
  "other",
  "conditions-unsupported",
]);
