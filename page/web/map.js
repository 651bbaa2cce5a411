// A figure over the two dials last turned: each cell a run, the place of now marked; a click takes
// both values of a cell.

import { post } from './api.js';
import { scaleOf } from './dials.js';
import { short } from './settings.js';
import { ink } from './view.js';

const byId = (id) => document.getElementById(id);
const CELLS = 9; // to a side
const REST_MS = 600;
const TOO_LONG_MS = 30; // a run that takes longer is not made eighty-one times
const REACH = 0.3; // of a slider, to both sides of the value it has
const REGIMES = ['stable', 'rings', 'unstable'];
const LIKED = ['overshoot_percent', 'settling_time_s', 'rms_gap'];

/** The values about a place on a dial's slider, evenly, kept within what is allowed. */
function valuesAbout(dial, now) {
  const scale = scaleOf(dial);
  const [low, high] = dial.hard;
  const middle = Math.min(1 - REACH, Math.max(REACH, scale.place(now)));
  const values = Array.from({ length: CELLS }, (_, i) => {
    const value = scale.value(middle + REACH * (2 * i / (CELLS - 1) - 1));
    return Number(Math.min(high ?? Infinity, Math.max(low ?? -Infinity, value)).toPrecision(4));
  });
  return [...new Set(values)];
}

export class DialMap {
  constructor(page) {
    this.page = page;
    this.section = byId('map');
    this.select = byId('map-figure');
    this.canvas = byId('map-cells');
    this.turned = []; // paths of dials, the last one first
    this.last = {};
    this.asked = 0;
    this.busy = 0; // maps that are being made: they make every run slower
    this.answer = null;
    page.settings.onChange((what) => {
      if (what === 'value') this.#note();
      if (what === 'value' || what === 'history') this.askSoon();
      if (what === 'dials') this.turned = this.turned.filter((path) => page.settings.dials.has(path));
    });
    this.select.addEventListener('change', () => this.draw());
    byId('map-open').addEventListener('toggle', () => this.askSoon());
    this.canvas.addEventListener('click', (event) => this.#choose(event));
    this.canvas.addEventListener('pointermove', (event) => this.#say(event));
    this.canvas.addEventListener('pointerleave', () => { byId('map-says').textContent = ''; });
  }

  /** Which dials have changed since the last look. */
  #note() {
    const now = this.page.settings.changes;
    const paths = new Set([...Object.keys(now), ...Object.keys(this.last)]);
    for (const path of paths)
      if (now[path] !== this.last[path] && !this.page.settings.dials.get(path)?.names)
        this.turned = [path, ...this.turned.filter((each) => each !== path)].slice(0, 2);
    this.last = { ...now };
  }

  askSoon() {
    clearTimeout(this.timer);
    this.section.hidden = this.turned.length < 2;
    this.draw();
    if (!this.section.hidden && byId('map-open').open)
      this.timer = setTimeout(() => this.#ask(), REST_MS);
  }

  async #ask() {
    const { page } = this;
    const mover = page.mover();
    const [across, up] = this.turned.map((path) => page.settings.dials.get(path));
    if (!mover || !across || !up) return;
    // The place of now may lie on the map that is there.
    if (this.answer && this.#isOnMap(mover)) return;
    this.asked += 1;
    const { asked } = this;
    this.busy += 1;
    byId('map-says').textContent = 'running\u2026';
    const axes = [up, across].map((dial) => ({
      path: dial.path, values: valuesAbout(dial, page.settings.value(dial.path)),
    }));
    try {
      const values = { ...page.settings.changes };
      const run = page.runTime < TOO_LONG_MS;
      const answer = await post('/v1/map', { values, mover: mover.name, axes, run });
      if (asked !== this.asked) return;
      this.answer = { ...answer, axes, mover: mover.name, others: this.#others() };
      byId('map-says').textContent = answer.figures.length > 0 ? ''
        : 'A run of this scene takes too long for a map.';
      this.#showFigures();
      this.draw();
    } catch (problem) {
      if (asked === this.asked) byId('map-says').textContent = problem.message;
    }
    this.busy -= 1;
  }

  /** All that is changed but the two. */
  #others() {
    const others = { ...this.page.settings.changes };
    for (const path of this.turned) delete others[path];
    return JSON.stringify(others);
  }

  #isOnMap(mover) {
    const { axes, others } = this.answer;
    if (this.answer.mover !== mover.name || others !== this.#others()) return false;
    const paths = axes.map((axis) => axis.path);
    if (!this.turned.every((path) => paths.includes(path))) return false;
    return axes.every(({ path, values }) => {
      const now = this.page.settings.value(path);
      return now >= values[0] && now <= values[values.length - 1];
    });
  }

  #showFigures() {
    const { figures } = this.answer;
    const chosen = this.select.value;
    this.select.replaceChildren(...figures.map((name) => new Option(name, name)));
    const liked = LIKED.map((end) => figures.find((name) => name.endsWith(`.${end}`)));
    this.select.value = figures.includes(chosen) ? chosen : (liked.find(Boolean) ?? figures[0] ?? '');
  }

  #cells() {
    const k = this.answer.figures.indexOf(this.select.value);
    const columns = this.answer.axes[1].values.length;
    return this.answer.cells.map((cell) => ({
      column: cell.index % columns,
      row: Math.floor(cell.index / columns),
      value: cell.failure ? null : cell.figures[k],
      failure: cell.failure,
    }));
  }

