import Negotiator from "negotiator";

/** Content codings that an edge makes by itself, the best first. */
const CODINGS = ["br", "gzip"] as const;
export type Coding = (typeof CODINGS)[number];

/** Types that get smaller. */
const COMPRESSIBLE = /^(text\/|application\/(javascript|json|manifest\+json|xml|wasm)|image\/svg)/;
/** Smaller answers are sent as they are. */
const LEAST_COMPRESSED = 1024;

/** Whether an edge compresses an answer for those who take it: one of these headers and this size. */
export const isCompressed = (headers: Readonly<Record<string, string>>, size: number): boolean =>
  COMPRESSIBLE.test(headers["content-type"] ?? "") &&
  headers["content-encoding"] === undefined &&
  size >= LEAST_COMPRESSED;

/** What the types of the package do not know. */
type Choose = (
  available: readonly string[],
  options: { readonly preferred: readonly string[] },
) => string | undefined;

/** The coding that a client likes best, the better one where it likes both the same (RFC 9110 §12.5.3); undefined: none. */
export function chooseCoding(acceptEncoding: string | undefined): Coding | undefined {
  const negotiator = new Negotiator({ headers: { "accept-encoding": acceptEncoding ?? "" } });
  const choose = negotiator.encoding.bind(negotiator) as Choose;
  const chosen = choose([...CODINGS, "identity"], { preferred: CODINGS });
  return CODINGS.find((coding) => coding === chosen);
}
