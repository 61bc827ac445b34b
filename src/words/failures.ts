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
  usage: { exit: 2, message: "{reason}", hint: "rcourier {command} --help shows what there is" },
  "options-invalid": {
    exit: 2,
    message: "{step}: {problems}",
    hint: "docs/library.md tells what each step takes; nothing was read or written",
  },
  "settings-missing": {
    exit: 2,
    message: "no settings file: looked for {file}",
    hint: "write courier.yaml beside your package.json, or name the file with --settings",
  },
  "settings-unreadable": {
    exit: 2,
    message: "the settings file {file} can't be read: {why}",
    hint: "name another file with --settings; nothing was read or written",
  },
  "settings-invalid": {
    exit: 2,
    message: "the settings are wrong\n{problems}",
    hint: "mend the lines above; nothing was read or written",
  },
  "settings-later": {
    exit: 2,
    message: "{what} is known, but this version can't do it yet ({where})",
    hint: "leave it out for now",
  },
  "output-failed": {
    exit: 2,
    message: "{file} can't be written: {why}",
    hint: "name another file with --output or --summary; nothing else was done",
  },
  "output-lost": {
    exit: 74,
    message: "what was to be done is done, but {what} could not be written: {why}",
    hint: "see to it that it can be written, and ask again: rcourier releases tells what was delivered",
  },
  "temporary-failed": {
    exit: 2,
    message: "no temporary files can be written in {folder}: {why}",
    hint: "mend that, or name another folder in TMPDIR (on Windows in TEMP); nothing else was done",
  },
  "file-failed": { exit: 1, message: "{file}: {why}", hint: "mend that, then make the same call again" },
  "no-such-file": { exit: 2, message: "the build at {folder} has no file {name}", hint: "{nearest}" },
  "destination-unknown": {
    exit: 2,
    message: "there is no destination named {name}",
    hint: "the settings have: {names}",
  },
  "destination-unclear": {
    exit: 2,
    message: "which destination? the settings have several, none marked default",
    hint: "say --to with one of: {names}",
  },
  "no-previews": {
    exit: 2,
    message: "{destination} has no previews: nobody has said where they stand",
    hint: "say destinations.{destination}.previews in the settings: where they stand, and under which address",
  },
  "no-such-preview": { exit: 2, message: "{destination} has no preview {name}", hint: "there are: {names}" },

  // Guards and answers (exit 3).
  "preview-changed": {
    exit: 3,
    message: "{name} is no longer what was shown: release {asked} was asked for, and {now} stands there",
    hint: "look at it once more, then name it as preview/…@{now}",
  },
  refused: {
    exit: 3,
    message: "refused, nothing was written\n{problems}",
    hint: "mend what is listed, or lift a check that you know to be wrong here: --allow CODE",
  },
  "no-build": {
    exit: 3,
    message: "there is no build at {folder}",
    hint: "run your build first, or say where it is: --build FOLDER",
  },
  "archive-refused": {
    exit: 3,
    message: "the archive {file} is refused: {reason}",
    hint: "pack the build anew, as plain files; nothing was written",
  },
  "link-leaves-build": {
    exit: 3,
    message: "{path} is a link that leads out of the build, to {target}",
    hint: "put the file itself there, or leave it out with build.exclude",
  },
  "links-multiply": {
    exit: 3,
    message: "links lead to one folder in more than {most} ways; one of them is {path}",
    hint: "let links lead to folders without links, or leave some out with build.exclude",
  },
  "build-unreadable": {
    exit: 3,
    message: "{path} is in the build and can't be read: {why}",
    hint: "nothing was written: mend it, or leave it out of the build folder",
  },
  "added-unfit": {
    exit: 2,
    message: "{from} is to go with the build as {as}, and {why}",
    hint: "mend destinations.….files in the settings; nothing was written",
  },
  "answer-needed": {
    exit: 3,
    message: "{reason}, and nobody is there to be asked; nothing was written",
    hint: "say yes in the call: {yes}",
  },
  "answered-no": {
    exit: 3,
    message: "stopped: the answer was no; nothing was written",
    hint: SAFE_TO_REPEAT,
  },

  ...STORE_FAILURES,

  // Rights and others.
  held: {
    exit: 6,
    message: "another run holds this destination: {who}",
    hint: "wait for it with --queue 5m; should it be dead, its hold ends by itself after {lease} s",
  },
  "hold-lost": {
    exit: 6,
    message: "the hold of this destination was lost: another run may have it by now",
    hint: `nothing was written after that; ${SAFE_TO_REPEAT}; {written}`,
  },
  "hold-unreadable": {
    exit: 1,
    message: "the hold can't be read: it is damaged, or of a newer version",
    hint: "it ends by itself when nobody renews it for its lease",
  },
  "moved-meanwhile": {
    exit: 6,
    message: "another delivery made release {release} meanwhile",
    hint: "make the same call again: it starts from what stands there now",
  },
  "no-credentials": {
    exit: 7,
    message: "{action}: no credentials were found: {cause}",
    hint: "mend that, or set them in the environment or in another profile (store.profile); {written}",
  },
  "no-region": {
    exit: 2,
    message:
      "{action}: the settings have neither store.region nor store.endpoint, and no region is set on this machine",
    hint: "set store.region, or AWS_REGION, or region in the profile; {written}",
  },
  "credentials-refused": {
    exit: 7,
    message: "{action}: the store does not accept these credentials ({code})",
    hint: "check key and secret, and whether they have expired; {written}",
  },
  denied: {
    exit: 7,
    message: "{action}: not allowed",
    hint: "the delivering identity lacks the right {right}: rcourier policy prints all that it needs; {written}",
  },
  "out-of-memory": {
    exit: 1,
    message: "ended: it took {megabytes} MB of memory, more than any run should",
    hint: "the site is whole, and the same call goes on from there; please report what it was at",
  },
  interrupted: { exit: 130, message: "interrupted", hint: `the same call goes on from there; {written}` },
  "hung-up": {
    exit: 129,
    message: "ended: the terminal was closed",
    hint: `the same call goes on from there; {written}`,
  },
  terminated: {
    exit: 143,
    message: "ended from outside",
    hint: `the same call goes on from there; {written}`,
  },
  bug: { exit: 70, message: "a fault of ours: {cause}", hint: "please report it, with what stands above" },
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
  return { message: fill(message, told), hint: fill(hint, told), exit, data: { ...data, ...words } };
}

/** Whether a failure's words tell what had been written by then. */
export const tellsWrites = (code: FailureCode): boolean => FAILURES[code].hint.includes("{written}");

/** A name without data is left out together with what joins it. */
const fill = (text: string, data: FailureData): string =>
  fillIn(text, data)
    .replace(/(\S) {2,}(?=\S)/g, "$1 ")
    .replace(/[;,:]? *$/, "")
    .replace(/^ *[;,] */, "");
