import { existsSync, readFileSync } from "node:fs";

/** Beside the program; for a test, which runs the sources as they are, where the build has put it. */
const PLACES = ["./", "../../dist/"];

/** Text of a file that comes with the program. Throws where it is not there: then the package is damaged. */
export function readOwnFile(name: string): string {
  const places = PLACES.map((place) => new URL(place + name, import.meta.url));
  return readFileSync(places.find((place) => existsSync(place)) ?? (places[0] as URL), "utf8");
}
