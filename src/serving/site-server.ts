import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { createServer as createSecureServer } from "node:https";
import { gunzipSync, gzipSync } from "node:zlib";
import type { FoundAnswer } from "../core/answers/find-answer.ts";
import type { ExplainedParcel } from "../core/model/explained-parcel.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { UrlPath } from "../core/model/names.ts";
import { isHtml } from "../core/model/parcel.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { Certificate } from "./certificate.ts";
import type { LiveSite, ServedBuild } from "./live-site.ts";
import { withReloadScript, type Reloader } from "./reload.ts";
import { sendAnswer, type Answer } from "./send-answer.ts";

/** What one request came to. */
export interface ServedRequest {
  readonly method: string;
  /** As it was asked, query included. */
  readonly target: string;
  readonly status: number;
  /** Of the body, as sent. */
  readonly bytes: number;
  /** The page that asks, where the browser says it. */
  readonly referrer?: string | undefined;
}

export interface SiteServerOptions {
  readonly site: LiveSite;
  readonly source: BuildSource;
  /** Absent: it speaks plain HTTP. */
  readonly certificate?: Certificate | undefined;
  /** Absent: pages are served as they are. */
  readonly reloader?: Reloader | undefined;
  /** Headers that the edge sets over those of the objects, by lower-case name. */
  readonly edgeHeaders: Readonly<Record<string, string>>;
  /** Whether text is compressed for clients that take it. */
  readonly compresses: boolean;
  /** Whether a request's `Host` means us. */
  readonly isOurs: (host: string | undefined) => boolean;
  readonly basePath: UrlPath;
  /** What is said where a build is not whole, and where nothing answers. */
  readonly texts: {
    readonly halfWritten: () => string;
    readonly missing: (path: UrlPath) => string;
    readonly outside: (basePath: UrlPath) => string;
  };
  readonly note: (request: ServedRequest) => void;
}

/** A server that answers as the destination would. It reads nothing but files of the build: requests only choose among them. */
export function createSiteServer(options: SiteServerOptions): Server {
  const { certificate, note } = options;
  const listener = (request: IncomingMessage, response: ServerResponse): void => {
    void handle(request, response, options).then((bytes) => {
      note({
        method: request.method ?? "",
        target: request.url ?? "",
        status: response.statusCode,
        bytes,
        referrer: request.headers.referer,
      });
    });
  };
  return certificate ? createSecureServer(certificate, listener) : createServer(listener);
}

/** @returns the number of body bytes */
async function handle(
  request: IncomingMessage,
  response: ServerResponse,
  options: SiteServerOptions,
): Promise<number> {
  try {
    if (!options.isOurs(request.headers.host)) return sayPlainly(response, 421, "this is another site\n");
    if (request.method !== "GET" && request.method !== "HEAD") {
      response.setHeader("allow", "GET, HEAD");
      return sayPlainly(response, 405, "only GET and HEAD are answered\n");
    }
    if (options.reloader?.answer(request, response, options.site.current?.id) === true) return 0;
    const answer = await findAnswer(request, options);
    return await sendAnswer(request, response, answer, options);
  } catch (error) {
    // The browser has gone, or the file has while it was sent: nobody is left to be told.
    if (response.headersSent) {
      response.destroy();
      return 0;
    }
    return sayPlainly(response, 500, `${String(error)}\n`);
  }
}

function sayPlainly(response: ServerResponse, status: number, text: string): number {
  response.writeHead(status, { "content-type": "text/plain; charset=utf-8" }).end(text);
  return Buffer.byteLength(text);
}

/** A page that is loaded anew must not come with the scripts and styles that the browser kept. */
const ASKED_ANEW = { "cache-control": "no-cache" };

/** A file that changes between the look and the read is read once more, as what it has become. */
const TRIES = 3;

async function findAnswer({ url = "/" }: IncomingMessage, options: SiteServerOptions): Promise<Answer> {
  const { site, edgeHeaders, reloader } = options;
  const [path = "/", query] = url.split(/\?(.*)/s);
  for (let tried = 1; ; tried += 1) {
    const build = await site.now();
    if (!build) return toHalfWritten(options);
    try {
      const { headers, ...answer } = toAnswer({ path, query }, build, options);
      return { ...answer, headers: { ...headers, ...edgeHeaders, ...(reloader && ASKED_ANEW) } };
    } catch (error) {
      if (!(error instanceof OperatorError) || tried === TRIES) throw error;
      await site.refresh(true);
    }
  }
}

interface Asked {
  readonly path: UrlPath;
  readonly query: string | undefined;
}

function toAnswer({ path, query }: Asked, build: ServedBuild, options: SiteServerOptions): Answer {
  const found = build.answer(path, query);
  switch (found.kind) {
    case "object":
      return toObject(found, build, options);
    case "redirect":
      return {
        status: found.status,
        headers: { ...(found.object ? toHeaders(found.object) : {}), location: found.location },
        body: Buffer.alloc(0),
      };
    case "missing":
      return toText(404, options.texts.missing(path));
    case "outside":
      return toText(404, options.texts.outside(options.basePath));
  }
}

/** As long as a page that can't be shown yet stands, browsers ask again by themselves. */
const toHalfWritten = ({ texts }: SiteServerOptions): Answer => {
  const { headers, ...answer } = toText(503, texts.halfWritten());
  return {
    ...answer,
    headers: { ...headers, "retry-after": "1", refresh: "1", "cache-control": "no-store" },
  };
};

const toText = (status: number, text: string): Answer => ({
  status,
  headers: { "content-type": "text/plain; charset=utf-8" },
  body: Buffer.from(text),
});

const REDIRECT_HEADER = "x-amz-website-redirect-location";

function toHeaders({ headers }: ExplainedParcel): Record<string, string> {
  const { [REDIRECT_HEADER]: _, ...own } = headers;
  return own;
}

type FoundObject = Extract<FoundAnswer<ExplainedParcel>, { kind: "object" }>;

/** Letters of the content's hash that tell it apart. */
const ETAG_LETTERS = 32;

/** Larger files go out as they are read. No store holds one of these encoded by us. */
const WHOLE_BYTES = 8 * 1024 * 1024;

function toObject(
  { status, object }: FoundObject,
  { modifiedAt }: ServedBuild,
  { source, reloader }: SiteServerOptions,
): Answer {
  const etag = `"${object.storedHash.slice(0, ETAG_LETTERS)}"`;
  const headers: Record<string, string> = {
    ...toHeaders(object),
    ...{ etag, "last-modified": modifiedAt(object.key).toUTCString() },
  };
  if (object.size > WHOLE_BYTES)
    return {
      status,
      headers,
      body: { size: object.size, read: (start, end) => source.openPart(object, start, end) },
    };
  const body = Buffer.from(source.open(object).open() as Uint8Array);
  const canChange = object.encoding === "gzip" || headers["content-encoding"] === undefined;
  if (!reloader || !isHtml(object) || !canChange) return { status, headers, body };
  const page =
    object.encoding === "gzip" ? gzipSync(withReloadScript(gunzipSync(body))) : withReloadScript(body);
  return { status, headers: { ...headers, etag: etag.replace(/"$/, '-reload"') }, body: page };
}
