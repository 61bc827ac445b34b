/** A content security policy: values by directive, in its order. */
export type Directives = Map<string, readonly string[]>;

/** The first of a name counts (CSP Level 3 §2.2.1). */
export function parsePolicy(text: string): Directives {
  const directives: Directives = new Map();
  for (const part of text.split(";")) {
    const [name = "", ...values] = part.trim().split(/\s+/);
    const directive = name.toLowerCase();
    if (directive !== "" && !directives.has(directive)) directives.set(directive, values);
  }
  return directives;
}

/** A policy as a header says it. */
export const toText = (directives: Directives): string =>
  [...directives].map(([directive, sources]) => [directive, ...sources].join(" ")).join("; ");

/** Where browsers look for what a directive says that is not there, besides in `default-src` (CSP Level 3 §6.8.3). */
const BEFORE_DEFAULT: Readonly<Record<string, readonly string[]>> = {
  "script-src-elem": ["script-src"],
  "script-src-attr": ["script-src"],
  "style-src-elem": ["style-src"],
  "style-src-attr": ["style-src"],
  "worker-src": ["child-src", "script-src"],
  "frame-src": ["child-src"],
};
const FETCHING = [
  ...Object.keys(BEFORE_DEFAULT),
  ...["child-src", "connect-src", "font-src", "img-src", "manifest-src", "media-src", "object-src"],
  ...["prefetch-src", "script-src", "style-src"],
];

/** The directive of a policy that counts for another. */
const ownerOf = (policy: Directives, name: string): string | undefined =>
  [name, ...(BEFORE_DEFAULT[name] ?? []), ...(FETCHING.includes(name) ? ["default-src"] : [])].find((one) =>
    policy.has(one),
  );

/** Directives whose values are allowances, so that more of them allow more. */
const ALLOWING =
  /^(base-uri|form-action|frame-ancestors|sandbox|trusted-types|default-src|.+-src(-elem|-attr)?)$/;

/**
 * A policy that allows what either of two allows. Undefined: there is none, since what one of them has would take away what the
 * other allows, or one of them does not bind at all what the other binds.
 */
export function unitePolicies(a: string, b: string): string | undefined {
  const [first, second] = [parsePolicy(a), parsePolicy(b)];
  const united: Directives = new Map();
  for (const name of new Set([...first.keys(), ...second.keys(), ...FETCHING])) {
    const owners = [ownerOf(first, name), ownerOf(second, name)] as const;
    const [one, other] = [first.get(owners[0] ?? ""), second.get(owners[1] ?? "")];
    // What one of them does not bind at all is not bound, and what the same directive says in both needs no word of its own.
    if (!one || !other || (owners[0] === owners[1] && owners[0] !== name)) continue;
    if (takesAway(one, other) || takesAway(other, one)) return undefined;
    const sources = [...new Set([...one, ...other])];
    const isNone = sources.length === 1;
    united.set(name, !ALLOWING.test(name) ? other : isNone ? sources : sources.filter((s) => s !== "'none'"));
  }
  return united.size === 0 ? undefined : toText(united);
}

const has = (sources: readonly string[], pattern: RegExp): boolean =>
  sources.some((source) => pattern.test(source));

/** Whether sources beside others make these count less (CSP Level 3 §6.7.3.2 and §8.2). */
const takesAway = (added: readonly string[], standing: readonly string[]): boolean =>
  (has(added, SWITCHES_OFF) && !has(standing, SWITCHES_OFF) && has(standing, /^'unsafe-inline'$/i)) ||
  (has(added, /^'strict-dynamic'$/i) && !has(standing, /^'strict-dynamic'$/i));

/** With one of these, `'unsafe-inline'` is not looked at. */
const SWITCHES_OFF = /^'(nonce-|sha(256|384|512)-|strict-dynamic')/i;
