import * as z from "zod";
import { inOrder, LINK_CAUSES, LINK_STATES, LINKS, type Link } from "../core/diagnosis/checkup/link.ts";
import { wordsOfLink } from "../words/checkup.ts";

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
      cause: z.enum(LINK_CAUSES).optional(),
      why: z.string().optional(),
      mend: z.string().optional(),
    }),
  ),
});
export type CheckupResult = z.infer<typeof checkupResultSchema>;

/** What was found of a destination, in words. */
export const toCheckupResult = (
  { site, destination }: Pick<CheckupResult, "site" | "destination">,
  links: readonly Link[],
): CheckupResult => ({
  ...{ site, destination },
  links: inOrder(links).map((link) => ({
    ...{ link: link.link, state: link.state },
    ...(link.cause !== undefined && { cause: link.cause }),
    ...wordsOfLink(link),
  })),
});
