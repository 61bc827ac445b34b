// Writes a made-up access log of a site (W3C extended, one line per request); the same arguments give the same bytes.
//   node bench/large-log.mjs --out FILE --lines 5000000 [--format combined]
import { closeSync, openSync, writeSync } from "node:fs";
import { parseArgs } from "node:util";

const string = { type: "string" };
const { values } = parseArgs({ options: { out: string, lines: string, format: string } });
const [LINES, IS_COMBINED] = [Number(values.lines), values.format === "combined"];
const DAY_S = 86_400;
const START_MS = Date.UTC(2026, 2, 4);

const AGENTS = [
  "Mozilla/5.0%20(X11;%20Linux%20x86_64)%20Heronweb/140.0.0.0%20(KHTML,%20like%20Gecko)%20Heron/140.0.0.0%20Tern/537.36",
  "Mozilla/5.0%20(Handheld;%20CPU%20Avocet%20OS%2019_0%20like%20Tern)%20Heronweb/605.1.15%20Mobile/15E148",
  "Mozilla/5.0%20(compatible;%20reefbot/2.0;%20+https://reefbot.example/)",
  "curl/8.5.0",
];
const MONTH = "Mar";
let seed = 7;
/** A number from 0 to 1 that looks random (a xorshift generator of 32 bits). */
const random = () => {
  seed ^= seed << 13;
  seed ^= seed >>> 17;
  seed ^= seed << 5;
  return (seed >>> 0) / 4_294_967_296;
};
const pick = (list) => list[Math.floor(random() * list.length)];

const file = openSync(values.out, "w");
if (!IS_COMBINED)
  writeSync(
    file,
    "#Version: 1.0\n#Fields: date time x-edge-location sc-bytes c-ip cs-method cs(Host) cs-uri-stem sc-status cs(Referer) cs(User-Agent) cs-uri-query x-cache-status x-request-id cs-protocol cs-bytes time-taken\n",
  );
let text = "";
for (let line = 0; line < LINES; line += 1) {
  const at = new Date(START_MS + Math.floor((line / LINES) * DAY_S) * 1000).toISOString();
  // Few addresses are asked for often, many seldom; one in fifty is made up by whoever looks for holes.
  const page = Math.floor(random() ** 4 * 20_000);
  const path =
    random() < 0.02 ? `/scan/${Math.floor(random() * 1e9).toString(36)}.php` : `/guides/page-${page}/`;
  const status = path.startsWith("/scan") ? 404 : random() < 0.2 ? 304 : 200;
  const [bytes, hit] = [200 + Math.floor(random() * 20_000), random() < 0.93 ? "Hit" : "Miss"];
  const address = `203.0.113.${line % 250}`;
  text += IS_COMBINED
    ? `${address} - - [04/${MONTH}/2026:${at.slice(11, 19)} +0000] "GET ${path} HTTP/1.1" ${status} ${bytes} "-" "${pick(AGENTS).replaceAll("%20", " ")}"\n`
    : `${at.slice(0, 10)}\t${at.slice(11, 19)}\tQUAY2-C1\t${bytes}\t${address}\tGET\twww.pelicansound.example\t${path}\t${status}\t-\t${pick(AGENTS)}\t-\t${hit}\t${line.toString(36)}qz\thttps\t${bytes % 400}\t0.${line % 900}\n`;
  if (text.length > 1_000_000) {
    writeSync(file, text);
    text = "";
  }
}
writeSync(file, text);
closeSync(file);
