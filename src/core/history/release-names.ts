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
