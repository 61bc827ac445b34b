import * as z from "zod";
import { CACHE_KINDS } from "../core/cache-setup/cache-setup.ts";

/** What `provision --print` can print. */
export const PRINTABLE = [...CACHE_KINDS, "dns", "headers"] as const;

/** `provision --print KIND` */
export const printedSetupSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  print: z.enum(PRINTABLE),
  /** The files that set a cache up. Where the token belongs, `${EDGE_TOKEN}` stands. */
  files: z.array(z.strictObject({ path: z.string(), text: z.string() })),
  /** What the settings should say of this edge, and do not say: `query: ignored`. */
  settings: z.array(z.string()),
  /** Records for the site's names. */
  records: z.array(
    z.strictObject({ name: z.string(), type: z.string(), value: z.string(), note: z.string().optional() }),
  ),
  /** What an edge must do. */
  duties: z.array(z.strictObject({ what: z.string(), how: z.string() })),
  /** What is left to a person. */
  left: z.array(z.string()),
});
export type PrintedSetupResult = z.infer<typeof printedSetupSchema>;
