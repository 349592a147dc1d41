// A signature or initials drawn with a finger, a pen or the mouse; they go along with the form as a picture.
let inked = false;

function ready() {
  const pad = document.getElementById("pad");
  if (!pad || pad.dataset.ready) return;
  pad.dataset.ready = "yes";
  inked = false;
  const form = pad.closest("form");
  const pen = pad.getContext("2d");
  pen.lineWidth = 3.2;
  pen.lineCap = pen.lineJoin = "round";
  pen.strokeStyle = "#1c1a17";
  const at = (event) => { const box = pad.getBoundingClientRect(); return [(event.clientX - box.left) * pad.width / box.width, (event.clientY - box.top) * pad.height / box.height]; };
  let down = false;
  pad.addEventListener("pointerdown", (event) => { down = true; pad.setPointerCapture(event.pointerId); pen.beginPath(); pen.moveTo(...at(event)); event.preventDefault(); });
  pad.addEventListener("pointermove", (event) => { if (!down) return; inked = true; pen.lineTo(...at(event)); pen.stroke(); });
  for (const end of ["pointerup", "pointercancel"]) pad.addEventListener(end, () => { down = false; });
  document.getElementById("wipe").addEventListener("click", () => { pen.clearRect(0, 0, pad.width, pad.height); inked = false; });
  form.addEventListener("submit", (event) => {
    const elsewhere = form.querySelector("[data-not-drawn]:checked");
    if (inked && !elsewhere) document.getElementById("signature").value = pad.toDataURL("image/png");
    if (event.submitter && "signs" in event.submitter.dataset && !inked && !elsewhere) {
      event.preventDefault();
      document.getElementById("slip-signature").textContent = pad.dataset.missing;
    }
  });
}
ready();
document.addEventListener("htmx:afterSettle", ready);
