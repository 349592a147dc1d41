// The aftercare sheet as PDF: made without leaving the page, with word of it; without scripts the link opens it all the same.

import { around } from "./dom.js";

document.addEventListener("click", async (event) => {
  const link = around(event, ".make-pdf"), word = link?.closest("section")?.querySelector(".making");
  if (!(link instanceof HTMLAnchorElement) || !(word instanceof HTMLElement)) return;
  event.preventDefault();
  word.hidden = false;
  try {
    const answer = await fetch(link.href);
    if (!answer.ok) throw new Error(`${answer.status}`);
    const made = document.createElement("a");
    made.href = URL.createObjectURL(await answer.blob());
    made.target = "_blank";
    made.rel = "noopener";
    made.dataset.made = "yes";
    word.hidden = true;
    made.click();
  } catch {
    word.textContent = "The sheet could not be made. Print this page instead, or try once more.";
  }
});
