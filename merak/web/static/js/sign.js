// A signature or initials drawn with a finger, a pen or the mouse; they go along with the form as a picture.

import { byId } from "./dom.js";

let inked = false;

function ready() {
  const pad = document.getElementById("pad");
  if (!(pad instanceof HTMLCanvasElement) || pad.dataset.ready) return;
  const form = pad.closest("form"), pen = pad.getContext("2d");
  if (!form || !pen) return;
  pad.dataset.ready = "yes";
  inked = false;
  pen.lineWidth = 3.2;
  pen.lineCap = pen.lineJoin = "round";
  pen.strokeStyle = "#1c1a17";
  draws(pad, pen);
  byId("wipe", HTMLElement).addEventListener("click", () => { pen.clearRect(0, 0, pad.width, pad.height); inked = false; });
  form.addEventListener("submit", (event) => {
    const elsewhere = form.querySelector("[data-not-drawn]:checked");
    if (inked && !elsewhere) byId("signature", HTMLInputElement).value = pad.toDataURL("image/png");
    if (event.submitter && "signs" in event.submitter.dataset && !inked && !elsewhere) {
      event.preventDefault();
      byId("slip-signature", HTMLElement).textContent = pad.dataset.missing ?? "";
    }
  });
}

/**
 * @param {HTMLCanvasElement} pad
 * @param {CanvasRenderingContext2D} pen
 */
function draws(pad, pen) {
  let down = false;
  /** @param {PointerEvent} event @returns {[number, number]} */
  const at = (event) => {
    const box = pad.getBoundingClientRect();
    return [(event.clientX - box.left) * pad.width / box.width, (event.clientY - box.top) * pad.height / box.height];
  };
  pad.addEventListener("pointerdown", (event) => {
    down = true;
    pad.setPointerCapture(event.pointerId);
    pen.beginPath();
    pen.moveTo(...at(event));
    event.preventDefault();
  });
  pad.addEventListener("pointermove", (event) => { if (!down) return; inked = true; pen.lineTo(...at(event)); pen.stroke(); });
  for (const end of ["pointerup", "pointercancel"]) pad.addEventListener(end, () => { down = false; });
}

ready();
document.addEventListener("htmx:afterSettle", ready);
