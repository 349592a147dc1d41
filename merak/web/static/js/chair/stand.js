// Where the therapist stands: behind the client's head the plate is turned, as the hand sees it; what is written on it stays upright.
// Each says it once on a device.

import { at, chair } from "./chair.js";

const kept = `merak.stands.${chair.dataset.me}`;

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
