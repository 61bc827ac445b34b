import * as z from "zod";
import { inOrder, LINK_CAUSES, LINK_STATES, LINKS, type Link } from "../core/diagnosis/checkup/link.ts";
import { wordsOfLink } from "../words/checkup.ts";

/** `checkup` */
export const checkupResultSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  /** Link by link, in the order of the chain. */
  links: z.array(
    z.strictObject({
      link: z.enum(LINKS),
      /** `note`: it works, and something is worth knowing. */
      state: z.enum(LINK_STATES),
      asked: z.string(),
      found: z.string(),
      /** Where it is `broken`, or a `note`. */
      cause: z.enum(LINK_CAUSES).optional(),
      /** Its words. */
      why: z.string().optional(),
      /** What mends it. */
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
