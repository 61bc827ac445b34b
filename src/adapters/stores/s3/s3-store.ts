import { byUtf8, type ObjectKey } from "../../../core/model/names.ts";
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
  type ListRange,
  type ObjectFacts,
  type ObjectStore,
  type ObjectVersions,
  type ReadObject,
  type StoreLocation,
  type TryAgain,
  type Written,
} from "../../../ports/object-store.ts";
import { encodeKey } from "./address.ts";
import { guardBody, PageWatch, readListPage, toConditionFields, toHash } from "./answers.ts";
import type { S3Settings } from "./client.ts";
import { isNotFound, toStoreError } from "./failures.ts";
import { fromFields, toFields, unquoted } from "./headers.ts";
import type { PartsSource, RareRequests } from "./rare.ts";
import { S3Removals } from "./removals.ts";
import { Wire, type WireAnswer } from "./wire.ts";
import { toWebsite } from "./website.ts";
import { textOf } from "./xml.ts";

/** From this size on a file goes in parts: one that breaks is sent again by itself. */
const MULTIPART_BYTES = 64 * 1024 * 1024;
/** The protocol copies no more than this in one piece. */
const LARGEST_COPY = 5 * 1024 ** 3;

/** Any server of the S3 REST protocol. */
export function createS3Store(
  settings: S3Settings,
  count: CountRequest,
  again: TryAgain = NEVER_AGAIN,
): ObjectStore {
  return new S3Store(settings, count, again);
}

class S3Store implements ObjectStore {
  readonly location: StoreLocation;
  readonly carriesHeaders = true;
  /** Stores that can't copy a part get plain copies. */
  private partCopies = true;
  readonly versions: ObjectVersions;
  private readonly wire: Wire;
  private readonly removals: S3Removals;
  private rare: Promise<RareRequests> | undefined;

  constructor(
    private readonly settings: S3Settings,
    private readonly count: CountRequest,
    private readonly again: TryAgain,
  ) {
    const { bucket, prefix, region, endpoint } = settings;
    this.location = { bucket, prefix, region: region ?? "", endpoint: endpoint ?? "its default address" };
    this.wire = new Wire(settings);
    this.removals = new S3Removals(settings, this.wire, count);
    this.versions = toLateVersions(async () => (await this.loadRare()).versions);
  }

  readonly listsFromAnywhere = true;

  async *list(below = "", { after, until }: ListRange = {}): AsyncIterable<ListPage> {
    const { prefix } = this.location;
    let token: string | undefined;
    const pages = new PageWatch();
    do {
      this.count("list");
      const { answer, root } = await this.try({ do: "list" }, () =>
        this.wire.ask({
          method: "GET",
          query: toListQuery(prefix + below, token, after === undefined ? undefined : prefix + after),
        }),
      );
      const { objects, next } = readListPage(root, prefix);
      const storeTimeMs = Date.parse(answer.headers.date ?? "");
      yield { objects, ...(Number.isNaN(storeTimeMs) ? {} : { storeTimeMs }) };
      const [last, end] = [objects.at(-1)?.key, until?.()];
      token = last !== undefined && end !== undefined && byUtf8(last, end) >= 0 ? undefined : next;
      pages.watch(token, objects.length);
    } while (token !== undefined);
  }

  async head(key: ObjectKey): Promise<ObjectFacts | undefined> {
    this.count("head");
    return this.orNothing({ do: "look", key }, key, async () => {
      const headers = { "x-amz-checksum-mode": "ENABLED" };
      const { answer } = await this.wire.ask({ method: "HEAD", name: this.nameOf(key), headers });
      const hash = toHash(answer.headers);
      return { ...toFacts(answer), ...(hash === undefined ? {} : { hash }) };
    });
  }

  async get(key: ObjectKey): Promise<ReadObject | undefined> {
    this.count("get");
    return this.orNothing({ do: "read", key }, key, async () => {
      const query = { "x-id": "GetObject" };
      const answer = await this.wire.send({ method: "GET", name: this.nameOf(key), query });
      return { ...toFacts(answer), body: guardBody(answer.body, { do: "read", key }, this.settings) };
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
      const { answer } = await this.wire.ask({
        ...{ method: "PUT", name: this.nameOf(key) },
        headers: {
          ...toFields(headers),
          ...toConditionFields(condition),
          // Kept with the object, where the store can: it tells the bytes where an ETag is no MD5 (encrypted by a key
          // service), and a bucket that locks its objects takes none without it.
          "x-amz-checksum-sha256": Buffer.from(content.hash, "hex").toString("base64"),
        },
        content: { body: content.open(), size: content.size, hash: content.hash },
      });
      return { etag: unquoted(answer.headers.etag) };
    });
  }

