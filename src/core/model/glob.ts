import picomatch from "picomatch";

/**
 * A glob over the build's paths: `*` stays within a folder, `**` crosses folders, `?` is one letter, `{a,b}` and `[abc]`
 * are choices. Files whose name starts with a dot match like others.
 */
export function matcher(glob: string): (path: string) => boolean {
  const matches = picomatch(glob, { dot: true });
  // Its second argument changes what it answers: it must not be handed to `filter` as it is.
  return (path) => matches(path);
}
