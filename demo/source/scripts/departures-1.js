import { nowMinutes, toMinutes } from "./clock.js";

/** Marks the next boat of a crossing. */
export async function show(place) {
  const { times } = await (await fetch(`/timetables/${place.dataset.departures}.json`)).json();
  const next = times.find((time) => toMinutes(time) > nowMinutes()) ?? times[0];
  place.querySelector(".next").textContent = `next boat ${next}`;
}
