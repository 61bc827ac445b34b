/**
 * The hold: one delivery at a time per destination. A record in the store that says who works there, renewed while that run
 * lives. It is created, renewed, taken and let go by conditional writes only, and never by a removal.
 */
export interface Hold {
  readonly run: string;
  /** What the run does, for people: a command, or `repair`. */
  readonly work: string;
  readonly by: string;
  readonly host: string;
  readonly process: number;
  /** When that process began, as its system tells it: numbers of processes come again. */
  readonly processStart: string;
  /** When it was taken, ISO 8601 UTC. */
  readonly at: string;
  readonly leaseSeconds: number;
  /** Counts renewals, so that each changes the ETag. */
  readonly renewal: number;
  /** Whether this store was seen to check conditions; absent: not found out yet. */
  readonly conditions?: boolean | undefined;
  readonly isReleased: boolean;
}
