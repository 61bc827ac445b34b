import type { RuleChange } from "../core/edge-rules/changes.ts";
import { counted } from "./text.ts";

const NOUNS = {
  redirect: ["redirect", "redirects"],
  header: ["header", "headers"],
  pages: ["way to pages", "ways to pages"],
  previews: ["name of previews", "names of previews"],
} as const;

/** One thing that an edge does otherwise, without saying whether it is new: `redirect /latest → /news/ (302)`. */
export function showRule({
  kind,
  name,
  now,
}: Pick<RuleChange, "kind" | "name"> & { readonly now?: string | undefined }): string {
  if (kind === "pages") return "how addresses lead to pages";
  const target =
    now === undefined ? "" : kind === "redirect" || kind === "previews" ? ` → ${now}` : `: ${now}`;
  return `${kind === "previews" ? "names of previews" : kind} ${name}${target}`;
}

/** `3 redirects new, 1 header gone` */
export function countRules(changes: readonly Pick<RuleChange, "kind" | "change">[]): string {
  const groups = new Map<string, Pick<RuleChange, "kind" | "change">[]>();
  for (const one of changes) {
    const group = `${one.kind} ${one.change}`;
    groups.set(group, [...(groups.get(group) ?? []), one]);
  }
  return [...groups.values()]
    .map((group) => {
      const [{ kind, change } = { kind: "header", change: "new" }] = group;
      const [one, more] = NOUNS[kind as RuleChange["kind"]];
      return `${counted(group.length, one, more)} ${change}`;
    })
    .join(", ");
}
