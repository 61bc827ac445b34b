const SECONDS = { s: 1, m: 60, h: 3600, d: 86_400, w: 604_800, y: 31_536_000 } as const;
const BYTES = { B: 1, KB: 1000, MB: 1_000_000, GB: 1_000_000_000 } as const;

/** The longest duration, 68 years: 2³¹ - 1 seconds, beyond which caches do not count (RFC 9111 §1.2.2). */
export const MOST_SECONDS = 2_147_483_647;

export const DURATION = /^\d+(\.\d+)?(s|m|h|d|w|y)$/;
export const SIZE = /^\d+(\.\d+)?(B|KB|MB|GB)$/;
export const PERCENT = /^\d+(\.\d+)?%$/;

/** `10m` to 600, `0.5s` to 0.5. The text must match `DURATION`. */
export const parseSeconds = (text: string): number =>
  Number.parseFloat(text) * SECONDS[text.slice(-1) as keyof typeof SECONDS];

/** `64KB` to 64000. The text must match `SIZE`. */
export const parseBytes = (text: string): number =>
  Math.round(Number.parseFloat(text) * BYTES[text.replace(/^[\d.]+/, "") as keyof typeof BYTES]);

/** `25%` to 0.25. The text must match `PERCENT`. */
export const parseShare = (text: string): number => Number.parseFloat(text) / 100;
