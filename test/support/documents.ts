import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";

/** The pages that people read. */
export const PAGES: readonly string[] = [
  "README.md",
  "CONTRIBUTING.md",
  ...readdirSync("docs")
    .filter((name) => name.endsWith(".md"))
    .map((name) => join("docs", name)),
];

export interface Block {
  readonly page: string;
  /** The last title before it. */
  readonly title: string;
  readonly language: string;
  readonly text: string;
}

/** The text of a page. A checkout on Windows may end its lines in another way. */
export const readPage = (page: string): string => readFileSync(page, "utf8").replaceAll("\r\n", "\n");

/** Every fenced block of a page. */
export function listBlocks(page: string): readonly Block[] {
  const blocks: Block[] = [];
  let title = "";
  let open: { language: string; lines: string[] } | undefined;
  for (const line of readPage(page).split("\n")) {
    const fence = /^ *```(\w*)$/.exec(line);
    if (fence && open) {
      blocks.push({ page, title, language: open.language, text: open.lines.join("\n") });
      open = undefined;
    } else if (fence) open = { language: fence[1] ?? "", lines: [] };
    else if (open) open.lines.push(line);
    else if (line.startsWith("#")) title = line.replace(/^#+ /, "");
  }
  return blocks;
}

/** Every call of the tool on a page: in blocks, and within sentences. */
export function listCalls(page: string): readonly string[] {
  const inBlocks = listBlocks(page)
    .filter(({ language }) => language === "sh" || language === "")
    .flatMap(({ text }) => text.split("\n"));
  const prose = readPage(page).replace(/^ *```[^]*?^ *```$/gm, "");
  const inSentences = [...prose.matchAll(/`([^`\n]+)`/g)].map(([, code = ""]) => code);
  return [...inBlocks, ...inSentences].flatMap((line) => {
    const found = /(?:^|[|;(] *)rcourier( .*)?$/.exec(line);
    return found ? [`rcourier${found[1] ?? ""}`] : [];
  });
}

/** A call's words as a shell takes them, without the tool's name and what stands behind the call. */
export function toWords(call: string): readonly string[] {
  const words: string[] = [];
  for (const [word] of call.matchAll(/'[^']*'|"[^"]*"|[^\s'"]+/g)) {
    if (/^[#|>;&)]/.test(word)) break;
    words.push(word.replace(/^(['"])(.*)\1$/, "$2"));
  }
  return words.slice(1);
}
