import { relative } from "node:path";
import type { Difference } from "../../core/answers/differences.ts";
import type { Problem } from "../../core/model/problem.ts";
import type { HalfWritten, LiveEvent } from "../../serving/live-site.ts";
import type { ServedRequest } from "../../serving/site-server.ts";
import { wordsOfFailure } from "../../words/failures.ts";
import { wordsOfProblem } from "../../words/problems.ts";
import { showDifference } from "../../words/serving.ts";
import { counted, placeOf } from "../../words/text.ts";
import { showBytes } from "../../words/numbers.ts";
import { clean, type Terminal } from "../frame/terminal.ts";

/** A build that is being served. */
export interface ServedSite {
  readonly address: string;
  /** Where others in the network reach it. */
  readonly others: readonly string[];
  readonly isNear: boolean;
  readonly folder: string;
  /** Whose rules count; undefined: those that hold for every destination. */
  readonly destination: string | undefined;
  readonly files: number;
  readonly problems: readonly Problem[];
  readonly differences: readonly Difference[];
  readonly isOwnCertificate: boolean;
}

/** The address alone on the first line, so that a script can take it; then what is served, and what is not as it will be. */
export function showServed(site: ServedSite, terminal: Terminal): string {
  const { style } = terminal;
  const { address, others, folder, destination, files, differences } = site;
  const near = relative(terminal.folder, folder);
  const place = clean(near === "" ? "." : near.startsWith("..") ? folder : near);
  const rules =
    destination === undefined ? "the rules of every destination" : `the rules of ${clean(destination)}`;
  return [
    style("strong", clean(address)),
    ...others.map((other) => `${clean(other)}  ${style("faint", "for others in this network")}`),
    "",
    `${place}, ${counted(files, "file")}, by ${rules}. Ctrl-C stops it.`,
    ...listWarnings(site, terminal),
    ...(differences.length === 0
      ? []
      : [
          "",
          style(
            "strong",
            `not the same as ${destination === undefined ? "at a destination" : `at ${clean(destination)}`}`,
          ),
          ...differences.map((difference) => `  ${clean(showDifference(difference))}`),
        ]),
    "",
    "",
  ].join("\n");
}

function listWarnings({ isNear, isOwnCertificate, problems }: ServedSite, { style }: Terminal): string[] {
  const errors = problems.filter(({ severity }) => severity === "error");
  const [first] = errors;
  return [
    ...(isNear ? [] : [style("warn", "Everybody in this network can see the build as long as this runs.")]),
    ...(isOwnCertificate
      ? [style("faint", "The certificate is signed by nobody else: browsers ask once whether to go on.")]
      : []),
    ...(first
      ? [
          `${style("bad", counted(errors.length, "error"))} in the build, which would stop a delivery: ${clean(placeOf(first) + wordsOfProblem(first).message)}${errors.length > 1 ? " … (rcourier survey)" : ""}`,
        ]
      : []),
  ];
}

/** Why a build can't be shown as it is. */
export function showHalfWritten(why: HalfWritten | undefined): string {
  switch (why?.code) {
    case "unreadable":
      return `the build is half-written: ${clean(wordsOfFailure(why.failure).message)}`;
    case "no-entry":
      return `the build is half-written: it has no ${clean(why.entry)} yet`;
    default:
      return "the build is being written";
  }
}

/** One line about the build. */
export function showEvent(event: LiveEvent): string {
  if (event.event === "half-written") return `${showHalfWritten(event.why)}; requests wait`;
  const { added, replaced, removed, missing } = event;
  const counts = [
    [added, "new"],
    [replaced, "changed"],
    [removed, "gone"],
  ] as const;
  const said = counts.filter(([count]) => count > 0).map(([count, word]) => `${count} ${word}`);
  const changes = said.length === 0 ? "written anew, with the same bytes" : said.join(", ");
  return `the build: ${changes}${missing ? `; half-written? ${clean(placeOf(missing) + wordsOfProblem(missing).message)}` : ""}`;
}

export const showReload = (browsers: number): string =>
  `${counted(browsers, "open page")} ${browsers === 1 ? "is" : "are"} reloaded`;

export const showMissing = (path: string): string => `nothing in the build answers at ${path}`;

/** One line about an answer. */
export const showRequest = ({ method, target, status, bytes, referrer }: ServedRequest): string =>
  `${status}  ${method === "GET" ? "" : `${clean(method)} `}${clean(target)}  ${showBytes(bytes)}${referrer === undefined ? "" : `, linked from ${clean(toPath(referrer))}`}`;

const toPath = (address: string): string => address.replace(/^https?:\/\/[^/]*/, "");
