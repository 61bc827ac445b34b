import type { FailureCode } from "../core/model/failure.ts";
import { SAFE_TO_REPEAT, type FailureText } from "./failure-text.ts";

/** What is said where a store or an edge is in the way, or what stands at one of them (exit 1, mostly). */
export const STORE_FAILURES = {
  "store-unreachable": {
    exit: 1,
    message: "{action}: no answer from the store at {endpoint} ({cause})",
    hint: "start it if it is down, or correct store.endpoint (address and port). {written}",
  },
  "tls-failed": {
    exit: 1,
    message: "{action}: there is no safe connection to {endpoint}: {why}",
    hint: "{mend}. {written}",
  },
  "no-such-bucket": {
    exit: 1,
    message: "{action}: there is no bucket {bucket} at {endpoint}",
    hint: "correct store.bucket or store.region; rcourier provision creates a bucket. {written}",
  },
  "no-folder": {
    exit: 1,
    message: "{action}: there is no folder {endpoint}",
    hint: "mount the disk, or let rcourier provision make the folder. A delivery never makes it: if only the mount is missing, the files would land on the wrong disk. {written}",
  },
  "folder-denied": {
    exit: 7,
    message: "{action}: not allowed in {endpoint}",
    hint: "give this user the right to read and write below that folder. {written}",
  },
  "folder-failed": {
    exit: 1,
    message: "{action}: {answer}",
    hint: `see whether the disk is full or gone, then ${SAFE_TO_REPEAT}. {written}`,
  },
  "wrong-region": {
    exit: 1,
    message: "{action}: the bucket {bucket} is not in {region}",
    hint: "{region-hint}",
  },
  "clock-skew": {
    exit: 1,
    message: "{action}: this machine's clock differs too much from the store's",
    hint: "set the clock. {written}",
  },
  "store-failed": {
    exit: 1,
    message: "{action}: the store answered {status} {code}",
    hint: `${SAFE_TO_REPEAT}; --verbose shows the answer. {written}`,
  },
  "build-changed": {
    exit: 1,
    message: "{path} changed while it was being delivered",
    hint: `let the build finish, then make the same call again. {written}`,
  },
  "copy-differs": {
    exit: 1,
    message: "the store's copy of {from} does not have the bytes that were expected",
    hint: `${SAFE_TO_REPEAT}. {written}`,
  },
  "record-unreadable": {
    exit: 1,
    message: "{key} can't be read: {cause}",
    hint: "rcourier releases --repair rebuilds it from the other records. Nothing was written or removed",
  },
  "record-lost": {
    exit: 1,
    message: "{destination} has records of releases, but {key}, which names the current one, is gone",
    hint: "rcourier releases --repair rebuilds it from the other records. Nothing was written",
  },
  "changed-meanwhile": {
    exit: 1,
    message: "somebody else changed {key} just before this run would have written it",
    hint: `it was left as it is; ${SAFE_TO_REPEAT}. {written}`,
  },
  "not-visible": {
    exit: 1,
    message: "stopped before any page was written: {message}",
    hint: "let everybody, or at least the edge, read new objects of {bucket}: rcourier checkup looks into it. At some stores this is set on each object. {written}",
  },
  "no-such-content": {
    exit: 2,
    message: "no release that can be put back has a file {path}",
    hint: "rcourier releases RELEASE --all lists the files of a release",
  },
  "preview-unknown": {
    exit: 1,
    message: "nobody can tell what the preview {name} contains: no record of it can be read",
    hint: "perhaps its first delivery is under way. If not, rcourier previews --remove {name} removes all of it; then make the same call again. Nothing was removed yet",
  },
  "nothing-to-repair": {
    exit: 2,
    message: "there is nothing to repair: the record of the current release can be read",
    hint: "rcourier releases lists the releases",
  },
  "nothing-delivered": {
    exit: 2,
    message: "nothing has been delivered to {destination} yet",
    hint: "rcourier deliver makes its first release",
  },
  "no-edge": {
    exit: 2,
    message: "{destination} has no edge, so there is nothing to invalidate",
    hint: "name its edge in the settings: destinations.{destination}.edge",
  },
  "no-url": {
    exit: 2,
    message: "{destination} has no url, so its public address is not known",
    hint: "set destinations.{destination}.url to the address that visitors use",
  },
  "no-match": {
    exit: 2,
    message: "release {release} has no file that matches {glob}",
    hint: "for files, use a glob such as news/**; for an address, begin with a slash: /news/",
  },
  "no-log": {
    exit: 2,
    message: "none of the {lines} lines is one of an access log",
    hint: "the tool reads the W3C extended format (with #Fields), the common and the combined format, and server logs of object stores; packed with gzip or not",
  },
  "no-such-debt": {
    exit: 2,
    message: "no edge that is gone has anything left to confirm under the name {edge}",
    hint: "rcourier releases lists what is not confirmed; an edge that is still in the settings is asked with --owed",
  },
  "not-an-address": {
    exit: 2,
    message: "{address} is not an address here: {reason}",
    hint: "addresses look like /news/ or, with everything below, /news/*",
  },
  "no-such-release": {
    exit: 2,
    message: "there is no release {name}, or it can no longer be put back",
    hint: "you can name: {names}, current or previous",
  },
  "content-out-of-reach": {
    exit: 1,
    message: "could not copy {key} from the other destination",
    hint: "perhaps it has changed there: then make the same call again. If these credentials may not read there, add --through-here",
  },
  "no-copies-between": {
    exit: 1,
    message: "nothing can be copied from {from} to {to}: they are at different stores",
    hint: "add --through-here: the files then go through this machine, each checked by its hash",
  },
  "content-gone": {
    exit: 1,
    message: "release {release} can't be put back: these files are no longer in the store\n{keys}",
    hint: "rcourier releases lists the others. Nothing was written",
  },
  "versions-locked": {
    exit: 3,
    message: "the bucket locks its objects: old versions of these files would stay",
    hint: "deliver a build without them, so that visitors no longer get them, and replace what they gave away; remove them when the lock has ended. Nothing was written",
  },
  "versions-denied": {
    exit: 7,
    message: "{action}: not allowed, and the bucket keeps old versions of these files",
    hint: "make the same call with credentials that may remove versions ({right}). Those that deliver should not: or versions would protect nothing. {written}",
  },
  "bucket-taken": {
    exit: 1,
    message: "{action}: somebody else already has a bucket {bucket} at {endpoint}",
    hint: "choose another name (store.bucket): all users of a store share its names. {written}",
  },
  unsupported: {
    exit: 1,
    message: "{action}: the store does not know this kind of request ({status} {code})",
    hint: "this store can't do it: leave out what asks for it (docs/setup.md). {written}",
  },
  "policy-taken-back": {
    exit: 1,
    message: "the new bucket policy did not work: {wrong}; the old policy is back",
    hint: "another statement of the policy, or a rule of the store, may be the cause; rcourier provision --dry-run shows what is wanted",
  },
  "provision-wrong": {
    exit: 1,
    message: "all settings are as they should be, but {wrong}",
    hint: "another statement of the bucket's policy, an access list or a rule of the account may be the cause",
  },
  "provision-lost": {
    exit: 1,
    message: "the store accepted these changes, but does not report them: {steps}",
    hint: "make the same call again; if nothing changes, the store only pretends to know them",
  },
  "cannot-listen": {
    exit: 1,
    message: "nothing can be served at {host}, port {port}: the system answers {cause}",
    hint: "--host must be an address of this machine; ports below 1024 often need more rights",
  },
  "port-taken": {
    exit: 1,
    message: "port {port} is taken",
    hint: "choose another one, or 0 for any free port",
  },
  "demo-failed": {
    exit: 1,
    message: "the demo did not see what it should: {reason}",
    hint: "please report this",
  },
} as const satisfies Partial<Record<FailureCode, FailureText>>;
