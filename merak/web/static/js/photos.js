// Photographs: landmarks clicked in their order, a camera with an outline to fit into.
import { byId, inside } from "./dom.js";

const photo = /** @type {SVGSVGElement | null} */ (document.querySelector("svg#photo"));
const again = document.getElementById("again");
/** The landmarks clicked so far; null before they are asked for. @type {[number, number][] | null} */
let clicked = null;

again?.addEventListener("click", () => {
  clicked = [];
  for (const dot of photo.querySelectorAll(".landmark")) dot.remove();
  photo.classList.add("clicking");
  say();
});

function say() {
  const names = photo.dataset.names.split("|");
  document.getElementById("next").textContent = clicked.length < names.length ? `Click: ${names[clicked.length]} (${clicked.length + 1} of ${names.length})` : "Kept.";
}

photo?.addEventListener("click", (event) => {
  if (!clicked) return;
  const at = inside(event, photo);
  clicked.push([at.x, at.y]);
  const dot = document.createElementNS("http://www.w3.org/2000/svg", "circle");
  dot.setAttribute("class", "landmark");
  dot.setAttribute("cx", String(at.x));
  dot.setAttribute("cy", String(at.y));
  dot.setAttribute("r", String(photo.viewBox.baseVal.width / 110));
  photo.append(dot);
  say();
  if (clicked.length === photo.dataset.names.split("|").length) {
    byId("points", HTMLInputElement).value = clicked.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
    byId("landmarks", HTMLFormElement).submit();
  }
});

const camera = byId("camera", HTMLElement), booth = byId("booth", HTMLDialogElement), live = byId("live", HTMLVideoElement);
if (navigator.mediaDevices?.getUserMedia) camera.hidden = false;
camera.addEventListener("click", async () => {
  booth.showModal();
  try {
    live.srcObject = await navigator.mediaDevices.getUserMedia({ video: { width: { ideal: 1920 }, height: { ideal: 1440 } } });
    await live.play();
  } catch {
    document.getElementById("slip-camera").textContent = "No camera here, or it is not allowed. A file can be chosen instead.";
  }
});
booth.addEventListener("close", () => { if (live.srcObject instanceof MediaStream) for (const track of live.srcObject.getTracks()) track.stop(); });
document.getElementById("shutter").addEventListener("click", () => {
  if (!live.videoWidth) return;
  const canvas = document.createElement("canvas");
  canvas.width = live.videoWidth;
  canvas.height = live.videoHeight;
  canvas.getContext("2d").drawImage(live, 0, 0);
  canvas.toBlob((blob) => {
    const files = new DataTransfer();
    files.items.add(new File([blob], "photo.jpg", { type: "image/jpeg" }));
    byId("file", HTMLInputElement).files = files.files;
    booth.close();
    byId("upload", HTMLFormElement).submit();
  }, "image/jpeg", 0.92);
});
