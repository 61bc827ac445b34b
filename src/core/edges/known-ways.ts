import * as z from "zod";
import { CLEARED_FORMS, CLEARING_WAYS, type KnownWay } from "../model/edge.ts";
import { byText } from "../model/names.ts";

const FORMAT = "restless-courier/edge-ways/1";

const schema = z.object({
  format: z.literal(FORMAT),
  ways: z.record(
    z.string(),
    z.record(
      z.string(),
      z.object({
        way: z.enum(CLEARING_WAYS),
        clears: z.enum(CLEARED_FORMS),
        takesWildcards: z.boolean().optional(),
        at: z.string(),
      }),
    ),
  ),
});

/** What was found out about the places of edges: by what the edge is, then by place. */
export type KnownWays = ReadonlyMap<string, ReadonlyMap<string, KnownWay>>;

const sorted = <T>(entries: Iterable<readonly [string, T]>): Record<string, T> =>
  Object.fromEntries([...entries].sort(([a], [b]) => byText(a, b)));

/** As it stands in the store (docs/formats.md). */
export const toWaysText = (known: KnownWays): string =>
  JSON.stringify({
    format: FORMAT,
    ways: sorted([...known].map(([identity, places]) => [identity, sorted(places)] as const)),
  });

/** What can't be read is as good as not known: it is found out anew. */
export function parseWays(text: string): KnownWays {
  try {
    const { ways } = schema.parse(JSON.parse(text));
    return new Map(
      Object.entries(ways).map(([identity, places]) => [identity, new Map(Object.entries(places))] as const),
    );
  } catch {
    return new Map();
  }
}
