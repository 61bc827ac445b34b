import * as z from "zod";
import { fillInName } from "../core/addresses/preview-name.ts";
import { isOver, type FoundPreview } from "../core/history/previews.ts";

const count = z.int().min(0);

/** `previews` */
export const previewsResultSchema = z.strictObject({
  destination: z.string(),
  /** Those that stand once this is done, the one that ends first on top. */
  previews: z.array(
    z.strictObject({
      /** The name as it stands in the address: fit for a host name. */
      label: z.string(),
      /** The name as it was asked for; absent: no delivery came to its end. */
      name: z.string().optional(),
      url: z.string(),
      release: count.optional(),
      /** When it was delivered last, ISO 8601 UTC. */
      at: z.string().optional(),
      /** When its time is over, ISO 8601 UTC. */
      until: z.string().optional(),
      /** Whether its time is over: the next `prune` removes it. */
      isOver: z.boolean(),
      /** Its record can't be read: it is removed by its name alone. */
      isUnreadable: z.literal(true).optional(),
      /** Its own objects, records included, and what they take. */
      objects: count,
      bytes: count,
    }),
  ),
  /** What was removed, or would be. */
  removed: z.array(z.strictObject({ label: z.string(), objects: count, bytes: count })),
  /** Whether nothing was removed. */
  dryRun: z.boolean(),
});
export type PreviewsResult = z.infer<typeof previewsResultSchema>;

interface PreviewsFacts {
  /** With `{name}` in it. */
  readonly address: string;
  /** Labels. */
  readonly removed: readonly string[];
  readonly dryRun: boolean;
}

/** The result of `previews`. */
export const toPreviewsResult = (
  destination: string,
  found: readonly FoundPreview[],
  { address, removed, dryRun }: PreviewsFacts,
): PreviewsResult => ({
  destination,
  previews: found
    .filter(({ label }) => dryRun || !removed.includes(label))
    .map((preview) => toEntry(preview, address))
    .toSorted((a, b) => ((a.until ?? "") < (b.until ?? "") ? -1 : 1)),
  removed: found
    .filter(({ label }) => removed.includes(label))
    .map(({ label, objects, bytes }) => ({ label, objects, bytes })),
  dryRun,
});

function toEntry(found: FoundPreview, address: string): PreviewsResult["previews"][number] {
  const { label, objects, bytes, pointer } = found;
  const common = { label, url: fillInName(address, label), isOver: isOver(found), objects, bytes };
  if (pointer === "unreadable") return { ...common, isUnreadable: true };
  const [current] = pointer?.retained ?? [];
  if (!pointer || !current) return common;
  const { preview, release } = pointer;
  return { ...common, release, at: current.at, ...(preview && { name: preview.name, until: preview.until }) };
}
