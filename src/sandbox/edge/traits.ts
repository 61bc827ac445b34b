/** How the simulated edge behaves where real ones differ; everything is off unless it is asked for. */
export interface Traits {
  /**
   * How copies for each exact `Accept-Encoding` are kept: one for all; each by itself; all others found through the one that
   * came first; through a marker, which goes with any purge. A purge forgets just the one that it names, and only if it is found.
   */
  readonly forms: "one" | "apart" | "behind-base" | "behind-marker";
  /** One copy for each host name, port included. */
  readonly copyPerHost: boolean;
  /** A purge is answered with 200 whether anything was held or not. */
  readonly purgeAlwaysOk: boolean;
  /** A purged copy is served once more. */
  readonly softPurge: boolean;
  /** `PURGE /dir/*` is understood. */
  readonly purgeWildcards: boolean;
  /** Neither `Age` nor `Cache-Status`. */
  readonly silent: boolean;
  /** A connection is closed after so many answers; 0: never. */
  readonly answersPerConnection: number;
  /** Nothing is compressed. */
  readonly noCompression: boolean;
  /** What says `max-age=0` is not stored, not even to be asked about. */
  readonly dropsZero: boolean;
  /** `/` is asked for at the origin as it is. */
  readonly noRootDocument: boolean;
  /** The origin refuses the edge. */
  readonly originDenied: boolean;
  /** What the edge puts before every path at the origin. */
  readonly originPrefix: string;
  /** Everything is held for so long at least, whatever it says. */
  readonly minimumSeconds: number;
  /** 'Not found' is held for so long where it says nothing. */
  readonly negativeSeconds: number;
  /** Headers that the edge sets over those of the origin, by lower-case name. */
  readonly headers: Readonly<Record<string, string>>;
}

export const PLAIN: Traits = {
  forms: "one",
  copyPerHost: false,
  purgeAlwaysOk: false,
  softPurge: false,
  purgeWildcards: false,
  silent: false,
  answersPerConnection: 0,
  noCompression: false,
  dropsZero: false,
  noRootDocument: false,
  originDenied: false,
  originPrefix: "",
  minimumSeconds: 0,
  negativeSeconds: 10,
  headers: {},
};

/** What a trait is called in a call, and what it changes. A reader returns undefined for a value that makes no sense. */
const READERS: Readonly<Record<string, (value: string, traits: Traits) => Partial<Traits> | undefined>> = {
  "copy-per-encoding": () => ({ forms: "apart" }),
  "copies-behind-base": () => ({ forms: "behind-base" }),
  "copies-behind-marker": () => ({ forms: "behind-marker" }),
  "copy-per-host": () => ({ copyPerHost: true }),
  "purge-always-ok": () => ({ purgeAlwaysOk: true }),
  "soft-purge": () => ({ softPurge: true }),
  "purge-wildcards": () => ({ purgeWildcards: true }),
  silent: () => ({ silent: true }),
  "no-compression": () => ({ noCompression: true }),
  "drops-zero": () => ({ dropsZero: true }),
  "no-root-document": () => ({ noRootDocument: true }),
  "origin-denied": () => ({ originDenied: true }),
  "origin-prefix": (value) => ({ originPrefix: value }),
  "answers-per-connection": (value) => withNumber(value, (count) => ({ answersPerConnection: count })),
  "minimum-freshness": (value) => withNumber(value, (seconds) => ({ minimumSeconds: seconds })),
  negative: (value) => withNumber(value, (seconds) => ({ negativeSeconds: seconds })),
  header: (value, { headers }) => {
    const [name = "", text] = value.split(/:\s*(.*)/s);
    return text === undefined ? undefined : { headers: { ...headers, [name.toLowerCase()]: text } };
  },
};

const withNumber = (value: string, take: (number: number) => Partial<Traits>): Partial<Traits> | undefined =>
  /^\d+$/.test(value) ? take(Number(value)) : undefined;

export const TRAIT_NAMES: readonly string[] = Object.keys(READERS);

/**
 * Traits out of `NAME` and `NAME=VALUE`; numbers are seconds or counts.
 * @returns the first that can't be read, as it stands, where there is one
 */
export function readTraits(texts: readonly string[]): Traits | { readonly wrong: string } {
  let traits = PLAIN;
  for (const text of texts) {
    const [name = "", value = ""] = text.split(/=(.*)/s);
    const found = READERS[name]?.(value, traits);
    if (!found) return { wrong: text };
    traits = { ...traits, ...found };
  }
  return traits;
}
