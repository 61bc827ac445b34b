import type { ExplainedParcel } from "../model/explained-parcel.ts";
import { toCacheControl } from "../model/cache-control.ts";
import type { AddressRules } from "./addresses.ts";
import { parseAddress } from "./addresses.ts";
import { resolve } from "./resolve.ts";
import type { EndpointRules } from "../model/endpoint.ts";
import { assertNever, NO_CONTENT, type ObjectKey, type UrlPath } from "../model/names.ts";
import { MOST_ROUTING_RULES, type RoutingRule } from "../model/website.ts";
import type { Problem, ProblemCode, ProblemFacts } from "../model/problem.ts";

/** A rule of the settings; addresses are taken below the site's own path, and a `*` at the end carries over. */
export interface RedirectRule {
  readonly address: UrlPath;
  readonly leadsTo: string;
  readonly kind: "permanent" | "temporary";
  /** Whether a form that is sent there stays sent (RFC 9110 §15.4). */
  readonly keepMethod: boolean;
}

export interface RedirectFacts {
  readonly rules: RedirectRules;
  readonly paths: ReadonlySet<ObjectKey>;
  readonly addressRules: AddressRules;
  readonly endpoint: Omit<EndpointRules, "plainNames">;
  readonly clientRoutes: boolean;
  readonly edgeCanForget: boolean;
}

/** The status of a rule: 301 and 302, or 308 and 307 where the method must be kept (RFC 9110 §15.4). */
export function statusOf({
  kind,
  keepMethod,
}: Pick<RedirectRule, "kind" | "keepMethod">): 301 | 302 | 307 | 308 {
  switch (kind) {
    case "permanent":
      return keepMethod ? 308 : 301;
    case "temporary":
      return keepMethod ? 307 : 302;
    default:
      return assertNever(kind);
  }
}

/** Where a visitor is sent who is led there: an address of the site is below its own path. */
export const toLocation = (leadsTo: string, basePath: UrlPath): string =>
  leadsTo.startsWith("/") ? basePath + leadsTo.slice(1) : leadsTo;

/** Finds the rule that counts for an address without looking through all of them. */
export class RedirectRules {
  private readonly exact = new Map<UrlPath, number>();
  /** By what stands before the star. */
  private readonly patterns = new Map<string, number>();
  private readonly patternLengths: readonly number[];

  constructor(readonly rules: readonly RedirectRule[]) {
    for (const [index, { address }] of rules.entries()) {
      const isPattern = address.endsWith("*");
      const [table, key] = isPattern ? [this.patterns, address.slice(0, -1)] : [this.exact, address];
      if (!table.has(key)) table.set(key, index);
    }
    this.patternLengths = [...new Set([...this.patterns.keys()].map(({ length }) => length))];
  }

  /** The place of the first rule that matches; with `isPattern` only those with a `*` count. Infinity: none does. */
  findPlace(address: UrlPath, isPattern = false): number {
    let first = isPattern ? Infinity : (this.exact.get(address) ?? Infinity);
    for (const length of this.patternLengths) {
      if (length > address.length) continue;
      first = Math.min(first, this.patterns.get(address.slice(0, length)) ?? Infinity);
    }
    return first;
  }

  /** Where the first matching rule sends an address; undefined: no rule matches. Both are below the site's own path, from `/`. */
  follow(address: UrlPath): { readonly rule: RedirectRule; readonly leadsTo: string } | undefined {
    const rule = this.rules[this.findPlace(address)];
    if (!rule) return undefined;
    const rest = rule.address.endsWith("*") ? address.slice(rule.address.length - 1) : "";
    return { rule, leadsTo: rule.leadsTo.replace(/\*$/, () => rest) };
  }
}

export interface RedirectDecision {
  /** Objects that carry one redirect each. */
  readonly parcels: readonly ExplainedParcel[];
  /** Rules of the website endpoint, in their order. */
  readonly routing: readonly RoutingRule[];
  /** What is left to the edge, in its order. */
  readonly atEdge: readonly RedirectRule[];
  readonly problems: readonly Problem[];
}

