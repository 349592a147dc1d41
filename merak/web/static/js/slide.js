// The line that is slid between a photograph and the one that lies over it.

import { byId } from "./dom.js";

const slide = document.getElementById("slide");
if (slide instanceof HTMLInputElement) {
  slide.addEventListener("input", () => {
    const box = byId("over", SVGSVGElement).viewBox.baseVal;
    const x = box.width * Number(slide.value) / 100;
    byId("cut", SVGRectElement).setAttribute("width", `${x}`);
    for (const end of ["x1", "x2"]) byId("seam", SVGLineElement).setAttribute(end, `${x}`);
  });
}
