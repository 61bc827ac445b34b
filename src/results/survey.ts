import * as z from "zod";
import type { ExplainedParcel } from "../core/model/explained-parcel.ts";
import { createFirstVisitFinder } from "../core/build/first-visit.ts";
import type { ReferenceGraph } from "../core/model/reference.ts";
import type { Weight } from "../core/model/weight.ts";
import { showRoleReason } from "../words/reasons.ts";
import { problemSchema, toProblemResult } from "./problem.ts";
import type { Analysis } from "../core/build/analysis.ts";
import { byText } from "../core/model/names.ts";
import { ROLES } from "../core/model/role.ts";

const size = z.int().min(0);

const visit = z.strictObject({ path: z.string(), files: size, wire: size });

/** `survey` */
export const surveySchema = z.strictObject({
  /** The build. */
  folder: z.string(),
  /** The destination whose rules count; absent: those that hold for all do. */
  destination: z.string().optional(),
  /** Bytes as they are, as sent with brotli (`wire`), and with gzip. */
  totals: z.strictObject({ files: size, bytes: size, wire: size, gzip: size }),
  /** Every file, its weights in bytes. */
  files: z.array(
    z.strictObject({
      path: z.string(),
      role: z.enum(ROLES),
      reason: z.string(),
      size,
      wire: size,
      gzip: size,
      type: z.string(),
      cacheControl: z.string(),
    }),
  ),
  /** What first visits load, sent with brotli: of the entry page, of the heaviest and of the page in the middle. Absent: no page. */
  firstVisits: z
    .strictObject({ pages: size, entry: visit.optional(), heaviest: visit, median: visit })
    .optional(),
  /** Groups of files that hold the same bytes. */
  duplicates: z.array(z.strictObject({ size, paths: z.array(z.string()) })),
  /** What is wrong with the build. */
  problems: z.array(problemSchema),
});

export type Survey = z.infer<typeof surveySchema>;

/** The picture of a build, before it is sent anywhere. */
export function toSurvey(
  { folder, destination }: { readonly folder: string; readonly destination: string | undefined },
  { wanted: { parcels: all }, findings: { problems, graph } }: Analysis,
  weights: ReadonlyMap<string, Weight>,
): Survey {
  const parcels = all.filter(
    ({ aliasOf, redirectsTo }) => aliasOf === undefined && redirectsTo === undefined,
  );
  const files = parcels.map(({ key, role, roleReason, size: bytes, headers }) => ({
    path: key,
    role,
    reason: showRoleReason(roleReason),
    size: bytes,
    wire: weights.get(key)?.brotli ?? bytes,
    gzip: weights.get(key)?.gzip ?? bytes,
    type: headers["content-type"] ?? "",
    cacheControl: headers["cache-control"] ?? "",
  }));
  const sum = (pick: (file: (typeof files)[number]) => number): number =>
    files.reduce((total, file) => total + pick(file), 0);
  return {
    folder,
    ...(destination !== undefined && { destination }),
    totals: {
      files: files.length,
      bytes: sum((file) => file.size),
      wire: sum(({ wire }) => wire),
      gzip: sum(({ gzip }) => gzip),
    },
    files,
    ...toFirstVisits(files, graph),
    duplicates: findDuplicates(parcels),
    problems: problems.map(toProblemResult),
  };
}

function toFirstVisits(files: Survey["files"], graph: ReferenceGraph): Pick<Survey, "firstVisits"> {
  const weights = new Map(files.map(({ path, wire }) => [path, wire]));
  const find = createFirstVisitFinder(graph);
  const visits = files
    .filter(({ role, type }) => (role === "page" || role === "entry") && type.startsWith("text/html"))
    .map(({ path }) => {
      const loaded = [...find(path)];
      return {
        path,
        files: loaded.length,
        wire: loaded.reduce((sum, key) => sum + (weights.get(key) ?? 0), 0),
      };
    })
    .sort((a, b) => b.wire - a.wire || byText(a.path, b.path));
  const [heaviest] = visits;
  const median = visits[Math.floor(visits.length / 2)];
  if (!heaviest || !median) return {};
  const entryPath = files.find(({ role }) => role === "entry")?.path;
  const entry = visits.find(({ path }) => path === entryPath);
  return { firstVisits: { pages: visits.length, ...(entry && { entry }), heaviest, median } };
}

/** Files with the same bytes, the largest first; empty files don't count. */
function findDuplicates(parcels: readonly ExplainedParcel[]): Survey["duplicates"] {
  const groups = new Map<string, ExplainedParcel[]>();
  for (const parcel of parcels) {
    if (parcel.size > 0) groups.set(parcel.hash, [...(groups.get(parcel.hash) ?? []), parcel]);
  }
  return [...groups.values()]
    .filter((group) => group.length > 1)
    .map((group) => ({ size: group[0]?.size ?? 0, paths: group.map(({ key }) => key).sort(byText) }))
    .sort((a, b) => b.size - a.size || byText(a.paths[0] ?? "", b.paths[0] ?? ""));
}