  /** Where a value lies on an axis, in cells from its first. */
  #placeOf({ path, values }) {
    const now = this.page.settings.value(path);
    const after = values.findIndex((value) => value >= now);
    if (after < 0 || now < values[0]) return null;
    if (after === 0) return 0.5;
    const [a, b] = [values[after - 1], values[after]];
    return after - 0.5 + (now - a) / (b - a);
  }

  #box() {
    const { axes } = this.answer;
    const [left, right, top, bottom] = [60, 4, 4, 34];
    const width = this.canvas.clientWidth - left - right;
    const height = this.canvas.clientHeight - top - bottom;
    const [rows, columns] = axes.map((axis) => axis.values.length);
    return { left, top, width, height, rows, columns, across: width / columns, up: height / rows };
  }

  draw() {
    if (!this.answer || this.section.hidden || !byId('map-open').open) return;
    const ratio = window.devicePixelRatio || 1;
    const { clientWidth, clientHeight } = this.canvas;
    Object.assign(this.canvas, { width: clientWidth * ratio, height: clientHeight * ratio });
    const context = this.canvas.getContext('2d');
    context.scale(ratio, ratio);
    const box = this.#box();
    const cells = this.#cells();
    const areRegimes = this.select.value.endsWith('.regime');
    const numbers = cells.map((cell) => cell.value).filter((value) => value !== null);
    const [low, high] = [Math.min(...numbers), Math.max(...numbers)];
    context.font = '11px system-ui, sans-serif';
    context.textAlign = 'center';
    context.textBaseline = 'middle';
    for (const cell of cells) {
      const x = box.left + cell.column * box.across;
      const y = box.top + (box.rows - 1 - cell.row) * box.up;
      const part = cell.value === null ? 0 : (cell.value - low) / (high - low || 1);
      const share = areRegimes ? [0.08, 0.45, 0.9][cell.value] ?? 0 : 0.08 + 0.72 * part;
      context.fillStyle = ink(cell.failure ? '--bad' : '--accent');
      context.globalAlpha = cell.value === null && !cell.failure ? 0 : share;
      context.fillRect(x + 1, y + 1, box.across - 2, box.up - 2);
      context.globalAlpha = 1;
      if (box.across < 38) continue;
      context.fillStyle = share > 0.5 && !areRegimes ? ink('--accent-ink') : ink('--ink');
      const words = areRegimes ? REGIMES[cell.value] ?? '' : short(cell.value ?? NaN, 3);
      context.fillText(cell.failure ? '\u2013' : words === 'none' ? '' : words, x + box.across / 2, y + box.up / 2);
    }
    this.#drawAxes(context, box);
  }

  #drawAxes(context, box) {
    const [up, across] = this.answer.axes;
    context.fillStyle = ink('--quiet');
    const every = Math.ceil(34 / box.across);
    across.values.forEach((value, i) => {
      if (i % every === 0)
        context.fillText(short(value, 3), box.left + (i + 0.5) * box.across, box.top + box.height + 9);
    });
    context.fillText(across.path, box.left + box.width / 2, box.top + box.height + 25);
    context.textAlign = 'right';
    up.values.forEach((value, i) => {
      context.fillText(short(value, 3), box.left - 5, box.top + (box.rows - 0.5 - i) * box.up);
    });
    context.save();
    context.translate(9, box.top + box.height / 2);
    context.rotate(-Math.PI / 2);
    context.textAlign = 'center';
    context.fillText(up.path, 0, 0);
    context.restore();
    const [row, column] = [this.#placeOf(up), this.#placeOf(across)];
    if (row === null || column === null) return;
    context.beginPath();
    context.arc(box.left + column * box.across, box.top + (box.rows - row) * box.up, 6, 0, 2 * Math.PI);
    context.lineWidth = 4;
    context.strokeStyle = ink('--panel');
    context.stroke();
    context.lineWidth = 2;
    context.strokeStyle = ink('--ink');
    context.stroke();
  }

  #under(event) {
    if (!this.answer) return null;
    const box = this.#box();
    const column = Math.floor((event.offsetX - box.left) / box.across);
    const row = box.rows - 1 - Math.floor((event.offsetY - box.top) / box.up);
    const isIn = column >= 0 && column < box.columns && row >= 0 && row < box.rows;
    return isIn ? this.#cells().find((cell) => cell.column === column && cell.row === row) : null;
  }

  #values(cell) {
    const [up, across] = this.answer.axes;
    return [[across.path, across.values[cell.column]], [up.path, up.values[cell.row]]];
  }

  #say(event) {
    const cell = this.#under(event);
    const words = cell && [...this.#values(cell).map(([path, value]) => `${path} ${short(value)}`),
      cell.failure ?? `${this.select.value} ${cell.value === null ? 'none' : short(cell.value)}`];
    byId('map-says').textContent = words ? words.join(', ') : '';
  }

  #choose(event) {
    const cell = this.#under(event);
    if (!cell) return;
    const values = this.#values(cell);
    const words = values.map(([path, value]) => `${path} ${short(value)}`).join(', ');
    this.page.settings.take(Object.fromEntries(values), words);
  }
}
