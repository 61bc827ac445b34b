import { listAddresses, type AddressRules } from "../addresses/addresses.ts";
import { indexLive } from "../edges/cover/live-addresses.ts";
import type { UrlPath } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import type { EdgeInvalidation } from "../model/plan.ts";
import type { PatternTake, PictureEdge } from "./picture.ts";

/**
 * What edges are asked for, edge by edge, and what each pattern takes along besides what is wrong.
 * @param answering everything that answers once the delivery is done
 */
export function toPictureEdges(
  requests: readonly EdgeInvalidation[],
  answering: readonly Parcel[],
  rules: AddressRules,
): PictureEdge[] {
  const sizes = new Map<UrlPath, number>();
  for (const { key, size } of answering)
    for (const address of listAddresses(key, rules)) sizes.set(address, size);
  return [...new Set(requests.map(({ edge }) => edge))].map((edge) => {
    const own = requests.filter((request) => request.edge === edge);
    const addresses = [...new Set(own.flatMap((request) => request.addresses))].sort();
    const wrong = new Set(addresses);
    const right = indexLive(new Map([...sizes].filter(([address]) => !wrong.has(address))));
    const patterns = [...new Set(own.flatMap((request) => request.patterns))].sort();
    const sum = (pick: (request: EdgeInvalidation) => { addresses: number; bytes: number }) => ({
      addresses: own.reduce((total, request) => total + pick(request).addresses, 0),
      bytes: own.reduce((total, request) => total + pick(request).bytes, 0),
    });
    return {
      ...{ edge, addresses },
      patterns: patterns.map((pattern): PatternTake => {
        const isTree = pattern.endsWith("*");
        const prefix = pattern.slice(0, -1);
        return {
          pattern,
          clears: addresses.filter((address) => (isTree ? address.startsWith(prefix) : address === pattern))
            .length,
          takes: isTree ? right.sum(prefix) : { addresses: 0, bytes: 0 },
        };
      }),
      collateral: sum(({ collateral }) => collateral),
      everything: own.reduce((most, { everything }) => (everything.bytes > most.bytes ? everything : most), {
        addresses: 0,
        bytes: 0,
      }),
    };
  });
}
