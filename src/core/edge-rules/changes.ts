import type { EdgeRules } from "../model/edge-rules.ts";
import { isSameRules } from "./same.ts";

export const RULE_KINDS = ["redirect", "header", "pages", "previews"] as const;
export const RULE_CHANGES = ["new", "replaced", "gone"] as const;

/** One thing that an edge does otherwise than before. */
export interface RuleChange {
  readonly kind: (typeof RULE_KINDS)[number];
  /** An address, or the name of a header; of `pages` the site's first address, of `previews` their host name with a `*`. */
  readonly name: string;
  readonly change: (typeof RULE_CHANGES)[number];
  /** Where a redirect leads, with its status; the value of a header; or the folder of previews. Absent where it is gone, and of `pages`. */
  readonly now?: string;
}

const NONE: EdgeRules = { basePath: "/", apart: [], redirects: [], headers: {} };

/** What an edge does otherwise with the second rules than with the first. `pages`: how addresses lead to objects. */
export function findRuleChanges(before: EdgeRules = NONE, after: EdgeRules = NONE): RuleChange[] {
  const pages = (rules: EdgeRules): EdgeRules => ({ ...NONE, ...(rules.pages && { pages: rules.pages }) });
  const isSame = isSameRules(pages(before), pages(after));
  return [
    ...toChanges("redirect", toTargets(before), toTargets(after)),
    ...(isSame
      ? []
      : [{ kind: "pages" as const, name: after.basePath, change: toPagesChange(before, after) }]),
    ...toChanges("header", toValues(before), toValues(after)),
    ...toChanges("previews", toHosts(before), toHosts(after)),
  ];
}

const toPagesChange = (before: EdgeRules, after: EdgeRules): RuleChange["change"] =>
  !before.pages ? "new" : after.pages ? "replaced" : "gone";

/** The first rule for an address is the one that counts. */
const toTargets = ({ redirects }: EdgeRules): Map<string, string> =>
  new Map(redirects.toReversed().map(({ address, leadsTo, status }) => [address, `${leadsTo} (${status})`]));

const toHosts = ({ previews }: EdgeRules): Map<string, string> =>
  new Map(previews ? [[`${previews.before}*${previews.after}`, previews.path]] : []);

const toValues = ({ headers }: EdgeRules): Map<string, string> => new Map(Object.entries(headers));

function toChanges(
  kind: RuleChange["kind"],
  before: ReadonlyMap<string, string>,
  after: ReadonlyMap<string, string>,
): RuleChange[] {
  const names = [...new Set([...before.keys(), ...after.keys()])].sort();
  return names.flatMap((name): RuleChange[] => {
    const now = after.get(name);
    if (now === before.get(name)) return [];
    if (now === undefined) return [{ kind, name, change: "gone" }];
    return [{ kind, name, change: before.has(name) ? "replaced" : "new", now }];
  });
}
