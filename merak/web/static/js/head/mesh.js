// The head that a plate lies on, and a view of it: the same rules as merak/core/body/head.py, point for point.

/**
 * @typedef {{ columns: number[], levels: number[], at: number[][][], skull: number[][], across: number, down: number }} Told
 * @typedef {{ first: number, down: number, out: number, y: number }} Cell the first corner of the mesh's cell that a plate point lies in, how
 *   far in it, and how low it stands, which no turn changes
 * @typedef {{ stands: Float64Array, x: Float64Array }} View where each point of the mesh stands across, and where it is drawn
 */

/**
 * The step of an axis that a value lies in, and how far in it.
 * @param {number[]} axis
 * @param {number} value
 * @returns {[number, number]}
 */
function step(axis, value) {
  const width = axis[1] - axis[0];
  const n = Math.min(Math.max(Math.floor((value - axis[0]) / width), 0), axis.length - 2);
  return [n, (value - axis[n]) / width];
}

/**
 * Where in a mesh cell a place is seen, each of 0 to 1; null outside it. Found by Newton's steps.
 * @param {number[]} u
 * @param {number[]} v
 * @param {number} right
 * @param {number} low
 * @returns {[number, number] | null}
 */
function inside(u, v, right, low) {
  let s = 0.5, t = 0.5;
  for (let n = 0; n < 12; n += 1) {
    /** @type {(w: number[]) => [number, number, number]} where it is, and how it grows with s and with t */
    const at = (w) => [
      (w[0] * (1 - s) + w[1] * s) * (1 - t) + (w[2] * (1 - s) + w[3] * s) * t,
      (w[1] - w[0]) * (1 - t) + (w[3] - w[2]) * t,
      (w[2] - w[0]) * (1 - s) + (w[3] - w[1]) * s,
    ];
    const [uIs, us, ut] = at(u), [vIs, vs, vt] = at(v), det = us * vt - ut * vs, du = uIs - right, dv = vIs - low;
    if (Math.abs(det) < 1e-9) return null;
    [s, t] = [s - (du * vt - dv * ut) / det, t - (dv * us - du * vs) / det];
    if (Math.abs(s - 0.5) > 5 || Math.abs(t - 0.5) > 5) return null;
  }
  const within = (/** @type {number} */ w) => w >= -1e-6 && w <= 1 + 1e-6;
  return within(s) && within(t) ? [s, t] : null;
}

/** So near to its own place a point is drawn that is seen, mm. */
const HIDDEN = 0.05;

export class Head {
  /** @param {Told} told */
  constructor(told) {
    this.skull = told.skull;
    this.scale = [told.across, told.down];
    this.columns = [...told.columns.slice(1).reverse().map((x) => -x), ...told.columns];
    this.levels = told.levels;
    this.wide = this.columns.length;
    const many = this.wide * this.levels.length, centre = told.columns.length - 1;
    this.left = new Float64Array(many);
    this.low = new Float64Array(many);
    this.fore = new Float64Array(many);
    told.at.forEach((line, row) => line.forEach(([x, y, z], column) => {
      for (const side of column ? [-1, 1] : [1]) {
        const n = row * this.wide + centre + side * column;
        [this.left[n], this.low[n], this.fore[n]] = [side * x, y, z];
      }
    }));
    /** @type {View} */
    this.view = { stands: new Float64Array(many), x: new Float64Array(many) };
    this.turn(0);
  }

  /**
   * The head turned by so many degrees to show its left, or, below zero, its right. What lies behind is put on the edge that hides it.
   * @param {number} degrees
   */
  turn(degrees) {
    const turn = degrees * Math.PI / 180, c = Math.cos(turn), s = Math.sin(turn), { stands, x } = this.view;
    for (let row = 0; row < this.levels.length; row += 1) {
      const from = row * this.wide, to = from + this.wide;
      let nearest = from, most = -Infinity;
      for (let n = from; n < to; n += 1) {
        stands[n] = this.left[n] * c - this.fore[n] * s;
        const toward = this.left[n] * s + this.fore[n] * c;
        if (toward > most) [most, nearest] = [toward, n];
      }
      for (let n = nearest, edge = -Infinity; n < to; n += 1) x[n] = edge = Math.max(edge, stands[n]);
      for (let n = nearest, edge = Infinity; n >= from; n -= 1) x[n] = edge = Math.min(edge, stands[n]);
    }
  }

  /**
   * @param {number} x of the plate, mm
   * @param {number} y
   * @returns {Cell}
   */
  cell(x, y) {
    const [row, down] = step(this.levels, y), [column, out] = step(this.columns, x), first = row * this.wide + column;
    return { first, down, out, y: Math.round(this.mixed(this.low, first, down, out) * 10) / 10 };
  }

  /**
   * @param {Float64Array} of
   * @param {number} a
   * @param {number} down
   * @param {number} out
   */
  mixed(of, a, down, out) {
    const c = a + this.wide;
    return (of[a] * (1 - out) + of[a + 1] * out) * (1 - down) + (of[c] * (1 - out) + of[c + 1] * out) * down;
  }

  /**
   * Where a plate point stands across the view, mm.
   * @param {Cell} cell
   */
  across({ first, down, out }) {
    return Math.round(this.mixed(this.view.x, first, down, out) * 10) / 10;
  }

  /**
   * Whether a plate point is seen in the view.
   * @param {Cell} cell
   */
  shows({ first, down, out }) {
    return Math.abs(this.mixed(this.view.stands, first, down, out) - this.mixed(this.view.x, first, down, out)) < HIDDEN;
  }

  /**
   * The plate point that is seen at a place of the view, mm; null beside the face.
   * @param {number} right
   * @param {number} low
   * @returns {[number, number] | null}
   */
  place(right, low) {
    const { stands, x } = this.view;
    for (let row = 0; row + 1 < this.levels.length; row += 1) {
      for (let column = 0; column + 1 < this.wide; column += 1) {
        const first = row * this.wide + column, corners = [first, first + 1, first + this.wide, first + this.wide + 1];
        if (corners.every((n) => Math.abs(stands[n] - x[n]) >= HIDDEN)) continue;
        const u = corners.map((n) => x[n]), v = corners.map((n) => this.low[n]);
        if (Math.max(...u) < right - 1 || Math.min(...u) > right + 1 || Math.max(...v) < low - 1 || Math.min(...v) > low + 1) continue;
        const inner = inside(u, v, right, low);
        if (!inner) continue;
        const [s, t] = inner, wide = this.columns[column + 1] - this.columns[column], tall = this.levels[row + 1] - this.levels[row];
        /** @type {[number, number]} */
        const there = [this.columns[column] + s * wide, this.levels[row] + t * tall];
        if (this.shows(this.cell(...there))) return there;
      }
    }
    return null;
  }

  /**
   * The outline of skull and neck behind the face, open at the foot.
   * @param {number} degrees
   */
  outline(degrees) {
    const turn = degrees * Math.PI / 180, c = Math.cos(turn), s = Math.sin(turn);
    const edge = this.skull.map(([y, half, front, back]) => [-((front + back) / 2) * s, Math.hypot(half * c, (front - back) / 2 * s), y]);
    const right = edge.map(([middle, wide, y]) => `${(middle + wide).toFixed(1)} ${y.toFixed(1)}`);
    const left = edge.map(([middle, wide, y]) => `${(middle - wide).toFixed(1)} ${y.toFixed(1)}`).reverse();
    return `M${[...left, ...right].join("L")}`;
  }
}
