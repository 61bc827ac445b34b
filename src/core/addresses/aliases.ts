import type { ReferenceGraph } from "../model/reference.ts";
import type { ExplainedParcel } from "../model/explained-parcel.ts";
import type { AddressRules } from "./addresses.ts";
import type { Serves } from "../model/endpoint.ts";
import { isHtml } from "../model/parcel.ts";
import type { ObjectKey } from "../model/names.ts";
import type { Problem } from "../model/problem.ts";

export interface AliasFacts {
  readonly parcels: readonly ExplainedParcel[];
  readonly graph: ReferenceGraph;
  readonly addressRules: AddressRules;
  readonly serves: Serves;
}

/**
 * Objects that stand for a page under a promised form of its address that the endpoint does not resolve by itself:
 * parcels of their own, with exactly the headers of what they stand for.
 */
export function decideAliases(facts: AliasFacts): {
  readonly aliases: ExplainedParcel[];
  readonly problems: Problem[];
} {
  const relative = selectRelative(facts.graph);
  const taken = new Map(facts.parcels.map(({ key }) => [key, key]));
  const aliases: ExplainedParcel[] = [];
  const problems: Problem[] = [];
  for (const parcel of facts.parcels) {
    if (!isHtml(parcel)) continue;
    for (const key of aliasKeysOf(parcel.key, facts)) {
      const other = taken.get(key);
      if (other !== undefined) problems.push(toClash(parcel.key, key, other));
      else if (isBareFolder(key, parcel.key, facts) && relative.has(parcel.key))
        problems.push(toBroken(parcel.key, key));
      else {
        taken.set(key, parcel.key);
        aliases.push({ ...parcel, key, aliasOf: parcel.key, roleReason: { code: "alias", of: parcel.key } });
      }
    }
  }
  return { aliases, problems };
}

/** The keys under which a page must also stand. A website endpoint resolves folders itself, and sends `/news` on to `/news/`. */
function aliasKeysOf(key: ObjectKey, { addressRules, serves }: AliasFacts): ObjectKey[] {
  const { forms, indexName } = addressRules;
  if (key === indexName) return [];
  if (key.endsWith(`/${indexName}`)) {
    const folder = key.slice(0, -indexName.length);
    if (serves === "website") return [];
    return [
      ...(forms.includes("folder") ? [folder] : []),
      ...(forms.includes("bare") ? [folder.slice(0, -1)] : []),
    ];
  }
  return forms.includes("bare") && key.endsWith(".html") ? [key.slice(0, -".html".length)] : [];
}

const isBareFolder = (alias: ObjectKey, key: ObjectKey, { addressRules }: AliasFacts): boolean =>
  !alias.endsWith("/") && key === `${alias}/${addressRules.indexName}`;

/** Pages that name something relative to their own address: from `/news` that is another one than from `/news/`. */
const selectRelative = ({ references }: ReferenceGraph): Set<ObjectKey> =>
  new Set(
    references
      .filter(({ url, base }) => base === undefined && !/^(\/|[a-z][a-z0-9+.-]*:|#)/i.test(url))
      .map(({ from }) => from),
  );

const toClash = (page: ObjectKey, key: ObjectKey, other: ObjectKey): Problem => ({
  code: "alias-clash",
  severity: "warning",
  path: page,
  facts: other === key ? { key } : { key, by: other },
});

const toBroken = (page: ObjectKey, key: ObjectKey): Problem => ({
  code: "bare-breaks-references",
  severity: "error",
  path: page,
  facts: { key },
});
