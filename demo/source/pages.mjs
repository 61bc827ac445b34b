import { CROSSINGS, HARBOURS, VESSELS } from "./facts.mjs";

const ADDRESS = "https://www.pelicansound.example";

/** All pages of one state of the site, by path. `asset(name)` gives the address of a built file. */
export function writePages(build, asset) {
  const crossings = build.crossings.map((id) => CROSSINGS.find((crossing) => crossing.id === id));
  const page = (path, title, body, active = "") => [path, frame({ path, title, body, active, build, asset })];
  const times = (id) => build.times[id] ?? [];
  const pages = [
    page("index.html", "Ferries across Pelican Sound", home(crossings, build, asset, times)),
    page(
      "crossings/index.html",
      "Crossings",
      `${lead("Crossings", "Every day of the year, whatever the tide.")}<div class="wide cards">${crossings.map((crossing) => crossingCard(crossing, asset)).join("")}</div>`,
      "crossings",
    ),
    ...crossings.map((crossing) =>
      page(
        `crossings/${crossing.id}/index.html`,
        `${crossing.from} to ${crossing.to}`,
        crossingPage(crossing, asset, times),
        "crossings",
      ),
    ),
    page("timetables/index.html", build.season, timetables(crossings, build, times), "timetables"),
    page("fares/index.html", "Fares", fares(crossings), "fares"),
    page(
      "fleet/index.html",
      "Our boats",
      `${lead("Our boats", "Three hulls, one colour, and a crew that knows the shoals.")}<div class="wide cards">${VESSELS.map((vessel) => vesselCard(vessel, asset)).join("")}</div>`,
      "fleet",
    ),
    ...VESSELS.map((vessel) =>
      page(`fleet/${vessel.id}/index.html`, vessel.name, vesselPage(vessel, asset), "fleet"),
    ),
    page(
      "harbours/index.html",
      "Harbours",
      `${lead("Harbours", "Where the boats tie up, and what to do until they leave.")}<div class="wide cards">${HARBOURS.map(harbourCard).join("")}</div>`,
    ),
    ...HARBOURS.map((harbour) =>
      page(`harbours/${harbour.id}/index.html`, harbour.name, harbourPage(harbour)),
    ),
    page(
      "news/index.html",
      "News",
      `${lead("News from the sound", "What the skippers saw, and when the boats leave.")}<div class="wide stories">${build.news.map(story).join("")}</div>`,
      "news",
    ),
    ...build.news.map((item) =>
      page(
        `news/${item.id}/index.html`,
        item.title,
        `${lead(item.title, item.text)}<p class="wide"><a href="/news/">All news</a></p>`,
        "news",
      ),
    ),
    page(
      "about.html",
      "About the line",
      lead(
        "About the line",
        "Pelican Sound Ferries has carried people, post and the occasional goat since 1931. The islands own it together, and every ticket keeps a light burning at Middle Shoal.",
      ),
    ),
    page(
      "contact.html",
      "Contact",
      lead(
        "Contact",
        "Harbour office, Quay Street 1, Port Alder. Open from the first boat to the last. Lost something? It is probably in the blue cupboard.",
      ),
    ),
    page(
      "accessibility.html",
      "Getting aboard",
      lead(
        "Getting aboard",
        "Level ramps on Tern and Avocet, a lift to the saloon, and crew who like to be asked. Ring ahead for the Dunlin: her gangway is steep at low water.",
      ),
    ),
    page(
      "404.html",
      "Lost at sea",
      `${lead("Lost at sea", "There is no page at this address. Perhaps the tide took it.")}<p class="wide"><a class="button" href="/">Back to harbour</a></p>`,
    ),
  ];
  return Object.fromEntries(pages);
}

export const sitemap = (pages) =>
  `<?xml version="1.0" encoding="UTF-8"?>\n<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">\n${Object.keys(
    pages,
  )
    .filter((path) => path !== "404.html")
    .map((path) => `  <url><loc>${ADDRESS}/${path.replace(/index\.html$/, "")}</loc></url>`)
    .join("\n")}\n</urlset>\n`;

