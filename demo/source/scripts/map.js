import { nowMinutes } from "./clock.js";

/** Dims the map while no boat is at sea. */
export function show(picture) {
  const isNight = nowMinutes() < 6 * 60 || nowMinutes() > 23 * 60;
  picture.style.opacity = isNight ? ".6" : "1";
}
