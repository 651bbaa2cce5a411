// Two charts: the value after its target over the scene, and the answer to a jump.

import { chartedOf, componentsOf, resampled, shownUnit } from './takes.js';

const ink = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

export const seriesInk = (index) => ink(`--series-${index % 6}`);

function keyLine(element, entries) {
  element.replaceChildren(...entries.map(({ name, colour, style }) => {
    const span = document.createElement('span');
    const line = document.createElement('i');
    line.style.color = colour;
    if (style) line.className = style;
    span.append(line, name);
    return span;
  }));
}

class Chart {
  constructor(element, options) {
    this.element = element;
    this.options = options;
    this.plot = null;
    this.labels = '';
  }

  /** `series`: name, values, colour, width, pattern. */
  draw(times, series, more = {}) {
    const rows = times.map((time, i) => [time, ...series.map((each) => each.values[i] ?? null)]);
    const labels = ['time', ...series.map((each, i) => `${i} ${each.name}`)];
    const styles = Object.fromEntries(series.map((each, i) => [labels[i + 1], {
      color: each.colour, strokeWidth: each.width ?? 2, strokePattern: each.pattern ?? null,
    }]));
    const signature = JSON.stringify([labels, styles]);
    if (this.plot && signature === this.labels) {
      this.plot.updateOptions({ file: rows, ...more });
      return;
    }
    this.plot?.destroy();
    this.labels = signature;
    // eslint-disable-next-line no-undef
    this.plot = new Dygraph(this.element, rows, {
      labels, series: styles, legend: 'never', axisLineColor: ink('--line'),
      gridLineColor: ink('--grid'), gridLineWidth: 1, highlightCircleSize: 3, connectSeparatedPoints: true,
      xRangePad: 2, yRangePad: 6, xAxisHeight: 20, titleHeight: 0,
      axes: { x: { pixelsPerLabel: 56, axisLabelFormatter: (x) => `${Number(x.toFixed(3))} s` },
        y: { axisLabelWidth: 44, pixelsPerLabel: 32 } },
      ...this.options, ...more,
    });
  }

  /** Where a time is, in pixels from the left of the chart; null when it is out of sight. */
  placeOf(time) {
    if (!this.plot) return null;
    const [low, high] = this.plot.xAxisRange();
    return time < low || time > high ? null : this.plot.toDomXCoord(time);
  }

  forget() {
    this.labels = '';
  }
}

export class CourseChart {
  constructor(element, heading, key, onSeek) {
    this.heading = heading;
    this.key = key;
    this.chart = new Chart(element, {
      clickCallback: (event, x) => onSeek(x),
    });
  }

  /** The take, its target and mover, a colour, a take to compare with, a reference curve. */
  draw({ take, target: followed, mover, colour, other, otherName, reference }) {
    const times = take.times_s;
    const shown = chartedOf(mover);
    const target = shown === mover ? followed : null; // of the same kind as what is shown
    const series = [];
    const entries = [];
    const add = (name, values, look, entry) => {
      series.push({ name, values, ...look });
      if (entry) entries.push({ name: entry, colour: look.colour, style: look.style });
    };
    for (const component of target ? componentsOf(take, target) : [])
      add(`${target.name} ${component.name}`, component.values, { colour: ink('--target'), width: 1.3 },
        component.name === '' || component.name === 'x' || component.name === 'pitch' ? target.name : null);
    if (reference) {
      add('reference', resampled(reference.times, reference.values, times),
        { colour: ink('--ink'), width: 1.6, pattern: [2, 3], style: 'dotted' }, reference.name);
    }
    const components = componentsOf(take, shown);
    const others = other ? componentsOf(other, shown) : [];
    components.forEach((component, i) => {
      const own = components.length === 1 ? colour : seriesInk(i);
      if (others[i]) {
        add(`${otherName} ${component.name}`, resampled(other.times_s, others[i].values, times),
          { colour: own, width: 1.4, pattern: [6, 4], style: 'dashed' }, i === 0 ? otherName : null);
      }
      add(`${mover.name} ${component.name}`, component.values, { colour: own, width: 2.2 },
        component.name === '' ? mover.name : `${mover.name} ${component.name}`);
    });
    const unit = shown.value_kind === 'rotation' ? 'deg' : shownUnit(shown.unit);
    const title = shown === mover ? mover.name : `${mover.name}, ${shown.name}`;
    this.heading.textContent = `${title}${target ? ` after ${target.name}` : ''}${unit ? `, ${unit}` : ''}`;
    this.chart.draw(times, series);
    keyLine(this.key, entries);
  }
}

/** The charts that a system has beside its value: lengths, loads, margins. */
export class OwnCharts {
  constructor(element) {
    this.element = element;
    this.all = [];
  }

