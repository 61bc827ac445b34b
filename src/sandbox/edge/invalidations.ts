import { randomBytes } from "node:crypto";
import { ProtocolError } from "../store/failure.ts";
import { many, parseXml, toXml } from "../store/xml.ts";
import type { PointOfPresence } from "./point-of-presence.ts";

interface Batch {
  readonly id: string;
  readonly distribution: string;
  readonly reference: string;
  readonly paths: readonly string[];
  readonly createdMs: number;
  done: boolean;
}

export interface InvalidationOptions {
  readonly points: readonly PointOfPresence[];
  /** Until the last point has let go; the others are reached on the way. */
  readonly propagationMs: number;
}

/** The API's own limits on what may be in flight. */
const MOST_PATHS = 3000;
const MOST_WILDCARDS = 15;

/** Batches of path patterns, with status: what distributions of a CDN are asked to forget. */
export class Invalidations {
  private readonly batches: Batch[] = [];

  constructor(private readonly options: InvalidationOptions) {}

  /** @param isLost it is confirmed, and yet nothing is let go */
  ask(distribution: string, text: string, isLost: boolean): string {
    return toBatchXml(this.create({ ...parseBatch(text), distribution }, isLost));
  }

  look(distribution: string, batch: string | undefined): string {
    return batch === undefined ? this.toListXml(distribution) : toBatchXml(this.find(distribution, batch));
  }

  /** The same reference with the same paths is the same batch; with others it is refused. */
  private create(
    { distribution, reference, paths }: { distribution: string; reference: string; paths: string[] },
    isLost: boolean,
  ): Batch {
    const own = this.batches.filter((batch) => batch.distribution === distribution);
    const known = own.find((batch) => batch.reference === reference);
    if (known) {
      if (known.paths.join("\n") !== paths.join("\n"))
        throw new ProtocolError(
          409,
          "InvalidationBatchAlreadyExists",
          "The caller reference was used for another batch.",
        );
      return known;
    }
    const open = own.filter(({ done }) => !done).flatMap((batch) => batch.paths);
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
      distribution,
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
        point
          .cacheOf(batch.distribution)
          .forgetAll((key) => batch.paths.some((pattern) => isMatch(pattern, key)));
        if (index === points.length - 1) batch.done = true;
      };
      if (propagationMs === 0) reach();
      else setTimeout(reach, (propagationMs * (index + 1)) / points.length);
    });
  }

  private find(distribution: string, id: string): Batch {
    const batch = this.batches.find((one) => one.id === id && one.distribution === distribution);
    if (!batch)
      throw new ProtocolError(404, "NoSuchInvalidation", "The specified invalidation does not exist.");
    return batch;
  }

  private toListXml(distribution: string): string {
    const own = this.batches.filter((batch) => batch.distribution === distribution);
    const items = own.map(({ id, createdMs, done }) => ({
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
