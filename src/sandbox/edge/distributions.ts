import { randomBytes } from "node:crypto";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { ProtocolError } from "../store/failure.ts";
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
}

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

const createId = (mark: string): string => `${mark}${randomBytes(6).toString("hex").toUpperCase()}`;

/** The distributions of the sandbox's account, with what their configurations refer to. */
export class Distributions {
  private readonly all = new Map<string, Distribution>();
  private readonly cachePolicies = new Map<string, Tree>();
  private readonly originAccess = new Map<string, Tree>();
  private readonly given = new Set<string>();
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
  }

  /** What is there from the beginning is made anew at each start, as its options say. */
  private keep(): void {
    const own = <Item>(shelf: ReadonlyMap<string, Item>): [string, Item][] =>
      [...shelf].filter(([id]) => !this.given.has(id));
    const kept: Kept = {
      all: own(this.all).map(([, one]) => one),
      ...{ cachePolicies: own(this.cachePolicies), originAccess: own(this.originAccess) },
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
  at(
    point: number,
    host: string | undefined,
  ): { readonly id: string; readonly behaviour: Behaviour } | undefined {
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

  isDeployed({ versions }: Distribution): boolean {
    return Date.now() >= (versions.at(-1)?.sinceMs ?? 0) + this.options.propagationMs;
  }

  /** Policies and access controls stand beside distributions, each under an id of its own. */
  shelve(kind: "cachePolicies" | "originAccess", config: Tree, isGiven = false): string {
    const shelf = this[kind];
    const name = textAt(config, "Name");
    if ([...shelf.values()].some((one) => textAt(one, "Name") === name))
      throw new ProtocolError(409, ALREADY[kind], `There is one of the name ${name} already.`);
    const id = createId(kind === "cachePolicies" ? "" : "E").toLowerCase();
    shelf.set(id, config);
    if (isGiven) this.given.add(id);
    this.keep();
    return id;
  }

  shelved(kind: "cachePolicies" | "originAccess"): ReadonlyMap<string, Tree> {
    return this[kind];
  }

  private behaviourOf({ config }: Version): Behaviour {
    const known = this.behaviours.get(config) ?? readBehaviour(config, this.shelf);
    this.behaviours.set(config, known);
    return known;
  }

  private toVersion(config: Tree, isNew: boolean): Version {
    return { config, etag: createId("V"), sinceMs: isNew ? Date.now() : 0 };
  }

  private versionAt({ versions }: Distribution, point: number): Version | undefined {
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
} as const;

const isOfThisMachine = (name: string): boolean =>
  /^(127(\.\d{1,3}){3}|\[::1\]|localhost|.+\.preview\.localhost)\.?$/.test(name);
