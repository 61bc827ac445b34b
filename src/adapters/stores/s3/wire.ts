import { OWN_NAME } from "../../network/own-name.ts";
import { createHash, createHmac } from "node:crypto";
import { Readable } from "node:stream";
import { HttpRequest } from "@smithy/core/protocols";
import { SignatureV4 } from "@smithy/signature-v4";
import type { Sha256 } from "../../../core/model/names.ts";
import { BoundedHandler } from "../../bounded-handler.ts";
import { createCredentials } from "../../credentials/credentials.ts";
import { encodeKey, resolveAddress } from "./address.ts";
import type { S3Settings } from "./client.ts";
import type { BucketAddress } from "./sdk-address.ts";
import { parseXml, textOf, type XmlElement } from "./xml.ts";

/** One request to a bucket. */
export interface WireRequest {
  readonly method: "DELETE" | "GET" | "HEAD" | "POST" | "PUT";
  /** The whole name of the object; absent: the bucket itself. */
  readonly name?: string;
  readonly query?: Readonly<Record<string, string | undefined>>;
  /** By lower-case name. */
  readonly headers?: Readonly<Record<string, string | undefined>>;
  readonly content?: WireContent;
  /** As anybody could ask. */
  readonly isUnsigned?: boolean;
}

interface WireContent {
  readonly body: Uint8Array | NodeJS.ReadableStream;
  /** Bytes. */
  readonly size: number;
  readonly hash: Sha256;
}

export interface WireAnswer {
  /** By lower-case name. */
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Readable;
}

/** Bodies from this size on wait until the store says that it takes them (RFC 9110 §10.1.1). */
const ASK_FIRST_BYTES = 2 * 1024 * 1024;
const EMPTY_HASH = createHash("sha256").digest("hex");

/**
 * The protocol's requests that a delivery makes by the thousand: signed by the storage SDK's own signer and sent by its own
 * HTTP handler, without the rest of it, which costs ten times the request. Failures are errors of the SDK's kind.
 */
export class Wire {
  private readonly handler: BoundedHandler;
  private readonly credentials: ReturnType<typeof createCredentials>;
  private ready: Promise<{ readonly address: BucketAddress; readonly signer: SignatureV4 }> | undefined;

  constructor(private readonly settings: S3Settings) {
    const { idleMs, stop, profile, credentialsFile, hide } = settings;
    this.handler = new BoundedHandler({ idleMs, stop });
    this.credentials = createCredentials({ profile, credentialsFile, hide, stop });
  }

  /**
   * Whoever asks so reads the body to its end, and be it empty: until then its connection is nobody else's.
   * @returns an answer of success; throws what `toStoreError` reads
   */
  async send(request: WireRequest): Promise<WireAnswer> {
    const { address, signer } = await this.prepare();
    const unsigned = toHttpRequest(request, address);
    const signed = request.isUnsigned === true ? unsigned : new HttpRequest(await signer.sign(unsigned));
    const { response } = await this.handler.handle(signed);
    const body = response.body as Readable;
    const answer: WireAnswer = { headers: response.headers, body };
    if (response.statusCode >= 300) throw await toFailure(response.statusCode, answer);
    return answer;
  }

  /** Sends what is answered by no more than a few words, or a list. @returns its root element, where it has one */
  async ask(
    request: WireRequest,
  ): Promise<{ readonly answer: WireAnswer; readonly root?: XmlElement | undefined }> {
    const answer = await this.send(request);
    const text = await readText(answer.body);
    const root = text.trim() === "" ? undefined : parseXml(text);
    // A page of somebody on the way confirms nothing.
    const isPage = root === undefined ? text.trim() !== "" : /^html$/i.test(root.name);
    if (isPage) throw toError(200, answer, NO_DOCUMENT);
    // Copies begin to answer before they know how they end.
    if (root?.name === "Error") throw toError(503, answer, root);
    return { answer, root };
  }

  close(): void {
    this.handler.destroy();
  }