  private async putInParts(
    key: ObjectKey,
    content: Content,
    headers: ObjectHeaders,
    condition?: Condition,
  ): Promise<Written> {
    const rare = await this.loadRare();
    const etag = await this.tryConditional({ do: "write", key }, condition, () =>
      rare.sendInParts(key, content, headers, condition),
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
    const { bucket, prefix } = from.place ?? this.location;
    const source = `${bucket}/${prefix}${from.key}`;
    const isLarge = (from.size ?? 0) > LARGEST_COPY;
    if (isLarge || (from.freshEtag === true && this.partCopies)) {
      const wanted = {
        ...{ CopySource: encodeKey(source), key: from.key, size: from.size ?? 0 },
        ...(from.etag === undefined ? {} : { CopySourceIfMatch: from.etag }),
      };
      const copied = await this.copyInParts(wanted, to, headers, condition);
      if (copied) return copied;
    }
    this.count("copy");
    return this.tryCopy({ do: "copy", from: from.key, to }, from.key, async () => {
      const { root } = await this.wire.ask({
        ...{ method: "PUT", name: this.nameOf(to) },
        headers: {
          "x-amz-copy-source": encodeKey(source),
          "x-amz-copy-source-if-match": from.etag,
          "x-amz-metadata-directive": headers ? "REPLACE" : "COPY",
          ...toConditionFields(condition),
          ...(headers ? toFields(headers) : {}),
        },
      });
      if (root?.name !== "CopyObjectResult")
        throw new StoreError("other", "it answers a copy with something else", {
          action: { do: "copy", from: from.key, to },
          code: "wrong answer",
        });
      return { etag: unquoted(textOf(root, "ETag")) };
    });
  }

  /** Undefined where this store can't: then a plain copy must do. */
  private async copyInParts(
    { key: from, ...source }: PartsSource & { readonly key: ObjectKey },
    to: ObjectKey,
    headers: ObjectHeaders | undefined,
    condition: Condition | undefined,
  ): Promise<Written | undefined> {
    const labels = headers ?? (await this.head(from))?.headers ?? {};
    const rare = await this.loadRare();
    const action = { do: "copy", from, to } as const;
    try {
      const etag = await this.tryCopy(action, from, () =>
        rare.copyInParts(action, source, labels, condition),
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
    const names = new Set([...keys].map((key) => this.nameOf(key)));
    const rare = await this.loadRare();
    return this.try({ do: "find-uploads" }, () => rare.abandonUploads(names));
  }

  remove(
    keys: readonly ObjectKey[],
    expected?: ReadonlyMap<ObjectKey, string>,
  ): Promise<readonly ObjectKey[]> {
    return this.removals.remove(keys, expected);
  }

  async readWebsite(): Promise<WebsiteSettings | undefined> {
    this.count("get");
    const rare = await this.loadRare();
    return this.orNothing({ do: "read-website" }, undefined, async () => toWebsite(await rare.readWebsite()));
  }

  async writeWebsite(settings: WebsiteSettings): Promise<void> {
    this.count("put");
    const rare = await this.loadRare();
    await this.try({ do: "write-website" }, () => rare.writeWebsite(settings));
  }

  async isPublic(key: ObjectKey): Promise<boolean> {
    this.count("head");
    try {
      await this.wire.ask({ method: "HEAD", name: this.nameOf(key), isUnsigned: true });
      return true;
    } catch {
      // What can't be reached unsigned is not public from here.
      return false;
    }
  }

  close(): void {
    this.wire.close();
    void this.rare?.then((rare) => {
      rare.close();
    });
  }

  private nameOf(key: ObjectKey): string {
    return this.location.prefix + key;
  }

  private loadRare(): Promise<RareRequests> {
    this.rare ??= import("./rare.ts").then(
      (rare) => new rare.RareRequests(this.settings, this.count, this.again),
    );
    return this.rare;
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
    this.count("list");
    try {
      const query = { ...toListQuery(this.nameOf(key)), "max-keys": "1" };
      const { root } = await this.wire.ask({ method: "GET", query });
      return !readListPage(root, this.location.prefix).objects.some((object) => object.key === key);
    } catch {
      return false;
    }
  }
}

const toListQuery = (prefix: string, token?: string, after?: string): Record<string, string | undefined> => ({
  ...{ "list-type": "2", "encoding-type": "url", prefix },
  ...(token === undefined ? { "start-after": after } : { "continuation-token": token }),
});

const toFacts = ({ headers }: WireAnswer): ObjectFacts => ({
  size: Number(headers["content-length"] ?? 0),
  etag: unquoted(headers.etag),
  headers: fromFields(headers),
});

/** Versions as they are asked for by a module that is loaded when it is needed. */
const toLateVersions = (load: () => Promise<ObjectVersions>): ObjectVersions => ({
  async *list() {
    yield* (await load()).list();
  },
  read: async (version) => (await load()).read(version),
  remove: async (versions) => (await load()).remove(versions),
  isLocked: async () => (await load()).isLocked(),
});
