import { createHash } from "node:crypto";
import XMLBuilder from "fast-xml-builder";
import type { ObjectKey } from "../../../core/model/names.ts";
import { StoreError, type CountRequest } from "../../../ports/object-store.ts";
import type { S3Settings } from "./client.ts";
import { toOwnKey } from "./answers.ts";
import { isNotFound, toStoreError } from "./failures.ts";
import type { Wire, WireRequest } from "./wire.ts";
import { childrenOf, textOf } from "./xml.ts";

/** Objects of one bulk delete; the protocol's limit. */
const DELETE_BATCH = 1000;

/** Removes objects, many at once where the store can, each only while what is expected stands where the store checks that. */
export class S3Removals {
  /** Stores that refuse bulk deletes get single ones; found out at the first refusal. */
  private bulkDelete = true;

  constructor(
    private readonly settings: S3Settings,
    private readonly wire: Pick<Wire, "ask">,
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
    const name = this.settings.prefix + key;
    this.count("delete");
    try {
      await this.wire.ask({ method: "DELETE", name, headers: { "if-match": etag } });
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
    const { prefix } = this.settings;
    const objects = keys.map((key) => {
      const etag = expected?.get(key);
      return { Key: prefix + key, ...(etag === undefined ? {} : { ETag: etag }) };
    });
    this.count("delete");
    const { root } = await this.wire.ask(toBulkDelete(objects)).catch((error: unknown) => {
      throw toStoreError(error, { do: "remove-many", count: keys.length }, this.settings);
    });
    const left: ObjectKey[] = [];
    for (const error of root ? childrenOf(root, "Error") : []) {
      const [name = "", code] = [textOf(error, "Key"), textOf(error, "Code")];
      if (code === "NoSuchKey") continue;
      const failure = toStoreError(
        { name: code, message: textOf(error, "Message") },
        { do: "remove", key: name },
        this.settings,
      );
      if (failure.kind !== "precondition" || !expected) throw failure;
      left.push(toOwnKey(name, prefix, false));
    }
    return left;
  }
}

/** How stores say that they don't know a kind of request, or a part of one. */
const UNKNOWN: ReadonlySet<StoreError["kind"]> = new Set<StoreError["kind"]>([
  "other",
  "conditions-unsupported",
]);

function toBulkDelete(objects: readonly { readonly Key: string; readonly ETag?: string }[]): WireRequest {
  const body = Buffer.from(
    DOCUMENTS.build({ Delete: { "@xmlns": NAMESPACE, Object: objects, Quiet: true } }),
  );
  return {
    ...{ method: "POST", query: { delete: "" } },
    headers: {
      "content-type": "application/xml",
      // RFC 1864. Some stores demand it of this request.
      "content-md5": createHash("md5").update(body).digest("base64"),
    },
    content: { body, size: body.length, hash: createHash("sha256").update(body).digest("hex") },
  };
}

const NAMESPACE = "http://s3.amazonaws.com/doc/2006-03-01/";
const DOCUMENTS = new XMLBuilder({ ignoreAttributes: false, attributeNamePrefix: "@" });
