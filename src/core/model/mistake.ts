/** Where something stands in a file. */
export interface FilePlace {
  readonly file: string;
  /** From 1. */
  readonly line: number;
  /** From 1. */
  readonly column: number;
}

/** Keys and numbers of list items, from the top of the settings. */
export type SettingsPath = readonly (string | number)[];

/** What is wrong with the settings, by themselves or together with a build. */
export interface Mistake {
  /** Empty: no single setting. */
  readonly path: SettingsPath;
  /** Words of whoever has read the settings, or facts. */
  readonly what: string | ShortRetention;
  /** Absent: nobody has looked it up yet, or it stands nowhere. */
  readonly place?: FilePlace | undefined;
}

/** What old pages name goes while an edge or a browser may still show them. Seconds. */
interface ShortRetention {
  readonly forSeconds: number;
  readonly pageSeconds: number;
}
