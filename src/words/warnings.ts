import { showUnsafe } from "./tls.ts";
import type { DeliveryWarning } from "../core/delivery/decide.ts";
import type { Hold } from "../core/model/hold.ts";
import type { OddAnswers, Unseen, Warning } from "../core/model/warning.ts";
import { showEdgeFailure } from "./edges.ts";
import { wordsOfProblem } from "./problems.ts";
import { showMoment } from "./numbers.ts";
import { counted, listed, placeOf } from "./text.ts";

/** Who has a hold. */
export const showHolder = (hold: Hold | undefined): string =>
  hold
    ? `${hold.work}, run by ${hold.by} on ${hold.host} (process ${hold.process}, since ${showMoment(hold.at)})`
    : "a run whose hold can't be read";

/** Why a fresh object counts as unseen. */
export function showUnseen({ address, got, tls, before }: Unseen): string {
  const answer =
    got === "nothing"
      ? tls
        ? showUnsafe(tls)
        : "nobody answered"
      : got === "other-bytes"
        ? "other bytes came back"
        : `the answer was ${got.status}`;
  const message = `${address} was just written, but visitors can't read it at the public address: ${answer}`;
  return before === undefined ? message : `${message}; ${before}, which stood before, can be read`;
}

const showOdd = ({ count, first }: OddAnswers): string =>
  `${count === 1 ? "one address answers" : `${count} addresses answer`} with something that was never delivered there: ${first}`;

/** @param edge what it is */
const showGone = (edge: string, addresses: number): string =>
  `${edge} has not confirmed ${counted(addresses, "address", "addresses")} and is no longer in the settings, so nobody can ask it. If it is gone for good, rcourier invalidate --gone "${edge}" strikes them off`;

const WARNINGS: { readonly [Code in Warning["code"]]: (of: Warning & { readonly code: Code }) => string } = {
  queued: ({ hold }) => `waiting for ${showHolder(hold)}`,
  left: ({ key }) => `${key} was not removed after all: somebody wrote it outside this tool just now`,
  "etag-kept": ({ key }) =>
    `${key} has a new content type but the same ETag: caches that only ask whether it has changed may keep the old type`,
  "edge-odd": ({ edge, odd }) => `at the edge "${edge}" ${showOdd(odd)}; rcourier verify looks closer`,
  "edge-gone": ({ edge, addresses }) => showGone(edge, addresses),
  "no-patterns": ({ edge, tree, below }) =>
    `the edge "${edge}" takes no patterns: of ${tree} it is asked to forget the ${counted(below, "address", "addresses")} of the current release, and no others`,
  "edge-failed": ({ edge, failure }) => `the edge "${edge}" has not confirmed: ${showEdgeFailure(failure)}`,
  "no-conditions": () =>
    "this store has no conditional writes: never deliver from two places at the same time. Files that this release no longer needs are removed by the next delivery",
  "not-visible": ({ unseen }) => showUnseen(unseen),
  "held-back": ({ keys }) =>
    `these files wait until the edge has confirmed the pages: ${listed(keys)}; the next delivery writes them`,
  "open-record": () => "an earlier delivery did not end; the next delivery finishes its work",
};

/** What is told while a run goes on. */
export const showWarning = (warning: Warning): string =>
  (WARNINGS[warning.code] as (of: Warning) => string)(warning);

type OfDelivery<Code> = DeliveryWarning & { readonly code: Code };

const DELIVERY_WARNINGS: { readonly [Code in DeliveryWarning["code"]]: (of: OfDelivery<Code>) => string } = {
  problems: ({ first, more }) =>
    `${placeOf(first)}${wordsOfProblem(first).message}${more > 0 ? `, and ${more} more: rcourier survey` : ""}`,
  drifted: ({ release, keys }) =>
    `changed or removed outside this tool since release ${release}; a delivery restores them: ${listed(keys)}`,
  foreign: ({ keys }) => `foreign, not delivered by this tool; left alone: ${listed(keys)}`,
  "edge-gone": ({ edge, addresses }) => showGone(edge, addresses),
  unreadable: ({ keys }) => `nothing old was removed, because these records can't be read: ${listed(keys)}`,
  "older-unreadable": () => "nothing old was removed, because the record of an earlier release can't be read",
  unended: ({ runs }) =>
    `finishing the work of ${runs.length === 1 ? "a run that died" : `${runs.length} runs that died`}: ${listed(runs.map(({ run, by }) => `${run}, started by ${by}`))}`,
  withdrawn: ({ going, staying }) =>
    [
      going.length > 0 && `left out by build.exclude, and gone with this delivery: ${listed(going)}`,
      staying.length > 0 &&
        `left out by build.exclude, and kept for open tabs: ${listed(staying)} (rcourier prune --forget takes one away at once)`,
    ]
      .filter((part) => part !== false)
      .join("; "),
  "left-out": ({ keys }) => `left out, since it was removed for good: ${listed(keys)}`,
};

/** What a delivery's result tells besides. */
export const showDeliveryWarning = (warning: DeliveryWarning): string =>
  (DELIVERY_WARNINGS[warning.code] as (of: DeliveryWarning) => string)(warning);
