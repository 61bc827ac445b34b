/** Bytes for people: decimal units, three digits at most. */
export function showBytes(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  let [value, unit] = [bytes / 1000, "kB"];
  for (const next of ["MB", "GB", "TB"]) {
    if (value < 999.5) break;
    [value, unit] = [value / 1000, next];
  }
  return `${value.toFixed(value < 99.95 ? 1 : 0)} ${unit}`;
}

/** A duration in the unit that says it in few letters. @param seconds any length of time */
export const showSeconds = (seconds: number): string =>
  seconds < 60
    ? `${seconds.toFixed(seconds < 10 ? 2 : 0)} s`
    : `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`;

/** A duration that may be short: thousandths below a second. @param seconds any length of time */
export const showShortly = (seconds: number): string =>
  seconds < 1 ? `${Math.round(seconds * 1000)} ms` : showSeconds(seconds);

/** `2026-12-07 09:00 UTC` @param at ISO 8601, UTC */
export const showMoment = (at: string): string => `${at.slice(0, 16).replace("T", " ")} UTC`;

/** `13 d more (until 2026-12-07 09:00 UTC)` or `2 h ago (2026-11-23 07:00 UTC)`. */
export function showTime(at: string, now: Date): string {
  const minutes = (Date.parse(at) - now.getTime()) / 60_000;
  const size = Math.abs(minutes);
  const amount =
    size < 90
      ? `${Math.round(size)} min`
      : size < 36 * 60
        ? `${Math.round(size / 60)} h`
        : `${Math.round(size / 1440)} d`;
  const absolute = showMoment(at);
  if (size < 0.5) return `just now (${absolute})`;
  return minutes < 0 ? `${amount} ago (${absolute})` : `${amount} more (until ${absolute})`;
}
