const CACHE = "Summer timetable";
const KEPT = ["/","/timetables/","/assets/app-5GJKRH6D.js","/assets/site-3OWTC7UY.css"];
self.addEventListener("install", (event) => event.waitUntil(caches.open(CACHE).then((cache) => cache.addAll(KEPT))));
self.addEventListener("activate", (event) => event.waitUntil(caches.keys().then((names) => Promise.all(names.filter((name) => name !== CACHE).map((name) => caches.delete(name))))));
self.addEventListener("fetch", (event) => {
  if (event.request.mode === "navigate") event.respondWith(fetch(event.request).catch(() => caches.match(event.request)));
});