  draw(charts, name, colour) {
    const titles = charts.map((each) => `${name}: ${each.title}${each.unit ? `, ${each.unit}` : ''}`);
    if (titles.join() !== this.titles) {
      this.titles = titles.join();
      for (const { chart } of this.all) chart.plot?.destroy();
      this.all = titles.map((title) => {
        const heading = document.createElement('h2');
        heading.textContent = title;
        const plot = document.createElement('div');
        plot.className = 'plot own';
        const inside = document.createElement('div');
        plot.append(inside);
        return { parts: [heading, plot], chart: new Chart(inside, { connectSeparatedPoints: false }) };
      });
      this.element.replaceChildren(...this.all.flatMap((each) => each.parts));
    }
    charts.forEach((each, i) => {
      const series = each.curves.flatMap((curve, k) => [
        ...(curve.targets.length > 0 ? [{ name: `${curve.name} wanted`, values: curve.targets, colour: ink('--target'), width: 1.3 }] : []),
        { name: curve.name, values: curve.values, colour: each.curves.length > 1 ? seriesInk(k) : colour, width: 2.2 },
      ]);
      this.all[i].chart.draw(each.times_s, series);
    });
  }
}

const MOST_LABELS = 4;

export class JumpChart {
  /** `onKey` is told which key of a curve has been moved, and where to. */
  constructor(element, key, onKey) {
    this.element = element;
    this.key = key;
    this.onKey = onKey;
    this.swings = [];
    this.keys = [];
    this.chart = new Chart(element, { yRangePad: 18, drawCallback: () => this.#drawOver(),
      interactionModel: { mousedown: (event, plot, context) => this.#grab(event, plot, context),
        mousemove: (event, plot) => this.#drag(event, plot), mouseup: () => this.#drop(), mouseout: () => this.#drop() } });
  }

  /** Turning points with their figures, and the keys of a curve. */
  #drawOver() {
    const { plot } = this.chart;
    const context = plot?.hidden_ctx_;
    if (!context) return;
    context.save();
    context.font = '10px "DejaVu Sans", sans-serif';
    context.fillStyle = ink('--ink');
    this.swings.slice(0, MOST_LABELS).forEach(({ time_s: time, percent }) => {
      const [x, y] = plot.toDomCoords(time, 100 + percent);
      if (!(x > 0) || !(y > 0)) return;
      context.beginPath();
      context.arc(x, y, 2.5, 0, 2 * Math.PI);
      context.fill();
      const text = `${percent > 0 ? '+' : '\u2212'}${Math.abs(percent).toPrecision(2)} %`;
      context.textAlign = x > this.element.clientWidth - 60 ? 'right' : 'left';
      context.fillText(text, x + (context.textAlign === 'left' ? 5 : -5), percent > 0 ? y - 5 : y + 13);
    });
    context.strokeStyle = ink('--accent');
    context.lineWidth = 2;
    for (const each of this.keys) {
      const [x, y] = plot.toDomCoords(each.time, each.percent);
      context.strokeRect(x - 4, y - 4, 8, 8);
    }
    context.restore();
  }

  #grab(event, plot) {
    event.preventDefault();
    const box = this.element.getBoundingClientRect();
    const near = this.keys.map((each) => {
      const [x, y] = plot.toDomCoords(each.time, each.percent);
      return { each, way: Math.hypot(x - (event.clientX - box.left), y - (event.clientY - box.top)) };
    }).filter(({ way }) => way < 14).sort((a, b) => a.way - b.way);
    this.held = near[0]?.each ?? null;
  }

  #drag(event, plot) {
    if (!this.held) return;
    const box = this.element.getBoundingClientRect();
    const [time, percent] = plot.toDataCoords(event.clientX - box.left, event.clientY - box.top);
    this.onKey(this.held, time, percent, false);
  }

  #drop() {
    if (this.held) this.onKey(this.held, null, null, true);
    this.held = null;
  }

  draw({ jumps, mover, colour, other, otherName, keys }) {
    const own = jumps.movers.find((each) => each.mover === mover.name);
    if (!own) {
      this.chart.plot?.destroy();
      this.chart.plot = null;
      this.chart.forget();
      this.element.parentElement.hidden = true;
      this.key.textContent = mover.target ? 'A jump alone does not show how it moves.' : 'It has no target that could jump.';
      return;
    }
    this.element.parentElement.hidden = false;
    this.swings = own.figures.swings;
    this.keys = keys;
    const times = jumps.times_s;
    const percent = (values) => values.map((value) => (value === null ? null : 100 * value));
    const flat = (level) => times.map(() => level);
    const series = [
      { name: 'high', values: flat(102), colour: ink('--grid'), width: 1 },
      { name: 'low', values: flat(98), colour: ink('--grid'), width: 1 },
      { name: 'target', values: flat(100), colour: ink('--target'), width: 1.3 },
    ];
    const entries = [{ name: 'target, within 2 %', colour: ink('--target') }];
    const before = other?.movers.find((each) => each.mover === mover.name);
    if (before) {
      series.push({ name: otherName, values: resampled(other.times_s, percent(before.values), times),
        colour, width: 1.4, pattern: [6, 4] });
      entries.push({ name: otherName, colour, style: 'dashed' });
    }
    series.push({ name: mover.name, values: percent(own.values), colour, width: 2.2 });
    entries.push({ name: `${mover.name}, % of the jump`, colour });
    this.chart.draw(times, series);
    keyLine(this.key, entries);
  }
}
