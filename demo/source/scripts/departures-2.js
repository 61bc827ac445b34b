import { nowMinutes, toMinutes } from "./clock.js";

/** Marks the next boat of a crossing and says how long it is until it leaves. */
export async function show(place) {
  const { times } = await (await fetch(`/timetables/${place.dataset.departures}.json`)).json();
  const next = times.find((time) => toMinutes(time) > nowMinutes());
  const wait = next && toMinutes(next) - nowMinutes();
  place.querySelector(".next").textContent = next
    ? `next boat ${next}, in ${wait >= 60 ? `${Math.floor(wait / 60)} h ` : ""}${wait % 60} min`
    : `first boat tomorrow ${times[0]}`;
}
