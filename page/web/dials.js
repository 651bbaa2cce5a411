// Sliders and number fields for every number of the scene, grouped by their owner.

import { short, wordsOf } from './settings.js';

const STEPS = 1000; // of a slider

/** Between a value and a place on its slider, 0 to 1. */
export function scaleOf(dial) {
  let [least, most] = dial.slider;
  if (!(most > least)) most = least + 1;
  const logarithmic = dial.scale === 'logarithmic' && least > 0;
  if (logarithmic) {
    const span = Math.log(most / least);
    return {
      place: (value) => (value > 0 ? Math.log(value / least) / span : 0),
      value: (place) => least * Math.exp(span * place),
    };
  }
  return {
    place: (value) => (value - least) / (most - least),
    value: (place) => least + (most - least) * place,
  };
}

const clamp = (value, [low, high]) => Math.min(high ?? Infinity, Math.max(low ?? -Infinity, value));

class DialRow {
  constructor(dial, settings, commit) {
    this.dial = dial;
    this.settings = settings;
    this.scale = scaleOf(dial);
    this.commit = commit;
    const id = `dial-${dial.path}`;
    this.element = document.createElement('div');
    this.element.className = 'dial';
    this.element.dataset.path = dial.path;
    const label = document.createElement('label');
    label.textContent = wordsOf(dial);
    label.htmlFor = id;
    this.slider = document.createElement('input');
    Object.assign(this.slider, { type: 'range', min: 0, max: STEPS, step: 1, id });
    this.number = document.createElement('input');
    Object.assign(this.number, { type: 'number', step: 'any' });
    this.number.setAttribute('aria-label', `${dial.path}, ${dial.unit || 'a number'}`);
    const unit = document.createElement('span');
    unit.className = 'unit';
    unit.textContent = dial.unit;
    const [low, high] = dial.hard;
    this.element.title = `${dial.path}: from ${low ?? 'any'} to ${high ?? 'any'}; the file has ` +
      `${short(dial.value)}, the default is ${short(dial.default)}. Double click to reset. ` +
      'Arrow keys turn it, with Shift finely, Page up and down coarsely.';
    this.element.append(label, this.slider, this.number, unit);
    this.label = label;
    this.#listen();
    this.show();
  }

  #listen() {
    this.slider.addEventListener('input', () => this.#turn(this.#atSlider()));
    this.slider.addEventListener('change', () => this.#done());
    this.slider.addEventListener('keydown', (event) => this.#key(event));
    this.number.addEventListener('input', () => {
      const value = this.number.valueAsNumber;
      const allowed = Number.isFinite(value) && clamp(value, this.dial.hard) === value;
      this.element.classList.toggle('refused', !allowed);
      if (allowed) this.#turn(value, true);
    });
    this.number.addEventListener('change', () => this.#done());
    const reset = () => {
      this.#turn(this.dial.value);
      this.#done();
    };
    this.label.addEventListener('dblclick', reset);
    this.slider.addEventListener('dblclick', reset);
  }

  /** The ends of a slider are exact; between them, four digits. */
  #atSlider() {
    const place = Number(this.slider.value) / STEPS;
    return Number(this.scale.value(place).toPrecision(place > 0 && place < 1 ? 4 : 12));
  }

  #key(event) {
    const sizes = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 10, PageDown: -10 };
    const size = sizes[event.key];
    if (size === undefined) return;
    event.preventDefault();
    const fine = event.shiftKey ? 0.1 : 1;
    const now = this.scale.place(this.settings.value(this.dial.path));
    const value = this.scale.value(now + size * fine * 0.01);
    this.#turn(Number(value.toPrecision(event.shiftKey ? 6 : 4)));
    this.#done();
  }

