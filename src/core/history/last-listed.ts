import { vaultKey, type ObjectKey, type Sha256 } from "../model/names.ts";
import type { DestinationState, RetainedRelease, Waybill } from "../model/release.ts";

/** Contents, each with the last release that lists it. Release 0 does not count: its record is read where it stands. */
export type LastListed = ReadonlyMap<Sha256, number>;

/**
 * What the newest record knows of the contents that the vault may hold: those that it lists, those of earlier releases
 * that still stand, and those that it says are in the vault. So a delivery need not read older records.
 * @param older waybills of all other retained releases, for a newest one that was made before 0.2 and does not say so
 * @returns undefined where these are needed and were not read
 */
export function findLastListed(
  { waybill }: Pick<DestinationState, "waybill">,
  older: readonly Waybill[] | undefined,
): LastListed | undefined {
  const last = new Map<Sha256, number>();
  const note = (hash: Sha256, release: number): void => {
    if ((last.get(hash) ?? 0) < release) last.set(hash, release);
  };
  if (!waybill) return last;
  if (!waybill.vault && !older) return undefined;
  for (const [release, hashes] of Object.entries(waybill.vault ?? {}))
    for (const hash of hashes) note(hash, Number(release));
  for (const { storedHash, lastIn = 0 } of waybill.standing) note(storedHash, lastIn);
  for (const { release, parcels, keptSettings = [], aside = [] } of [...(older ?? []), waybill]) {
    for (const { storedHash } of parcels) note(storedHash, release);
    for (const { hash } of aside) note(hash, release);
    for (const hash of keptSettings) note(hash, release);
  }
  return last;
}

/** Those that a retained release may list: releases go in the order in which they came, so the oldest one tells. */
export function selectListed(last: LastListed, retained: readonly RetainedRelease[]): LastListed {
  const oldest = Math.min(...retained.map(({ release }) => release).filter((release) => release > 0));
  return new Map([...last].filter(([, release]) => release >= oldest));
}

/** As the next waybill says it: what will be in the vault for earlier releases, by the last one that lists it. */
export function toVaultLists(last: LastListed, inVault: ReadonlySet<ObjectKey>): Record<string, Sha256[]> {
  const lists = new Map<number, Sha256[]>();
  for (const [hash, release] of last) {
    if (!inVault.has(vaultKey(hash))) continue;
    const list = lists.get(release);
    if (list) list.push(hash);
    else lists.set(release, [hash]);
  }
  return Object.fromEntries(lists);
}
