/**
 * The forms of `Accept-Encoding` (RFC 9110 §12.5.3) in which clients ask, as they send them by themselves; the empty one is no
 * header at all. A cache may keep a copy for each. Taken from what the clients named here document or were seen to send.
 */
export const CLIENT_FORMS: readonly string[] = [
  // Browsers of the Chromium and Gecko families over https, since 2024.
  "gzip, deflate, br, zstd",
  // Browsers of the WebKit family, older browsers, most crawlers.
  "gzip, deflate, br",
  // Any browser over plain http; libraries for Python.
  "gzip, deflate",
  // `fetch` of Node.js.
  "br, gzip, deflate",
  // The HTTP client of Go, monitors, feed readers.
  "gzip",
  // Proxies that choose one coding for all.
  "br",
  // Crawlers that leave out the space.
  "gzip,deflate",
  // Command-line clients that are asked to decompress.
  "deflate, gzip, br, zstd",
  // The HTTP client of Ruby: weights.
  "gzip;q=1.0,deflate;q=0.6,identity;q=0.3",
  // Command-line clients that fetch files.
  "identity",
  // Command-line clients, health checks.
  "",
];