  #turn(value, typed = false) {
    this.typing = typed;
    this.settings.set(this.dial.path, clamp(value, this.dial.hard));
    this.typing = false;
  }

  #done() {
    this.element.classList.remove('refused');
    this.show();
    this.commit(`${this.dial.path} ${short(this.settings.value(this.dial.path))}`);
  }

  show() {
    const value = this.settings.value(this.dial.path);
    this.slider.value = STEPS * Math.min(1, Math.max(0, this.scale.place(value)));
    this.slider.setAttribute('aria-valuetext', `${short(value)} ${this.dial.unit}`);
    if (!this.typing) this.number.value = Number.isFinite(value) ? short(value, 6) : '';
    this.element.classList.toggle('changed', this.settings.isChanged(this.dial.path));
    this.label.dataset.was = short(this.dial.value);
  }
}

/** A dial whose values have names. */
class ChoiceRow {
  constructor(dial, settings, commit) {
    this.dial = dial;
    this.settings = settings;
    this.element = document.createElement('div');
    this.element.className = 'dial';
    this.element.dataset.path = dial.path;
    this.element.title = `${dial.path}: the file has ${dial.names[dial.value]}. Double click to reset; G takes the next.`;
    this.label = document.createElement('label');
    this.label.textContent = wordsOf(dial);
    this.label.htmlFor = `dial-${dial.path}`;
    this.list = document.createElement('select');
    this.list.id = this.label.htmlFor;
    this.list.append(...dial.names.map((name, value) => new Option(name.replaceAll('_', ' '), value)));
    this.element.append(this.label, this.list);
    this.commit = commit;
    this.list.addEventListener('change', () => this.take(Number(this.list.value)));
    this.label.addEventListener('dblclick', () => this.take(dial.value));
    this.show();
  }

  take(value) {
    this.settings.set(this.dial.path, value);
    this.commit(`${this.dial.path} ${this.dial.names[value]}`);
  }

  takeNext() {
    this.take((this.settings.value(this.dial.path) + 1) % this.dial.names.length);
  }

  show() {
    this.list.value = this.settings.value(this.dial.path);
    this.element.classList.toggle('changed', this.settings.isChanged(this.dial.path));
    this.label.dataset.was = this.dial.names[this.dial.value];
  }
}

export class DialPanel {
  constructor(element, settings) {
    this.element = element;
    this.settings = settings;
    this.rows = [];
    this.open = new Set();
    settings.onChange((what) => {
      if (what === 'value') this.show();
    });
  }

  /** All dials anew; groups that were open stay open. */
  build(looked) {
    this.rows = [];
    this.groups = new Map();
    this.element.replaceChildren();
    for (const dial of this.settings.dials.values()) {
      if (!this.groups.has(dial.owner)) this.#addGroup(dial);
      const row = new (dial.names ? ChoiceRow : DialRow)(dial, this.settings, (words) => this.settings.commit(words));
      this.rows.push(row);
      this.groups.get(dial.owner).append(row.element);
    }
    this.look(looked);
  }

  #addGroup(dial) {
    const details = document.createElement('details');
    const summary = document.createElement('summary');
    summary.append(dial.owner);
    const words = document.createElement('span');
    words.className = 'words';
    words.textContent = dial.owner_kind;
    summary.append(words);
    details.append(summary);
    details.dataset.owner = dial.owner;
    details.open = this.open.has(dial.owner);
    summary.addEventListener('click', () => {
      this.open[details.open ? 'delete' : 'add'](dial.owner);
    });
    this.groups.set(dial.owner, details);
    this.element.append(details);
  }

  /** The group of what is looked at comes first, and open. */
  look(name) {
    const group = this.groups.get(name);
    if (!group) return;
    for (const details of this.groups.values())
      if (!this.open.has(details.dataset.owner)) details.open = false;
    group.open = true;
    this.element.prepend(group);
  }

  /** The first choice of what is looked at, such as the order of a walker's steps: its next value. */
  turnChoice(owner) {
    this.rows.find((row) => row.takeNext && row.dial.owner === owner)?.takeNext();
  }

  show() {
    for (const row of this.rows) row.show();
  }
}
