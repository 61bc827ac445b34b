import { randomBytes } from "node:crypto";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { ProtocolError } from "../store/failure.ts";
import { ViewerFunctions, type KeptFunction } from "./viewer-functions.ts";
import { readAnswerHeaders } from "./answer-headers.ts";
import { itemsAt, readBehaviour, textAt, type Behaviour, type Shelf, type Tree } from "./behaviour.ts";

/** A certificate that distributions can be given. */
export interface ShelvedCertificate {
  readonly reference: string;
  readonly names: readonly string[];
  readonly until: string;
}

/** How the one of a number is referred to. */
export const toCertificateReference = (number: number): string =>
  `arn:aws:acm:us-east-1:000000000000:certificate/practice-${number}`;

export interface DistributionOptions {
  /** How many points of presence have to be told. */
  readonly points: number;
  /** Until the last of them knows a change. */
  readonly propagationMs: number;
  readonly region: string;
  readonly certificates: readonly ShelvedCertificate[];
  /** Where what is made is kept for the next start. */
  readonly file: string;
}

/** What is in that file. */
interface Kept {
  readonly all: readonly Distribution[];
  readonly cachePolicies: readonly (readonly [string, Tree])[];
  readonly originAccess: readonly (readonly [string, Tree])[];
  readonly headersPolicies?: readonly (readonly [string, readonly Version[]])[];
  readonly functions?: readonly KeptFunction[];
}

/** What stands beside distributions under ids of its own. */
export type ShelfName = "cachePolicies" | "originAccess" | "headersPolicies";

interface Version {
  readonly config: Tree;
  readonly etag: string;
  readonly sinceMs: number;
}

/** A distribution with its settings, the newest last. */
export interface Distribution {
  readonly id: string;
  readonly versions: readonly Version[];
  /** Whether it was there from the beginning. */
  readonly isGiven: boolean;
}

/** What a point of presence knows of the distribution that is meant. */
interface Seen {
  readonly id: string;
  readonly behaviour: Behaviour;
  /** The code of its function; undefined: none is run. */
  readonly code: string | undefined;
  /** By lower-case name. */
  readonly answerHeaders: Readonly<Record<string, string>>;
}

const createId = (mark: string): string => `${mark}${randomBytes(6).toString("hex").toUpperCase()}`;

/** The distributions of the sandbox's account, with what their configurations refer to. */
export class Distributions {
  private readonly all = new Map<string, Distribution>();
  private readonly cachePolicies = new Map<string, Tree>();
  private readonly originAccess = new Map<string, Tree>();
  private readonly headersPolicies = new Map<string, readonly Version[]>();
  private readonly given = new Set<string>();
  readonly functions: ViewerFunctions;
  private readonly shelf: Shelf;
  private readonly behaviours = new WeakMap<Tree, Behaviour>();
  /** Where the first point answers; known once it listens. */
  home = "";

  constructor(private readonly options: DistributionOptions) {
    const { cachePolicies, originAccess } = this;
    this.shelf = { cachePolicies, originAccess, region: options.region };
    const kept = existsSync(options.file)
      ? (JSON.parse(readFileSync(options.file, "utf8")) as Kept)
      : undefined;
    for (const one of kept?.all ?? []) this.all.set(one.id, one);
    for (const [id, one] of kept?.cachePolicies ?? []) cachePolicies.set(id, one);
    for (const [id, one] of kept?.originAccess ?? []) originAccess.set(id, one);
    for (const [id, versions] of kept?.headersPolicies ?? []) this.headersPolicies.set(id, versions);
    this.functions = new ViewerFunctions(options, kept?.functions ?? [], () => {
      this.keep();
    });
  }

  /** What is there from the beginning is made anew at each start, as its options say. */
  private keep(): void {
    const own = <Item>(shelf: ReadonlyMap<string, Item>): [string, Item][] =>
      [...shelf].filter(([id]) => !this.given.has(id));
    const kept: Kept = {
      all: own(this.all).map(([, one]) => one),
      ...{ cachePolicies: own(this.cachePolicies), originAccess: own(this.originAccess) },
      headersPolicies: [...this.headersPolicies],
      functions: this.functions.list(),
    };
    writeFileSync(this.options.file, JSON.stringify(kept));
  }

  get certificates(): readonly ShelvedCertificate[] {
    return this.options.certificates;
  }

