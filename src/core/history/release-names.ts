import type { Pointer, RetainedRelease } from "../model/release.ts";

/** The release that a person means by `N`, `current` or `previous`; undefined: it is not retained. */
export function findRelease(name: string, { retained, release }: Pointer): RetainedRelease | undefined {
  if (name === "current") return retained.find((candidate) => candidate.release === release);
  // Release 0 is what others had put there: nobody's previous release.
  if (name === "previous")
    return retained.find((candidate) => candidate.release < release && candidate.release > 0);
  return /^\d+$/.test(name) ? retained.find((candidate) => candidate.release === Number(name)) : undefined;
}

/** The same for messages: every name that would be taken, newest first. */
export const listReleaseNames = ({ retained }: Pointer): string =>
  retained.map(({ release }) => release).join(", ");

/** A release by the name that a person gives it. */
export interface ReleaseName {
  /** The destination that it is of; absent: the one that the call means. */
  readonly destination?: string | undefined;
  /** The preview that it is of; absent: none. */
  readonly preview?: string | undefined;
  /** `N`, `current` or `previous`. */
  readonly release: string;
  /** The number that `current` must still have; absent: any. */
  readonly mustBe?: number | undefined;
}

const NAME = /^(?:([A-Za-z0-9][\w-]*):)?(?:preview\/([^@]+?)(?:@(\d{1,9}))?|(\d+|current|previous))$/;

/** `N`, `current`, `previous`, `preview/NAME`, `preview/NAME@N`, each with `DESTINATION:` before it; undefined: it is none. */
export function parseReleaseName(name: string): ReleaseName | undefined {
  const found = NAME.exec(name);
  if (!found) return undefined;
  const [, destination, preview, mustBe, release = "current"] = found as (string | undefined)[];
  return {
    ...(destination !== undefined && { destination }),
    ...(preview !== undefined && { preview }),
    ...(mustBe !== undefined && { mustBe: Number(mustBe) }),
    release,
  };
}
