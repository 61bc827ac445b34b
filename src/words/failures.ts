import type { FailureCode, FailureData, OperatorError } from "../core/model/failure.ts";
import type { ExitCode } from "./exits.ts";
import { DISTRIBUTION_FAILURES } from "./distribution.ts";
import { DATA_WORDS } from "./failure-data.ts";
import { fillIn, oneLined } from "./text.ts";

/**
 * What is said of each way in which a run can end without its result, what to do next, and the exit code (docs/errors.md is
 * made from this table). Names in braces are filled in from the failure's data.
 */
interface FailureText {
  readonly exit: ExitCode;
  readonly message: string;
  readonly hint: string;
}

const SAFE_TO_REPEAT = "the same call can be made again";

export const FAILURES = {
  ...DISTRIBUTION_FAILURES,
  // The call and the settings (exit 2).
  usage: { exit: 2, message: "{reason}", hint: "rcourier {command} --help shows what there is" },
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
    message: "{reason}, and there is no terminal to ask at; nothing was written",
    hint: "say yes in the call: --yes",
  },
  "answered-no": {
    exit: 3,
    message: "stopped: the answer was no; nothing was written",
    hint: SAFE_TO_REPEAT,
  },

  // Stores and edges (exit 1).
  "store-unreachable": {
    exit: 1,
    message: "{action}: no answer from the store at {endpoint} ({cause})",
    hint: "is it running, and are address and port right? {written}",
  },
  "tls-failed": {
    exit: 1,
    message: "{action}: there is no safe connection to {endpoint}: {why}",
    hint: "{mend}; {written}",
  },
  "no-such-bucket": {
    exit: 1,
    message: "{action}: there is no bucket {bucket} at {endpoint}",
    hint: "check the name (store.bucket) and the region; {written}",
  },
  "no-folder": {
    exit: 1,
    message: "{action}: there is no folder {endpoint}",
    hint: "mount what belongs there, or make it (rcourier provision does): a delivery never does, since a missing mount would be filled beside it; {written}",
  },
  "folder-denied": {
    exit: 7,
    message: "{action}: not allowed in {endpoint}",
    hint: "this user needs the right to read and write below that folder; {written}",
  },
  "folder-failed": {
    exit: 1,
    message: "{action}: {answer}",
    hint: `is the disk full, or gone? ${SAFE_TO_REPEAT}; {written}`,
  },
  "wrong-region": {
    exit: 1,
    message: "{action}: the bucket {bucket} is in another region than {region}",
    hint: "{region-hint}",
  },
  "clock-skew": {
    exit: 1,
    message: "{action}: this machine's clock differs too much from the store's",
    hint: "set the clock; {written}",
  },
  "store-failed": {
    exit: 1,
    message: "{action}: the store answered {status} {code}",
    hint: `${SAFE_TO_REPEAT}; {written}`,
  },
  "build-changed": {
    exit: 1,
    message: "{path} changed while it was being delivered",
    hint: `let the build finish, then make the same call again; {written}`,
  },
  "copy-differs": {
    exit: 1,
    message: "the store's copy of {from} is not what was expected",
    hint: `${SAFE_TO_REPEAT}; {written}`,
  },
  "record-unreadable": {
    exit: 1,
    message: "{key} can't be read: {cause}",
    hint: "nothing was written or removed; rcourier releases --repair makes a pointer out of the records that can be read",
  },
  "record-lost": {
    exit: 1,
    message: "there are waybills at {destination}, but no {key}",
    hint: "nothing was written, since this is not a first delivery; rcourier releases --repair makes the pointer anew",
  },
  "changed-meanwhile": {
    exit: 1,
    message: "{key} was changed by other means while it was about to be written",
    hint: `it was left as it is; ${SAFE_TO_REPEAT}; {written}`,
  },
  "not-visible": {
    exit: 1,
    message: "stopped before any page was switched: {message}",
    hint: "may everybody read new objects of {bucket}, or the edge at least? rights may hang on each object; {written}",
  },
  "no-such-content": {
    exit: 2,
    message: "no retained release has a file {path}",
    hint: "rcourier releases RELEASE --all lists what a release holds",
  },
  "preview-unknown": {
    exit: 1,
    message: "nobody can tell what the preview {name} holds: no record of it can be read",
    hint: "a first delivery may be under way there; else rcourier previews --remove {name} removes all of it. Nothing was removed yet: then make the same call again",
  },
  "nothing-to-repair": {
    exit: 2,
    message: "pointer and newest waybill can be read: there is nothing to repair",
    hint: "rcourier releases shows what there is",
  },
  "nothing-delivered": {
    exit: 2,
    message: "nothing has been delivered to {destination} yet",
    hint: "rcourier deliver makes its first release",
  },
  "no-edge": {
    exit: 2,
    message: "{destination} has no edge that could forget anything",
    hint: "its settings say edge: none, or nothing",
  },
  "no-url": {
    exit: 2,
    message: "where does {destination} answer? Its settings have no url",
    hint: "set destinations.{destination}.url to the address that visitors use",
  },
  "no-match": {
    exit: 2,
    message: "no file of release {release} fits {glob}",
    hint: "globs go over the build's paths, such as news/**; addresses begin with a slash",
  },
  "no-such-debt": {
    exit: 2,
    message: "no edge that is gone owes anything under the name {edge}",
    hint: "rcourier releases lists what edges owe; one that is still in the settings is asked with --owed",
  },
  "not-an-address": {
    exit: 2,
    message: "{address} can't be asked for: {reason}",
    hint: "addresses look like /news/ or, with everything below, /news/*",
  },
  "no-such-release": {
    exit: 2,
    message: "there is no release {name}, or it is no longer retained",
    hint: "there are: {names}; current and previous are names too",
  },
  "content-out-of-reach": {
    exit: 1,
    message: "could not copy {key} from where it stands",
    hint: "it may have changed there meanwhile: then the same call does it; or this identity may not read there: a redelivery can take contents --through-here",
  },
  "no-copies-between": {
    exit: 1,
    message: "nothing can be copied from {from} to {to}: they are at different stores",
    hint: "--through-here takes the contents through this machine, each checked by its hash",
  },
  "content-gone": {
    exit: 1,
    message:
      "release {release} can't be put back whole: contents are neither in the vault nor anywhere else\n{keys}",
    hint: "nothing was written; rcourier releases shows the others",
  },
  "versions-locked": {
    exit: 3,
    message: "the bucket locks its objects: versions that hold what is to be forgotten would stay",
    hint: "deliver a build without it, so that visitors get it no longer, and replace what it gave away; forget it when the lock has ended. Nothing was written",
  },
  "versions-denied": {
    exit: 7,
    message: "{action}: not allowed, and the bucket keeps versions that hold what is to be forgotten",
    hint: "make the same call with an identity that may remove versions ({right}); the delivering one should not, or versions protect from nothing; {written}",
  },
  "bucket-taken": {
    exit: 1,
    message: "{action}: the name {bucket} is somebody else's at {endpoint}",
    hint: "names are taken for all who use a store: choose another (store.bucket); {written}",
  },
  unsupported: {
    exit: 1,
    message: "{action}: the store does not know this kind of request ({status} {code})",
    hint: "{written}",
  },
  "policy-taken-back": {
    exit: 1,
    message: "under the new policy {wrong}",
    hint: "the policy before stands again; other statements of it, or rules of the store, may be why. rcourier provision --dry-run shows what is wanted",
  },
  "provision-wrong": {
    exit: 1,
    message: "all settings are as they should be, but {wrong}",
    hint: "other statements of the bucket's policy, access lists or rules of the account may be why",
  },
  "provision-lost": {
    exit: 1,
    message: "the store took these changes and does not show them: {steps}",
    hint: "run the same call again; if it stays so, the store only pretends to know them",
  },
  "cannot-listen": {
    exit: 1,
    message: "nothing can be served at {host}, port {port}: the system answers {cause}",
    hint: "--host takes an address of this machine, and ports below 1024 often need more rights",
  },
  "port-taken": { exit: 1, message: "port {port} is taken", hint: "choose another, or 0 for any free one" },
  "demo-failed": {
    exit: 1,
    message: "the demo did not see what it should: {reason}",
    hint: "please report this",
  },

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
