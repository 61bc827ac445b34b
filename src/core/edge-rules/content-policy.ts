import { MOST_HEADER_LETTERS, type EdgeRules } from "../model/edge-rules.ts";
import type { PageNeeds } from "../model/page-needs.ts";
import type { Problem } from "../model/problem.ts";
import { parsePolicy, toText, unitePolicies, type Directives } from "./policies.ts";

const POLICY = "content-security-policy";
const REPORTING = `${POLICY}-report-only`;

/** What a policy's value begins with that is worked out from the build; directives may follow, and add to it. */
const FROM_BUILD = /^\s*from-build\s*(;|$)/i;

const isPolicy = (name: string): boolean => [POLICY, REPORTING].includes(name.toLowerCase());

/** Whether headers have a policy that is worked out from the build. */
export const needsPages = (headers: Readonly<Record<string, string>>): boolean =>
  Object.entries(headers).some(([name, value]) => isPolicy(name) && FROM_BUILD.test(value));

/** What every site begins with: itself, and nothing that it does not need as a site of files. */
const BASE: Readonly<Record<string, readonly string[]>> = {
  "default-src": ["'self'"],
  "base-uri": ["'self'"],
  "form-action": ["'self'"],
  "frame-ancestors": ["'self'"],
  "object-src": ["'none'"],
};

/** The text of a policy for pages that need so much. @param more directives that add to it: `connect-src https://api.example` */
export function toPolicy(needs: PageNeeds, more: string): string {
  const directives: Directives = new Map(Object.entries(BASE));
  for (const [directive, sources] of Object.entries(needs)) add(directives, directive, sources);
  for (const [directive, sources] of parsePolicy(more)) add(directives, directive, sources);
  return toText(directives);
}

function add(directives: Directives, directive: string, sources: readonly string[]): void {
  const isOfSources = /-(src|uri|action|ancestors)$/.test(directive) && directive !== "report-uri";
  if (!isOfSources || sources.join() === "'none'") {
    directives.set(directive, sources);
    return;
  }
  const before = (directives.get(directive) ?? ["'self'"]).filter((source) => source !== "'none'");
  directives.set(directive, [...new Set([...(before.length === 0 ? ["'self'"] : before), ...sources])]);
}

/** The rules with policies worked out from the build, and what of them an edge can't take. */
export function fillPolicies(
  rules: EdgeRules,
  needs: PageNeeds | undefined,
): { readonly rules: EdgeRules; readonly problems: readonly Problem[] } {
  if (!needsPages(rules.headers)) return { rules, problems: [] };
  if (!needs) return { rules, problems: [{ code: "policy-unknown", severity: "error", facts: {} }] };
  const headers = Object.fromEntries(
    Object.entries(rules.headers).map(([name, value]) => [
      name,
      isPolicy(name) && FROM_BUILD.test(value) ? toPolicy(needs, value.replace(FROM_BUILD, "")) : value,
    ]),
  );
  const problems = Object.entries(headers).flatMap(([name, { length: letters }]): Problem[] =>
    isPolicy(name) && letters > MOST_HEADER_LETTERS
      ? [{ code: "edge-header-long", severity: "error", facts: { name, letters, most: MOST_HEADER_LETTERS } }]
      : [],
  );
  return { rules: { ...rules, headers }, problems };
}

/**
 * The policy that binds pages while a release takes the place of another: what edges and browsers still hold and what is new
 * must both work. Undefined: none may bind them.
 * @param standing the one that binds them now
 */
export function loosenPolicy(standing: string | undefined, rules: EdgeRules): string | undefined {
  const fresh = policyOf(rules.headers);
  if (standing === fresh) return fresh;
  const united = standing === undefined || fresh === undefined ? undefined : unitePolicies(standing, fresh);
  return united !== undefined && united.length > MOST_HEADER_LETTERS ? undefined : united;
}

/** The policy that headers bind pages by; undefined: none. */
export const policyOf = (headers: Readonly<Record<string, string>>): string | undefined =>
  Object.entries(headers).find(([name]) => name.toLowerCase() === POLICY)?.[1];

/** The same headers with another policy; undefined: without any. */
export function withPolicy(
  headers: Readonly<Record<string, string>>,
  text: string | undefined,
): Readonly<Record<string, string>> {
  const others = Object.entries(headers).filter(([name]) => name.toLowerCase() !== POLICY);
  const policy: [string, string][] = text === undefined ? [] : [["Content-Security-Policy", text]];
  return text === policyOf(headers) ? headers : Object.fromEntries([...others, ...policy]);
}
