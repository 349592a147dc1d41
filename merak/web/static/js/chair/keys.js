// Keys at the chair. A press is a press: a key that is held, or a foot switch that repeats without being let go, does its thing once.

import { around } from "../dom.js";

export class Keys {
  /**
   * @param {(event: KeyboardEvent) => (() => void) | null | undefined} does what a key does now, or nothing
   * @param {() => boolean} open whether something lies over the field
   */
  constructor(does, open) {
    /** @type {Set<string>} */
    const down = new Set();
    document.addEventListener("keydown", (event) => {
      const held = event.repeat || down.has(event.code || event.key);
      down.add(event.code || event.key);
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      const on = event.target;
      if (!(on instanceof Element)) return;
      const typing = on.matches("input:not([type=file]), textarea");
      if (typing && event.key !== "Escape") return;
      const inside = open() && on.closest(".over-field");
      // Enter and space work the control that has the focus in what lies over the field; Enter does so everywhere.
      const own = on.closest("button, a, label, [tabindex]:not(svg)");
      if (own && ((inside && [" ", "Enter"].includes(event.key)) || event.key === "Enter")) {
        if (held) event.preventDefault();
        return;
      }
      const act = does(event);
      if (!act) return;
      event.preventDefault();
      if (!held) act();
    });
    document.addEventListener("keyup", (event) => {
      down.delete(event.code || event.key);
      // What a space did on its way down, its way up does not do again to the button that has the focus.
      if (event.key === " " && around(event, "#chair button") && !around(event, ".over-field")) event.preventDefault();
    });
    window.addEventListener("blur", () => down.clear());
  }
}
