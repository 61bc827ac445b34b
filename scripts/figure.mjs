// Draws what a delivery asks the edge to forget: node scripts/figure.mjs VERIFIED PLANNED OUT.svg. The first is what
// `verify --all --format json` says before it, the second what `compare --format json` says of it.
import { readFileSync, writeFileSync } from "node:fs";

const [verified, planned, out] = process.argv.slice(2);
const { addresses: before } = JSON.parse(readFileSync(verified, "utf8"));
const { invalidation } = JSON.parse(readFileSync(planned, "utf8"));
const wrong = new Set(invalidation.addresses);
const covers = (pattern, address) =>
  pattern.endsWith("*") ? address.startsWith(pattern.slice(0, -1)) : pattern === address;
const fateOf = (address) => {
  if (wrong.has(address)) return before.includes(address) ? "wrong" : "new";
  return invalidation.patterns.some((pattern) => covers(pattern, address)) ? "along" : "right";
};
const folderOf = (address) => /^\/[^/]+\//.exec(address)?.[0] ?? "/";

// What is written to find out how the edge caches is no page of the site.
const all = [...new Set([...before, ...wrong])].filter((one) => !one.startsWith("/courier-")).sort();
const rows = [...new Set(all.map(folderOf))].map((folder) => {
  const own = all.filter((address) => folderOf(address) === folder);
  const patterns = invalidation.patterns.filter((pattern) => own.some((one) => covers(pattern, one)));
  return { folder, own, patterns };
});

const FATES = {
  wrong: ["#c2410c", "the copy is wrong now: it must go"],
  new: ["#1d4ed8", "new: somebody may have been told 'not found'"],
  along: ["#d8a200", "still correct, but a pattern covers it, too"],
  right: ["#94a3b8", "still correct: it stays at the edge"],
};
const STEP = 17;
const [LEFT, PATTERNS_AT, WIDTH] = [140, 490, 1120];
const escaped = (text) => text.replace(/[&<>]/g, (one) => `&#${one.codePointAt(0)};`);

/** Patterns in lines that are not too long. */
const inLines = (patterns) =>
  patterns.reduce(
    (lines, one) =>
      lines.at(-1) !== undefined && (lines.at(-1) + one).length < 72
        ? [...lines.slice(0, -1), `${lines.at(-1)}   ${one}`]
        : [...lines, one],
    [],
  );

let y = 74;
const drawn = rows.map(({ folder, own, patterns }) => {
  const perLine = Math.floor((PATTERNS_AT - LEFT - 20) / STEP);
  const lines = inLines(patterns);
  const height = Math.max(Math.ceil(own.length / perLine), lines.length, 1) * 19 + 9;
  const squares = own.map((address, index) => {
    const fate = fateOf(address);
    const at = [LEFT + (index % perLine) * STEP, y - 11 + Math.floor(index / perLine) * 19];
    const fill = fate === "right" ? "none" : FATES[fate][0];
    return `<rect x="${at[0] + 1}" y="${at[1] + 1}" width="12" height="12" rx="2" fill="${fill}" stroke="${FATES[fate][0]}" stroke-width="1.5"><title>${escaped(address)}</title></rect>`;
  });
  const texts = lines.map(
    (line, index) =>
      `<text x="${PATTERNS_AT}" y="${y + index * 19}" xml:space="preserve">${escaped(line)}</text>`,
  );
  const text = `<text x="24" y="${y}">${escaped(folder)}</text>${squares.join("")}${texts.join("")}`;
  y += height;
  return text;
});
const legend = Object.entries(FATES).map(([fate, [colour, text]], index) => {
  const at = [24 + (index % 2) * 400, y + 18 + Math.floor(index / 2) * 22];
  return `<rect x="${at[0]}" y="${at[1] - 10}" width="12" height="12" rx="2" fill="${fate === "right" ? "none" : colour}" stroke="${colour}" stroke-width="1.5"/><text class="words" x="${at[0] + 22}" y="${at[1]}">${escaped(text)}</text>`;
});
const { patterns, addresses, collateral, everything } = invalidation;
const sum = `${patterns.length} patterns instead of ${addresses.length} addresses. ${collateral.addresses === 1 ? "One correct copy goes" : `${collateral.addresses} correct copies go`} along; with /* it would be ${everything.addresses}.`;
const height = y + 92;
writeFileSync(
  out,
  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${height}" width="${WIDTH}" height="${height}" role="img" aria-label="${escaped(sum)}">
<style>text{font:13px ui-monospace,Menlo,Consolas,monospace;fill:#1e293b}.words{font:14px system-ui,sans-serif}.head{font:600 15px system-ui,sans-serif}</style>
<rect width="${WIDTH}" height="${height}" fill="#fff"/>
<text class="head" x="24" y="32">folder</text><text class="head" x="${LEFT}" y="32">each address of the site</text><text class="head" x="${PATTERNS_AT}" y="32">what the edge is asked to forget</text>
<path d="M24 46H${WIDTH - 24}" stroke="#cbd5e1"/>
${drawn.join("\n")}
${legend.join("\n")}
<text class="head" x="24" y="${y + 74}">${escaped(sum)}</text>
</svg>
`,
);
