import type { Weight } from "../core/model/weight.ts";
import type { Sha256 } from "../core/model/names.ts";
import type { WeightMemory } from "../ports/build-source.ts";
import { readChecked, writeChecked } from "./checked-file.ts";
import { nameIn, type CachePlace } from "./hash-cache.ts";

/** Changes with every change of how files are compressed. */
const FORMAT = "restless-courier/weights/1";

/** Columns. */
interface Kept {
  readonly format: string;
  readonly hashes: readonly Sha256[];
  /** Bytes. */
  readonly gzip: readonly number[];
  readonly brotli: readonly number[];
}

/** What the contents of one build folder weigh compressed, beside its hash cache. Deleting it costs only time. */
export function openWeightMemory({ folder, onDamaged }: CachePlace, buildFolder: string): WeightMemory {
  const file = `${nameIn(folder, buildFolder)}.weights`;
  return {
    read: () => {
      const bytes = readChecked(file, onDamaged);
      const kept = bytes && (JSON.parse(bytes.toString("utf8")) as Kept);
      if (kept?.format !== FORMAT) return new Map();
      const { hashes, gzip, brotli } = kept;
      return new Map(
        hashes.map((sum, place) => [sum, { gzip: gzip[place] as number, brotli: brotli[place] as number }]),
      );
    },
    save: (weights: ReadonlyMap<Sha256, Weight>) => {
      const all = [...weights.values()];
      const kept: Kept = {
        format: FORMAT,
        hashes: [...weights.keys()],
        gzip: all.map(({ gzip }) => gzip),
        brotli: all.map(({ brotli }) => brotli),
      };
      writeChecked(file, Buffer.from(JSON.stringify(kept)));
    },
  };
}
