/** Where a project keeps what belongs to its sandbox; nothing of it goes into a repository. */
export const SANDBOX_FOLDER = ".courier-sandbox";
/** The profile `sandbox` is looked up here, before the user's own files. */
export const SANDBOX_CREDENTIALS = `${SANDBOX_FOLDER}/credentials`;
