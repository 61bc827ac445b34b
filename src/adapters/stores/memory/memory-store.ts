import { createHash } from "node:crypto";
import { byUtf8, type ObjectKey } from "../../../core/model/names.ts";
import type { WebsiteSettings } from "../../../core/model/website.ts";
import type { ObjectHeaders } from "../../../core/model/parcel.ts";
import type { StoreAction } from "../../../core/model/store-action.ts";
import {
  StoreError,
  type Condition,
  type Content,
  type CopySource,
  type CountRequest,
  type ListPage,
  type ObjectFacts,
  type ObjectStore,
  type ObjectVersion,
  type ObjectVersions,
  type ReadObject,
  type Written,
} from "../../../ports/object-store.ts";

interface Held extends ObjectFacts {
  readonly bytes: Uint8Array;
  readonly modifiedMs: number;
}

/** How stores differ; each is off unless it is asked for. */
export interface MemoryTraits {
  /** ETags are no MD5 and never the same twice, as where a key service encrypts. */
  readonly opaqueEtags?: boolean;
  /** A look at an object tells the SHA-256 of its bytes. */
  readonly keepsHashes?: boolean;
  /** From this size on an object counts as sent in parts: its ETag is no MD5, and refused as the condition of a copy. */
  readonly partsFrom?: number;
  /** Which writes check what must stand there; absent: all. */
  readonly checks?: "puts" | "none";
  /** What is overwritten or removed stays as a version. */
  readonly keepsVersions?: boolean;
  /** Versions can't be removed. */
  readonly locksVersions?: boolean;
}

/** A store in memory, for tests: `trace` tells every call that had an effect, in order. */
export class MemoryStore implements ObjectStore {
  readonly location = { endpoint: "memory", bucket: "memory", prefix: "", region: "" };
  readonly carriesHeaders = true;
  readonly listsFromAnywhere = false;
  readonly trace: string[] = [];
  private website: WebsiteSettings | undefined;
  private readonly objects = new Map<ObjectKey, Held>();
  private readonly earlier: (ObjectVersion & { readonly held: Held })[] = [];
  private writes = 0;

  constructor(
    private readonly count: CountRequest = () => undefined,
    private readonly nowMs: () => number = () => 0,
    private readonly traits: MemoryTraits = {},
  ) {}

  readonly versions: ObjectVersions = {
    list: () => this.listVersions(),
    read: (version) => {
      const held = this.earlier.find(({ key, id }) => key === version.key && id === version.id)?.held;
      return Promise.resolve(held && { ...held, body: toIterable(held.bytes) });
    },
    remove: (versions) => {
      if (this.traits.locksVersions === true) throw failure("denied", { do: "delete-versions" });
      for (const version of versions) {
        const place = this.earlier.findIndex(({ key, id }) => key === version.key && id === version.id);
        if (place >= 0) this.earlier.splice(place, 1);
      }
      return Promise.resolve();
    },
    isLocked: () => Promise.resolve(this.traits.locksVersions === true),
  };

  private async *listVersions(): AsyncIterable<readonly ObjectVersion[]> {
    const current = [...this.objects].map(([key, { size, etag }]) => ({ key, id: "now", size, etag, isCurrent: true })); // prettier-ignore
    yield await Promise.resolve([...this.earlier, ...current]);
  }

  async *list(below = ""): AsyncIterable<ListPage> {
    this.count("list");
    const objects = [...this.objects]
      .filter(([key]) => key.startsWith(below))
      .sort(([a], [b]) => byUtf8(a, b));
    yield await Promise.resolve({
      objects: objects.map(([key, { size, etag, modifiedMs }]) => ({ key, size, etag, modifiedMs })),
      storeTimeMs: this.nowMs(),
    });
  }

  head(key: ObjectKey): Promise<ObjectFacts | undefined> {
    this.count("head");
    const held = this.objects.get(key);
    const sum = (): string =>
      createHash("sha256")
        .update(held?.bytes ?? "")
        .digest("hex");
    return Promise.resolve(held && { ...held, ...(this.traits.keepsHashes && { hash: sum() }) });
  }

  get(key: ObjectKey): Promise<ReadObject | undefined> {
    this.count("get");
    const held = this.objects.get(key);
    return Promise.resolve(held && { ...held, body: toIterable(held.bytes) });
  }

  async put(
    key: ObjectKey,
    content: Content,
    headers: ObjectHeaders,
    condition?: Condition,
  ): Promise<Written> {
    this.count("put");
    const bytes = await readAll(content.open());
    if (createHash("sha256").update(bytes).digest("hex") !== content.hash)
      throw failure("integrity", { do: "write", key });
    this.assertCondition(key, condition);
    return this.write(`put ${key}`, key, this.toHeld(bytes, headers));
  }

