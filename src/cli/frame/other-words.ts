/**
 * Words that people use for something that has another name here. They are words of the trade, not of this tool, so none of
 * them runs anything: each is answered with the command that does it here.
 */
const MEANT: Readonly<Record<string, readonly string[]>> = {
  deliver: ["deploy", "publish", "push", "upload", "sync", "ship", "send", "put", "update"],
  redeliver: ["rollback", "revert", "undo", "restore", "promote", "back"],
  releases: ["status", "list", "ls", "history", "log", "versions", "show", "unlock"],
  compare: ["diff", "plan", "changes"],
  setup: ["init", "new", "create", "configure", "config", "install", "start", "settings"],
  provision: ["bootstrap", "bucket", "infra"],
  checkup: ["doctor", "check", "test", "diagnose", "ping", "health"],
  verify: ["crawl", "audit", "monitor"],
  invalidate: ["purge", "flush", "refresh", "cache", "clear"],
  prune: ["clean", "cleanup", "gc", "delete", "remove", "rm", "forget"],
  previews: ["preview", "branches", "branch"],
  serve: ["dev", "server", "open", "local"],
  survey: ["lint", "validate", "analyze", "analyse", "stats", "size"],
  explain: ["why", "inspect", "headers"],
  traffic: ["logs", "analytics", "visits"],
  policy: ["permissions", "iam", "rights", "ci"],
};

/** What people look for as a command, and find in another way. */
const ANSWERS: Readonly<Record<string, string>> = {
  login:
    "there is nothing to log in to: the credentials of the environment or of a profile are used; rcourier checkup tests them",
  logout: "there is nothing to log out of: the credentials of the environment or of a profile are used",
  auth: "the credentials of the environment or of a profile are used; rcourier checkup tests them",
  credentials: "the credentials of the environment or of a profile are used; rcourier checkup tests them",
  version: "rcourier --version prints it",
  upgrade: "your package manager does that, such as npm install --save-dev restless-courier",
  glossary: "rcourier help words explains the words of this tool",
};

/** What to do instead; undefined: the word is not known here. */
export function findMeant(word: string): string | undefined {
  const small = word.toLowerCase();
  const answer = Object.hasOwn(ANSWERS, small) ? ANSWERS[small] : undefined;
  if (answer !== undefined) return answer;
  const command = Object.keys(MEANT).find((name) => MEANT[name]?.includes(small));
  return command === undefined
    ? undefined
    : `here that is rcourier ${command}${command === "redeliver" ? " previous" : ""}`;
}
