import type { Guard } from "../core/delivery/guards.ts";
import type { CourierEvent } from "./events.ts";
import type { DeliveryResult, Settings } from "./schema-types.ts";

/** What every step takes. Relative paths start in `folder`; those of settings start where these stand. */
export interface StepOptions {
  /** A settings file, or what would stand in one. Not said: `courier.yaml`. */
  readonly settings?: string | Settings | undefined;
  /** Not said: the working folder of the process. */
  readonly folder?: string | undefined;
  /** The destination. Not said: the only one, or the one that the settings call the default. */
  readonly to?: string | undefined;
  /** Stops the step, as Ctrl-C stops the command: what is written ends, nothing new begins, and `interrupted` is thrown. */
  readonly signal?: AbortSignal | undefined;
}

/** What is told while a step goes on. */
export interface Listening {
  /** What it throws stops the step, as `signal` does, and is thrown by it. */
  readonly onEvent?: ((event: CourierEvent) => void) | undefined;
}

/** Which build. */
export interface BuildOptions {
  /** A folder or an archive. Not said: `build.folder` of the settings. */
  readonly build?: string | undefined;
}

/** A preview of the destination, in its place. */
export interface PreviewOptions {
  /** Its name: a branch, say. */
  readonly preview?: string | undefined;
}

/** A report, as `--report` writes it. */
export interface ReportOptions {
  /** Is given one HTML page that needs nothing else. */
  readonly onReport?: ((page: string) => void | Promise<void>) | undefined;
}

/** Which guards are lifted. */
export interface GuardOptions {
  readonly allow?: readonly Guard[] | undefined;
}

export interface SurveyOptions extends StepOptions, BuildOptions {}

export interface CompareOptions
  extends StepOptions, Listening, BuildOptions, PreviewOptions, GuardOptions, ReportOptions {
  /** Whether unchanged files are listed, too. */
  readonly all?: boolean | undefined;
}

/** How a release is made. */
export interface ReleaseOptions extends StepOptions, Listening, GuardOptions {
  /** Stops before the first write. */
  readonly dryRun?: boolean | undefined;
  /** Whether unchanged files are listed, too. */
  readonly all?: boolean | undefined;
  /** How long to wait for another run to end, in seconds. Not said: not at all. */
  readonly queueSeconds?: number | undefined;
  /** For the record of the release. */
  readonly note?: string | undefined;
  /**
   * Is asked before the first write where the destination wants that (`ask`), or where objects of somebody else would be
   * written over. Not said: `answer-needed` is thrown there. False: `answered-no` is.
   */
  readonly confirm?:
    | ((
        planned: DeliveryResult,
        question: { readonly reason: string; readonly takesOver: readonly string[] },
      ) => boolean | Promise<boolean>)
    | undefined;
}

export interface DeliverOptions extends ReleaseOptions, BuildOptions, PreviewOptions, ReportOptions {
  /** Asks for what was delivered afterwards, as visitors do: `verification` of the result. */
  readonly verify?: boolean | undefined;
  /** This build's number: refused when a higher one is live. A CI service's number is not taken by itself. */
  readonly sequence?: number | undefined;
  /** The commit of the build, for the record. */
  readonly commit?: string | undefined;
}

export interface VerifyOptions extends StepOptions, Listening, PreviewOptions {
  /** How many files are asked for at most, besides what changed last. Not said: 200. */
  readonly sample?: number | undefined;
}

export interface RedeliverOptions extends ReleaseOptions {
  /** `previous`, a number, `preview/NAME@NUMBER`, `DESTINATION:current`: as the command takes it. */
  readonly release: string;
  /** From another store: takes contents through this machine, each checked by its hash. */
  readonly throughHere?: boolean | undefined;
}
