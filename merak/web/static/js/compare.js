// Photographs side by side: three clicks that measure a change of colour.
const measure = document.getElementById("measure");
const words = document.getElementById("measuring");
let found = null;

function ask() {
  words.textContent = measure.dataset.words.split("|")[Object.keys(found).length];
}

measure?.addEventListener("click", () => {
  found = {};
  for (const photo of document.querySelectorAll("#one, #other")) photo.classList.add("clicking");
  ask();
});

for (const photo of document.querySelectorAll("#one, #other")) {
  photo.addEventListener("click", (event) => {
    if (!found) return;
    const steps = measure.dataset.steps.split("|");
    const step = steps[Object.keys(found).length];
    if ((step === "neutral_one") !== (photo.id === "one")) return;
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(photo.getScreenCTM().inverse());
    found[step] = `${at.x.toFixed(1)},${at.y.toFixed(1)}`;
    if (Object.keys(found).length < steps.length) { ask(); return; }
    const address = new URL(location.href);
    for (const [key, value] of Object.entries(found)) address.searchParams.set(key, value);
    location.assign(address);
  });
}
