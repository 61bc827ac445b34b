import type { FailureCode, FailureData, OperatorError } from "../core/model/failure.ts";
import type { ExitCode } from "./exits.ts";
import { DISTRIBUTION_FAILURES } from "./distribution.ts";
import { DATA_WORDS } from "./failure-data.ts";
import { SAFE_TO_REPEAT, type FailureText } from "./failure-text.ts";
import { STORE_FAILURES } from "./store-failures.ts";
import { fillIn, oneLined } from "./text.ts";

/** Of each way in which a run can end without its result; docs/errors.md is made from this table. */
export const FAILURES = {
  ...DISTRIBUTION_FAILURES,
  // The call and the settings (exit 2).
  usage: { exit: 2, message: "{reason}", hint: "rcourier {command} --help lists what there is" },
  "options-invalid": {
    exit: 2,
    message: "{step}: {problems}",
    hint: "docs/library.md says what each step takes. Nothing was read or written",
  },
  "settings-missing": {
    exit: 2,
    message: "there is no settings file {file}",
    hint: "rcourier setup writes one; or name yours with --settings FILE",
  },
  "settings-unreadable": {
    exit: 2,
    message: "the settings file {file} can't be read: {why}",
    hint: "name another file with --settings. Nothing was read or written",
  },
  "settings-invalid": {
    exit: 2,
    message: "the settings have {mistakes-counted}\n{problems}",
    hint: "correct these lines. Nothing was read or written",
  },
  "settings-later": {
    exit: 2,
    message: "{where}: this version does not support {what} yet",
    hint: "take {where} out of the settings for now",
  },
  "output-failed": {
    exit: 2,
    message: "{file} can't be written: {why}",
    hint: "name another file with --output or --summary. Nothing else was done",
  },
  "output-lost": {
    exit: 74,
    message: "the work itself is done, but {what} could not be written: {why}",
    hint: "make room for it, then make the call again; rcourier releases shows what was delivered",
  },
  "temporary-failed": {
    exit: 2,
    message: "no temporary files can be written in {folder}: {why}",
    hint: "mend that, or name another folder in TMPDIR (on Windows in TEMP). Nothing else was done",
  },
  "file-failed": { exit: 1, message: "{file}: {why}", hint: "mend that, then make the same call again" },
  "no-such-file": { exit: 2, message: "{missing}", hint: "{nearest}" },
  "destination-unknown": {
    exit: 2,
    message: "there is no destination named {name}",
    hint: "{nearest-of-names}",
  },
  "destination-unclear": {
    exit: 2,
    message: "the settings have several destinations, and none of them is the default",
    hint: "name one: --to with one of {names}; or set default: true for one in the settings",
  },
  "no-previews": {
    exit: 2,
    message: "{destination} has no previews: the settings do not say where they go",
    hint: "set destinations.{destination}.previews: their part of the store, and their address (docs/previews.md)",
  },
  "no-such-preview": { exit: 2, message: "{destination} has no preview {name}", hint: "there are: {names}" },

  // Guards and answers (exit 3).
  "preview-changed": {
    exit: 3,
    message:
      "{name} is no longer what you saw: you asked for release {asked}, and release {now} is there now",
    hint: "look at it once more, then name it: preview/…@{now}",
  },
  refused: {
    exit: 3,
    message: "refused by {guards}; nothing was written\n{problems}",
    hint: "mend {them}{or-lift}",
  },
  "no-build": {
    exit: 3,
    message: "there is no build at {folder}",
    hint: "build the site first, or say where the build is: --build FOLDER",
  },
  "archive-refused": {
    exit: 3,
    message: "the archive {file} is refused: {reason}",
    hint: "pack the build again, as plain files. Nothing was written",
  },
  "link-leaves-build": {
    exit: 3,
    message: "{path} is a symbolic link that leads out of the build, to {target}",
    hint: "put the file itself there, or leave it out with build.exclude",
  },
  "links-multiply": {
    exit: 3,
    message: "symbolic links lead to one folder in more than {most} ways; one of them is {path}",
    hint: "let them lead to folders without links, or leave some out with build.exclude",
  },
  "build-unreadable": {
    exit: 3,
    message: "{path} is in the build and can't be read: {why}",
    hint: "mend it, or leave it out of the build folder. Nothing was written",
  },
  "added-unfit": {
    exit: 2,
    message: "{from} can't be delivered as {as}: {why}",
    hint: "correct destinations.….files in the settings. Nothing was written",
  },
  "answer-needed": {
    exit: 3,
    message: "{reason}, but there is nobody to ask; nothing was written",
    hint: "answer in the call: {yes}",
  },
  "answered-no": {
    exit: 3,
    message: "stopped, because the answer was no; nothing was written",
    hint: SAFE_TO_REPEAT,
  },

  ...STORE_FAILURES,

  // Rights and others.
  held: {
    exit: 6,
    message: "another run has the hold of this destination: {who}",
    hint: "{waiting}. If it has died, its hold ends {lease} s after it was last renewed",
  },
  "hold-lost": {
    exit: 6,
    message: "this run lost its hold on the destination, and another run may have begun",
    hint: `${SAFE_TO_REPEAT}: nothing was written after the loss. {written}`,
  },
  "hold-unreadable": {
    exit: 1,
    message: "the hold can't be read: it is damaged, or of a newer version",
    hint: "it ends by itself, once it has not been renewed for its lease",
  },
  "moved-meanwhile": {
    exit: 6,
    message: "another run made release {release} while this one was working",
    hint: "make the same call again: it starts from that release",
  },
  "no-credentials": {
    exit: 7,
    message: "{action}: no credentials were found: {cause}",
    hint: "set AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY, or name a profile (store.profile). {written}",
  },
  "no-region": {
    exit: 2,
    message:
      "{action}: the settings have neither store.region nor store.endpoint, and no region is set on this machine",
    hint: "set store.region, or AWS_REGION, or region in the profile. {written}",
  },
  "credentials-refused": {
    exit: 7,
    message: "{action}: the store does not accept these credentials ({code})",
    hint: "correct key and secret, or renew them if they have expired. {written}",
  },
  denied: {
    exit: 7,
    message: "{action}: these credentials do not have the right {right}",
    hint: "give them the rights that rcourier policy prints. {written}",
  },
  "out-of-memory": {
    exit: 1,
    message: "stopped: this run took {megabytes} MB of memory, more than any run should",
    hint: "the site is whole, and the same call goes on from there; please report what the run was doing",
  },
  interrupted: {
    exit: 130,
    message: "interrupted",
    hint: "make the same call again to go on from here. {written}",
  },
  "hung-up": {
    exit: 129,
    message: "stopped: the terminal was closed",
    hint: "make the same call again to go on from here. {written}",
  },
  terminated: {
    exit: 143,
    message: "stopped by a signal from outside (SIGTERM)",
    hint: "make the same call again to go on from here. {written}",
  },
  bug: {
    exit: 70,
    message: "this is a bug in Restless Courier: {cause}",
    hint: "please report it, with everything above",
  },
} as const satisfies Record<FailureCode, FailureText>;

