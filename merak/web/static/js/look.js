// Taps on the plate: sent one after the other, so that quick taps all count although each answer redraws what is in the plate.

let last = Promise.resolve();
document.addEventListener("click", (event) => {
  const zone = event.target.closest("[data-zone]");
  if (!zone) return;
  const values = { zone: zone.dataset.zone, kind: zone.dataset.kind };
  last = last.then(() => window.htmx.ajax("POST", zone.dataset.address, { target: "#plate", values })).catch(() => {});
});
