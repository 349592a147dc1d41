// Photographs side by side: three clicks that measure a change of colour.

import { byId, inside } from "./dom.js";

const measure = document.getElementById("measure");
/** @type {SVGSVGElement[]} */
const photos = [...document.querySelectorAll("#one, #other")].filter((one) => one instanceof SVGSVGElement);
/** Step → where it was clicked; null before it was asked for. @type {Record<string, string> | null} */
let found = null;

/** @param {string | undefined} words */
const parts = (words) => (words ?? "").split("|");

/** @param {Record<string, string>} so_far */
function ask(so_far) {
  byId("measuring", HTMLElement).textContent = parts(measure?.dataset.words)[Object.keys(so_far).length];
}

measure?.addEventListener("click", () => {
  found = {};
  for (const photo of photos) photo.classList.add("clicking");
  ask(found);
});

for (const photo of photos) {
  photo.addEventListener("click", (event) => {
    if (!found) return;
    const steps = parts(measure?.dataset.steps), step = steps[Object.keys(found).length];
    if ((step === "neutral_one") !== (photo.id === "one")) return;
    const at = inside(event, photo);
    found[step] = `${at.x.toFixed(1)},${at.y.toFixed(1)}`;
    if (Object.keys(found).length < steps.length) { ask(found); return; }
    const address = new URL(location.href);
    for (const [key, value] of Object.entries(found)) address.searchParams.set(key, value);
    location.assign(address);
  });
}
