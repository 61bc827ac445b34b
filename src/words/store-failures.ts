import type { FailureCode } from "../core/model/failure.ts";
import { SAFE_TO_REPEAT, type FailureText } from "./failure-text.ts";

/** What is said where a store or an edge is in the way, or what stands at one of them (exit 1, mostly). */
export const STORE_FAILURES = {
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
  "no-log": {
    exit: 2,
    message: "nothing in it is a line of an access log; lines that were read: {lines}",
    hint: "read are logs in the W3C extended format (with #Fields), common and combined, and server logs of object stores; packed with gzip or not",
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
} as const satisfies Partial<Record<FailureCode, FailureText>>;