/** What carries each redirect, and everything that is wrong with the rules. */
export function decideRedirects(facts: RedirectFacts): RedirectDecision {
  const { rules } = facts.rules;
  const { serves, carriesRedirects, ownsWebsite, edge } = facts.endpoint;
  const problems = rules.flatMap((rule, index) => findRuleProblems(rule, index, facts));
  const isDropped = new Set(
    problems.filter(({ code }) => code === "redirect-hidden").map(({ path }) => path),
  );
  const live = rules.filter(({ address }) => !isDropped.has(address));
  if (edge?.carriesRules === true) {
    const atEdge = selectForEdge(live, facts);
    const parcels = live.filter((rule) => !atEdge.includes(rule)).map((rule) => toParcel(rule, facts));
    const covered = atEdge.flatMap((rule) => findCovered(rule, facts));
    return { parcels, routing: [], atEdge, problems: [...problems, ...covered] };
  }
  if (serves === "objects" || !carriesRedirects)
    return {
      parcels: [],
      routing: [],
      atEdge: [],
      problems: [...problems, ...toElsewhere(live, edge !== undefined)],
    };
  const others = live.filter((rule) => !isPlaceable(rule));
  const unplaced = others.flatMap((rule, index) => findUnplaced(rule, index, facts));
  const placed = others.slice(0, MOST_ROUTING_RULES);
  return {
    parcels: live.filter(isPlaceable).map((rule) => toParcel(rule, facts)),
    routing: ownsWebsite && unplaced.length === 0 ? others.map((rule) => toRoutingRule(rule, facts)) : [],
    atEdge: [],
    problems: [
      ...problems,
      ...unplaced,
      ...(ownsWebsite ? placed.flatMap((rule) => findCovered(rule, facts)) : []),
    ],
  };
}

/** What no object carries; and what one could, where a rule for the edge would be asked first and leads elsewhere. */
function selectForEdge(live: readonly RedirectRule[], { endpoint, rules }: RedirectFacts): RedirectRule[] {
  if (endpoint.serves === "objects" || !endpoint.carriesRedirects) return [...live];
  return live.filter((rule) => !isPlaceable(rule) || rules.findPlace(rule.address, true) !== Infinity);
}

/** One address, for good: the only kind that an object of its own can carry. */
export const isPlaceable = (rule: RedirectRule): boolean =>
  !rule.address.endsWith("*") && statusOf(rule) === 301;

function findRuleProblems(rule: RedirectRule, index: number, facts: RedirectFacts): Problem[] {
  const { rules } = facts;
  const { address: path } = rule;
  const isPattern = path.endsWith("*");
  const first = rules.findPlace(path.replace(/\*$/, ""), isPattern);
  const hidden = first < index ? rules.rules[first] : undefined;
  if (hidden) return [warning("redirect-hidden", path, { rule: hidden.address })];
  const file = isPattern ? undefined : findFile(path, facts);
  if (file !== undefined) return [warning("redirect-hidden", path, { file })];
  const { trail, loop: end } = follow(rule, rules);
  if (end) return [{ code: "redirect-loop", severity: "error", path, facts: { trail, end } }];
  if (trail.length > 2) return [warning("redirect-chain", path, { trail })];
  const leadsTo = trail.at(-1) as string;
  const isOurs = leadsTo.startsWith("/") && !isPattern;
  if (!isOurs || facts.clientRoutes || findFile(leadsTo, facts) !== undefined) return [];
  return [warning("redirect-target", path, { leadsTo })];
}

/** Browsers follow no more redirects one after the other (Fetch Standard, HTTP-redirect fetch). */
const MOST_HOPS = 20;

/** Every address that a visitor is sent to from a rule, its own first; a loop ends where it closes, or where browsers give up. */
function follow(
  rule: RedirectRule,
  rules: RedirectRules,
): { readonly trail: readonly string[]; readonly loop?: ProblemFacts["redirect-loop"]["end"] } {
  const trail = [rule.address];
  const first = sample(rule.address);
  for (let next = rules.follow(first); next; next = rules.follow(next.leadsTo)) {
    const closes = trail.includes(next.leadsTo) || next.leadsTo === first;
    trail.push(next.leadsTo);
    if (closes) return { trail, loop: "closes" };
    if (trail.length > MOST_HOPS) return { trail, loop: "too-long" };
  }
  return { trail };
}

const warning = <Code extends ProblemCode>(code: Code, path: UrlPath, facts: ProblemFacts[Code]): Problem =>
  ({ code, severity: "warning", path, facts }) as Problem;

