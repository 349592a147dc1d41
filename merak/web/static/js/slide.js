// The line that is slid between a photograph and the one that lies over it.
const slide = document.getElementById("slide");
slide?.addEventListener("input", () => {
  const box = document.getElementById("over").viewBox.baseVal;
  const x = box.width * slide.value / 100;
  document.getElementById("cut").setAttribute("width", x);
  document.getElementById("seam").setAttribute("d", `M${x} 0V${box.height}`);
});