  /** @param id of one that is there from the beginning */
  make(config: Tree, id?: string): Distribution {
    const reference = textAt(config, "CallerReference");
    const known = [...this.all.values()].find(
      (one) => textAt(one.versions[0]?.config, "CallerReference") === reference,
    );
    if (known) {
      if (JSON.stringify(known.versions[0]?.config) === JSON.stringify(config)) return known;
      throw new ProtocolError(
        409,
        "DistributionAlreadyExists",
        "The caller reference that you are using to create a distribution is associated with another distribution.",
      );
    }
    this.check(config, undefined);
    const isGiven = id !== undefined;
    const made = { id: id ?? createId("E"), versions: [this.toVersion(config, !isGiven)], isGiven };
    this.all.set(made.id, made);
    if (isGiven) this.given.add(made.id);
    this.keep();
    return made;
  }

  change(id: string, etag: string | undefined, config: Tree): Distribution {
    const known = this.find(id);
    if (etag === undefined)
      throw new ProtocolError(400, "InvalidIfMatchVersion", "The If-Match version is missing or not valid.");
    if (known.versions.at(-1)?.etag !== etag)
      throw new ProtocolError(
        412,
        "PreconditionFailed",
        "The request failed because it didn't meet the preconditions in one or more request-header fields.",
      );
    this.check(config, id);
    const changed = { ...known, versions: [...known.versions, this.toVersion(config, true)] };
    this.all.set(id, changed);
    this.keep();
    return changed;
  }

  find(id: string): Distribution {
    const known = this.all.get(id);
    if (known) return known;
    throw new ProtocolError(404, "NoSuchDistribution", "The specified distribution does not exist.");
  }

  list(): readonly Distribution[] {
    return [...this.all.values()];
  }

  /** The one that a visitor means, as a point knows it by now. A name of this machine means the first that was made. */
  at(point: number, host: string | undefined): Seen | undefined {
    const found = this.findAt(point, host);
    if (!found) return undefined;
    const { id, behaviour } = found;
    const policy = this.reached(this.headersPolicies.get(behaviour.headersPolicy) ?? [], point);
    return {
      ...{ id, behaviour, code: this.functions.codeAt(behaviour.viewerFunction, point) },
      answerHeaders: readAnswerHeaders(policy?.config),
    };
  }

  private findAt(point: number, host: string | undefined): Pick<Seen, "id" | "behaviour"> | undefined {
    const name = (host ?? "").replace(/:\d+$/, "").toLowerCase();
    const seen = this.list().flatMap((one) => {
      const version = this.versionAt(one, point);
      return version ? [{ ...one, behaviour: this.behaviourOf(version) }] : [];
    });
    const isMeant = (own: string): boolean =>
      own === name || (own.startsWith("*.") && own.slice(1) === name.slice(name.indexOf(".")));
    const named = seen.find(({ behaviour }) => behaviour.names.some(isMeant));
    if (named || !isOfThisMachine(name)) return named;
    return seen.find(({ isGiven }) => !isGiven) ?? seen[0];
  }

  /** Whether all places know it, and what it refers to. */
  isDeployed({ versions }: Distribution): boolean {
    const { config = {} } = versions.at(-1) ?? {};
    const policies = this.headersPolicies.get(this.behaviourOf({ config }).headersPolicy) ?? [];
    return [versions, policies].every(
      (one) => Date.now() >= (one.at(-1)?.sinceMs ?? 0) + this.options.propagationMs,
    );
  }

  /** Policies and access controls stand beside distributions, each under an id of its own. */
  shelve(kind: ShelfName, config: Tree, isGiven = false): string {
    const name = textAt(config, "Name");
    if ([...this.shelved(kind).values()].some((one) => textAt(one, "Name") === name))
      throw new ProtocolError(409, ALREADY[kind], `There is one of the name ${name} already.`);
    const id = createId(kind === "originAccess" ? "E" : "").toLowerCase();
    if (kind === "headersPolicies") this.headersPolicies.set(id, [this.toVersion(config, true)]);
    else this[kind].set(id, config);
    if (isGiven) this.given.add(id);
    this.keep();
    return id;
  }

  shelved(kind: ShelfName): ReadonlyMap<string, Tree> {
    if (kind !== "headersPolicies") return this[kind];
    const newest = [...this.headersPolicies].map(([id, all]): [string, Tree] => [
      id,
      all.at(-1)?.config ?? {},
    ]);
    return new Map(newest);
  }

  /** What changes of a headers policy must name. */
  versionOf(id: string): string {
    return this.headersPolicies.get(id)?.at(-1)?.etag ?? "";
  }

