// The motion at other values of the dial in hand, side by side: a click takes one of them.

import { post } from './api.js';
import { scaleOf } from './dials.js';
import { short } from './settings.js';
import { chartedOf, componentsOf } from './takes.js';
import { ink } from './view.js';

const STEPS = [-0.3, -0.2, -0.1, 0, 0.1, 0.2, 0.3]; // along the dial's slider
const REST_MS = 250;
const TOO_LONG_MS = 600; // a run that takes longer is not made seven times

/** The component that moves the most. */
function widest(components) {
  const spans = components.map(({ values }) => Math.max(...values) - Math.min(...values));
  return Math.max(0, spans.indexOf(Math.max(...spans)));
}

export class Variants {
  constructor(page) {
    this.page = page;
    this.element = document.getElementById('variants');
    this.heading = document.getElementById('variants-heading');
    this.row = document.getElementById('variants-row');
    this.path = null; // of the dial in hand
    this.asked = 0; // how often: answers to an earlier question are not used
    document.getElementById('dial-groups').addEventListener('focusin', (event) => {
      const path = event.target.closest('.dial')?.dataset.path;
      if (path && path !== this.path) this.#take(path);
    });
    page.settings.onChange((what) => {
      if (what === 'value') this.asked += 1; // the hand comes first
      if (what === 'value' || what === 'history') this.askSoon();
    });
  }

  #take(path) {
    this.path = path;
    this.askSoon();
  }

  /** Once the hand rests. */
  askSoon() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.#ask(), REST_MS);
  }

  /** The values beside the one it has, evenly on its slider, that are allowed. */
  #values(dial) {
    if (dial.names) return dial.names.map((_, value) => value);
    const scale = scaleOf(dial);
    const now = this.page.settings.value(dial.path);
    const [low, high] = dial.hard;
    const allowed = (value) => value >= (low ?? -Infinity) && value <= (high ?? Infinity);
    const values = STEPS.map((step) => (step === 0 ? now
      : Number(scale.value(scale.place(now) + step).toPrecision(3))));
    return [...new Set(values.filter((value) => Number.isFinite(value) && allowed(value)))];
  }

  /** Runs them one after the other, and shows each when it is there. */
  async #ask() {
    this.asked += 1;
    const { asked, page } = this;
    const dial = page.settings.dials.get(this.path);
    const mover = page.mover();
    this.element.hidden = !dial || !mover;
    if (this.element.hidden) return;
    this.heading.textContent = `Variants of ${dial.path}${dial.unit ? `, ${dial.unit}` : ''}`;
    if (page.runTime > TOO_LONG_MS) {
      this.row.textContent = 'A run of this scene takes too long for them.';
      return;
    }
    const target = mover.charted ? null : page.targetOf(mover);
    const channels = [chartedOf(mover).whole_channel, target?.channel].filter(Boolean);
    const variants = [];
    for (const value of this.#values(dial)) {
      const values = { ...page.settings.changes, [dial.path]: value };
      try {
        const { take } = await post('/v1/run', { values, channels, most_rows: 240, jumps: false });
        if (asked !== this.asked) return;
        variants.push({ value, take, mover, target });
      } catch {
        if (asked !== this.asked) return; // a value that cannot be has no picture
      }
    }
    this.#show(variants);
  }

  #show(variants) {
    if (variants.length === 0) return;
    const now = this.page.settings.value(this.path);
    const dial = this.page.settings.dials.get(this.path);
    const k = widest(componentsOf(variants[0].take, chartedOf(variants[0].mover)));
    const curves = variants.map(({ take, mover, target }) => ({
      times: take.times_s,
      value: componentsOf(take, chartedOf(mover))[k]?.values ?? [],
      target: (target && componentsOf(take, target)[k]?.values) ?? [],
    }));
    const all = curves.flatMap((curve) => [...curve.value, ...curve.target]).filter(Number.isFinite);
    const range = [Math.min(...all), Math.max(...all)];
    this.row.replaceChildren(...variants.map(({ value }, i) => {
      const button = document.createElement('button');
      button.type = 'button';
      const name = dial.names?.[value] ?? short(value);
      button.title = `${this.path} = ${name}`;
      button.setAttribute('aria-pressed', String(value === now));
      const canvas = document.createElement('canvas');
      const words = document.createElement('span');
      words.textContent = name.replaceAll('_', ' ');
      button.append(canvas, words);
      button.addEventListener('click', () => {
        this.page.settings.take({ [this.path]: value }, `${this.path} ${name}`);
      });
      requestAnimationFrame(() => this.#draw(canvas, curves[i], range));
      return button;
    }));
  }

  #draw(canvas, curve, [low, high]) {
    const ratio = window.devicePixelRatio || 1;
    const { clientWidth: width, clientHeight: height } = canvas;
    Object.assign(canvas, { width: width * ratio, height: height * ratio });
    const context = canvas.getContext('2d');
    context.scale(ratio, ratio);
    const end = curve.times[curve.times.length - 1] || 1;
    const line = (values, colour, thick) => {
      context.beginPath();
      context.strokeStyle = colour;
      context.lineWidth = thick;
      values.forEach((value, k) => {
        const x = (curve.times[k] / end) * width;
        const y = height - 3 - ((value - low) / (high - low || 1)) * (height - 6);
        context[k === 0 ? 'moveTo' : 'lineTo'](x, y);
      });
      context.stroke();
    };
    line(curve.target, ink('--target'), 1);
    line(curve.value, this.page.colourOf(this.page.looked), 1.6);
  }
}
