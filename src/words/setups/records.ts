/** Where a site's name must lead. */
export type NameLeadsTo =
  | { readonly kind: "name"; readonly name: string }
  /** IPv4 and IPv6 addresses. */
  | { readonly kind: "addresses"; readonly addresses: readonly string[] }
  /** Only who runs the edge can say. */
  | { readonly kind: "unknown" };

export interface DnsFacts {
  /** The site's own name. */
  readonly host: string;
  /** The name of all previews, with a `*`; undefined: they have none of their own. */
  readonly previews: string | undefined;
  readonly leadsTo: NameLeadsTo;
  /** Whether visitors come by https. */
  readonly isSecure: boolean;
}

/** One record of a zone. */
export interface DnsRecord {
  readonly name: string;
  readonly type: string;
  readonly value: string;
  readonly note?: string;
}

/** The records that lead a site's names to its edge, and what else a zone may need. */
export function toRecords(facts: DnsFacts): {
  readonly records: readonly DnsRecord[];
  readonly left: readonly string[];
} {
  const { host, previews, isSecure } = facts;
  const names = previews === undefined ? [host] : [host, previews];
  return {
    records: names.flatMap((name) => toOwn(name, facts)),
    left: [
      "A signed zone (DNSSEC) must be signed anew after the change; many DNS services do that by themselves. The DS record at the parent zone stays as it is. An ALIAS must be signed by the service that answers for it.",
      ...(isSecure
        ? [
            "If the zone has CAA records, one of them must name the authority that issues the certificate. Without any, every authority may.",
          ]
        : []),
      "Lower the TTL of old records a day before, so that nobody is led to the old place for long. rcourier checkup --wait 30m waits until the names lead to the edge.",
    ],
  };
}

function toOwn(name: string, { leadsTo }: DnsFacts): DnsRecord[] {
  switch (leadsTo.kind) {
    case "name":
      return [
        {
          ...{ name, type: "CNAME", value: leadsTo.name },
          ...(mayBeFirst(name) && {
            note: "if this is the first name of its zone, no CNAME may stand there (RFC 1034, section 3.6.2): take an ALIAS of your DNS service, or let another name be the site's",
          }),
        },
      ];
    case "addresses":
      return leadsTo.addresses.map((value) => ({
        ...{ name, type: value.includes(":") ? "AAAA" : "A", value },
        ...(INNER.test(value) && {
          note: "an address of your own network: for visitors from outside, say the public one",
        }),
      }));
    case "unknown":
      return [
        {
          name,
          type: "CNAME",
          value: "?",
          note: "the name that the service of your edge gives for this site",
        },
      ];
  }
}

/** Addresses that nobody outside can reach (RFC 1918, RFC 4193). */
const INNER = /^(10\.|127\.|192\.168\.|172\.(1[6-9]|2\d|3[01])\.|f[cd]|::1$)/i;

/** A name of two or three parts may be a zone's first one; nobody can tell from the name alone. */
const mayBeFirst = (name: string): boolean => !name.startsWith("*") && !/^www\./.test(name) && name.split(".").length <= 3; // prettier-ignore
