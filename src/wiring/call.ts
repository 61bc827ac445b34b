import type { SettingsInput } from "../settings/schema.ts";

/** What one call says, of the command line or of a script. */
export interface Call {
  readonly environment: NodeJS.ProcessEnv;
  /** Paths of the call start here. */
  readonly folder: string;
  /** Takes secrets out of a text. */
  readonly redact: (text: string) => string;
  /** Makes a secret known, as soon as it is. */
  readonly hide: (secret: string) => void;
  /** A settings file, or what would stand in one; absent: the file with the usual name. */
  readonly settings?: string | SettingsInput | undefined;
  /** The destination. */
  readonly to?: string | undefined;
  /** The build, where it is not that of the settings. */
  readonly build?: string | undefined;
  /** A preview of that destination. */
  readonly preview?: string | undefined;
  /** Codes of guards that are lifted. */
  readonly allow: readonly string[];
  /** For the release's record. */
  readonly note?: string | undefined;
  readonly commit?: string | undefined;
  /** The build's number, a whole one. */
  readonly sequence?: string | undefined;
  /** What a CI service says of the build that it has made, where the call does not say it. */
  readonly ofBuild?: {
    readonly commit?: string | undefined;
    readonly sequence?: string | undefined;
    /** Who has started it. */
    readonly by?: string | undefined;
  };
  /** Whether the process does nothing else: then it may be told how to use its memory. */
  readonly ownsProcess: boolean;
  /** Is told of a file with what was read before, which can't be read any more. */
  readonly onDamaged?: (file: string) => void;
}
