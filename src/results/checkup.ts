import * as z from "zod";
import { CAUSES, LINK_STATES, LINKS, type Link, type LinkCause } from "../core/diagnosis/checkup/link.ts";

/** The machine-readable result of `checkup`: part of the interface, documented in docs/results.md. */
export const checkupResultSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  links: z.array(
    z.strictObject({
      link: z.enum(LINKS),
      state: z.enum(LINK_STATES),
      asked: z.string(),
      found: z.string(),
      /** Where it is `broken`, or a `note`. */
      cause: z.enum(Object.keys(CAUSES) as [LinkCause, ...LinkCause[]]).optional(),
      why: z.string().optional(),
      mend: z.string().optional(),
    }),
  ),
});
export type CheckupResult = z.infer<typeof checkupResultSchema>;

/** In the order of the chain; a link that several found something about keeps each. */
export const inOrder = (links: readonly Link[]): Link[] =>
  [...links].sort((a, b) => LINKS.indexOf(a.link) - LINKS.indexOf(b.link));
