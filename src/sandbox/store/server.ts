import { randomUUID } from "node:crypto";
import { existsSync, mkdirSync, readdirSync } from "node:fs";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { join } from "node:path";
import { finished } from "node:stream/promises";
import { millisecondsOf, strike, type Fault, type Faults } from "../faults.ts";
import type { Ledger } from "../ledger.ts";
import { forLoopback } from "../loopback.ts";
import {
  changeSettings,
  judgeByBucket,
  readSettings,
  removeSettings,
  SETTINGS_QUERIES,
  type SettingsQuery,
} from "./bucket-settings.ts";
import { noSuchBucket, ProtocolError } from "./failure.ts";
import { lendKeys, type LentKeys } from "./lend-keys.ts";
import { receiveText } from "./body.ts";
import { listObjects } from "./list.ts";
import { MultipartUploads } from "./multipart.ts";
import { ObjectTable } from "./object-table.ts";
import {
  answer,
  answerXml,
  copyObject,
  deleteObject,
  deleteObjects,
  getObject,
  putObject,
  type Call,
} from "./operations.ts";
import { nameOperation, parseTarget, safeDecode, type Operation, type Target } from "./target.ts";
import type { StoreTraits } from "./traits.ts";
import { answerObjectLock, listVersions } from "./versions.ts";
import { judge, refuse, toRights, type Asker, type Right } from "./permissions.ts";
import { authenticate, type Identity } from "./signature.ts";
import { toErrorXml, toXml } from "./xml.ts";

export interface StoreOptions {
  /** Where everything is kept; it survives a restart. */
  readonly folder: string;
  readonly region: string;
  readonly identities: readonly Identity[];
  readonly ledger: Ledger;
  readonly faults: Faults;
  /** What web identities are given. */
  readonly lent?: LentKeys;
  readonly traits: StoreTraits;
}

/** The simulated store: the S3 REST protocol, path style, signatures checked, data on disk. */
export class SandboxStore {
  readonly server: Server;
  private readonly tables = new Map<string, ObjectTable>();
  private readonly uploads = new MultipartUploads();
  private readonly underWay = new Set<string>();

  constructor(private readonly options: StoreOptions) {
    mkdirSync(join(options.folder, "buckets"), { recursive: true });
    for (const bucket of readdirSync(join(options.folder, "buckets"))) this.open(bucket);
    this.server = createServer(forLoopback((request, response) => void this.handle(request, response)));
    this.server.keepAliveTimeout = 60_000;
  }

  /** @returns whether the bucket is a new one */
  createBucket(bucket: string): boolean {
    const isNew = !existsSync(join(this.options.folder, "buckets", bucket));
    if (!this.tables.has(bucket)) this.open(bucket);
    if (isNew && this.options.traits.keepsVersions) this.findTable(bucket).change({ versioning: "Enabled" });
    return isNew;
  }

  /** Throws `NoSuchBucket`. */
  readonly findTable = (bucket: string): ObjectTable => {
    const table = this.tables.get(bucket);
    if (!table) throw noSuchBucket(bucket);
    return table;
  };

  private open(bucket: string): void {
    this.tables.set(bucket, new ObjectTable(join(this.options.folder, "buckets", bucket), bucket));
  }

  private async handle(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const requestId = randomUUID();
    response.setHeader("x-amz-request-id", requestId);
    const target = parseTarget(request);
    const operation = nameOperation(request, target);
    const seen: Seen = { received: 0 };
    const fault = this.options.faults.choose({ part: "store", operation, key: target.key });
    try {
      // First, so that what is noted is what happened, and not what the client was let see.
      if (fault && !(await strike(fault, request, response))) return;
      this.noteBeforeAnswer({ request, response, target, operation, seen });
      const { identities, region } = this.options;
      const signed = { method: request.method ?? "", target: request.url ?? "/", headers: request.headers };
      const identity = authenticate(signed, {
        identities,
        region,
        service: "s3",
        nowMs: Date.now() + skewOf(fault),
      });
      if (identity) seen.identity = identity.accessKeyId;
      this.assertAllowed(identity, { operation, request, target });
      await this.carryOut(operation, target, {
        request,
        response,
        received: (bytes) => (seen.received = bytes),
        identity,
      });
    } catch (error) {
      const refusal =
        error instanceof ProtocolError ? error : new ProtocolError(500, "InternalError", String(error));
      seen.code = refusal.code;
      await readToEnd(request);
      answerRefusal(request, response, { refusal, requestId, resource: target.path });
    }
    request.resume();
  }

