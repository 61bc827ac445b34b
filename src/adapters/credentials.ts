import { defaultProvider } from "@aws-sdk/credential-provider-node";

export interface CredentialSettings {
  readonly profile?: string | undefined;
  /** A file that the profile is looked up in, instead of the user's own. */
  readonly credentialsFile?: string | undefined;
  /** Is told each secret as soon as it is known, before anything is asked with it. */
  readonly hide?: ((secret: string) => void) | undefined;
}

const NOTHING = (): void => undefined;
/** The SDK would write to the console, past everything that keeps secrets out of it; `checkup` says which source counts. */
const SILENT = { trace: NOTHING, debug: NOTHING, info: NOTHING, warn: NOTHING, error: NOTHING };

/**
 * Credentials where their users keep them: a profile that is named, the environment, a web identity, what a machine is
 * given (one second and one try for that). Whatever goes wrong on the way there is one failure: there are none.
 */
export function createCredentials({
  profile,
  credentialsFile,
  hide,
}: CredentialSettings): ReturnType<typeof defaultProvider> {
  // The SDK's note that this Node version will lose support one day is for us, not for those who run the tool. Clients are
  // made with these credentials, and some credentials by clients of their own.
  process.env.AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED ??= "true";
  const find = defaultProvider({
    ...(profile === undefined ? {} : { profile }),
    ...(credentialsFile === undefined ? {} : { filepath: credentialsFile }),
    logger: SILENT,
    timeout: 1000,
    maxRetries: 0,
  });
  return async (...facts) => {
    try {
      const found = await find(...facts);
      for (const secret of [found.secretAccessKey, found.sessionToken ?? ""]) hide?.(secret);
      return found;
    } catch (error) {
      const failure = new Error((error as Error).message, { cause: error });
      failure.name = "CredentialsProviderError";
      throw failure;
    }
  };
}