  private prepare(): NonNullable<Wire["ready"]> {
    this.ready ??= resolveAddress(this.settings).then(
      (address) => ({
        address,
        signer: new SignatureV4({
          credentials: this.credentials,
          region: address.region,
          service: address.service,
          sha256: Sum,
          uriEscapePath: false,
          applyChecksum: true,
        }),
      }),
      (error: unknown) => {
        // Another try may find what was missing.
        this.ready = undefined;
        throw error;
      },
    );
    return this.ready;
  }
}

function toHttpRequest(
  { method, name, query = {}, headers = {}, content, isUnsigned }: WireRequest,
  address: BucketAddress,
): HttpRequest {
  const { protocol, hostname, port, path } = address;
  const isStandardPort = port === undefined || port === (protocol === "https:" ? 443 : 80);
  return new HttpRequest({
    ...{ protocol, hostname, method, query: withoutAbsent(query) },
    ...(port === undefined ? {} : { port }),
    path: name === undefined ? path || "/" : `${path}/${encodeKey(name)}`,
    headers: {
      host: isStandardPort ? hostname : `${hostname}:${port}`,
      "user-agent": OWN_NAME,
      ...withoutAbsent(headers),
      ...(isUnsigned === true ? {} : { "x-amz-content-sha256": content?.hash ?? EMPTY_HASH }),
      ...(content ? { "content-length": String(content.size) } : {}),
      ...(content && content.size >= ASK_FIRST_BYTES ? { expect: "100-continue" } : {}),
    },
    ...(content ? { body: content.body } : {}),
  });
}

const withoutAbsent = (values: Readonly<Record<string, string | undefined>>): Record<string, string> => {
  const present: Record<string, string> = {};
  for (const [name, value] of Object.entries(values)) if (value !== undefined) present[name] = value;
  return present;
};

/** A whole answer, which the handler bounds. */
async function readText(body: Readable): Promise<string> {
  const chunks: Uint8Array[] = [];
  for await (const chunk of body) chunks.push(chunk as Uint8Array);
  return Buffer.concat(chunks).toString("utf8");
}

/** What a refusal says; one whose words can't be read to their end is told by its status all the same. */
async function toFailure(status: number, answer: WireAnswer): Promise<Error> {
  try {
    return toError(status, answer, parseXml(await readText(answer.body)));
  } catch (error) {
    return Object.assign(error as Error, toMetadata(status, answer));
  }
}

const toMetadata = (status: number, { headers }: WireAnswer): object => ({
  $metadata: { httpStatusCode: status, requestId: headers["x-amz-request-id"] },
  $response: { statusCode: status, headers },
});

const NO_DOCUMENT: XmlElement = {
  name: "Error",
  text: "",
  children: [
    { name: "Code", text: "NoDocument", children: [] },
    { name: "Message", text: "what it answers is no document of the protocol", children: [] },
  ],
};

/** An error in the form of the SDK's. */
function toError(status: number, answer: WireAnswer, root: XmlElement | undefined): Error {
  const code = root?.name === "Error" ? textOf(root, "Code") : undefined;
  const message = (root && textOf(root, "Message")) ?? "";
  return Object.assign(new Error(message), {
    name: code ?? (status === 404 ? "NotFound" : `${status}`),
    ...toMetadata(status, answer),
  });
}

type RunningSum = ReturnType<typeof createHash> | ReturnType<typeof createHmac>;

/** What the signer takes for its sums. */
class Sum {
  private sum: RunningSum;

  constructor(private readonly secret?: string | ArrayBuffer | ArrayBufferView) {
    this.sum = this.begin();
  }

  update(data: Uint8Array): void {
    this.sum.update(data);
  }

  digest(): Promise<Uint8Array> {
    return Promise.resolve(this.sum.digest());
  }

  reset(): void {
    this.sum = this.begin();
  }

  private begin(): RunningSum {
    const { secret } = this;
    if (secret === undefined) return createHash("sha256");
    return createHmac("sha256", typeof secret === "string" ? secret : toBytes(secret));
  }
}

const toBytes = (data: ArrayBuffer | ArrayBufferView): Uint8Array =>
  ArrayBuffer.isView(data)
    ? new Uint8Array(data.buffer, data.byteOffset, data.byteLength)
    : new Uint8Array(data);