  /** The ledger's line is written before the client sees the answer: who reads the ledger then finds it there. */
  private noteBeforeAnswer({ request, response, target, operation, seen }: Noted): void {
    const writeHead = response.writeHead.bind(response) as (...args: unknown[]) => ServerResponse;
    const { bucket, key } = target;
    response.writeHead = (status: number, ...rest: unknown[]) => {
      this.options.ledger.note({
        part: "store",
        operation,
        method: request.method ?? "",
        ...(bucket === "" ? {} : { bucket }),
        ...(key === "" ? {} : { key }),
        status,
        ...seen,
      });
      return writeHead(status, ...rest);
    };
  }

  private assertAllowed(identity: Identity | undefined, { operation, request, target }: Restricted): void {
    const copied = request.headers["x-amz-copy-source"];
    const source = copied === undefined ? undefined : safeDecode(String(copied)).replace(/^\//, "");
    const { bucket, key, query } = target;
    if (identity === undefined && !OPEN_TO_ALL.has(operation))
      throw new ProtocolError(403, "AccessDenied", "Access Denied");
    const rights = toRights({ ...{ operation, bucket, key, query }, source });
    // Who may not list is not told what is missing.
    const isMissing =
      (operation === "GetObject" || operation === "HeadObject") && !this.hasObject(bucket, key);
    if (isMissing && (identity === undefined || identity.policy))
      rights.push({ action: "s3:ListBucket", resource: `arn:aws:s3:::${bucket}`, hasNoPrefix: true });
    for (const right of rights) if (!this.isAllowed(right, bucket, identity)) refuse(right);
  }

  /** An identity is let in by its own policy or by the bucket's; a deny of either keeps it out. The owner has no policy. */
  private isAllowed(right: Right, bucket: string, identity: Identity | undefined): boolean {
    const asker: Asker = identity ? { kind: "identity", arn: identity.arn } : { kind: "anybody" };
    const settings = this.tables.get(bucket)?.settings;
    const byBucket = settings && judgeByBucket(settings, right, asker);
    // Whoever owns a bucket can always put its policy right again.
    const isMending = right.action.endsWith("BucketPolicy") && identity?.policy === undefined;
    if (!identity) return byBucket === "allow";
    if (byBucket === "deny") return isMending;
    if (identity.policy === undefined) return true;
    const own = judge(identity.policy, right, asker);
    return own !== "deny" && (own === "allow" || byBucket === "allow");
  }

  /** Whether the bucket's policy lets somebody without an identity of ours read a key: everybody, or a service. */
  readonly mayRead = (bucket: string, key: string, asker: Asker): boolean => {
    const right = { action: "s3:GetObject", resource: `arn:aws:s3:::${bucket}/${key}` };
    return judgeByBucket(this.findTable(bucket).settings, right, asker) === "allow";
  };

  private hasObject(bucket: string, key: string): boolean {
    return this.findTable(bucket).get(key) !== undefined;
  }

  private async carryOut(operation: Operation, target: Target, wire: Wire): Promise<void> {
    const { request, response, received, identity } = wire;
    const { bucket, key, query } = target;
    if (operation === "LendKeys" && this.options.lent) {
      lendKeys(await receiveText(request), this.options.lent, response);
      return;
    }
    if (operation === "ListBuckets") {
      answerBuckets([...this.tables.keys()], response);
      return;
    }
    if (operation === "CreateBucket") {
      this.answerCreate(bucket, request, response);
      return;
    }
    const call: Call = {
      request,
      response,
      table: this.findTable(bucket),
      key,
      query,
      findTable: this.findTable,
      received,
      traits: this.options.traits,
      underWay: this.underWay,
      mayRemove: (removed, isVersion) => {
        const action = isVersion ? "s3:DeleteObjectVersion" : "s3:DeleteObject";
        return this.isAllowed({ action, resource: `arn:aws:s3:::${bucket}/${removed}` }, bucket, identity);
      },
    };
    return this.answerOf(operation, call);
  }

  /** The operations of a bucket that is there. */
  private async answerOf(operation: Operation, call: Call): Promise<void> {
    const { query } = call;
    const settings = SETTINGS_QUERIES.find((name) => query.has(name)) as SettingsQuery;
    switch (operation) {
      case "HeadBucket":
        answer(call, 200, { "x-amz-bucket-region": this.options.region });
        return;
      case "ListObjectsV2":
        answerXml(call, listObjects(call.table, query));
        return;
      case "ListObjectVersions":
        answerXml(call, listVersions(call.table, query));
        return;
      case "GetObjectLock":
        answerObjectLock(call);
        return;
      case "GetBucketSettings":
        return readSettings(call, settings, this.options.region);
      case "PutBucketSettings":
        return changeSettings(call, settings);
      case "DeleteBucketSettings":
        removeSettings(call, settings);
        return;
      case "GetObject":
      case "HeadObject":
        return getObject(call);
      case "PutObject":
        return putObject(call);
      case "CopyObject":
        return copyObject(call);
      case "DeleteObject":
        return deleteObject(call);
      case "DeleteObjects":
        return deleteObjects(call);
      case "CreateMultipartUpload":
        return this.uploads.create(call);
      case "UploadPart":
        return this.uploads.putPart(call);
      case "CompleteMultipartUpload":
        return this.uploads.complete(call);
      case "AbortMultipartUpload":
        return this.uploads.abort(call);
      case "ListMultipartUploads":
        return this.uploads.list(call);
      case "LendKeys":
      case "Unknown":
        throw new ProtocolError(501, "NotImplemented", "The sandbox does not know this operation.");
    }
  }

  private answerCreate(bucket: string, request: IncomingMessage, response: ServerResponse): void {
    if (!/^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/.test(bucket))
      throw new ProtocolError(400, "InvalidBucketName", "The specified bucket is not valid.");
    request.resume();
    this.createBucket(bucket);
    response.writeHead(200, { location: `/${bucket}`, "content-length": "0" }).end();
  }
}

/** What may be asked for without a signature, where a bucket's policy lets everybody. */
const OPEN_TO_ALL: ReadonlySet<string> = new Set(["GetObject", "HeadObject", "ListObjectsV2", "LendKeys"]);

/** A clock that goes wrong. */
const skewOf = (fault: Fault | undefined): number => (fault?.fault === "skew" ? millisecondsOf(fault) : 0);

/** What the ledger tells of a request beyond what it asked. */
interface Seen {
  received: number;
  code?: string;
  identity?: string;
}

interface Noted {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  readonly target: Target;
  readonly operation: Operation;
  readonly seen: Seen;
}

interface Restricted {
  readonly operation: Operation;
  readonly request: IncomingMessage;
  readonly target: Target;
}

interface Wire {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  readonly received: (bytes: number) => void;
  readonly identity: Identity | undefined;
}

function answerBuckets(buckets: readonly string[], response: ServerResponse): void {
  const xml = toXml("ListAllMyBucketsResult", {
    Buckets: { Bucket: buckets.map((Name) => ({ Name, CreationDate: new Date(0).toISOString() })) },
  });
  response.writeHead(200, { "content-type": "application/xml" }).end(xml);
}

/**
 * Reads what is left of a request. A client that comes with `Expect: 100-continue` has its connection closed after the answer
 * (it asks for that); while it is still sending, it would find it closed before it has read the answer.
 */
const readToEnd = (request: IncomingMessage): Promise<void> =>
  // One that breaks off has ended, too.
  finished(request.resume(), { writable: false }).catch(() => undefined);

/** Answers a failure in the protocol's form. */
function answerRefusal(
  request: IncomingMessage,
  response: ServerResponse,
  { refusal, requestId, resource }: { refusal: ProtocolError; requestId: string; resource: string },
): void {
  if (response.headersSent) {
    response.destroy();
    return;
  }
  const { code, message, status, extra } = refusal;
  const xml = toErrorXml({
    Code: code,
    Message: message,
    Resource: resource,
    RequestId: requestId,
    ...extra,
  });
  response.writeHead(status, { "content-type": "application/xml", "content-length": Buffer.byteLength(xml) });
  response.end(request.method === "HEAD" ? undefined : xml);
}
