import { createHash } from "node:crypto";
import { S3Client, type S3ClientConfig } from "@aws-sdk/client-s3";
import { BoundedHandler } from "../../bounded-handler.ts";
import type { StopSignal } from "../../bounds.ts";
import { createCredentials, type CredentialSettings } from "../../credentials/credentials.ts";

export interface S3Settings extends CredentialSettings {
  readonly bucket: string;
  /** Empty, or ends in a slash. */
  readonly prefix: string;
  readonly region?: string | undefined;
  readonly endpoint?: string | undefined;
  readonly addressing: "path" | "host";
  /** A connection on which nothing moves is given up after this long; absent: half a minute. */
  readonly idleMs?: number | undefined;
  /** Gives up what is read; absent: nobody does. */
  readonly stop?: StopSignal | undefined;
}

const ignore = (): void => undefined;
const SILENT = { trace: ignore, debug: ignore, info: ignore, warn: ignore, error: ignore };

/**
 * The protocol's standard client, with what we do differently: one try per call (the retries are ours), a part's hash
 * as signed payload hash instead of trailing checksums, and one second for the look-up of a machine's own credentials.
 */
export function createClient(settings: S3Settings): S3Client {
  const client = new S3Client(toConfiguration(settings));
  signPayloadHash(client);
  addContentMd5(client);
  return client;
}

function toConfiguration({
  region,
  endpoint,
  addressing,
  profile,
  idleMs,
  credentialsFile,
  hide,
  stop,
}: S3Settings): S3ClientConfig {
  return {
    ...(region === undefined ? (endpoint === undefined ? {} : { region: "us-east-1" }) : { region }),
    ...(endpoint === undefined ? {} : { endpoint }),
    ...(profile === undefined ? {} : { profile }),
    credentials: createCredentials({ profile, credentialsFile, hide, stop }),
    forcePathStyle: addressing === "path",
    maxAttempts: 1,
    // What it would say on the console, our own messages say.
    logger: SILENT,
    requestChecksumCalculation: "WHEN_REQUIRED",
    responseChecksumValidation: "WHEN_REQUIRED",
    followRegionRedirects: false,
    requestHandler: new BoundedHandler({ idleMs, stop }),
  };
}

interface Wire {
  readonly method: string;
  readonly headers: Record<string, string>;
  readonly body?: unknown;
}

/** Moves the hash of a part from its parameter to the header that is signed and checked by every store. */
function signPayloadHash(client: S3Client): void {
  // By the context of the call, which all of its steps share.
  const hashes = new WeakMap<object, string>();
  client.middlewareStack.add(
    (next, context) => (call) => {
      const input = call.input as { ChecksumSHA256?: string };
      const hash = context.commandName === "UploadPartCommand" ? input.ChecksumSHA256 : undefined;
      if (hash === undefined) return next(call);
      const { ChecksumSHA256: _, ...rest } = input;
      hashes.set(context, hash);
      return next({ ...call, input: rest });
    },
    { step: "initialize", name: "takePayloadHash" },
  );
  client.middlewareStack.add(
    (next, context) => (call) => {
      const hash = hashes.get(context);
      if (hash === undefined) return next(call);
      const { headers } = call.request as Wire;
      headers["x-amz-content-sha256"] = hash;
      return next(call);
    },
    { step: "build", name: "signPayloadHash", priority: "low" },
  );
}

/** Bulk deletes carry Content-MD5 (RFC 1864), which some stores demand and the client does not send by itself. */
function addContentMd5(client: S3Client): void {
  client.middlewareStack.add(
    (next, context) => (call) => {
      const request = call.request as Wire;
      if (context.commandName === "DeleteObjectsCommand" && typeof request.body === "string") {
        request.headers["content-md5"] = createHash("md5").update(request.body).digest("base64");
      }
      return next(call);
    },
    { step: "build", name: "addContentMd5", priority: "low" },
  );
}
