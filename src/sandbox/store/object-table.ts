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
}

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
  { readonly put: StoredObject } | { readonly remove: string } | { readonly settings: BucketSettings };

/**
 * The objects of one bucket: an index in memory, and a journal on disk to which each change is appended. A restart
 * reads the journal and writes it anew without what was overwritten; a last line that is cut off never happened.
 */
export class ObjectTable {
  settings: BucketSettings = {};
  private readonly objects = new Map<string, StoredObject>();
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
    this.append({ put: object });
    this.objects.set(object.key, object);
    if (!before) this.sorted = undefined;
    else if (before.blob !== object.blob) rmSync(this.blobPath(before.blob), { force: true });
  }

  remove(key: string): void {
    const before = this.objects.get(key);
    if (!before) return;
    this.append({ remove: key });
    this.objects.delete(key);
    this.sorted = undefined;
    rmSync(this.blobPath(before.blob), { force: true });
  }

  /** A setting that is undefined is taken away. */
  change(settings: { [Name in keyof BucketSettings]?: BucketSettings[Name] | undefined }): void {
    this.settings = { ...this.settings, ...settings } as BucketSettings;
    this.append({ settings: this.settings });
  }

  blobPath(blob: string): string {
    return join(this.folder, "blobs", blob);
  }

  private append(line: JournalLine): void {
    appendFileSync(this.journal, `${JSON.stringify(line)}\n`);
  }

  private replay(text: string): void {
    for (const line of text.split("\n").slice(0, -1)) {
      const entry = JSON.parse(line) as JournalLine;
      if ("put" in entry) this.objects.set(entry.put.key, entry.put);
      else if ("remove" in entry) this.objects.delete(entry.remove);
      else this.settings = entry.settings;
    }
  }

  private compact(): void {
    const lines: JournalLine[] = [
      { settings: this.settings },
      ...[...this.objects.values()].map((put) => ({ put })),
    ];
    writeFileSync(`${this.journal}.new`, lines.map((line) => `${JSON.stringify(line)}\n`).join(""));
    renameSync(`${this.journal}.new`, this.journal);
  }
}