export const feed = ({ news }) =>
  `<?xml version="1.0" encoding="UTF-8"?>\n<feed xmlns="http://www.w3.org/2005/Atom"><title>News from Pelican Sound</title><id>${ADDRESS}/</id><updated>${news[0].date}T06:00:00Z</updated>\n${news
    .map(
      ({ id, title, date, text }) =>
        `<entry><title>${title}</title><id>${ADDRESS}/news/${id}/</id><updated>${date}T06:00:00Z</updated><summary>${text}</summary></entry>`,
    )
    .join("\n")}\n</feed>\n`;

const NAVIGATION = [
  ["crossings", "Crossings"],
  ["timetables", "Timetables"],
  ["fares", "Fares"],
  ["fleet", "Boats"],
  ["news", "News"],
];

function frame({ path, title, body, active, build, asset }) {
  const links = NAVIGATION.map(
    ([id, text]) => `<a href="/${id}/"${id === active ? ' aria-current="page"' : ""}>${text}</a>`,
  ).join("");
  // The third build is broken on purpose: its home page asks for a script that the build does not hold.
  const broken =
    build.broken && path === "index.html"
      ? '\n<script type="module" src="/assets/deckchairs-Q4ZTRW7M.js"></script>'
      : "";
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<title>${title} | Pelican Sound Ferries</title>
<meta name="description" content="Ferries across Pelican Sound: crossings, timetables and fares."><meta property="og:image" content="${ADDRESS}/og-image.jpg">
<link rel="icon" href="/favicon.svg" type="image/svg+xml"><link rel="apple-touch-icon" href="/apple-touch-icon.png"><link rel="manifest" href="/site.webmanifest">
<link rel="alternate" type="application/atom+xml" href="/feed.xml"><link rel="stylesheet" href="${asset("site.css")}"><link rel="stylesheet" href="/print.css" media="print">
<script type="module" src="${asset("app.js")}"></script>${broken}
</head>
<body>
${build.notice === "" ? "" : `<div class="notice">${build.notice}</div>`}
<header class="wide top"><a class="brand" href="/"><img src="/favicon.svg" alt="" width="42" height="42">Pelican Sound Ferries</a><nav>${links}</nav></header>
<main>${body}</main>
<footer><div class="wide"><div><strong>Pelican Sound Ferries</strong><p>Harbour office, Quay Street 1, Port Alder. Boats sail in all weathers that a pelican would.</p></div>
<ul><li><a href="/about.html">About the line</a></li><li><a href="/harbours/">Harbours</a></li><li><a href="/contact.html">Contact</a></li><li><a href="/accessibility.html">Getting aboard</a></li></ul>
<ul><li><a href="/timetables/">${build.season}</a></li><li><a href="/downloads/timetable-card.txt" download>Pocket timetable</a></li><li><a href="/feed.xml">News feed</a></li></ul></div></footer>
</body>
</html>
`;
}

const lead = (title, text) => `<div class="wide lead"><h1>${title}</h1><p>${text}</p></div>`;

function home(crossings, build, asset, times) {
  const boats = crossings
    .map(
      ({ id, from, to }) =>
        `<div class="boat" data-departures="${id}"><strong>${from} to ${to}</strong><span class="times">${times(id).slice(0, 4).join(" · ")}${times(id).length > 4 ? " …" : ""}</span><br><span class="next">next boat ${times(id)[0]}</span></div>`,
    )
    .join("");
  return `<div class="hero"><div class="wide"><h1>The short way<br>across the sound</h1><p>Three boats, five harbours and a good view from every seat. Walk on, cycle on or bring the van.</p><a class="button" href="/timetables/">See when we sail</a><a class="button quiet" href="/fares/">Fares</a></div></div>
<div class="wide"><div class="board"><header><h2>Today’s departures</h2><span class="season">${build.season}</span></header><div class="boats">${boats}</div></div></div>
<section class="wide"><h2>Where we go</h2><div class="cards">${crossings.map((crossing) => crossingCard(crossing, asset)).join("")}</div></section>
<section class="wide split"><div><h2>One sound, five harbours</h2><p>From the market at Port Alder to the far islands: the longest crossing takes about an hour, the shortest as long as a cup of tea.</p><p><a href="/crossings/">All crossings</a></p></div><img data-map src="${asset("map.svg")}" alt="Map of our crossings" width="680" height="420"></section>
<section class="wide stories"><h2>News</h2>${build.news.slice(0, 2).map(story).join("")}</section>`;
}

const crossingCard = ({ id, from, to, minutes, fare, scene }, asset) =>
  `<a class="card" href="/crossings/${id}/"><img src="${asset(`scene-${scene}.webp`)}" alt="" width="800" height="450" loading="lazy"><div><h3>${from} to ${to}</h3><p>${minutes} minutes, from ${fare.toFixed(2)}</p></div></a>`;

const crossingPage = ({ id, from, to, minutes, fare, vessel, scene, text }, asset, times) =>
  `${lead(`${from} to ${to}`, text)}<div class="wide"><img class="banner" src="${asset(`scene-${scene}.webp`)}" alt="" width="800" height="450"><ul class="facts"><li>${minutes} minutes</li><li>from ${fare.toFixed(2)}</li><li>MV ${vessel}</li></ul><section><h2>Departures</h2><div class="boat" data-departures="${id}"><span class="times">${times(id).join(" · ")}</span><br><span class="next">next boat ${times(id)[0]}</span></div></section></div>`;

const timetables = (crossings, { season }, times) =>
  `${lead(season, "Times at the first harbour named. On the day, the harbour master has the last word.")}<div class="wide">${crossings
    .map(
      ({ id, from, to }) =>
        `<section><h2>${from} to ${to}</h2><table><tr><th>Departs</th>${times(id)
          .map((time) => `<td>${time}</td>`)
          .join("")}</tr></table></section>`,
    )
    .join("")}</div>`;

const fares = (crossings) =>
  `${lead("Fares", "Children under six sail free, and so do dogs that sit.")}<div class="wide split"><form data-fares><label>Crossing<select name="crossing">${crossings.map(({ from, to, fare }) => `<option value="${fare}">${from} to ${to}</option>`).join("")}</select></label><label>People<input name="people" type="number" min="1" max="20" value="2"></label><label><span><input name="bicycle" type="checkbox"> with a bicycle</span></label><output>–</output></form><table><tr><th>Crossing</th><th>One way</th><th>Return</th></tr>${crossings.map(({ from, to, fare }) => `<tr><td>${from} to ${to}</td><td>${fare.toFixed(2)}</td><td>${(fare * 1.8).toFixed(2)}</td></tr>`).join("")}</table></div>`;

const vesselCard = ({ id, name, year, guests, cars, scene }, asset) =>
  `<a class="card" href="/fleet/${id}/"><img src="${asset(`scene-${scene}.webp`)}" alt="" width="800" height="450" loading="lazy"><div><h3>${name}</h3><p>${guests} guests${cars > 0 ? `, ${cars} cars` : ""}, built ${year}</p></div></a>`;

const vesselPage = ({ name, year, guests, cars, scene, text }, asset) =>
  `${lead(name, text)}<div class="wide"><img class="banner" src="${asset(`scene-${scene}.webp`)}" alt="" width="800" height="450"><ul class="facts"><li>built ${year}</li><li>${guests} guests</li><li>${cars} cars</li></ul></div>`;

const story = ({ id, title, date, text }) =>
  `<article><time datetime="${date}">${date}</time><h3><a href="/news/${id}/">${title}</a></h3><p>${text}</p></article>`;

const harbourCard = ({ id, name }) =>
  `<a class="card" href="/harbours/${id}/"><img src="/photos/${id}.jpg" alt="" width="800" height="450" loading="lazy"><div><h3>${name}</h3></div></a>`;

const harbourPage = ({ id, name, text }) =>
  `${lead(name, text)}<div class="wide"><img class="banner" src="/photos/${id}.jpg" alt="" width="800" height="450"></div>`;
