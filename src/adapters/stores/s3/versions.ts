import type { Readable } from "node:stream";
import {
  DeleteObjectsCommand,
  GetObjectCommand,
  GetObjectLockConfigurationCommand,
  ListObjectVersionsCommand,
  type S3Client,
} from "@aws-sdk/client-s3";
import {
  StoreError,
  type CountRequest,
  type ObjectVersion,
  type ObjectVersions,
} from "../../../ports/object-store.ts";
import type { StoreAction } from "../../../core/model/store-action.ts";
import type { S3Settings } from "./client.ts";
import { decodeName, PageWatch, toOwnKey } from "./answers.ts";
import { isNotFound, toStoreError } from "./failures.ts";
import { fromParameters, unquoted } from "./headers.ts";

/** Versions of one bulk delete; the protocol's limit. */
const DELETE_BATCH = 1000;

/** The versions that a bucket keeps, below the prefix of a destination. */
export function createVersions(settings: S3Settings, client: S3Client, count: CountRequest): ObjectVersions {
  const { bucket: Bucket, prefix } = settings;
  const attempt: Attempt = async (action, call) => {
    try {
      return await call();
    } catch (error) {
      throw toStoreError(error, action, settings);
    }
  };
  return {
    list: () => listVersions({ settings, client, count, attempt }),
    async read({ key, id }: ObjectVersion) {
      count("get");
      try {
        const found = await client.send(new GetObjectCommand({ Bucket, Key: prefix + key, VersionId: id }));
        const { ContentLength: size = 0, ETag } = found;
        return { size, etag: unquoted(ETag), headers: fromParameters(found), body: found.Body as Readable };
      } catch (error) {
        if (isNotFound(error)) return undefined;
        throw toStoreError(error, { do: "read-version", key }, settings);
      }
    },
    async remove(versions: readonly ObjectVersion[]) {
      for (let start = 0; start < versions.length; start += DELETE_BATCH) {
        const batch = versions.slice(start, start + DELETE_BATCH);
        count("delete");
        const Objects = batch.map(({ key, id }) => ({ Key: prefix + key, VersionId: id }));
        const action = { do: "delete-versions" } as const;
        const { Errors = [] } = await attempt(action, () =>
          client.send(new DeleteObjectsCommand({ Bucket, Delete: { Objects, Quiet: true } })),
        );
        const [failed] = Errors.filter(({ Code }) => Code !== "NoSuchVersion" && Code !== "NoSuchKey");
        if (failed) throw toStoreError({ name: failed.Code, message: failed.Message }, action, settings);
      }
    },
    async isLocked() {
      count("get");
      try {
        const found = await client.send(new GetObjectLockConfigurationCommand({ Bucket }));
        return found.ObjectLockConfiguration?.ObjectLockEnabled === "Enabled";
      } catch (error) {
        const failure = toStoreError(error, { do: "read-lock" }, settings);
        // Not set, not known, or not to be asked: then a removal tells.
        if (isNotFound(error) || isUnknown(failure) || failure.kind === "denied") return false;
        throw failure;
      }
    },
  };
}

type Attempt = <T>(action: StoreAction, call: () => Promise<T>) => Promise<T>;

interface VersionTools {
  readonly settings: S3Settings;
  readonly client: S3Client;
  readonly count: CountRequest;
  readonly attempt: Attempt;
}

async function* listVersions({
  settings,
  client,
  count,
  attempt,
}: VersionTools): AsyncIterable<readonly ObjectVersion[]> {
  const { bucket: Bucket, prefix } = settings;
  let marker: { KeyMarker?: string | undefined; VersionIdMarker?: string | undefined } | undefined = {};
  const pages = new PageWatch();
  while (marker) {
    count("list");
    const place: object = marker;
    const page = await attempt({ do: "list-versions" }, () =>
      client.send(new ListObjectVersionsCommand({ Bucket, Prefix: prefix, EncodingType: "url", ...place })),
    ).catch((error: unknown) => {
      if (isUnknown(error)) return undefined;
      throw error;
    });
    if (!page) return;
    const isEncoded = page.EncodingType === "url";
    yield (page.Versions ?? []).map(({ Key, VersionId = "", Size = 0, ETag, IsLatest }) => ({
      key: toOwnKey(Key, prefix, isEncoded),
      ...{ id: VersionId, size: Size, etag: unquoted(ETag), isCurrent: IsLatest === true },
    }));
    marker =
      page.IsTruncated === true
        ? {
            KeyMarker: decodeMarker(page.NextKeyMarker, isEncoded),
            VersionIdMarker: page.NextVersionIdMarker,
          }
        : undefined;
    pages.watch(marker && JSON.stringify(marker), page.Versions?.length ?? 0);
  }
}

const decodeMarker = (key: string | undefined, isEncoded: boolean): string | undefined =>
  isEncoded ? decodeName(key) : key;

/** Stores have many ways of not knowing a question. */
const isUnknown = (error: unknown): boolean =>
  error instanceof StoreError && ["conditions-unsupported", "unsupported", "other"].includes(error.kind);
