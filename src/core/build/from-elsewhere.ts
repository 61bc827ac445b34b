import { decideStandIns } from "./stand-ins.ts";
import { toOriginalName } from "./content-type.ts";
import { createHeaderDecider } from "./headers.ts";
import { decideKeepOut } from "./keep-out.ts";
import type { SiteRules } from "./site-rules.ts";
import type { ExplainedParcel } from "../model/explained-parcel.ts";
import { matcher } from "../model/glob.ts";
import { byText } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import type { Problem } from "../model/problem.ts";
import { toAsideParcel, workersOf, type Waybill } from "../model/release.ts";
import type { Wanted } from "../model/wanted.ts";

export interface ElsewhereFacts {
  /** The whole name of the release, for the record: `preview/spring-fares@3`. */
  readonly name: string;
  /** The rules of the destination that takes it over. */
  readonly rules: SiteRules;
  /** The base path that it was made for. */
  readonly madeFor: string;
  /** Files of the taking destination alone. */
  readonly added: readonly ExplainedParcel[];
}

/**
 * What a destination is to hold of another one's release: the same contents under the same names, with headers, aliases and
 * redirects by its own rules; its own files in the place of the other's.
 */
export function fromElsewhere(
  release: Waybill,
  { name, rules, madeFor, added }: ElsewhereFacts,
): { readonly wanted: Wanted<ExplainedParcel>; readonly problems: readonly Problem[] } {
  const { addressRules } = rules;
  const keepOut = decideKeepOut(rules);
  const own = [...added, ...keepOut.parcels].map((parcel) => ({ ...parcel, isOwn: true as const }));
  const taken = new Set(own.map(({ key }) => key));
  const files = listFiles(release, rules.exclude).map(createTaker(release, rules));
  const parcels = [...files.filter(({ key }) => !taken.has(key)), ...own];
  // What its pages name was resolved when it was made; that an alias breaks it was said then.
  const graph = { references: [] };
  const standIns = decideStandIns(parcels, graph, rules);
  const all = [...parcels, ...standIns.parcels].sort((a, b) => byText(a.key, b.key));
  const aside = files
    .filter(({ key }) => taken.has(key))
    .map((file) => ({ ...file, isAside: true as const }));
  return {
    wanted: {
      ...{
        parcels: all,
        routing: standIns.routing,
        edgeRules: standIns.edgeRules,
        firstVisit: release.firstVisit,
        pageNeeds: release.pageNeeds,
        missing: release.missing,
      },
      loaded: new Set(all.filter(({ isLoaded }) => isLoaded).map(({ key }) => key)),
      workers: workersOf(release).filter((key) => files.some((file) => file.key === key)),
      aside: aside.length === 0 ? undefined : aside,
      origin: { from: "elsewhere", name },
    },
    problems: [
      ...keepOut.problems,
      ...standIns.problems,
      ...(madeFor === addressRules.basePath ? [] : [toWrongBase(madeFor, addressRules.basePath)]),
    ],
  };
}

/** The files of the build that it came from: what was made for addresses, or is the other destination's own, is left out. */
function listFiles({ parcels, aside = [] }: Waybill, exclude: readonly string[]): Parcel[] {
  const isExcluded = exclude.map(matcher);
  const built = parcels.filter(
    ({ aliasOf, redirectsTo, isOwn }) => aliasOf === undefined && redirectsTo === undefined && isOwn !== true,
  );
  return [...built, ...aside.map(toAsideParcel)]
    .filter(({ key }) => !isExcluded.some((matches) => matches(key)))
    .sort((a, b) => byText(a.key, b.key));
}

const NO_BYTES = new Uint8Array();

/** A function that takes a file over: its headers anew, but for those that tell how to read the bytes as they are stored. */
function createTaker(release: Waybill, rules: SiteRules): (file: Parcel) => ExplainedParcel {
  const decideHeaders = createHeaderDecider(rules.headers);
  const present = new Set(release.parcels.map(({ key }) => key));
  return ({ key, hash, storedHash, size, role, headers: recorded, isLoaded, isWorkerNamed }) => {
    const hasOriginal = present.has(toOriginalName(key) ?? "");
    const isNamedByWorker = isWorkerNamed === true;
    const { headers, ...decided } = decideHeaders({
      path: key,
      role,
      head: NO_BYTES,
      hasOriginal,
      isNamedByWorker,
    });
    const encoding = recorded["content-encoding"];
    // The first bytes may have told the type: they are not here to be asked.
    const isTold = decided.trace.some(
      ({ header, rule }) => header === "content-type" && rule.by !== "content",
    );
    const type = isTold ? headers["content-type"] : (recorded["content-type"] ?? headers["content-type"]);
    return {
      ...{ key, hash, storedHash, size, role, roleReason: { code: "recorded" } },
      ...decided,
      headers: {
        ...headers,
        ...(type !== undefined && { "content-type": type }),
        ...(encoding !== undefined && { "content-encoding": encoding }),
      },
      ...(isLoaded !== undefined && { isLoaded }),
      ...(isNamedByWorker && { isWorkerNamed: true as const }),
    };
  };
}

const toWrongBase = (builtFor: string, deliveredAt: string): Problem => ({
  code: "wrong-base",
  severity: "error",
  facts: { builtFor, deliveredAt, example: builtFor },
});
