import { findSettings } from "../../settings/find.ts";
import { isSet, text, type Arguments, type Command } from "./command.ts";
import { clean, type Terminal } from "./terminal.ts";

/** Settings that were found further up are named: somebody may not know that they are there. */
export function sayWhereSettingsAre(command: Command, args: Arguments, terminal: Terminal): void {
  const named = text(args, "settings");
  if (named === undefined || command.writesSettings === true || isSet(args, "quiet")) return;
  const found = findSettings(named, terminal.folder);
  if (found !== named) terminal.say(`the settings are those in ${clean(found)}\n`);
}