  async copy(
    { key: from, etag, freshEtag, place }: CopySource,
    to: ObjectKey,
    headers?: ObjectHeaders,
    condition?: Condition,
  ): Promise<Written> {
    this.count("copy");
    if (place) throw failure("unsupported", { do: "copy", from });
    const source = this.objects.get(from);
    const isRefused = etag?.includes("-") === true && this.traits.partsFrom !== undefined;
    if (!source || (etag !== undefined && (etag !== source.etag || isRefused)))
      throw failure("precondition", { do: "copy", from });
    if (this.traits.checks === undefined) this.assertCondition(to, condition);
    const held = this.toHeld(source.bytes, headers ?? source.headers, freshEtag);
    return Promise.resolve(this.write(`copy ${to}`, to, held));
  }

  async remove(
    keys: readonly ObjectKey[],
    expected?: ReadonlyMap<ObjectKey, string>,
  ): Promise<readonly ObjectKey[]> {
    this.count("delete");
    const left: ObjectKey[] = [];
    for (const key of keys) {
      const etag = expected?.get(key);
      const held = this.objects.get(key);
      if (held && etag !== undefined && etag !== held.etag && this.traits.checks === undefined) {
        left.push(key);
        continue;
      }
      this.trace.push(`remove ${key}`);
      this.keepVersion(key);
      this.objects.delete(key);
    }
    return Promise.resolve(left);
  }

  readWebsite(): Promise<WebsiteSettings | undefined> {
    return Promise.resolve(this.website);
  }

  writeWebsite(settings: WebsiteSettings): Promise<void> {
    this.trace.push("website");
    this.website = settings;
    return Promise.resolve();
  }

  abandonUploads(): Promise<number> {
    return Promise.resolve(0);
  }

  isPublic(): Promise<boolean> {
    return Promise.resolve(false);
  }

  close(): void {
    // Nothing to let go of.
  }

  /** Changes an object as somebody else would, unseen by the trace. */
  tamper(key: ObjectKey, content: string | Uint8Array | undefined, headers: ObjectHeaders = {}): void {
    if (content === undefined) this.objects.delete(key);
    else {
      const bytes = typeof content === "string" ? new TextEncoder().encode(content) : content;
      this.objects.set(key, this.toHeld(bytes, headers));
    }
  }

  private write(entry: string, key: ObjectKey, held: Held): Written {
    this.trace.push(entry);
    this.keepVersion(key);
    this.objects.set(key, held);
    return { etag: held.etag };
  }

  private keepVersion(key: ObjectKey): void {
    const held = this.objects.get(key);
    if (!held || this.traits.keepsVersions !== true) return;
    const { size, etag } = held;
    this.earlier.push({ key, id: `version-${this.earlier.length + 1}`, size, etag, isCurrent: false, held });
  }

  /** An object that was put together from one part has the MD5 of its MD5, and the number of its parts. */
  private toHeld(bytes: Uint8Array, headers: ObjectHeaders, isFresh = false): Held {
    const md5 = createHash("md5").update(bytes).digest();
    const ofParts = (): string => `${createHash("md5").update(md5).digest("hex")}-1`;
    const { partsFrom = Infinity, opaqueEtags } = this.traits;
    this.writes += 1;
    return {
      bytes,
      size: bytes.length,
      etag: opaqueEtags
        ? createHash("md5").update(`write ${this.writes}`).digest("hex")
        : isFresh || bytes.length >= partsFrom
          ? ofParts()
          : md5.toString("hex"),
      headers,
      modifiedMs: this.nowMs(),
    };
  }

  private assertCondition(key: ObjectKey, condition: Condition | undefined): void {
    const standing = this.objects.get(key)?.etag;
    if (condition === undefined || this.traits.checks === "none") return;
    const holds = "ifAbsent" in condition ? standing === undefined : standing === condition.ifEtag;
    if (!holds) throw failure("precondition", { do: "write", key });
  }
}

const failure = (
  kind: "integrity" | "precondition" | "denied" | "unsupported",
  action: StoreAction,
): StoreError => new StoreError(kind, kind, { action });

async function readAll(body: ReturnType<Content["open"]>): Promise<Uint8Array> {
  if (body instanceof Uint8Array) return body;
  const chunks: Uint8Array[] = [];
  for await (const chunk of body) chunks.push(typeof chunk === "string" ? Buffer.from(chunk) : chunk);
  return Buffer.concat(chunks);
}

async function* toIterable(bytes: Uint8Array): AsyncIterable<Uint8Array> {
  yield await Promise.resolve(bytes);
}
