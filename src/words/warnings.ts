import { showUnsafe } from "./tls.ts";
import type { DeliveryWarning } from "../core/delivery/decide.ts";
import type { Hold } from "../core/model/hold.ts";
import type { OddAnswers, Unseen, Warning } from "../core/model/warning.ts";
import { showEdgeFailure } from "./edges.ts";
import { wordsOfProblem } from "./problems.ts";
import { counted, listed, placeOf } from "./text.ts";

/** Who has a hold. */
export const showHolder = (hold: Hold | undefined): string =>
  hold
    ? `${hold.work} by ${hold.by} on ${hold.host}, process ${hold.process}, since ${hold.at.slice(0, 19).replace("T", " ")} UTC`
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
  `${edge} owes ${counted(addresses, "address", "addresses")} and is no longer in the settings: nobody can ask it. If it is gone for good, rcourier invalidate --gone "${edge}" strikes that`;

const WARNINGS: { readonly [Code in Warning["code"]]: (of: Warning & { readonly code: Code }) => string } = {
  queued: ({ hold }) => `waiting for ${showHolder(hold)}`,
  left: ({ key }) => `${key} was to be cleared and stays: it was written by other means meanwhile`,
  "etag-kept": ({ key }) =>
    `${key} has a new type under an old ETag: caches that only ask whether it changed may keep the old type`,
  "edge-odd": ({ edge, odd }) => `at the edge ${edge} ${showOdd(odd)}; rcourier verify looks closer`,
  "edge-gone": ({ edge, addresses }) => showGone(edge, addresses),
  "no-patterns": ({ edge, tree, below }) =>
    `the edge ${edge} takes no patterns: of ${tree} it is asked for ${counted(below, "address", "addresses")} that the current release has there, and for no others`,
  "edge-failed": ({ edge, failure }) => `the edge ${edge} has not confirmed: ${showEdgeFailure(failure)}`,
  "no-conditions": () =>
    "this store checks no conditions: two deliveries at the same moment are told apart by looking only, and what goes stale now is left to the next delivery",
  "not-visible": ({ unseen }) => showUnseen(unseen),
  "held-back": ({ keys }) =>
    `still to be written, once the edge has confirmed the pages: ${listed(keys)}; the same delivery goes on with it`,
  "open-record": () =>
    "a delivery did not end: its record goes, and its work is finished, with the next delivery",
};

/** What is told while a run goes on. */
export const showWarning = (warning: Warning): string =>
  (WARNINGS[warning.code] as (of: Warning) => string)(warning);

type OfDelivery<Code> = DeliveryWarning & { readonly code: Code };

const DELIVERY_WARNINGS: { readonly [Code in DeliveryWarning["code"]]: (of: OfDelivery<Code>) => string } = {
  problems: ({ first, more }) =>
    `${placeOf(first)}${wordsOfProblem(first).message}${more > 0 ? `, and ${more} more: rcourier survey` : ""}`,
  drifted: ({ release, keys }) =>
    `changed or removed by other means since release ${release}: ${listed(keys)}`,
  foreign: ({ keys }) => `not ours, left alone: ${listed(keys)}`,
  "edge-gone": ({ edge, addresses }) => showGone(edge, addresses),
  unreadable: ({ keys }) => `can't be read, so nothing is pruned: ${listed(keys)}`,
  "older-unreadable": () => "the record of an earlier release can't be read: nothing is pruned",
  unended: ({ runs }) =>
    `going on after ${runs.length === 1 ? "a delivery" : `${runs.length} deliveries`} that did not end: ${listed(runs.map(({ run, by }) => `${run} by ${by}`))}`,
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