/** What is said of a failure. */
export interface FailureWords {
  readonly message: string;
  readonly hint: string;
  readonly exit: ExitCode;
  /** The data with words in the place of codes. */
  readonly data: FailureData;
}

/** Message, hint and exit code of a failure, its data filled in. */
export function wordsOfFailure({ code, data }: Pick<OperatorError, "code" | "data">): FailureWords {
  const { message, hint, exit } = FAILURES[code];
  const words = DATA_WORDS[code]?.(oneLined(data) as never);
  const told = { ...(oneLined(data) as FailureData), ...words };
  // That the same call goes on is said once.
  const written = hint.includes("same call") ? toOnce(told.written) : told.written;
  return {
    ...{ message: fill(message, told), hint: fill(hint, { ...told, written }) },
    ...{ exit, data: { ...data, ...words } },
  };
}

/** What was written, without what a hint says already. */
const toOnce = (written: unknown): string => (typeof written === "string" ? written.replace(/;.*/, "") : "");

/** Whether a failure's words tell what had been written by then. */
export const tellsWrites = (code: FailureCode): boolean => FAILURES[code].hint.includes("{written}");

/** A name without data is left out together with what joins it. */
const fill = (text: string, data: FailureData): string =>
  fillIn(text, data)
    .replace(/(\S) {2,}(?=\S)/g, "$1 ")
    .replace(/[;,:.]? *$/, "")
    .replace(/^ *[;,] */, "");
