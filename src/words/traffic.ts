import type { AgentKind } from "../core/traffic/agents.ts";
import type { Dip, LetGoAssets, RemovedAddress, TrafficGroup } from "../core/traffic/traffic.ts";
import { showSeconds } from "./numbers.ts";
import { ROLE_NAMES } from "./picture.ts";
import { counted } from "./text.ts";

/** What was asked for, as a heading says it. */
export const GROUP_NAMES: Readonly<Record<TrafficGroup, string>> = {
  ...ROLE_NAMES,
  redirect: "sent elsewhere",
  missing: "not found",
  other: "no file of the site",
};

/** Who asked. */
export const AGENT_NAMES: Readonly<Record<AgentKind, string>> = {
  people: "people",
  crawlers: "crawlers",
  programs: "programs",
  unknown: "not said",
};

/** Why a redirect could lead there. */
export const SUCCESSOR_REASONS: Readonly<Record<NonNullable<RemovedAddress["leadsTo"]>["because"], string>> =
  {
    content: "the page with the same content",
    name: "a page of the same name",
    above: "the nearest page above it",
  };

/** A share in per cent. @param share 0 to 1; undefined: nothing is said */
export const showShare = (share: number | undefined): string =>
  share === undefined ? "" : `${(share * 100).toFixed(1)} %`;

/** A moment, to the minute. @param at ISO 8601 UTC */
export const showMinute = (at: string): string => at.slice(0, 16).replace("T", " ");

/** A duration as the settings take it, rounded up. */
function toSetting(seconds: number): string {
  const [day, hour, minute] = [86_400, 3600, 60];
  if (seconds > 2 * day) return `${Math.ceil(seconds / day)}d`;
  if (seconds > 2 * hour) return `${Math.ceil(seconds / hour)}h`;
  return seconds > 2 * minute ? `${Math.ceil(seconds / minute)}m` : `${Math.ceil(seconds)}s`;
}

interface Retain {
  readonly releases: number;
  readonly seconds: number;
}

/** What would have kept the assets of a release. */
export function showRetainMend({ needed, isRetained, people }: LetGoAssets, now: Retain): string {
  if (isRetained)
    return "its release is retained, so they should stand: rcourier verify tells why they do not";
  if (people === 0) return "only crawlers and programs asked: nobody's page was broken by it";
  if (!needed) return "when that release was superseded is not known: retain more than now";
  const ways = [
    ...(needed.releases > now.releases ? [`releases: ${needed.releases}`] : []),
    ...(needed.seconds > now.seconds ? [`for: ${toSetting(needed.seconds)}`] : []),
  ];
  const today = `{ releases: ${now.releases}, for: ${toSetting(now.seconds)} }`;
  return ways.length < 2
    ? `the settings of today would have kept them: retain: ${today}`
    : `${ways.map((way) => `retain: { ${way} }`).join(" or ")} would have kept them (now releases: ${now.releases}, for: ${toSetting(now.seconds)})`;
}

/** A redirect as it stands in the settings, where addresses begin below the site's own path. @param basePath that path */
export const toRedirectLine = ({ address, leadsTo }: RemovedAddress, basePath: string): string =>
  leadsTo === undefined
    ? ""
    : `{ address: ${quoted(within(address, basePath))}, leadsTo: ${quoted(within(leadsTo.address, basePath))}, kind: permanent }`;

const within = (address: string, basePath: string): string =>
  address.startsWith(basePath) ? `/${address.slice(basePath.length)}` : address;

/** As YAML takes it without a doubt. */
const quoted = (text: string): string => (/^[\w/.~-]+$/.test(text) ? text : JSON.stringify(text));

/** What a delivery did to the hit rate. */
export function showDip({ before, lowest, recoveredSeconds, extraMisses }: Dip): string {
  if (before === undefined || lowest === undefined) return "too little was asked for to tell";
  const rates = `hits ${showShare(before)} before, ${showShare(lowest)} at the lowest`;
  const extra = extraMisses === 0 ? "" : `; ${counted(extraMisses, "request")} more to the origin`;
  if (recoveredSeconds === undefined)
    return `${rates}, and not back before the next delivery or the log's end${extra}`;
  return recoveredSeconds === 0
    ? `hits ${showShare(before)} before, and as many after it`
    : `${rates}, back after ${showSeconds(recoveredSeconds)}${extra}`;
}

/** Why something is never a hit, where none of its headers forbids it. */
export const NO_HEADER =
  "no header of it forbids it: perhaps the edge keeps nothing of the kind, or each query apart";
