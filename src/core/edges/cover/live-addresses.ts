import type { AddressWeight } from "../../model/plan.ts";
import { byText, type UrlPath } from "../../model/names.ts";

/** All addresses that answer, with the bytes that each one's held copy is worth. */
export interface LiveAddresses {
  readonly total: AddressWeight;
  /** Those that begin so. Two binary searches. */
  sum(prefix: UrlPath): AddressWeight;
  sizeOf(address: UrlPath): number | undefined;
}

/** After every letter that an encoded address can have. */
const LAST = "\uffff";

/** @param sizes bytes of the object behind each address */
export function indexLive(sizes: ReadonlyMap<UrlPath, number>): LiveAddresses {
  const sorted = [...sizes.keys()].sort(byText);
  const bytesBefore = new Float64Array(sorted.length + 1);
  sorted.forEach((address, index) => {
    bytesBefore[index + 1] = (bytesBefore[index] as number) + (sizes.get(address) as number);
  });
  const between = (from: number, to: number): AddressWeight => ({
    addresses: to - from,
    bytes: (bytesBefore[to] as number) - (bytesBefore[from] as number),
  });
  return {
    total: between(0, sorted.length),
    sum: (prefix) => between(findFirst(sorted, prefix), findFirst(sorted, prefix + LAST)),
    sizeOf: (address) => sizes.get(address),
  };
}

/** The index of the first that is not below `text`, of texts by code unit. */
export function findFirst(sorted: readonly string[], text: string): number {
  let [low, high] = [0, sorted.length];
  while (low < high) {
    const middle = (low + high) >>> 1;
    if ((sorted[middle] as string) < text) low = middle + 1;
    else high = middle;
  }
  return low;
}
