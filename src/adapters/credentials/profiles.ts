/** The profiles of a machine by their names, each with its settings, as the files of the storage protocol's clients hold them. */
export type Profiles = Readonly<Record<string, Readonly<Record<string, string | undefined>> | undefined>>;

/** How a profile comes to credentials. */
type Way = "keys" | "role" | "helper" | "single-sign-on" | "web-identity" | "other";

interface ProfileStep {
  readonly profile: string;
  readonly way: Way;
}

/** Why the profiles alone show already that nothing can come of them. */
export type ProfileFault =
  | { readonly code: "missing"; readonly profile: string }
  | { readonly code: "source-missing"; readonly profile: string; readonly source: string }
  | { readonly code: "loop"; readonly profiles: readonly string[] }
  | { readonly code: "needs-code"; readonly profile: string }
  | { readonly code: "nothing"; readonly profile: string };

export interface ProfilePath {
  /** From the profile that was named to the one that its roles are taken with. */
  readonly steps: readonly ProfileStep[];
  readonly fault?: ProfileFault;
}

/** The way from a profile to credentials, as the storage protocol's clients go it: roles first, each with those of its source. */
export function followProfile(profiles: Profiles, name: string): ProfilePath {
  const steps: ProfileStep[] = [];
  for (let profile = name; ;) {
    const settings = profiles[profile];
    const before = steps.at(-1)?.profile;
    if (!settings)
      return {
        steps,
        fault:
          before === undefined
            ? { code: "missing", profile }
            : { code: "source-missing", profile: before, source: profile },
      };
    // A source that has keys of its own is taken by those, whatever else it says.
    const way = before !== undefined && hasKeys(settings) ? "keys" : wayOf(settings);
    if (way === undefined) return { steps, fault: { code: "nothing", profile } };
    steps.push({ profile, way });
    const { source_profile: source, mfa_serial: device } = settings;
    if (way === "role" && device !== undefined) return { steps, fault: { code: "needs-code", profile } };
    if (way !== "role" || source === undefined) return { steps };
    // Its own keys are a source, too.
    if (source === profile && hasKeys(settings)) return { steps };
    if (steps.some((step) => step.profile === source))
      return { steps, fault: { code: "loop", profiles: [...steps.map((step) => step.profile), source] } };
    profile = source;
  }
}

type Settings = NonNullable<Profiles[string]>;

const hasKeys = ({ aws_access_key_id: id, aws_secret_access_key: secret }: Settings): boolean =>
  id !== undefined && secret !== undefined;

/** Undefined: it has nothing that leads to credentials. */
function wayOf(settings: Settings): Way | undefined {
  const { role_arn: role, source_profile: source, credential_source: kind } = settings;
  if (role !== undefined && (source !== undefined || kind !== undefined)) return "role";
  if (hasKeys(settings)) return "keys";
  if (role !== undefined && settings.web_identity_token_file !== undefined) return "web-identity";
  if (settings.credential_process !== undefined) return "helper";
  if (settings.sso_session !== undefined || settings.sso_start_url !== undefined) return "single-sign-on";
  return settings.login_session === undefined ? undefined : "other";
}
