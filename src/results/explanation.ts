import * as z from "zod";
import { showChangeReason, showHeaderSource, showRoleReason, UNCHANGED } from "../words/reasons.ts";
import { listAddresses } from "../core/addresses/addresses.ts";
import { resolveName } from "../core/addresses/resolve.ts";
import type { Analysis } from "../core/build/analysis.ts";
import type { Comparison } from "../core/compare/compare.ts";
import { CHANGES } from "../core/compare/key-state.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import type { RoleReason } from "../core/model/reasons.ts";
import { ROLES } from "../core/model/role.ts";

const mention = z.strictObject({ path: z.string(), line: z.int() });

/** One of `files` of `explain`. */
const explanationSchema = z.strictObject({
  /** The file of the build, or what is made for it. */
  path: z.string(),
  /** An address that was asked about and that no file has: the entry page answers there (`build.clientRoutes`). */
  answersFor: z.string().optional(),
  /** The file that it stands for under another address. */
  aliasOf: z.string().optional(),
  /** Where it sends visitors. */
  redirectsTo: z.string().optional(),
  /** What it is to browsers and caches. */
  role: z.enum(ROLES),
  /** Why it has this role. */
  reason: z.string(),
  /** Bytes. */
  size: z.int(),
  /** SHA-256 of its content. */
  hash: z.string(),
  /** Where it answers. */
  addresses: z.array(z.string()),
  /** Every value that a rule has set, in order; the last one of a header counts. */
  headers: z.array(
    z.strictObject({ header: z.string(), value: z.string(), rule: z.string(), counts: z.boolean() }),
  ),
  /** Files that name it, with the line. */
  namedBy: z.array(mention),
  /** A file that carries the hash of its name, where none names it whole. */
  hashIn: z.string().optional(),
  /** Files that it names. */
  names: z.array(mention),
  /** What a delivery would do; absent where the destination was not asked. */
  delivery: z.strictObject({ change: z.enum([...CHANGES, "unchanged"]), reason: z.string() }).optional(),
});

/** `explain` */
export const explanationResultSchema = z.strictObject({
  /** One for each file or address that was asked about. */
  files: z.array(explanationSchema),
});

export type Explanation = z.infer<typeof explanationSchema>;

/** Explains a file of the build, named by its path or by an address; undefined where the build has no such file. */
export function explainFile(
  name: string,
  { wanted: { parcels }, findings: { graph } }: Analysis,
  { addressRules: rules, clientRoutes, entry }: Pick<SiteRules, "addressRules" | "clientRoutes" | "entry">,
  comparison?: Comparison,
): Explanation | undefined {
  const byKey = new Map(parcels.map((parcel) => [parcel.key, parcel]));
  // `news/index.html`, `./news/index.html`, `/news/` and `/news` all mean the same file.
  const resolver = { has: (key: ObjectKey) => byKey.has(key), bare: true };
  const isRoute = clientRoutes && name.startsWith("/");
  const found =
    resolveName(name, rules, resolver) ??
    // A person may leave out the path of the site itself.
    resolveName(name.replace(/^\/(?=.)/, rules.basePath), rules, resolver);
  const parcel = byKey.get(found ?? (isRoute ? entry : ""));
  if (!parcel) return undefined;
  const { key, role, roleReason, size, hash, trace } = parcel;
  const counted = new Map(trace.map((entry, index) => [entry.header, index]));
  const change = comparison?.changes.find((candidate) => candidate.parcel.key === key);
  const toMention = (path: string, line: number): z.infer<typeof mention> => ({ path, line });
  const namedBy = unique(
    graph.references
      .filter(({ to, from }) => to === key && from !== key)
      .map(({ from, line }) => toMention(from, line)),
  );
  const hashIn = namedBy.length === 0 ? findHashIn(roleReason) : undefined;
  return {
    path: key,
    ...(found === undefined && { answersFor: name }),
    ...(parcel.aliasOf === undefined ? {} : { aliasOf: parcel.aliasOf }),
    ...(parcel.redirectsTo === undefined ? {} : { redirectsTo: parcel.redirectsTo }),
    role,
    reason: showRoleReason(roleReason),
    size,
    hash,
    addresses: listAddresses(key, rules),
    headers: trace.map(({ header, value, rule }, index) => ({
      ...{ header, value, rule: showHeaderSource(rule) },
      counts: counted.get(header) === index,
    })),
    namedBy,
    ...(hashIn !== undefined && { hashIn }),
    names: unique(
      graph.references.flatMap(({ from, to, line }) =>
        from === key && to !== undefined && to !== key ? [toMention(to, line)] : [],
      ),
    ),
    ...(comparison && {
      delivery: change
        ? { change: change.kind, reason: showChangeReason(change.reason) }
        : { change: "unchanged" as const, reason: UNCHANGED },
    }),
  };
}

const findHashIn = (reason: RoleReason): string | undefined =>
  reason.code === "fingerprint" && typeof reason.by === "object" && "namedIn" in reason.by
    ? reason.by.namedIn
    : undefined;

const unique = <T extends { path: string }>(mentions: readonly T[]): T[] => [
  ...new Map(mentions.map((entry) => [entry.path, entry])).values(),
];
