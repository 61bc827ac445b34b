/** Pictures of the sound, drawn as vectors from a few numbers: the same numbers give the same picture. */
const PALETTES = {
  morning: {
    sky: ["#fbe3c4", "#a9d6d8"],
    sun: "#fff3d6",
    far: "#7fb1b5",
    near: "#3f7f86",
    sea: ["#5ba3a6", "#17525c"],
    hull: "#f7f4ec",
    trim: "#e4572e",
    sunX: 0.24,
    sunY: 0.42,
  },
  noon: {
    sky: ["#cfeaf2", "#8cc7dd"],
    sun: "#ffffff",
    far: "#86b7a4",
    near: "#4d8a72",
    sea: ["#4fa3b8", "#0f5266"],
    hull: "#ffffff",
    trim: "#0b4650",
    sunX: 0.74,
    sunY: 0.2,
  },
  evening: {
    sky: ["#f9c58d", "#e98a6b"],
    sun: "#fff0c2",
    far: "#a3617a",
    near: "#5d3f63",
    sea: ["#d9825f", "#3b3757"],
    hull: "#fbe9d4",
    trim: "#3b3757",
    sunX: 0.62,
    sunY: 0.5,
  },
  dusk: {
    sky: ["#3b4a79", "#e59a8d"],
    sun: "#ffd9b0",
    far: "#4c4f7e",
    near: "#2a3055",
    sea: ["#7d6c92", "#1a2141"],
    hull: "#f4ead9",
    trim: "#e4572e",
    sunX: 0.4,
    sunY: 0.55,
  },
};

export function drawScene(name, width, height, seed = name) {
  const p = PALETTES[name];
  const random = sequence(seed);
  const horizon = height * 0.58;
  const scale = width / 1600;
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}">
<defs><linearGradient id="sky" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="${p.sky[1]}"/><stop offset="1" stop-color="${p.sky[0]}"/></linearGradient>
<linearGradient id="sea" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="${p.sea[0]}"/><stop offset="1" stop-color="${p.sea[1]}"/></linearGradient>
<radialGradient id="glow"><stop offset="0" stop-color="${p.sun}" stop-opacity=".9"/><stop offset="1" stop-color="${p.sun}" stop-opacity="0"/></radialGradient></defs>
<rect width="${width}" height="${height}" fill="url(#sky)"/>
<circle cx="${width * p.sunX}" cy="${height * p.sunY}" r="${height * 0.42}" fill="url(#glow)"/><circle cx="${width * p.sunX}" cy="${height * p.sunY}" r="${height * 0.07}" fill="${p.sun}"/>
${clouds(random, width, height)}
<path d="${hills(random, width, horizon, height * 0.16)}" fill="${p.far}" opacity=".75"/><path d="${hills(random, width, horizon, height * 0.09)}" fill="${p.near}"/>
<rect y="${horizon}" width="${width}" height="${height - horizon}" fill="url(#sea)"/>
${glitter(random, p, { width, height, horizon })}
<g transform="translate(${width * 0.56} ${horizon + height * 0.02}) scale(${scale * 1.15})">${ferry(p)}</g>
${gulls(random, width, height)}
</svg>`;
}

function ferry({ hull, trim }) {
  const windows = Array.from(
    { length: 9 },
    (_, i) => `<rect x="${70 + i * 34}" y="-86" width="20" height="14" rx="3" fill="#23424b" opacity=".8"/>`,
  ).join("");
  return `<ellipse cx="220" cy="48" rx="270" ry="10" fill="#06222a" opacity=".22"/>
