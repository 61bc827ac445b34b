import { existsSync } from "node:fs";
import { dirname, join } from "node:path";
import { parse, stringify } from "yaml";
import { COMMANDS } from "../../src/cli/run.ts";
import { parseCall } from "../../src/cli/frame/parse.ts";
import { parseSettings } from "../../src/settings/load.ts";
import { listBlocks, listCalls, PAGES, readPage, toWords, type Block } from "../support/documents.ts";

/** What the pages show is true of this version: links, calls and settings. test/trips/documents.test.ts runs the calls. */

const read = (call: string) => parseCall(toWords(call), { commands: COMMANDS, readEnvironment: () => ({}) });

test.each(PAGES)("%s: each call of the tool is one that it understands", async (page) => {
  const wrong: string[] = [];
  // COMMAND stands for any of them.
  for (const call of listCalls(page).map((one) => one.replace("COMMAND", "deliver")))
    await read(call).catch((error: unknown) => {
      wrong.push(`${call}: ${(error as { data?: { reason?: string } }).data?.reason ?? String(error)}`);
    });
  expect(wrong).toEqual([]);
});

test("each example of help is a call that the tool understands", async () => {
  const calls = COMMANDS.flatMap(({ examples = [] }) => examples.map(([call]) => call));
  for (const call of calls.filter((one) => one.startsWith("rcourier ")))
    await expect(read(call)).resolves.toMatchObject({ ask: "run" });
  expect(calls.length).toBeGreaterThan(40);
});

/** GitHub's name for a title. */
const toAnchor = (title: string): string =>
  title
    .replace(/\[([^\]]*)\]\([^)]*\)/g, "$1")
    .toLowerCase()
    .replace(/[`*]/g, "")
    .replace(/[^\p{L}\p{N} _-]/gu, "")
    .replaceAll(" ", "-");

test.each(PAGES)("%s: each link leads to something that is there", (page) => {
  const links = [...readPage(page).matchAll(/\]\(([^)\s]+)\)/g)].map(([, to = ""]) => to);
  const dead = links.filter((link) => {
    const [path = "", anchor] = link.split("#");
    const file = path === "" ? page : join(dirname(page), path);
    if (!existsSync(file)) return true;
    if (anchor === undefined) return false;
    const titles = readPage(file).split("\n").filter((line) => line.startsWith("#"));
    return !titles.some((line) => toAnchor(line.replace(/^#+ /, "")) === anchor);
  }); // prettier-ignore
  expect(dead).toEqual([]);
});

interface Fragment {
  readonly site?: unknown;
  readonly edge?: unknown;
  readonly destinations?: Readonly<Record<string, object>>;
}

/** A part of the settings, with all that the whole needs besides. */
function toWhole(text: string): string {
  const part = parse(text) as Fragment;
  const store = { kind: "folder", folder: "root" };
  if (part.site !== undefined) return text;
  const { edge, destinations = { production: edge === undefined ? {} : { edge } }, ...rest } = part;
  const named = Object.entries(destinations).map(([name, own]) => [name, { url: "https://www.pelican.test", store, ...own }]);
  return stringify({ site: "Pelican Sound Ferries", ...rest, destinations: Object.fromEntries(named) as object });
} // prettier-ignore

const isOfCi = ({ page }: Block): boolean => page === join("docs", "ci.md");
const isOfFaults = ({ text }: Block): boolean => /^rules:/m.test(text);
const SETTINGS = PAGES.flatMap(listBlocks).filter(
  (block) => block.language === "yaml" && !isOfCi(block) && !isOfFaults(block),
);

test.each(SETTINGS)("$page, $title: these settings are valid", ({ text }) => {
  const environment = { EDGE_TOKEN: "made-up", FORGET_TOKEN: "made-up" };
  const { settings } = parseSettings(toWhole(text), "courier.yaml", { environment });
  expect(Object.keys(settings.destinations).length).toBeGreaterThan(0);
});

test("the records that docs/formats.md shows can be read, line by line or whole", () => {
  const blocks = listBlocks(join("docs", "formats.md")).filter(({ language }) => language === "json");
  for (const { text } of blocks) {
    const parts = text.startsWith("{ ") ? [text] : text.split("\n");
    for (const part of parts) expect(() => JSON.parse(part) as unknown).not.toThrow();
  }
  expect(blocks.length).toBeGreaterThan(3);
});

test("the pages show settings, and calls of every command", async () => {
  expect(SETTINGS.length).toBeGreaterThan(5);
  const named = new Set<string>();
  for (const call of PAGES.flatMap(listCalls)) {
    const found = await read(call.replace("COMMAND", "deliver"));
    if (found.ask === "run") named.add(found.command.name);
  }
  expect(COMMANDS.map(({ name }) => name).filter((name) => !named.has(name))).toEqual([]);
});
