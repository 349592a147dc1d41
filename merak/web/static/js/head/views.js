// From where a plate is seen: unrolled, or on the head, turned by buttons, by drag or by keys. What was chosen stays on this device.

import { around, every } from "../dom.js";
import { Head } from "./mesh.js";
import { Worn } from "./worn.js";

/** Three-quarter and beyond, as the hand goes outward; from so far out on, mm of the plate. */
const BY_PLACE = [[100, 60], [22, 35], [0, 0]];
const LONG_MS = 240, BY_KEY = 15;
/** A drag across so many pixels is a degree. */
const PIXELS = 2.2;
const calm = matchMedia("(prefers-reduced-motion: reduce)");

/** @param {number} degrees */
const within = (degrees) => Math.min(90, Math.max(-90, degrees));
/** The view that shows a place, in degrees. @param {number} x of the plate, mm */
export const towards = (x) => Math.sign(x) * (BY_PLACE.find(([from]) => Math.abs(x) >= from) ?? [0, 0])[1];

export class Views {
  /**
   * @param {string} name under which the choice is kept
   * @param {string} first what is chosen before anybody chose: "flat", "hand", or degrees
   * @param {() => void} [then] told after each turn
   * @param {() => boolean} [turns] whether a drag turns the head now
   */
  constructor(name, first, then = () => {}, turns = () => true) {
    this.name = `merak.view.${name}`;
    this.chosen = localStorage.getItem(this.name) ?? first;
    this.then = then;
    this.turns = turns;
    this.degrees = this.goal = Number(this.chosen) || 0;
    this.frame = 0;
    this.told = "";
    this.marked = "";
    /** @type {Head | null} */
    this.head = null;
    /** @type {Worn | null} */
    this.worn = null;
    /** What a plate that is drawn often borrows. @type {Worn | null} */
    this.ground = null;
    document.addEventListener("click", (event) => {
      const wanted = around(event, "[data-turn]")?.dataset.turn;
      if (wanted !== undefined) this.choose(wanted);
    });
    for (const drawn of ["htmx:afterSwap", "htmx:oobAfterSwap"]) document.addEventListener(drawn, () => this.wear());
  }

  /** Takes a plate that is drawn, or drawn anew; one without a head stays as it is. */
  wear() {
    const svg = document.querySelector("svg[data-head]"), told = document.getElementById("head");
    if (!(svg instanceof SVGSVGElement) || !told || this.worn?.svg === svg) return;
    if (this.told !== told.textContent) {  // another tape, another head
      this.told = told.textContent ?? "";
      this.head = new Head(JSON.parse(this.told));
    }
    if (!this.head) return;
    this.marked = "";
    const lender = document.querySelector("svg.lender");
    if (lender instanceof SVGSVGElement && this.ground?.svg !== lender) this.ground = new Worn(lender, this.head);
    this.worn = new Worn(svg, this.head);
    this.drag(svg);
    svg.addEventListener("focusin", (event) => {
      if (event.target instanceof Element && event.target.hasAttribute("data-behind")) this.face(event.target);
    });
    if (this.chosen === "flat") this.mark();
    else this.show(this.degrees);
  }

  /** @param {string} wanted */
  choose(wanted) {
    this.keep(wanted);
    if (wanted === "flat") {
      cancelAnimationFrame(this.frame);
      for (const one of [this.ground, this.worn]) one?.unroll();
      this.mark();
      this.then();
    } else this.to(wanted === "hand" ? this.degrees : Number(wanted));
  }

  /** @param {string} chosen */
  keep(chosen) {
    this.chosen = chosen;
    localStorage.setItem(this.name, chosen);
  }

  /** Turns the head so that an element of the drawing is seen. @param {Element} element */
  face(element) {
    const out = this.worn?.middle(element) ?? null, degrees = out === null ? this.goal : towards(out);
    if (degrees !== this.goal) this.to(degrees);
  }

  /** Where the hand is: the head follows it, unless a view was chosen. @param {Element | undefined} element */
  follow(element) {
    if (this.chosen === "hand" && element) this.face(element);
    this.worn?.freshen();
  }

  /** @param {number} degrees */
  to(degrees) {
    const from = this.worn?.flat ? degrees : this.degrees, began = performance.now();
    this.goal = degrees;
    cancelAnimationFrame(this.frame);
    const atOnce = calm.matches || from === degrees;
    const next = () => {
      const share = atOnce ? 1 : Math.min(1, (performance.now() - began) / LONG_MS);
      this.show(from + (degrees - from) * share * share * (3 - 2 * share));
      if (share < 1) this.frame = requestAnimationFrame(next);
    };
    if (atOnce) next();
    else this.frame = requestAnimationFrame(next);  // what was tapped is painted first
  }

  /** @param {number} degrees */
  show(degrees) {
    this.degrees = degrees;
    for (const one of [this.ground, this.worn]) one?.turn(degrees);
    this.mark();
    this.then();
  }

  mark() {
    const side = this.degrees > 60 ? "left" : this.degrees < -60 ? "right" : "both", svg = this.worn?.svg;
    svg?.setAttribute("data-turned", this.chosen === "flat" ? "flat" : String(Math.round(this.degrees)));
    svg?.setAttribute("data-side", this.chosen === "flat" ? "both" : side);
    if (this.marked === this.chosen) return;
    this.marked = this.chosen;
    for (const button of every("[data-turn]")) button.setAttribute("aria-pressed", String(button.dataset.turn === this.chosen));
  }

  /** Turned by drag; what is only tapped is a tap. @param {SVGSVGElement} svg */
  drag(svg) {
    /** @type {{ x: number, degrees: number } | null} */
    let from = null;
    let turned = false;
    svg.addEventListener("pointerdown", (event) => { [from, turned] = [{ x: event.clientX, degrees: this.degrees }, false]; });
    svg.addEventListener("pointermove", (event) => {
      if (!from || !event.buttons || this.worn?.flat || !this.turns()) return;
      const by = (event.clientX - from.x) / PIXELS;
      turned ||= Math.abs(by) > 4;
      if (!turned) return;
      cancelAnimationFrame(this.frame);
      this.goal = within(from.degrees + (svg.closest(".behind") ? by : -by));
      this.keep(String(Math.round(this.goal)));
      this.show(this.goal);
    });
    // The click that ends a drag is no tap; one that a key makes is (it has no detail).
    svg.addEventListener("click", (event) => { if (turned && event.detail) event.stopPropagation(); }, true);
  }

  /** A key that turns: “,” to the client's right, “.” to the left, “u” unrolled and back. @param {string} key */
  key(key) {
    const by = { ",": -BY_KEY, ".": BY_KEY }[key] ?? 0;
    if (key === "u") this.choose(this.chosen === "flat" ? String(this.degrees) : "flat");
    else if (by) this.choose(String(within(Math.round(this.goal / BY_KEY) * BY_KEY + by)));
  }
}
