/**
 * What a result is, and the version of its form. A version grows when a field goes or means something else; new fields may
 * come without. The JSON Schema of each is `schemas/KIND.schema.json`, with the `$id` that `schemaIdOf` says.
 */
export const RESULT_VERSIONS = {
  delivery: 1,
  survey: 1,
  explanation: 1,
  verification: 1,
  checkup: 1,
  provision: 1,
  "printed-setup": 1,
  invalidation: 1,
  releases: 1,
  release: 1,
  comparison: 1,
  hold: 1,
  previews: 1,
  traffic: 1,
  prune: 1,
  sandbox: 1,
  error: 1,
} as const;
export type ResultKind = keyof typeof RESULT_VERSIONS;

/** A result as it is printed: what it is, and in which version of its form, stand first. */
export const toPrinted = (kind: ResultKind, result: object): object => ({
  kind,
  version: RESULT_VERSIONS[kind],
  ...result,
});

/** The `$id` of a schema: a name that nobody has to look up anywhere (RFC 8141). */
export const schemaIdOf = (name: string, version: number): string =>
  `urn:restless-courier:${name}:${version}`;
