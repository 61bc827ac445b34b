import { randomUUID } from "node:crypto";
import {
  appendFileSync,
  existsSync,
  mkdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { join } from "node:path";

/** One object of a bucket; its bytes are in a file of their own. */
export interface StoredObject {
  readonly key: string;
  readonly size: number;
  /** Without quotes. */
  readonly etag: string;
  /** Milliseconds since 1970. */
  readonly modifiedMs: number;
  /** By lower-case name. */
  readonly headers: Readonly<Record<string, string>>;
  /** Where a website endpoint sends those who ask for it. */
  readonly redirect?: string;
  /** Name of the file with its bytes. */
  readonly blob: string;
  /** SHA-256 in base64, where one was sent along. */
  readonly sha256?: string;
  /** The id of this version; absent where the bucket kept none when it was written. */
  readonly version?: string;
}

/** The id of what was written while a bucket kept no versions. */
export const NO_VERSION = "null";

/** A routing rule of a website endpoint, in the protocol's words. */
export interface SandboxRoutingRule {
  readonly KeyPrefixEquals: string;
  readonly HostName?: string;
  readonly Protocol?: string;
  readonly ReplaceKeyPrefixWith?: string;
  readonly ReplaceKeyWith?: string;
  readonly HttpRedirectCode?: string;
}

/** What a bucket is set up to be. */
export interface BucketSettings {
  readonly website?: {
    readonly index: string;
    readonly error?: string;
    readonly rules?: readonly SandboxRoutingRule[];
  };
  /** The bucket policy, as it was put. */
  readonly policy?: string;
  readonly versioning?: string;
  /** Which public access is kept out, by the protocol's names. */
  readonly publicBlock?: Readonly<Record<string, boolean>>;
  readonly tags?: readonly { readonly Key: string; readonly Value: string }[];
}

type JournalLine =
  | { readonly put: StoredObject }
  | { readonly remove: string }
  /** A version that is no longer the current one. */
  | { readonly earlier: StoredObject }
  | { readonly forget: string; readonly version: string }
  | { readonly settings: BucketSettings };

/**
 * The objects of one bucket: an index in memory, and a journal on disk to which each change is appended. A restart
 * reads the journal and writes it anew without what was overwritten; a last line that is cut off never happened.
 */
export class ObjectTable {
  settings: BucketSettings = {};
  private readonly objects = new Map<string, StoredObject>();
  /** What was overwritten or removed while the bucket kept versions; the newest first. */
  private readonly earlier = new Map<string, StoredObject[]>();
  private sorted: string[] | undefined;
  private readonly journal: string;

  constructor(
    private readonly folder: string,
    readonly bucket: string,
  ) {
    mkdirSync(join(folder, "blobs"), { recursive: true });
    this.journal = join(folder, "journal.ndjson");
    if (existsSync(this.journal)) this.replay(readFileSync(this.journal, "utf8"));
    this.compact();
  }

  get(key: string): StoredObject | undefined {
    return this.objects.get(key);
  }

  /** Keys in the order of their UTF-8 bytes. */
  keys(): readonly string[] {
    this.sorted ??= [...this.objects.keys()].sort((a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b)));
    return this.sorted;
  }

  put(object: StoredObject): void {
    const before = this.objects.get(object.key);
    this.write({ put: this.keepsVersions ? { ...object, version: randomUUID() } : object });
    if (before && !this.isKept(before) && before.blob !== object.blob)
      rmSync(this.blobPath(before.blob), { force: true });
  }

  remove(key: string): void {
    const before = this.objects.get(key);
    if (!before) return;
    this.write({ remove: key });
    if (!this.isKept(before)) rmSync(this.blobPath(before.blob), { force: true });
  }

  getVersion(key: string, id: string): StoredObject | undefined {
    return this.versionsOf(key).find(({ version = NO_VERSION }) => version === id);
  }

  /** Every version below a prefix, the newest of a key first. */
  listVersions(prefix: string): { readonly object: StoredObject; readonly isCurrent: boolean }[] {
    const keys = [...new Set([...this.keys(), ...this.earlier.keys()])].filter((key) =>
      key.startsWith(prefix),
    );
    return keys
      .sort((a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b)))
      .flatMap((key) =>
        this.versionsOf(key).map((object) => ({ object, isCurrent: this.objects.get(key) === object })),
      );
  }

  /** Removes one version for good; where it was the current one, the one before it takes its place. */
  removeVersion(key: string, id: string): void {
    const found = this.getVersion(key, id);
    if (!found) return;
    this.write({ forget: key, version: id });
    rmSync(this.blobPath(found.blob), { force: true });
  }

  private versionsOf(key: string): StoredObject[] {
    const current = this.objects.get(key);
    return [...(current ? [current] : []), ...(this.earlier.get(key) ?? [])];
  }

  private get keepsVersions(): boolean {
    return this.settings.versioning === "Enabled";
  }

  private isKept(object: StoredObject): boolean {
    return this.earlier.get(object.key)?.includes(object) === true;
  }

  /** A setting that is undefined is taken away. */
  change(settings: { [Name in keyof BucketSettings]?: BucketSettings[Name] | undefined }): void {
    this.write({ settings: { ...this.settings, ...settings } as BucketSettings });
  }

  blobPath(blob: string): string {
    return join(this.folder, "blobs", blob);
  }

  private write(line: JournalLine): void {
    appendFileSync(this.journal, `${JSON.stringify(line)}\n`);
    this.apply(line);
  }

  /** What a line of the journal does to the index; a restart does the same again. */
  private apply(line: JournalLine): void {
    if ("settings" in line) this.settings = line.settings;
    else if ("earlier" in line) this.keep(line.earlier);
    else if ("put" in line) {
      const before = this.objects.get(line.put.key);
      if (before && this.keepsVersions) this.keep(before);
      if (!before) this.sorted = undefined;
      this.objects.set(line.put.key, line.put);
    } else if ("remove" in line) {
      const before = this.objects.get(line.remove);
      if (before && this.keepsVersions) this.keep(before);
      this.objects.delete(line.remove);
      this.sorted = undefined;
    } else this.forget(line.forget, line.version);
  }

  private keep(object: StoredObject): void {
    this.earlier.set(object.key, [object, ...(this.earlier.get(object.key) ?? [])]);
  }

  private forget(key: string, id: string): void {
    const isIt = ({ version = NO_VERSION }: StoredObject): boolean => version === id;
    const earlier = this.earlier.get(key) ?? [];
    const current = this.objects.get(key);
    const left = earlier.filter((object) => !isIt(object));
    if (current && isIt(current)) {
      const next = left.shift();
      if (next) this.objects.set(key, next);
      else this.objects.delete(key);
      this.sorted = undefined;
    }
    if (left.length > 0) this.earlier.set(key, left);
    else this.earlier.delete(key);
  }

  private replay(text: string): void {
    for (const line of text.split("\n").slice(0, -1)) this.apply(JSON.parse(line) as JournalLine);
  }

  private compact(): void {
    const lines: JournalLine[] = [
      { settings: this.settings },
      ...[...this.objects.values()].map((put) => ({ put })),
      // The oldest first, as they came.
      ...[...this.earlier.values()].flatMap((versions) =>
        versions.toReversed().map((earlier) => ({ earlier })),
      ),
    ];
    writeFileSync(`${this.journal}.new`, lines.map((line) => `${JSON.stringify(line)}\n`).join(""));
    renameSync(`${this.journal}.new`, this.journal);
  }
}
