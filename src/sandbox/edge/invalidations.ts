import { randomBytes } from "node:crypto";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { receiveText } from "../store/body.ts";
import { ProtocolError } from "../store/failure.ts";
import { judge, refuse } from "../store/permissions.ts";
import { authenticate, type Identity } from "../store/signature.ts";
import { many, parseXml, toErrorXml, toXml } from "../store/xml.ts";
import { strike, type Faults } from "../faults.ts";
import type { Ledger } from "../ledger.ts";
import { forLoopback } from "../loopback.ts";
import type { PointOfPresence } from "./point-of-presence.ts";

export interface InvalidationOptions {
  readonly distribution: string;
  readonly points: readonly PointOfPresence[];
  /** Until the last point has let go; the others are reached on the way. */
  readonly propagationMs: number;
  readonly identities: readonly Identity[];
  readonly ledger: Ledger;
  readonly faults: Faults;
}

interface Batch {
  readonly id: string;
  readonly reference: string;
  readonly paths: readonly string[];
  readonly createdMs: number;
  done: boolean;
}

const API = /^\/2020-05-31\/distribution\/([^/]+)\/invalidation(?:\/([^/?]+))?$/;
/** The API's own limits on what may be in flight. */
const MOST_PATHS = 3000;
const MOST_WILDCARDS = 15;

/** Batches of path patterns over a REST and XML interface, with status: what distributions of a CDN are asked by. */
export class InvalidationApi {
  readonly server: Server;
  private readonly batches: Batch[] = [];

  constructor(private readonly options: InvalidationOptions) {
    this.server = createServer(forLoopback((request, response) => void this.handle(request, response)));
  }

  private async handle(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const [path = "/"] = (request.url ?? "/").split("?");
    const [, distribution, batch] = API.exec(path) ?? [];
    const isNew = request.method === "POST";
    const operation = isNew
      ? "CreateInvalidation"
      : batch === undefined
        ? "ListInvalidations"
        : "GetInvalidation";
    const fault = this.options.faults.choose({ part: "edge-api", operation, key: path });
    const isLost = fault?.fault === "lost-invalidation";
    const goesOn = strike(fault, request, response);
    if (!(await goesOn.catch(() => true))) return;
    const { status, xml, code } = await goesOn
      .then(() => this.respond(request, distribution, batch, isLost))
      .catch(toRefusal);
    response.writeHead(status, { "content-type": "text/xml" }).end(xml);
    const refused = code === undefined ? {} : { code };
    this.options.ledger.note({
      part: "edge-api",
      operation,
      method: request.method ?? "",
      status,
      received: 0,
      ...refused,
    });
  }

  private async respond(
    request: IncomingMessage,
    distribution: string | undefined,
    batch: string | undefined,
    isLost: boolean,
  ): Promise<ApiAnswer> {
    const { identities } = this.options;
    const facts = { method: request.method ?? "", target: request.url ?? "/", headers: request.headers };
    const rules = { identities, region: "us-east-1", service: "cloudfront" as const, nowMs: Date.now() };
    const identity = authenticate(facts, rules);
    if (!identity) throw new ProtocolError(403, "AccessDenied", "Access denied.");
    const action = `cloudfront:${request.method === "POST" ? "CreateInvalidation" : "GetInvalidation"}`;
    const resource = `arn:aws:cloudfront::000000000000:distribution/${distribution}`;
    if (identity.policy && judge(identity.policy, { action, resource }) !== "allow")
      refuse({ action, resource });
    if (distribution !== this.options.distribution) {
      throw new ProtocolError(404, "NoSuchDistribution", "The specified distribution does not exist.");
    }
    if (request.method === "POST") {
      return { status: 201, xml: toBatchXml(this.create(parseBatch(await receiveText(request)), isLost)) };
    }
    return { status: 200, xml: batch === undefined ? this.toListXml() : toBatchXml(this.find(batch)) };
  }

