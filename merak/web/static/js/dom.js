// Elements of a page by their id and around an event, as the kind that they are.

/**
 * The element with an id. Throws where there is none of this kind: the page is not the one that its script was written for.
 * @template {Element} T
 * @param {string} id
 * @param {new () => T} kind
 * @returns {T}
 */
export function byId(id, kind) {
  const found = document.getElementById(id);
  if (!(found instanceof kind)) throw new Error(`there is no ${kind.name} #${id}`);
  return found;
}

/** A control that a form sends. @typedef {HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement} Control */

/**
 * The element where an event happened; null where that is the page itself.
 * @param {Event} event
 * @returns {HTMLElement | null}
 */
export const on = (event) => (event.target instanceof Element ? /** @type {HTMLElement} */ (event.target) : null);

/**
 * The nearest element of a kind around where an event happened.
 * @param {Event} event
 * @param {string} what
 * @returns {HTMLElement | null}
 */
export const around = (event, what) => on(event)?.closest(what) ?? null;

/**
 * The control where an event happened; null where it was none.
 * @param {Event} event
 * @returns {Control | null}
 */
export const control = (event) => (isControl(event.target) ? event.target : null);

/**
 * @param {unknown} one
 * @returns {one is Control}
 */
export const isControl = (one) => one instanceof HTMLInputElement || one instanceof HTMLSelectElement || one instanceof HTMLTextAreaElement;

/**
 * The form that an event is about.
 * @param {Event} event
 */
export const formOf = (event) => /** @type {HTMLFormElement} */ (event.target);

/** @param {Event} event whether somebody is typing where it happened */
export const typed = (event) => on(event)?.matches("input:not([type=radio]):not([type=checkbox]), textarea, select") ?? false;

/**
 * @param {string} what
 * @param {ParentNode} [where]
 * @returns {HTMLElement[]}
 */
export const every = (what, where = document) => [...where.querySelectorAll(what)].map((one) => /** @type {HTMLElement} */ (one));

/**
 * Where a pointer is on a drawing, in the drawing's own measure.
 * @param {MouseEvent} event
 * @param {SVGGraphicsElement} drawing
 */
export function inside(event, drawing) {
  const screen = drawing.getScreenCTM();
  if (!screen) throw new Error("a drawing that is not drawn has no places");
  return new DOMPoint(event.clientX, event.clientY).matrixTransform(screen.inverse());
}
