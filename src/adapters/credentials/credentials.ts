import { homedir } from "node:os";
import { state } from "@aws-sdk/core/client";
import { fromIni } from "@aws-sdk/credential-provider-ini";
import { defaultProvider } from "@aws-sdk/credential-provider-node";
import { externalDataInterceptor, parseKnownFiles } from "@smithy/core/config";
import { BoundedHandler } from "../bounded-handler.ts";
import type { StopSignal } from "../bounds.ts";
import { runHelper } from "./helper.ts";
import { followProfile, type ProfileFault, type ProfilePath, type Profiles } from "./profiles.ts";
import { keepCredentials } from "./renewal.ts";

export interface CredentialSettings {
  readonly profile?: string | undefined;
  /** A file that the profile is looked up in, instead of the user's own. */
  readonly credentialsFile?: string | undefined;
  /** Is told each secret as soon as it is known, before anything is asked with it. */
  readonly hide?: ((secret: string) => void) | undefined;
  /** Gives up the search; absent: nobody does. */
  readonly stop?: StopSignal | undefined;
}

type Provider = ReturnType<typeof defaultProvider>;

const NOTHING = (): void => undefined;
/** The SDK would write to the console, past everything that keeps secrets out of it; `checkup` says which source counts. */
const SILENT = { trace: NOTHING, debug: NOTHING, info: NOTHING, warn: NOTHING, error: NOTHING };

/** For a search that asks others on its way: a helper has less. */
const MOST_MS = 90_000;

/**
 * Credentials where their users keep them: a profile that is named, the environment, a web identity, what a machine is
 * given (one second and one try for that). Whatever goes wrong on the way there is one failure, with the step in its
 * message: there are none. What a profile says is not passed over for what comes after it.
 */
export function createCredentials(settings: CredentialSettings): Provider {
  // The SDK's note that this Node version will lose support one day is for us, not for those who run the tool. Clients are
  // made with these credentials, and some credentials by clients of their own.
  state.warningEmitted = true;
  giveHome();
  const { hide, stop } = settings;
  let found: Promise<Provider> | undefined;
  return async (...facts) => {
    try {
      const search = async () => (await (found ??= findProvider(settings)))(...facts);
      const credentials = await boundSearch(search(), stop?.());
      for (const secret of [credentials.secretAccessKey, credentials.sessionToken ?? ""]) hide?.(secret);
      return credentials;
    } catch (error) {
      const failure = new Error((error as Error).message, { cause: error });
      failure.name = "CredentialsProviderError";
      throw failure;
    }
  };
}

/**
 * The SDK looks for profiles in the user's home, and fails where a user has none (a number without an account, as containers
 * give it). Then it is told of one that is not there; nobody may have put anything into it.
 */
function giveHome(): void {
  try {
    homedir();
  } catch {
    process.env.HOME = "/nonexistent";
  }
}

async function findProvider({ profile, credentialsFile, stop }: CredentialSettings): Promise<Provider> {
  const named = profile ?? process.env.AWS_PROFILE;
  const common = {
    ...(profile === undefined ? {} : { profile }),
    ...(credentialsFile === undefined ? {} : { filepath: credentialsFile }),
    ...{ logger: SILENT, timeout: 1000, maxRetries: 0 },
    clientConfig: { requestHandler: new BoundedHandler({ stop }), maxAttempts: 2 },
  };
  const chain = defaultProvider(common);
  const everywhere: Provider = async (...facts) => {
    try {
      return await chain(...facts);
    } catch (error) {
      throw new Error(
        /from any providers/.test((error as Error).message) ? NOWHERE : (error as Error).message,
        { cause: error },
      );
    }
  };
  // Whoever names no profile, and has said elsewhere what is to be used, is not held up by a default one.
  if ((named ?? "") === "" && hasOtherSources(process.env)) return everywhere;
  const name = named === undefined || named === "" ? "default" : named;
  const profiles: Profiles = await parseKnownFiles(common);
  const path = followProfile(profiles, name);
  if (path.fault) {
    const { code } = path.fault;
    // Nobody has named it, or it only names a region.
    const isOpen =
      path.steps.length === 0 && (code === "nothing" || (code === "missing" && name === "default"));
    if (code === "missing" && !isOpen) throw new Error(showMissing(name, profiles, credentialsFile));
    if (!isOpen) throw new Error(showFault(path.fault));
    return code === "missing" ? everywhere : orFault(everywhere, path.fault);
  }
  useHelper(stop);
  const find = fromIni({ ...common, profile: name });
  return keepCredentials(async (facts) => {
    try {
      return await find(facts);
    } catch (error) {
      throw new Error(showFailure(path, (error as Error).message), { cause: error });
    }
  });
}