  changeHeaders(id: string, etag: string | undefined, config: Tree): void {
    const versions = this.headersPolicies.get(id);
    if (!versions) throw new ProtocolError(404, "NoSuchResponseHeadersPolicy", "There is none of this id.");
    if (versions.at(-1)?.etag !== etag)
      throw new ProtocolError(412, "PreconditionFailed", "It was changed meanwhile.");
    this.headersPolicies.set(id, [...versions, this.toVersion(config, true)]);
    this.keep();
  }

  private behaviourOf({ config }: Pick<Version, "config">): Behaviour {
    const known = this.behaviours.get(config) ?? readBehaviour(config, this.shelf);
    this.behaviours.set(config, known);
    return known;
  }

  private toVersion(config: Tree, isNew: boolean): Version {
    return { config, etag: createId("V"), sinceMs: isNew ? Date.now() : 0 };
  }

  private versionAt({ versions }: Distribution, point: number): Version | undefined {
    return this.reached(versions, point);
  }

  /** What has come to a point by now. */
  private reached(versions: readonly Version[], point: number): Version | undefined {
    const { points, propagationMs } = this.options;
    const reached = Date.now() - (propagationMs * (point + 1)) / points;
    return versions.findLast(({ sinceMs }) => sinceMs <= reached);
  }

  /** What the interface refuses. */
  private check(config: Tree, id: string | undefined): void {
    const refuse = (code: string, why: string): ProtocolError => new ProtocolError(400, code, why);
    const behaviour = config.DefaultCacheBehavior;
    const policy = textAt(behaviour, "CachePolicyId");
    if (policy !== "" && !this.cachePolicies.has(policy))
      throw new ProtocolError(404, "NoSuchCachePolicy", "The cache policy does not exist.");
    const headers = textAt(behaviour, "ResponseHeadersPolicyId");
    if (headers !== "" && !this.headersPolicies.has(headers))
      throw new ProtocolError(
        404,
        "NoSuchResponseHeadersPolicy",
        "The response headers policy does not exist.",
      );
    const { viewerFunction } = readBehaviour(config, this.shelf);
    if (viewerFunction !== "" && this.functions.codeAt(viewerFunction, 0) === undefined)
      throw refuse("InvalidFunctionAssociation", "The function must be published to the LIVE stage.");
    const target = textAt(behaviour, "TargetOriginId");
    const origins = itemsAt(config, "Origins", "Origin");
    const origin = origins.find((one) => textAt(one, "Id") === target);
    if (!origin) throw refuse("NoSuchOrigin", "No origin exists with the specified Origin Id.");
    const access = textAt(origin, "OriginAccessControlId");
    if (access !== "" && !this.originAccess.has(access))
      throw refuse("InvalidOriginAccessControl", "The origin access control does not exist.");
    for (const list of ["Origins", "Aliases", "CustomErrorResponses"]) {
      const { Quantity, Items } = (config[list] ?? { Quantity: 0 }) as {
        Quantity?: unknown;
        Items?: unknown;
      };
      const items = typeof Items === "object" ? Object.values(Items as Tree).flat().length : 0;
      if (Number(Quantity) !== items) throw refuse("InconsistentQuantities", `${list}: ${items} items`);
    }
    this.checkNames(itemsAt(config, "Aliases", "CNAME").map(String), config, id);
  }

  private checkNames(names: readonly string[], config: Tree, id: string | undefined): void {
    if (names.length === 0) return;
    const reference = textAt(config, "ViewerCertificate", "ACMCertificateArn");
    const certificate = this.certificates.find((one) => one.reference === reference);
    const isCovered = names.every((name) =>
      certificate?.names.some((one) => one === name || (one.startsWith("*.") && name.endsWith(one.slice(1)))),
    );
    if (!isCovered || Date.parse(certificate?.until ?? "") <= Date.now())
      throw new ProtocolError(
        400,
        "InvalidViewerCertificate",
        "To add an alternate domain name, you must attach a trusted certificate that validates it.",
      );
    const isTaken = this.list().some(
      (one) =>
        one.id !== id &&
        itemsAt(one.versions.at(-1)?.config, "Aliases", "CNAME").some((name) => names.includes(String(name))),
    );
    if (isTaken)
      throw new ProtocolError(
        409,
        "CNAMEAlreadyExists",
        "One or more of the CNAMEs you provided are already associated with a different resource.",
      );
  }
}

const ALREADY = {
  cachePolicies: "CachePolicyAlreadyExists",
  originAccess: "OriginAccessControlAlreadyExists",
  headersPolicies: "ResponseHeadersPolicyAlreadyExists",
} as const;

const isOfThisMachine = (name: string): boolean =>
  /^(127(\.\d{1,3}){3}|\[::1\]|localhost|.+\.preview\.localhost)\.?$/.test(name);
