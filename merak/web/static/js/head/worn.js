// A plate's drawing laid on the head, and back: every path, line, dot and word of it keeps its place on the skin.

/** @typedef {import("./mesh.js").Cell} Cell */
/** @typedef {{ element: Element, flat: Record<string, string>, kind: string, group: Element | null, laid: number, runs: { cells: Cell[], closed: boolean }[] }} Piece */

/** Pieces of a line that are longer than this are bent, mm. */
const BEND = 4;
/** What belongs to the sheet and not to the skin. */
const SHEET = ".legend, .leader, .beside, .dot, .skull, .celsius, .crosshair, [data-tip], pattern";
const KEPT = { path: ["d"], polyline: ["points"], circle: ["cx", "cy"], text: ["x", "y"] };

/**
 * The lines of a path that is made of M, L, H, V and Z alone, which is all that a plate is drawn with.
 * @param {string} d
 */
export function lines(d) {
  /** @type {{ points: number[][], closed: boolean }[]} */
  const found = [];
  for (const [, letter, rest] of d.matchAll(/([MLHVZ])([^MLHVZ]*)/g)) {
    const numbers = rest.match(/-?[\d.]+/g)?.map(Number) ?? [], line = found.at(-1), last = line?.points.at(-1);
    if (letter === "Z" && line) line.closed = true;
    else if (letter === "H" && last) for (const x of numbers) line?.points.push([x, last[1]]);
    else if (letter === "V" && last) for (const y of numbers) line?.points.push([last[0], y]);
    else for (let n = 0; n + 1 < numbers.length; n += 2) {
      if (letter === "M" && n === 0) found.push({ points: [], closed: false });
      found.at(-1)?.points.push([numbers[n], numbers[n + 1]]);
    }
  }
  return found;
}

/**
 * A line with more points, where it is to bend.
 * @param {number[][]} points
 * @param {boolean} closed
 */
export function bent(points, closed) {
  const found = [points[0]], round = closed ? [...points, points[0]] : points;
  for (let n = 1; n < round.length; n += 1) {
    const [[ax, ay], [bx, by]] = [round[n - 1], round[n]], many = Math.max(1, Math.ceil(Math.hypot(bx - ax, by - ay) / BEND));
    for (let k = 1; k <= many; k += 1) found.push([ax + (bx - ax) * k / many, ay + (by - ay) * k / many]);
  }
  return found;
}

export class Worn {
  /**
   * @param {SVGSVGElement} svg
   * @param {import("./mesh.js").Head} head
   */
  constructor(svg, head) {
    this.svg = svg;
    this.head = head;
    this.box = svg.getAttribute("viewBox") ?? "";
    /** @type {Piece[]} */
    this.pieces = [];
    /** How far out the middle of each lies, mm. @type {Map<Element, number>} */
    this.middles = new Map();
    this.legend = svg.querySelector(".legend");
    this.foot = this.legend?.getAttribute("transform") ?? "";
    this.turned = 0;
    this.flat = true;
    this.skull = svg.querySelector(".skull");
    if (!this.skull) {
      this.skull = document.createElementNS("http://www.w3.org/2000/svg", "path");
      this.skull.classList.add("skull");
      svg.prepend(this.skull);
    }
    for (const element of svg.querySelectorAll("path, polyline, circle, text")) this.take(element);
  }

  /** @param {Element} element */
  take(element) {
    if (element.closest(SHEET)) return;
    const kind = /** @type {keyof typeof KEPT} */ (element.tagName), flat = Object.fromEntries(KEPT[kind].map((name) => [name, element.getAttribute(name) ?? ""]));
    const read = {
      path: () => lines(flat.d),
      polyline: () => [{ points: (flat.points.match(/\S+/g) ?? []).map((one) => one.split(",").map(Number)), closed: false }],
      circle: () => [{ points: [[Number(flat.cx), Number(flat.cy)]], closed: false }],
      text: () => [{ points: [[Number(flat.x), Number(flat.y)]], closed: false }],
    };
    const made = read[kind]().filter(({ points }) => points.length).map(({ points, closed }) => ({ closed, points: bent(points, closed) }));
    const runs = made.map(({ points, closed }) => ({ closed, cells: points.map(([x, y]) => this.head.cell(x, y)) }));
    this.pieces.push({ element, flat, kind, group: element.closest("[data-act]"), laid: 0, runs });
    const outs = made.flatMap(({ points }) => points.map(([x]) => x));
    if (outs.length) this.middles.set(element, outs.reduce((sum, x) => sum + x, 0) / outs.length);
  }

  /** Unrolled again. */
  unroll() {
    this.flat = true;
    delete this.svg.dataset.seen;
    if (this.box) this.svg.setAttribute("viewBox", this.box);
    this.legend?.setAttribute("transform", this.foot);
    for (const { element, flat } of this.pieces) {
      element.removeAttribute("data-behind");
      for (const [name, value] of Object.entries(flat)) element.setAttribute(name, value);
    }
  }

  /**
   * On the head, turned so.
   * @param {number} degrees
   */
  turn(degrees) {
    const [across, down] = this.head.scale;
    this.turned += 1;
    if (this.svg.dataset.seen === undefined) {
      this.svg.dataset.seen = `${-120 * across} ${-40 * down} ${240 * across} ${246 * down}`;
      this.svg.setAttribute("viewBox", this.svg.dataset.seen);
      this.legend?.setAttribute("transform", `translate(0 ${202 * down})`);
    }
    this.flat = false;
    this.head.turn(degrees);
    this.skull?.setAttribute("d", this.head.outline(degrees));
    this.freshen();
  }

  /** Takes what a group holds now, in the place of what it held. @param {Element} group */
  again(group) {
    const within = [group, ...group.querySelectorAll("*")].filter((one) => one.matches("path, polyline, circle, text"));
    this.pieces = this.pieces.filter(({ element }) => element.isConnected && !within.includes(element));
    for (const element of within) this.take(element);
    this.freshen();
  }

  /** Lays what is shown and was not yet since the last turn. */
  freshen() {
    if (this.flat) return;
    for (const piece of this.pieces) {
      if (piece.laid === this.turned || piece.group?.hasAttribute("hidden")) continue;
      piece.laid = this.turned;
      this.lay(piece);
    }
  }

  /** @param {Piece} piece */
  lay({ element, kind, runs }) {
    let seen = 0, all = 0, d = "";
    /** @type {string[]} */
    const points = [];
    for (const { cells, closed } of runs) {
      let down = false;
      for (const cell of cells) {
        const shown = this.head.shows(cell), at = `${this.head.across(cell)} ${cell.y}`;
        all += 1;
        if (shown) seen += 1;
        if (kind !== "path") points.push(at);
        else if (closed || shown) d += `${down ? "L" : "M"}${at}`;
        down = closed || shown;
      }
      if (closed && cells.length) d += "Z";
    }
    const behind = all > 0 && !seen;
    if (behind !== element.hasAttribute("data-behind")) element.toggleAttribute("data-behind", behind);
    if (kind === "path") element.setAttribute("d", d);
    else if (kind === "polyline") element.setAttribute("points", points.join(" "));
    else if (points.length) points[0].split(" ").forEach((value, n) => element.setAttribute((kind === "circle" ? ["cx", "cy"] : ["x", "y"])[n], value));
  }

  /**
   * Where a piece lies on the plate: how far out its middle is, mm; null for what is no piece of it.
   * @param {Element} element
   * @returns {number | null}
   */
  middle(element) {
    return this.middles.get(element) ?? null;
  }
}