/** Keys, or a web identity as CI services give it. */
const hasOtherSources = ({
  AWS_ACCESS_KEY_ID: id = "",
  AWS_SECRET_ACCESS_KEY: secret = "",
  AWS_WEB_IDENTITY_TOKEN_FILE: token = "",
}: NodeJS.ProcessEnv): boolean => (id !== "" && secret !== "") || token !== "";

/** What comes after a profile that says nothing; where that fails, the profile is the place to mend. */
const orFault =
  (next: Provider, fault: ProfileFault): Provider =>
  async (...facts) => {
    try {
      return await next(...facts);
    } catch (error) {
      throw new Error(`${showFault(fault)}, and there are none elsewhere`, { cause: error });
    }
  };

const NOWHERE = "neither in the environment, nor in a profile, nor as a web identity, nor from this machine";

/** Where profiles were looked for, and which there are. */
function showMissing(name: string, profiles: Profiles, file: string | undefined): string {
  const { AWS_SHARED_CREDENTIALS_FILE: shared, AWS_CONFIG_FILE: config } = process.env;
  const files = new Set([file ?? (shared || "~/.aws/credentials"), config || "~/.aws/config"]);
  const names = Object.keys(profiles);
  const there =
    names.length === 0
      ? "there is no profile at all"
      : `there ${names.length === 1 ? "is" : "are"} ${names.slice(0, MOST_PROFILES).join(", ")}${names.length > MOST_PROFILES ? " and others" : ""}`;
  return `there is no profile ${name} in ${[...files].join(" or ")}: ${there}`;
}

/** Profiles that are named to whoever has misspelt one. */
const MOST_PROFILES = 8;

const showFault = (fault: ProfileFault): string => {
  switch (fault.code) {
    case "missing":
      return `there is no profile ${fault.profile} in the files of profiles`;
    case "source-missing":
      return `profile ${fault.profile} takes its role with the profile ${fault.source}, and there is none of that name`;
    case "loop":
      return `the profiles lead in a circle by source_profile: ${fault.profiles.join(", ")}`;
    case "needs-code":
      return `profile ${fault.profile} asks for a code of a device (mfa_serial), which can't be asked for here: get credentials for a session first, and name their profile`;
    case "nothing":
      return `profile ${fault.profile} says nothing of how to get credentials`;
  }
};

/** Which step of the way failed, as far as the SDK's words tell. */
function showFailure({ steps }: ProfilePath, said: string): string {
  const { profile, way } = steps.at(-1) as ProfilePath["steps"][number];
  if (said.startsWith(HELPER)) return `profile ${profile}: ${said}`;
  const roles = steps.filter((step) => step.way === "role").map((step) => step.profile);
  if (way === "single-sign-on" && LOGIN.test(said))
    return `profile ${profile}: nobody is logged in by single sign-on, or the login has ended. Log in anew, with the program that you logged in with before`;
  if (roles.length > 0) return `profile ${roles.join(", ")}: the role could not be taken: ${said}`;
  return `profile ${profile}: ${said}`;
}

const LOGIN = /sso|token|session|login|logged|expired/i;

const HELPER = "its helper (credential_process) ";

/** The SDK runs helpers by what stands here, where anything does: ours ends, runs once, and tells what it said. */
function useHelper(stop: StopSignal | undefined): void {
  const record = externalDataInterceptor.getTokenRecord() as Record<string, unknown>;
  record.exec = (command: string, done: (error: Error | null, out?: { stdout: string }) => void) => {
    void runHelper(command, { stop: stop?.() }).then((outcome) => {
      if ("failure" in outcome) done(new Error(`${HELPER}${outcome.failure}`));
      else done(null, outcome);
    });
  };
}

/** The same, but not longer than it may take, nor than anybody waits for it. */
function boundSearch<T>(search: Promise<T>, stop: AbortSignal | undefined): Promise<T> {
  return new Promise((resolve, reject) => {
    const giveUp = (why: string) => (): void => {
      end();
      reject(new Error(why));
    };
    const onStop = giveUp("the search was stopped");
    const clock = setTimeout(giveUp(`whoever gives them did not answer within ${MOST_MS / 1000} s`), MOST_MS);
    const end = (): void => {
      clearTimeout(clock);
      stop?.removeEventListener("abort", onStop);
    };
    stop?.addEventListener("abort", onStop, { once: true });
    search.finally(end).then(resolve, reject);
  });
}
