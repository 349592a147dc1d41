// STOP that is hit while the rest is still loading is heard; then the chair begins.

let early = false;
document.getElementById("stop")?.addEventListener("click", () => { early = true; }, { once: true });
const { begin } = await import(document.getElementById("chair")?.dataset.main ?? "");
begin(early);

export {};
