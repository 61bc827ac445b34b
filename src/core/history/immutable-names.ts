import * as z from "zod";
import type { UnreadableCause } from "./waybill.ts";
import { OperatorError } from "../model/failure.ts";
import { byText, IMMUTABLE_KEY, type ObjectKey } from "../model/names.ts";
import type { ImmutableName, ImmutableNames } from "../model/immutable-names.ts";
import type { Parcel } from "../model/parcel.ts";

const IMMUTABLE_FORMAT = "restless-courier/immutable-names/1";
const YEAR_MS = 366 * 86_400_000;

const schema = z.object({
  format: z.literal(IMMUTABLE_FORMAT),
  names: z.record(z.string(), z.tuple([z.string().regex(/^[0-9a-f]{64}$/), z.number()])),
});

/** The names as they stand in the store: one JSON object with the name of its format. */
export const toImmutableText = (names: ImmutableNames): string =>
  JSON.stringify({
    format: IMMUTABLE_FORMAT,
    names: Object.fromEntries(
      [...names].sort(([a], [b]) => byText(a, b)).map(([key, { hash, stoodMs }]) => [key, [hash, stoodMs]]),
    ),
  });

/** Throws `record-unreadable`: what can't be read is never written over. */
export function parseImmutableNames(text: string): ImmutableNames {
  try {
    const { names } = schema.parse(JSON.parse(text));
    return new Map(Object.entries(names).map(([key, [hash, stoodMs]]) => [key, { hash, stoodMs }]));
  } catch (error) {
    const cause: UnreadableCause = { code: "damaged-or-later" };
    throw new OperatorError("record-unreadable", { key: IMMUTABLE_KEY, cause }, {}, error);
  }
}

/** The names with those that stand now, and without those that nobody can hold any more. */
export function extendImmutableNames(
  names: ImmutableNames,
  standing: readonly Parcel[],
  nowMs: number,
): ImmutableNames {
  const kept = [...names].filter(([, { stoodMs }]) => nowMs - stoodMs < YEAR_MS);
  const now = standing
    .filter(({ role }) => role === "fingerprinted")
    .map(({ key, hash }) => [key, { hash, stoodMs: nowMs }] as const);
  return new Map<ObjectKey, ImmutableName>([...kept, ...now]);
}
