// What can be said of a motion in numbers, and what an edit has changed of it.

import { short } from './settings.js';

const JUMP = [
  ['overshoot_percent', 'goes past', '%'],
  ['anticipation_percent', 'first the other way', '%'],
  ['rise_time_s', 'rises in', 's'],
  ['settling_time_s', 'settles in', 's'],
  ['reversals', 'turns back', 'times'],
];
const COURSE = [
  ['largest_gap', 'largest gap', null],
  ['rms_gap', 'gap, rms', null],
  ['peak_velocity', 'fastest', '/s'],
  ['lag_s', 'behind it by', 's'],
  ['jump_overshoot_percent', 'past its jumps', '%'],
];

/** The figures of one mover in an answer, by key. */
export function figuresOf(answer, mover) {
  const jump = answer.jumps.movers.find((each) => each.mover === mover)?.figures ?? {};
  const course = answer.metrics.find((each) => each.mover === mover) ?? {};
  return { ...jump, ...course };
}

function unitOf(unit, figures) {
  if (unit === null) return figures.unit ?? '';
  return unit === '/s' ? `${figures.unit ?? ''}/s` : unit;
}

export class FiguresTable {
  constructor(table) {
    this.body = table.querySelector('tbody');
    this.cells = new Map();
    this.parts = [];
    for (const [heading, rows] of [['a jump of 1', JUMP], ['this scene', COURSE]]) {
      const part = this.body.insertRow();
      part.className = 'part';
      part.innerHTML = '<th scope="row" colspan="4"></th>';
      part.firstChild.textContent = heading;
      this.parts.push({ part, keys: rows.map(([key]) => key) });
      for (const [key, name, unit] of rows) this.#addRow(key, name, unit);
    }
  }

  #addRow(key, name, unit) {
    const row = this.body.insertRow();
    row.dataset.figure = key;
    const heading = document.createElement('th');
    heading.scope = 'row';
    row.append(heading);
    const cells = ['now', 'since', 'a'].map((what) => {
      const cell = row.insertCell();
      cell.className = what === 'a' ? 'of-a' : what;
      return cell;
    });
    this.cells.set(key, { row, heading, name, unit, cells });
  }

  /** Those that only this system has: a part of their own below the others. */
  #showOwn(name, figures) {
    for (const row of this.own ?? []) row.remove();
    this.own = [];
    if (figures.length === 0) return;
    const part = this.body.insertRow();
    part.className = 'part';
    part.innerHTML = '<th scope="row" colspan="4"></th>';
    part.firstChild.textContent = name;
    this.own.push(part);
    for (const figure of figures) {
      const row = this.body.insertRow();
      row.innerHTML = '<th scope="row"></th><td class="now"></td><td></td><td></td>';
      row.dataset.figure = figure.name;
      row.firstChild.textContent = figure.unit ? `${figure.name}, ${figure.unit}` : figure.name;
      row.children[1].textContent = short(figure.value, 3);
      this.own.push(row);
    }
  }

  show(now, before, a, name) {
    this.#showOwn(name, now.figures ?? []);
    for (const { part, keys } of this.parts) part.hidden = keys.every((key) => now[key] === undefined);
    for (const [key, { row, heading, name, unit, cells }] of this.cells) {
      const shownUnit = unitOf(unit, now);
      heading.textContent = shownUnit ? `${name}, ${shownUnit}` : name;
      const value = now[key];
      row.hidden = value === undefined; // it is no figure of such a system
      cells[0].textContent = value === null || value === undefined ? '\u2013' : short(value, 3);
      cells[0].title = now[`${key}_reason`] ?? '';
      const was = before?.[key];
      const change = typeof value === 'number' && typeof was === 'number' ? value - was : null;
      const seen = change !== null && Math.abs(change) > 5e-4 * Math.max(Math.abs(value), Math.abs(was));
      cells[1].textContent = seen ? `${change > 0 ? '+' : '\u2212'}${short(Math.abs(change), 2)}` : '';
      cells[1].className = seen ? (change > 0 ? 'more' : 'less') : 'since';
      const held = a?.[key];
      cells[2].textContent = typeof held === 'number' ? short(held, 3) : '';
    }
  }
}
