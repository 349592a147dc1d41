// From where the plate is seen at the chair: the head follows the hand, or stays as it was turned; whoever stands behind the client's head
// sees it turned about, with all that is written on it upright. Each says it once on a device.

import { every } from "../dom.js";
import { Views } from "../head/views.js";
import { at, chair, it } from "./chair.js";

const kept = `merak.stands.${chair.dataset.me}`;

export const views = new Views(`chair.${chair.dataset.me}`, "hand", () => {
  every("text.celsius").forEach((one) => one.remove());
  if (it.state) it.painter.plate(it.state);
});
it.painter.lay = (place) => views.follow(place);
views.wear();

function shown() {
  const behind = localStorage.getItem(kept) === "behind";
  chair.classList.toggle("behind", behind);
  at("stands").setAttribute("aria-pressed", String(behind));
  at("stands").textContent = behind ? "I stand behind the head" : "I stand facing the client";
}

export function turnPlate() {
  localStorage.setItem(kept, chair.classList.contains("behind") ? "facing" : "behind");
  shown();
}

at("stands").addEventListener("click", turnPlate);
shown();
