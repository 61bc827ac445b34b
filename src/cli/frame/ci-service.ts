/** What a CI service understands in a log, and what it says of the run. */
export interface CiService {
  /** The number of this run; a later run has a higher one. */
  readonly sequence?: string | undefined;
  readonly commit?: string | undefined;
  /** Who has started the run. */
  readonly actor?: string | undefined;
  /** The branch that is built. */
  readonly branch?: string | undefined;
  /** A file that takes a summary in Markdown. */
  readonly summaryFile?: string | undefined;
  /** Begins lines that are folded away under a title. */
  fold(title: string): string;
  endFold(): string;
  /** Shows a problem beside the run, at its place where it has one; empty: this service can't. */
  annotate(severity: "error" | "warning", message: string, place?: Place): string;
}

/** A file below the folder that the run works in, and a line of it. */
interface Place {
  readonly path: string;
  readonly line?: number | undefined;
}

/** The service that this run is made by, as far as its environment tells; undefined: none that is known. */
export function findCiService(
  environment: NodeJS.ProcessEnv,
  nowSeconds: () => number,
): CiService | undefined {
  if (environment.GITHUB_ACTIONS === "true") return createCommandService(environment);
  return environment.GITLAB_CI === "true" ? createSectionService(environment, nowSeconds) : undefined;
}

/** A log in which lines that begin with `::` are commands. */
const createCommandService = (environment: NodeJS.ProcessEnv): CiService => ({
  sequence: environment.GITHUB_RUN_NUMBER,
  commit: environment.GITHUB_SHA,
  actor: environment.GITHUB_ACTOR,
  // Of a proposed change the branch that it comes from, and not the place where it would be merged.
  branch: environment.GITHUB_HEAD_REF || environment.GITHUB_REF_NAME,
  summaryFile: environment.GITHUB_STEP_SUMMARY,
  fold: (title) => `::group::${escape(title)}\n`,
  endFold: () => "::endgroup::\n",
  annotate: (severity, message, place) =>
    `::${severity} ${place ? `${toProperties(place)},` : ""}title=Restless Courier::${escape(message)}\n`,
});

const toProperties = ({ path, line }: Place): string =>
  `file=${escape(path).replace(/:/g, "%3A").replace(/,/g, "%2C")}${line === undefined ? "" : `,line=${line}`}`;

/** A command ends with its line; what would end it earlier is written in percent form. */
const escape = (text: string): string =>
  text.replace(/%/g, "%25").replace(/\r/g, "%0D").replace(/\n/g, "%0A");

/** A log with sections between two marks of the same name. */
function createSectionService(environment: NodeJS.ProcessEnv, nowSeconds: () => number): CiService {
  let number = 0;
  return {
    sequence: environment.CI_PIPELINE_IID,
    commit: environment.CI_COMMIT_SHA,
    actor: environment.GITLAB_USER_LOGIN,
    branch: environment.CI_MERGE_REQUEST_SOURCE_BRANCH_NAME ?? environment.CI_COMMIT_REF_NAME,
    fold: (title) => {
      number += 1;
      return `\u001b[0Ksection_start:${nowSeconds()}:courier_${number}[collapsed=true]\r\u001b[0K${title}\n`;
    },
    endFold: () => `\u001b[0Ksection_end:${nowSeconds()}:courier_${number}\r\u001b[0K`,
    annotate: () => "",
  };
}