<path d="M0-40H440L408 40H44Z" fill="${hull}"/><path d="M13-8H427L408 40H44Z" fill="${trim}"/>
<rect x="48" y="-98" width="336" height="60" rx="8" fill="${hull}"/>${windows}
<rect x="110" y="-142" width="170" height="48" rx="8" fill="${hull}"/><rect x="122" y="-130" width="146" height="16" rx="4" fill="#23424b" opacity=".8"/>
<path d="M300-98V-170H336L344-98Z" fill="${trim}"/><rect x="298" y="-158" width="42" height="10" fill="${hull}"/>
<path d="M64-98V-176" stroke="#23424b" stroke-width="4"/><path d="M64-174l34 12-34 12Z" fill="${trim}"/>
<path d="M-8 42q30-14 60 0t60 0 60 0 60 0 60 0 60 0 60 0 40-6" fill="none" stroke="#fff" stroke-width="5" opacity=".7"/>`;
}

function hills(random, width, horizon, height) {
  let path = `M0 ${horizon}`;
  for (let x = 0; x < width; x += width / 9) {
    const peak = horizon - height * (0.25 + random() * 0.75);
    path += ` Q${x + width / 18} ${peak} ${x + width / 9} ${horizon - height * random() * 0.35}`;
  }
  return `${path} L${width} ${horizon} Z`;
}

const clouds = (random, width, height) =>
  Array.from({ length: 5 }, () => {
    const [x, y, w] = [random() * width, height * (0.06 + random() * 0.28), width * (0.06 + random() * 0.08)];
    return `<g fill="#fff" opacity="${(0.25 + random() * 0.35).toFixed(2)}"><ellipse cx="${x}" cy="${y}" rx="${w}" ry="${w * 0.13}"/><ellipse cx="${x + w * 0.3}" cy="${y - w * 0.1}" rx="${w * 0.5}" ry="${w * 0.14}"/></g>`;
  }).join("");

const glitter = (random, { sun, sunX }, { width, height, horizon }) =>
  Array.from({ length: 90 }, () => {
    const depth = random();
    const near =
      random() < 0.5 ? width * sunX + (random() - 0.5) * width * (0.08 + depth * 0.2) : random() * width;
    const y = horizon + 4 + depth * (height - horizon);
    return `<rect x="${near.toFixed(1)}" y="${y.toFixed(1)}" width="${(10 + depth * 70).toFixed(1)}" height="${(1 + depth * 3).toFixed(1)}" rx="2" fill="${sun}" opacity="${(0.12 + random() * 0.3).toFixed(2)}"/>`;
  }).join("");

const gulls = (random, width, height) =>
  Array.from({ length: 6 }, () => {
    const [x, y, s] = [
      width * (0.46 + random() * 0.5),
      height * (0.12 + random() * 0.3),
      width * (0.006 + random() * 0.008),
    ];
    return `<path d="M${x - s * 2} ${y - s}q${s} ${-s} ${s * 2} ${s}q${s} ${-s * 2} ${s * 2} ${-s}" fill="none" stroke="#23424b" stroke-width="${s * 0.35}" stroke-linecap="round" opacity=".7"/>`;
  }).join("");

/** Numbers from 0 to 1 out of a word, always the same (a linear congruential generator). */
function sequence(word) {
  let state = [...word].reduce((sum, letter) => (sum * 31 + letter.codePointAt(0)) % 2147483647, 7);
  return () => (state = (state * 48271) % 2147483647) / 2147483647;
}

/** The line's badge: a pelican over two waves. */
export const drawBadge = (
  size,
) => `<svg xmlns="http://www.w3.org/2000/svg" width="${size}" height="${size}" viewBox="0 0 64 64">
<rect width="64" height="64" rx="16" fill="#0b4650"/>
<path d="M14 21c6-6 14-6 18-1 3 4 2 9 4 13 3 5 9 5 14 3-1 7-8 12-17 11-10-1-14-8-13-16 0-4-2-7-6-10Z" fill="#fdf8ee"/>
<path d="M14 21c-4 1-7 4-8 8 5 3 13 2 16-4-2-3-5-4-8-4Z" fill="#f2b05e"/><circle cx="22" cy="20" r="2" fill="#0b4650"/>
<path d="M8 52q6-5 12 0t12 0 12 0 12 0" fill="none" stroke="#7fc4c4" stroke-width="3" stroke-linecap="round"/><path d="M12 58q5-4 10 0t10 0 10 0 10 0" fill="none" stroke="#7fc4c4" stroke-width="2" opacity=".6" stroke-linecap="round"/></svg>`;

/** The map of the sound with the crossings that sail. */
export function drawMap(crossings) {
  const ports = {
    "Port Alder": [120, 250],
    "Heron Island": [330, 150],
    "Saltmarsh Quay": [360, 330],
    "Gull Point": [470, 90],
    "Cape Wren": [560, 280],
  };
  const used = new Set(crossings.flatMap(({ from, to }) => [from, to]));
  const lines = crossings.map(
    ({ from, to }) =>
      `<path d="M${ports[from]} Q${(ports[from][0] + ports[to][0]) / 2} ${(ports[from][1] + ports[to][1]) / 2 - 40} ${ports[to]}" fill="none" stroke="#e4572e" stroke-width="4" stroke-dasharray="2 9" stroke-linecap="round"/>`,
  );
  const dots = [...used].map(
    (name) =>
      `<circle cx="${ports[name][0]}" cy="${ports[name][1]}" r="8" fill="#fff" stroke="#0b4650" stroke-width="4"/><text x="${ports[name][0]}" y="${ports[name][1] + 28}" text-anchor="middle" font-family="sans-serif" font-size="17" fill="#0b4650">${name}</text>`,
  );
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 680 420" role="img" aria-label="Map of the sound with our crossings"><rect width="680" height="420" rx="18" fill="#cfe8e6"/>
<path d="M0 0H150Q190 120 120 200T150 420H0Z" fill="#e9dfc4"/><path d="M290 110q50-40 90 0t0 70-90 10 0-80Z" fill="#e0e6c4"/><path d="M310 350q70-50 130 0t30 70H300Z" fill="#e9dfc4"/><path d="M430 40q70-30 100 20t-60 50-40-70Z" fill="#e0e6c4"/><path d="M540 420q-30-110 60-170t80 30v140Z" fill="#e9dfc4"/>${lines.join("")}${dots.join("")}</svg>`;
}
