// The entry script: each part of a page is loaded only where the page has it.
const parts = {
  "[data-departures]": () => import("./departures.js"),
  "[data-fares]": () => import("./fares.js"),
  "[data-map]": () => import("./map.js"),
};
for (const [selector, load] of Object.entries(parts)) {
  const places = document.querySelectorAll(selector);
  if (places.length > 0) load().then(({ show }) => places.forEach(show));
}
if ("serviceWorker" in navigator) navigator.serviceWorker.register("/sw.js");
