import { createHash } from "node:crypto";
import { byText, type ObjectKey } from "../../../core/model/names.ts";
import type { WebsiteSettings } from "../../../core/model/website.ts";
import type { ObjectHeaders } from "../../../core/model/parcel.ts";
import {
  StoreError,
  type Condition,
  type Content,
  type CopySource,
  type CountRequest,
  type ListPage,
  type ObjectFacts,
  type ObjectStore,
  type ReadObject,
  type Written,
} from "../../../ports/object-store.ts";

interface Held extends ObjectFacts {
  readonly bytes: Uint8Array;
  readonly modifiedMs: number;
}

/** A store in memory, for tests: `trace` tells every call that had an effect, in order. */
export class MemoryStore implements ObjectStore {
  readonly location = { endpoint: "memory", bucket: "memory", prefix: "", region: "" };
  readonly carriesHeaders = true;
  readonly trace: string[] = [];
  private website: WebsiteSettings | undefined;
  private readonly objects = new Map<ObjectKey, Held>();

  constructor(
    private readonly count: CountRequest = () => undefined,
    private readonly nowMs: () => number = () => 0,
  ) {}

  async *list(below = ""): AsyncIterable<ListPage> {
    this.count("list");
    const objects = [...this.objects]
      .filter(([key]) => key.startsWith(below))
      .sort(([a], [b]) => byText(a, b));
    yield await Promise.resolve({
      objects: objects.map(([key, { size, etag, modifiedMs }]) => ({ key, size, etag, modifiedMs })),
      storeTimeMs: this.nowMs(),
    });
  }

  head(key: ObjectKey): Promise<ObjectFacts | undefined> {
    this.count("head");
    return Promise.resolve(this.objects.get(key));
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
      throw failure("integrity", `write ${key}`);
    this.assertCondition(key, condition);
    return this.write(key, bytes, headers, "put");
  }

  async copy({ key: from, etag }: CopySource, to: ObjectKey, headers?: ObjectHeaders): Promise<Written> {
    this.count("copy");
    const source = this.objects.get(from);
    if (!source || (etag !== undefined && etag !== source.etag))
      throw failure("precondition", `copy ${from}`);
    return Promise.resolve(this.write(to, source.bytes, headers ?? source.headers, "copy"));
  }

  async remove(keys: readonly ObjectKey[]): Promise<void> {
    this.count("delete");
    for (const key of keys) {
      this.trace.push(`remove ${key}`);
      this.objects.delete(key);
    }
    return Promise.resolve();
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
  tamper(key: ObjectKey, text: string | undefined, headers: ObjectHeaders = {}): void {
    if (text === undefined) this.objects.delete(key);
    else this.objects.set(key, this.toHeld(new TextEncoder().encode(text), headers));
  }

  private write(key: ObjectKey, bytes: Uint8Array, headers: ObjectHeaders, verb: string): Written {
    this.trace.push(`${verb} ${key}`);
    const held = this.toHeld(bytes, headers);
    this.objects.set(key, held);
    return { etag: held.etag };
  }

  private toHeld(bytes: Uint8Array, headers: ObjectHeaders): Held {
    return {
      bytes,
      size: bytes.length,
      etag: createHash("md5").update(bytes).digest("hex"),
      headers,
      modifiedMs: this.nowMs(),
    };
  }

  private assertCondition(key: ObjectKey, condition: Condition | undefined): void {
    const standing = this.objects.get(key)?.etag;
    if (condition === undefined) return;
    const holds = "ifAbsent" in condition ? standing === undefined : standing === condition.ifEtag;
    if (!holds) throw failure("precondition", `write ${key}`);
  }
}

const failure = (kind: "integrity" | "precondition" | "other", action: string): StoreError =>
  new StoreError(kind, kind, { action });

async function readAll(body: ReturnType<Content["open"]>): Promise<Uint8Array> {
  if (body instanceof Uint8Array) return body;
  const chunks: Uint8Array[] = [];
  for await (const chunk of body) chunks.push(typeof chunk === "string" ? Buffer.from(chunk) : chunk);
  return Buffer.concat(chunks);
}

async function* toIterable(bytes: Uint8Array): AsyncIterable<Uint8Array> {
  yield await Promise.resolve(bytes);
}
