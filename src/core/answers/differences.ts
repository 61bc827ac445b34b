import type { SiteRules } from "../build/site-rules.ts";
import type { ResolvedReference } from "../model/reference.ts";

/** Something that a site on this machine can't do as the one at its destination does. */
export type Difference =
  /** Every request is answered anew. */
  | { readonly code: "no-cache" }
  /** Production speaks https, this speaks http; `isNear`: to this machine alone, which browsers trust as well. */
  | { readonly code: "plain-http"; readonly isNear: boolean }
  /** Headers that the edge sets, and whose value nobody has written down. */
  | { readonly code: "unknown-headers"; readonly names: readonly string[] }
  /** Headers that are worked out from the build when it is delivered. */
  | { readonly code: "built-headers"; readonly names: readonly string[] }
  /** `Strict-Transport-Security` would hold for all that runs on this machine. */
  | { readonly code: "no-transport-security" }
  /** Redirects that the edge is to answer are answered here, whether it does or not. */
  | { readonly code: "edge-redirects"; readonly count: number }
  /** References that name the site by its full address lead to the real one. */
  | {
      readonly code: "full-addresses";
      readonly origin: string;
      readonly count: number;
      readonly from: string;
    }
  /** A script is added to each page, and nothing is kept unasked. */
  | { readonly code: "reload-script" };

export interface DifferenceFacts {
  readonly rules: SiteRules;
  readonly references: readonly ResolvedReference[];
  /** Headers that every answer at the destination must have; `*`: any value. */
  readonly expectedHeaders: Readonly<Record<string, string>>;
  readonly hasEdge: boolean;
  readonly speaksTls: boolean;
  /** Whether only this machine is answered. */
  readonly isNear: boolean;
  readonly reloads: boolean;
}

/** Only over TLS does it count (RFC 6797 §7.2), and then for every port of the name (§8.2). */
const TRANSPORT_SECURITY = "strict-transport-security";

/** A policy that is worked out when it is delivered. */
const isFromBuild = (value: string): boolean => /^\s*from-build/i.test(value);

/** Headers that the edge sets and whose values are known, by lower-case name. */
export const listEdgeHeaders = (expected: Readonly<Record<string, string>>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(expected)
      .map(([name, value]) => [name.toLowerCase(), value] as const)
      .filter(([name, value]) => value !== "*" && name !== TRANSPORT_SECURITY && !isFromBuild(value)),
  );

/** In what a site that is served on this machine is another than at its destination. */
export function findDifferences(facts: DifferenceFacts): Difference[] {
  const { rules, references, expectedHeaders, hasEdge, speaksTls, isNear, reloads } = facts;
  const { url, redirects, endpoint } = rules;
  const expected = Object.entries(expectedHeaders).filter(
    ([name]) => name.toLowerCase() !== TRANSPORT_SECURITY,
  );
  const built = expected.filter(([, value]) => isFromBuild(value)).map(([name]) => name);
  const unknown = expected.filter(([, value]) => value === "*").map(([name]) => name);
  const isCarried =
    endpoint.edge?.carriesRules === true || (endpoint.serves === "website" && endpoint.carriesRedirects);
  const origin = url === undefined ? undefined : new URL(url).origin;
  const full = origin === undefined ? [] : references.filter((one) => one.url.startsWith(`${origin}/`));
  const [first] = full;
  const isSecure = url === undefined || url.startsWith("https:");
  return [
    ...(hasEdge ? [{ code: "no-cache" } as const] : []),
    ...(isSecure && !speaksTls ? [{ code: "plain-http", isNear } as const] : []),
    ...(unknown.length > 0 ? [{ code: "unknown-headers", names: unknown } as const] : []),
    ...(built.length > 0 ? [{ code: "built-headers", names: built } as const] : []),
    ...(expected.length < Object.keys(expectedHeaders).length
      ? [{ code: "no-transport-security" } as const]
      : []),
    ...(!isCarried && redirects.length > 0
      ? [{ code: "edge-redirects", count: redirects.length } as const]
      : []),
    ...(origin !== undefined && first
      ? [{ code: "full-addresses", origin, count: full.length, from: first.from } as const]
      : []),
    ...(reloads ? [{ code: "reload-script" } as const] : []),
  ];
}
