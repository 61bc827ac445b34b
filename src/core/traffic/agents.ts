import { toOwn } from "./line.ts";

/** Who asks: people with a browser, crawlers that read the site for others, programs, or nobody knows. */
export const AGENT_KINDS = ["people", "crawlers", "programs", "unknown"] as const;
export type AgentKind = (typeof AGENT_KINDS)[number];

const CRAWLER = /bot\b|crawl|spider|archiver|preview|feed|monitor|uptime|check|scan|headless|https?:\/\//i;
const PROGRAM = /^(curl|wget|python|go-http|java|okhttp|node|undici|axios|ruby|perl|libwww|php)\b/i;
const BROWSER = /^(mozilla|opera)\//i;

/** As this tool names itself: what it asks to see whether an edge has forgotten is no visit. */
export const isOwn = (agent: string): boolean => agent.startsWith("restless-courier");

/** Who is behind a `User-Agent`, as far as it says. W3C logs write `+` or `%20` for a space. */
export function judgeAgent(agent: string): AgentKind {
  const known = judged.get(agent);
  if (known !== undefined) return known;
  const kind = judge(agent);
  if (judged.size > MOST_JUDGED) judged.clear();
  judged.set(toOwn(agent), kind);
  return kind;
}

const judged = new Map<string, AgentKind>();
const MOST_JUDGED = 5000;

function judge(agent: string): AgentKind {
  if (agent === "") return "unknown";
  const plain = agent
    .replace(/%20|\+(?!http)/g, " ")
    .replace(/%3A/gi, ":")
    .replace(/%2F/gi, "/");
  if (PROGRAM.test(plain)) return "programs";
  if (CRAWLER.test(plain)) return "crawlers";
  return BROWSER.test(plain) ? "people" : "unknown";
}
