import { hash } from "node:crypto";
import { join } from "node:path";
import { readChecked, writeChecked } from "../gather/checked-file.ts";
import type { Call } from "./call.ts";
import { cachePlaceOf } from "./wiring.ts";

/** Key and certificate (PEM), and until when they are good, in milliseconds since 1970. */
export interface KeptCertificate {
  readonly key: string;
  readonly cert: string;
  readonly untilMs: number;
}

/** One that ends sooner is made anew. */
const LEAST_MS = 7 * 86_400_000;

/**
 * A certificate for these names: the one of an earlier run, or a new one. People who have told their browser to go on
 * are asked again only when it is another. It is kept for its user alone.
 */
export async function keepCertificate(
  names: readonly string[],
  call: Call,
  create: () => Promise<KeptCertificate>,
): Promise<KeptCertificate> {
  const place = cachePlaceOf(call);
  if (!place) return create();
  const file = join(place.folder, `serve-certificate-${hash("sha256", names.join(" ")).slice(0, 16)}`);
  const kept = readChecked(file, undefined);
  const before = kept && (JSON.parse(kept.toString()) as KeptCertificate);
  if (before && before.untilMs - place.nowMs > LEAST_MS) return before;
  const next = await create();
  writeChecked(file, Buffer.from(JSON.stringify(next)));
  return next;
}
