import { list, text, type Arguments } from "./command.ts";

/** A word as a shell reads it: in quotes where it needs them. */
export const quoted = (word: string): string =>
  /^[\w@%+=:,./-]+$/.test(word) ? word : `'${word.replaceAll("'", String.raw`'\''`)}'`;

/** Commands that read a build. */
const TAKES_BUILD = new Set(["compare", "deliver"]);

/** A further call about what this one was about: with the same settings, destination and preview. */
export function callLike(args: Arguments, words: string): string {
  const settings = text(args, "settings");
  const given = [
    ["settings", settings === "courier.yaml" ? undefined : settings],
    ["to", text(args, "to")],
    ["preview", text(args, "preview")],
  ] as const;
  const options = given.flatMap(([name, value]) => {
    if (value === undefined) return [];
    return value === "" ? [`--${name}`] : [`--${name} ${quoted(value)}`];
  });
  const ofBuild = TAKES_BUILD.has(words)
    ? [
        ...(text(args, "build") === undefined ? [] : [`--build ${quoted(text(args, "build") ?? "")}`]),
        ...list(args, "allow").map((code) => `--allow ${quoted(code)}`),
      ]
    : [];
  return ["rcourier", words, ...options, ...ofBuild].join(" ");
}