  /** The same reference with the same paths is the same batch; with others it is refused. */
  private create({ reference, paths }: { reference: string; paths: string[] }, isLost: boolean): Batch {
    const known = this.batches.find((batch) => batch.reference === reference);
    if (known) {
      if (known.paths.join("\n") !== paths.join("\n"))
        throw new ProtocolError(
          409,
          "InvalidationBatchAlreadyExists",
          "The caller reference was used for another batch.",
        );
      return known;
    }
    const open = this.batches.filter(({ done }) => !done).flatMap((batch) => batch.paths);
    const wildcards = [...open, ...paths].filter((path) => path.endsWith("*")).length;
    if (open.length + paths.length > MOST_PATHS || wildcards > MOST_WILDCARDS) {
      throw new ProtocolError(
        400,
        "TooManyInvalidationsInProgress",
        "You have exceeded the maximum number of invalidations in progress.",
      );
    }
    const batch: Batch = {
      id: `I${randomBytes(8).toString("hex").toUpperCase()}`,
      reference,
      paths,
      createdMs: Date.now(),
      done: false,
    };
    this.batches.push(batch);
    // Confirmed, and yet nothing was let go.
    if (isLost) batch.done = true;
    else this.propagate(batch);
    return batch;
  }

  private propagate(batch: Batch): void {
    const { points, propagationMs } = this.options;
    points.forEach((point, index) => {
      const reach = (): void => {
        point.cache.forgetAll((key) => batch.paths.some((pattern) => isMatch(pattern, key)));
        if (index === points.length - 1) batch.done = true;
      };
      if (propagationMs === 0) reach();
      else setTimeout(reach, (propagationMs * (index + 1)) / points.length);
    });
  }

  private find(id: string): Batch {
    const batch = this.batches.find((candidate) => candidate.id === id);
    if (!batch)
      throw new ProtocolError(404, "NoSuchInvalidation", "The specified invalidation does not exist.");
    return batch;
  }

  private toListXml(): string {
    const items = this.batches.map(({ id, createdMs, done }) => ({
      Id: id,
      CreateTime: new Date(createdMs).toISOString(),
      Status: done ? "Completed" : "InProgress",
    }));
    return toXml("InvalidationList", {
      Marker: "",
      MaxItems: 100,
      IsTruncated: false,
      Quantity: items.length,
      Items: { InvalidationSummary: items },
    });
  }
}

interface ApiAnswer {
  readonly status: number;
  readonly xml: string;
  readonly code?: string;
}

function toRefusal(error: unknown): ApiAnswer {
  const { status, code, message } =
    error instanceof ProtocolError ? error : new ProtocolError(500, "InternalError", String(error));
  return { status, code, xml: toErrorXml({ Type: "Sender", Code: code, Message: message }) };
}

/** A path reaches exactly itself, a trailing `*` everything that begins so, with any query. */
const isMatch = (pattern: string, key: string): boolean =>
  pattern.endsWith("*") ? key.startsWith(pattern.slice(0, -1)) : key.replace(/ .*/, "") === pattern;

function parseBatch(text: string): { reference: string; paths: string[] } {
  const { CallerReference: reference, Paths: paths } = parseXml(text, "InvalidationBatch") as {
    CallerReference?: string;
    Paths?: { Items?: { Path?: string | string[] } };
  };
  const items = many(paths?.Items?.Path).map(String);
  if (reference === undefined || items.length === 0)
    throw new ProtocolError(400, "InvalidArgument", "Your request is missing a required parameter.");
  const wrong = items.find((path) => !/^\/[^*\s]*\*?$/.test(path) || /[^\u0021-\u007e]/.test(path));
  if (wrong !== undefined)
    throw new ProtocolError(
      400,
      "InvalidArgument",
      "Your request contains one or more invalid invalidation paths.",
    );
  return { reference, paths: items };
}

const toBatchXml = ({ id, reference, paths, createdMs, done }: Batch): string =>
  toXml("Invalidation", {
    Id: id,
    Status: done ? "Completed" : "InProgress",
    CreateTime: new Date(createdMs).toISOString(),
    InvalidationBatch: {
      Paths: { Quantity: paths.length, Items: { Path: paths } },
      CallerReference: reference,
    },
  });
