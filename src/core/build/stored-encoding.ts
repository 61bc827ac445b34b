import type { ExplainedParcel } from "../model/explained-parcel.ts";
import { recordedByKey } from "../compare/key-state.ts";
import type { ObjectKey, Sha256 } from "../model/names.ts";
import type { DestinationState } from "../model/release.ts";

/** What a content is as it would be stored, gzip-encoded. */
export interface EncodedForm {
  readonly storedHash: Sha256;
  /** Bytes. */
  readonly size: number;
}

/** Below this size an encoded answer saves nothing that counts. */
const LEAST_BYTES = 1024;
/** At most this share of the plain size may be left. */
const LARGEST_SHARE = 0.9;
const COMPRESSIBLE =
  /^(text\/|application\/(javascript|json|manifest\+json|ld\+json|xml|wasm)|image\/svg|font\/(ttf|otf))/;

/** Whether a content may be worth storing encoded; its weight decides. */
export const isWorthEncoding = ({ size, headers }: ExplainedParcel): boolean =>
  size >= LEAST_BYTES &&
  headers["content-encoding"] === undefined &&
  COMPRESSIBLE.test(headers["content-type"] ?? "");

/**
 * The parcels with those stored encoded for which it pays. What a release holds in an encoded form of the same content
 * keeps that form: another version of the encoder must not send the site again.
 */
export function applyEncodedForms(
  parcels: readonly ExplainedParcel[],
  forms: ReadonlyMap<ObjectKey, EncodedForm>,
  state: DestinationState,
): ExplainedParcel[] {
  const recorded = recordedByKey(state);
  const standing = new Map(state.listing.map(({ key, etag }) => [key, etag]));
  return parcels.map((parcel) => {
    const form = forms.get(parcel.aliasOf ?? parcel.key);
    if (!form || form.size > parcel.size * LARGEST_SHARE) return parcel;
    const known = recorded.get(parcel.key);
    const isKept =
      known?.hash === parcel.hash &&
      known.headers["content-encoding"] === "gzip" &&
      standing.get(parcel.key) === known.etag;
    const { storedHash, size } = isKept ? known : form;
    const rule = { by: "compression" } as const;
    const trace = [...parcel.trace, { header: "content-encoding", value: "gzip", rule }];
    return {
      ...parcel,
      storedHash,
      size,
      encoding: "gzip",
      headers: { ...parcel.headers, "content-encoding": "gzip" },
      trace,
    };
  });
}
