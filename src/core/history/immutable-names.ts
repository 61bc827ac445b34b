import * as z from "zod";
import type { UnreadableCause } from "./waybill.ts";
import { OperatorError } from "../model/failure.ts";
import { byText, IMMUTABLE_KEY, type ObjectKey } from "../model/names.ts";
import type { ImmutableName, ImmutableNames } from "../model/immutable-names.ts";
import type { Parcel } from "../model/parcel.ts";
import type { RetainedRelease, Waybill } from "../model/release.ts";

const IMMUTABLE_FORMAT = "restless-courier/immutable-names/1";
const YEAR_MS = 366 * 86_400_000;

const schema = z.object({
  format: z.literal(IMMUTABLE_FORMAT),
  names: z.record(z.string(), z.tuple([z.string().regex(/^[0-9a-f]{64}$/), z.number()])),
  // Apart from the names, since 0.1.0 takes no more than two facts of each.
  last: z.record(z.string(), z.tuple([z.int().min(0), z.number()])).default({}),
});

/** The names as they stand in the store: one JSON object with the name of its format. */
export function toImmutableText(names: ImmutableNames): string {
  const sorted = [...names].sort(([a], [b]) => byText(a, b));
  const last = sorted.flatMap(([key, { lastIn, supersededMs = 0 }]) =>
    lastIn === undefined ? [] : [[key, [lastIn, supersededMs]] as const],
  );
  return JSON.stringify({
    format: IMMUTABLE_FORMAT,
    names: Object.fromEntries(sorted.map(([key, { hash, stoodMs }]) => [key, [hash, stoodMs]])),
    last: Object.fromEntries(last),
  });
}

/** Throws `record-unreadable`: what can't be read is never written over. */
export function parseImmutableNames(text: string): ImmutableNames {
  try {
    const { names, last } = schema.parse(JSON.parse(text));
    return new Map(
      Object.entries(names).map(([key, [hash, stoodMs]]) => {
        const [lastIn, supersededMs = 0] = last[key] ?? [];
        return [
          key,
          {
            ...{ hash, stoodMs },
            ...(lastIn === undefined ? {} : { lastIn }),
            ...(supersededMs === 0 ? {} : { supersededMs }),
          },
        ];
      }),
    );
  } catch (error) {
    const cause: UnreadableCause = { code: "damaged-or-later" };
    throw new OperatorError("record-unreadable", { key: IMMUTABLE_KEY, cause }, {}, error);
  }
}

/**
 * The names with those that stand once a release is made, and without those that nobody can hold any more.
 * @param earlier the releases before it that are retained
 */
export function extendImmutableNames(
  names: ImmutableNames,
  { release, parcels, standing }: Pick<Waybill, "release" | "parcels" | "standing">,
  earlier: readonly Pick<RetainedRelease, "release" | "at">[],
  nowMs: number,
): ImmutableNames {
  const kept = [...names].filter(([, { stoodMs }]) => nowMs - stoodMs < YEAR_MS);
  const isImmutable = ({ role }: Parcel): boolean => role === "fingerprinted";
  const own = parcels
    .filter(isImmutable)
    .map(({ key, hash }) => [key, { hash, stoodMs: nowMs, lastIn: release }] as const);
  const old = standing.filter(isImmutable).map(({ key, hash, lastIn = 0 }) => {
    const next = earlier.filter((one) => one.release > lastIn).toSorted((a, b) => a.release - b.release)[0];
    const supersededMs = next ? Date.parse(next.at) : nowMs;
    return [key, { hash, stoodMs: nowMs, lastIn, supersededMs }] as const;
  });
  return new Map<ObjectKey, ImmutableName>([...kept, ...old, ...own]);
}
