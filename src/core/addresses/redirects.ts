import type { AddressRules } from "./addresses.ts";
import { parseAddress } from "./addresses.ts";
import { resolve } from "./resolve.ts";
import type { Serves } from "./aliases.ts";
import { toCacheControl } from "../build/headers.ts";
import { assertNever, type ObjectKey, type UrlPath } from "../model/names.ts";
import type { ExplainedParcel } from "../build/parcels.ts";
import { MOST_ROUTING_RULES, type RoutingRule } from "../model/website.ts";
import { listed, type Problem } from "../model/problems.ts";

/** A rule of the settings; addresses are taken below the site's own path, and a `*` at the end carries over. */
export interface RedirectRule {
  readonly address: UrlPath;
  readonly leadsTo: string;
  readonly kind: "permanent" | "temporary";
  /** Whether a form that is sent there stays sent (RFC 9110 §15.4). */
  readonly keepMethod: boolean;
}

export interface RedirectFacts {
  readonly rules: readonly RedirectRule[];
  readonly paths: ReadonlySet<ObjectKey>;
  readonly addresses: AddressRules;
  readonly serves: Serves;
  readonly clientRoutes: boolean;
  readonly edgeCanForget: boolean;
  /** Whether the bucket's website settings are ours to write; what stands before keys in the bucket. */
  readonly carriesRedirects: boolean;
  readonly ownsWebsite: boolean;
  readonly bucketPrefix: string;
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

/** Where the first matching rule sends an address; undefined: no rule matches. Both are below the site's own path, from `/`. */
export function followRedirect(
  rules: readonly RedirectRule[],
  address: UrlPath,
): { readonly rule: RedirectRule; readonly leadsTo: string } | undefined {
  const rule = rules.find((candidate) => matches(candidate, address));
  if (!rule) return undefined;
  const rest = rule.address.endsWith("*") ? address.slice(rule.address.length - 1) : "";
  return { rule, leadsTo: rule.leadsTo.replace(/\*$/, () => rest) };
}

const matches = ({ address }: RedirectRule, asked: UrlPath): boolean =>
  address.endsWith("*") ? asked.startsWith(address.slice(0, -1)) : asked === address;

export interface RedirectDecision {
  /** Objects that carry one redirect each. */
  readonly parcels: readonly ExplainedParcel[];
  /** Rules of the website endpoint, in their order. */
  readonly routing: readonly RoutingRule[];
  readonly problems: readonly Problem[];
}

/** What carries each redirect, and everything that is wrong with the rules. */
export function decideRedirects(facts: RedirectFacts): RedirectDecision {
  const { rules, serves, ownsWebsite } = facts;
  const problems = rules.flatMap((rule, index) => findRuleProblems(rule, index, facts));
  const isDropped = new Set(
    problems.filter(({ code }) => code === "redirect-hidden").map(({ path }) => path),
  );
  const live = rules.filter(({ address }) => !isDropped.has(address));
  if (serves === "objects" || !facts.carriesRedirects)
    return { parcels: [], routing: [], problems: [...problems, ...toElsewhere(live)] };
  const others = live.filter((rule) => !isPlaceable(rule));
  const unplaced = others.flatMap((rule, index) => findUnplaced(rule, index, facts));
  return {
    parcels: live.filter(isPlaceable).map((rule) => toParcel(rule, facts)),
    routing: ownsWebsite && unplaced.length === 0 ? others.map((rule) => toRoutingRule(rule, facts)) : [],
    problems: [
      ...problems,
      ...unplaced,
      ...(ownsWebsite ? others.flatMap((rule) => findCovered(rule, facts)) : []),
    ],
  };
}

/** One address, for good: the only kind that an object of its own can carry. */
const isPlaceable = (rule: RedirectRule): boolean => !rule.address.endsWith("*") && statusOf(rule) === 301;

function findRuleProblems(rule: RedirectRule, index: number, facts: RedirectFacts): Problem[] {
  const { rules } = facts;
  const problem = (code: string, severity: Problem["severity"], message: string, hint = ""): Problem[] => [
    { code, severity, path: rule.address, message, hint },
  ];
  const hidden = rules
    .slice(0, index)
    .find(
      (earlier) =>
        matches(earlier, rule.address.replace(/\*$/, "")) &&
        (earlier.address.endsWith("*") || !rule.address.endsWith("*")),
    );
  if (hidden)
    return problem(
      "redirect-hidden",
      "warning",
      `never counts: the rule for ${hidden.address} before it matches first`,
    );
  const file = rule.address.endsWith("*") ? undefined : findFile(rule.address, facts);
  if (file !== undefined) return problem("redirect-hidden", "warning", `never counts: ${file} answers there`);

  const trail = [rule.address];
  for (
    let next = followRedirect(rules, sample(rule.address));
    next;
    next = followRedirect(rules, next.leadsTo)
  ) {
    if (
      trail.includes(next.leadsTo) ||
      next.leadsTo === sample(rule.address) ||
      trail.length > rules.length
    ) {
      return problem(
        "redirect-loop",
        "error",
        `leads back to itself: ${[...trail, next.leadsTo].join(" → ")}`,
        "let one of them lead to a page",
      );
    }
    trail.push(next.leadsTo);
  }
  const last = trail.at(-1) as string;
  if (trail.length > 2)
    return problem(
      "redirect-chain",
      "warning",
      `leads on and on: ${trail.join(" → ")}`,
      `let it lead to ${last} at once`,
    );
  const isOurs = last.startsWith("/") && !rule.address.endsWith("*");
  if (!isOurs || facts.clientRoutes || findFile(last, facts) !== undefined) return [];
  return problem("redirect-target", "warning", `leads to ${last}, where no page answers`);
}

/** An address that a rule is asked with: any, for one with a `*`. */
const sample = (address: UrlPath): UrlPath => address.replace(/\*$/, "any");

/** The file of the build that answers at an address below the site's own path. */
const findFile = (address: string, { paths, addresses }: RedirectFacts): ObjectKey | undefined =>
  resolve(address, { ...addresses, basePath: "/" }, { has: (key) => paths.has(key), bare: false });

/** SHA-256 of nothing. */
const EMPTY = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";
const HOUR = 3600;

function toParcel(
  { address, leadsTo }: RedirectRule,
  { addresses, edgeCanForget }: RedirectFacts,
): ExplainedParcel {
  const key = parseAddress(address, "/") as ObjectKey;
  // Browsers ask again, permanent ones included: what they keep for good nobody can take back.
  const freshness = { browser: 0, edge: edgeCanForget ? HOUR : 0 };
  const location = leadsTo.startsWith("/") ? addresses.basePath + leadsTo.slice(1) : leadsTo;
  const headers = {
    "cache-control": toCacheControl(freshness),
    "content-type": "text/plain; charset=utf-8",
    "x-amz-website-redirect-location": location,
  };
  const rule = `redirects ${address}`;
  return {
    key: key === "" || key.endsWith("/") ? key + addresses.indexName : key,
    ...{
      hash: EMPTY,
      storedHash: EMPTY,
      size: 0,
      role: "document",
      headers,
      freshness,
      redirectsTo: location,
    },
    roleReason: `a redirect of the settings, to ${location}`,
    trace: Object.entries(headers).map(([header, value]) => ({ header, value, rule })),
  };
}

/** Why a website endpoint can't carry a rule, if it can't. */
function findUnplaced(rule: RedirectRule, index: number, { ownsWebsite, paths }: RedirectFacts): Problem[] {
  const what = rule.address.endsWith("*")
    ? "a rule for many addresses"
    : `a redirect with the status ${statusOf(rule)}`;
  const problem = (message: string, hint: string): Problem[] => [
    { code: "redirect-unplaced", severity: "error", path: rule.address, message, hint },
  ];
  if (!ownsWebsite) {
    const hint =
      "let routing rules carry it, if the bucket's website settings are this site's alone (store.ownsWebsite: true), or set it up at the edge";
    return problem(`${what} can't be an object of its own`, hint);
  }
  if (index >= MOST_ROUTING_RULES)
    return problem(
      `a website endpoint takes at most ${MOST_ROUTING_RULES} such rules`,
      "set up the others at the edge",
    );
  const key = parseAddress(rule.address, "/") as string;
  const other = rule.address.endsWith("*")
    ? undefined
    : [...paths].find((path) => path.startsWith(key) && path !== key);
  if (other === undefined) return [];
  return problem(
    `${what} also reaches ${other}: a website endpoint knows only how keys begin`,
    "set it up at the edge, or make it permanent",
  );
}

/** Files that nobody reaches any more: a routing rule counts before what stands there. */
function findCovered({ address }: RedirectRule, { paths }: RedirectFacts): Problem[] {
  const prefix = parseAddress(address.replace(/\*$/, ""), "/") as string;
  const covered = address.endsWith("*") ? [...paths].filter((path) => path.startsWith(prefix)) : [];
  if (covered.length === 0) return [];
  return [
    {
      code: "redirect-covers",
      severity: "warning",
      path: address,
      message: `visitors are sent on also from ${listed(covered)}`,
    },
  ];
}

function toRoutingRule(rule: RedirectRule, { addresses, bucketPrefix }: RedirectFacts): RoutingRule {
  const isPattern = rule.address.endsWith("*");
  const prefix = bucketPrefix + (parseAddress(rule.address.replace(/\*$/, ""), "/") as string);
  const isElsewhere = !rule.leadsTo.startsWith("/");
  const url = new URL(rule.leadsTo.replace(/\*$/, ""), "http://site.invalid");
  const target = isElsewhere
    ? url.pathname.slice(1)
    : addresses.basePath.slice(1) + rule.leadsTo.replace(/\*$/, "").slice(1);
  return {
    prefix,
    ...(isPattern && rule.leadsTo.endsWith("*") ? { replacePrefix: target } : { replaceKey: target }),
    ...(isElsewhere
      ? { host: url.host, protocol: url.protocol === "https:" ? ("https" as const) : ("http" as const) }
      : {}),
    status: statusOf(rule),
  };
}

function toElsewhere(rules: readonly RedirectRule[]): Problem[] {
  if (rules.length === 0) return [];
  const names = listed(rules.map(({ address, leadsTo }) => `${address} → ${leadsTo}`));
  const hint =
    "set them up at the edge, or let the edge read from a website endpoint (store.serves: website)";
  return [
    {
      code: "redirect-elsewhere",
      severity: "warning",
      message: `this endpoint can't redirect, so nothing is written for ${names}`,
      hint,
    },
  ];
}