/** An address that a rule is asked with: any, for one with a `*`. */
const sample = (address: UrlPath): UrlPath => address.replace(/\*$/, "any");

/** The file of the build that answers at an address below the site's own path. */
const findFile = (address: string, { paths, addressRules }: RedirectFacts): ObjectKey | undefined =>
  resolve(address, { ...addressRules, basePath: "/" }, { has: (key) => paths.has(key), bare: false });

const HOUR = 3600;

function toParcel(
  { address, leadsTo }: RedirectRule,
  { addressRules, edgeCanForget }: RedirectFacts,
): ExplainedParcel {
  const key = parseAddress(address, "/") as ObjectKey;
  // Browsers ask again, permanent ones included: what they keep for good nobody can take back.
  const freshness = { browser: 0, edge: edgeCanForget ? HOUR : 0 };
  const location = toLocation(leadsTo, addressRules.basePath);
  const headers = {
    "cache-control": toCacheControl(freshness),
    "content-type": "text/plain; charset=utf-8",
    "x-amz-website-redirect-location": location,
  };
  const rule = { by: "redirects", address } as const;
  return {
    key: key === "" || key.endsWith("/") ? key + addressRules.indexName : key,
    ...{
      hash: NO_CONTENT,
      storedHash: NO_CONTENT,
      size: 0,
      role: "document",
      headers,
      freshness,
      redirectsTo: location,
    },
    roleReason: { code: "redirect", to: location },
    trace: Object.entries(headers).map(([header, value]) => ({ header, value, rule })),
  };
}

/** Why a website endpoint can't carry a rule, if it can't. */
function findUnplaced(
  rule: RedirectRule,
  index: number,
  { endpoint: { ownsWebsite }, paths }: RedirectFacts,
): Problem[] {
  const { address: path } = rule;
  const [isPattern, status] = [path.endsWith("*"), statusOf(rule)];
  const problem = (facts: ProblemFacts["redirect-unplaced"]): Problem[] => [
    { code: "redirect-unplaced", severity: "error", path, facts },
  ];
  if (!ownsWebsite) return problem({ why: "not-owned", isPattern, status });
  if (index >= MOST_ROUTING_RULES) return problem({ why: "too-many", most: MOST_ROUTING_RULES });
  const key = parseAddress(path, "/") as string;
  const other = isPattern ? undefined : [...paths].find((one) => one.startsWith(key) && one !== key);
  return other === undefined ? [] : problem({ why: "reaches", isPattern, status, other });
}

/** Files that nobody reaches any more: a routing rule counts before what stands there. */
function findCovered({ address }: RedirectRule, { paths }: RedirectFacts): Problem[] {
  const prefix = parseAddress(address.replace(/\*$/, ""), "/") as string;
  const keys = address.endsWith("*") ? [...paths].filter((path) => path.startsWith(prefix)) : [];
  return keys.length === 0 ? [] : [warning("redirect-covers", address, { keys })];
}

function toRoutingRule(
  rule: RedirectRule,
  { addressRules, endpoint: { bucketPrefix } }: RedirectFacts,
): RoutingRule {
  const isPattern = rule.address.endsWith("*");
  const prefix = bucketPrefix + (parseAddress(rule.address.replace(/\*$/, ""), "/") as string);
  const isElsewhere = !rule.leadsTo.startsWith("/");
  const url = new URL(rule.leadsTo.replace(/\*$/, ""), "http://site.invalid");
  const target = isElsewhere
    ? url.pathname.slice(1)
    : addressRules.basePath.slice(1) + rule.leadsTo.replace(/\*$/, "").slice(1);
  return {
    prefix,
    ...(isPattern && rule.leadsTo.endsWith("*") ? { replacePrefix: target } : { replaceKey: target }),
    ...(isElsewhere
      ? { host: url.host, protocol: url.protocol === "https:" ? ("https" as const) : ("http" as const) }
      : {}),
    status: statusOf(rule),
  };
}

function toElsewhere(live: readonly RedirectRule[], isEdgeAble: boolean): Problem[] {
  if (live.length === 0) return [];
  const rules = live.map(({ address, leadsTo }) => ({ address, leadsTo }));
  return [{ code: "redirect-elsewhere", severity: "warning", facts: { rules, isEdgeAble } }];
}
