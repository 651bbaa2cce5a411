// Two charts: the value after its target over the scene, and the answer to a jump.

import { lanesOf, resampled, shownUnit } from './takes.js';

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
  draw({ take, target, mover, colour, other, otherName, reference }) {
    const times = take.times_s;
    const series = [];
    const entries = [];
    const add = (name, values, look, entry) => {
      series.push({ name, values, ...look });
      if (entry) entries.push({ name: entry, colour: look.colour, style: look.style });
    };
    for (const lane of target ? lanesOf(take, target) : [])
      add(`${target.name} ${lane.name}`, lane.values, { colour: ink('--target'), width: 1.3 },
        lane.name === '' || lane.name === 'x' || lane.name === 'pitch' ? target.name : null);
    if (reference) {
      add('reference', resampled(reference.times, reference.values, times),
        { colour: ink('--ink'), width: 1.6, pattern: [2, 3], style: 'dotted' }, reference.name);
    }
    const lanes = lanesOf(take, mover);
    const others = other ? lanesOf(other, mover) : [];
    lanes.forEach((lane, i) => {
      const own = lanes.length === 1 ? colour : seriesInk(i);
      if (others[i]) {
        add(`${otherName} ${lane.name}`, resampled(other.times_s, others[i].values, times),
          { colour: own, width: 1.4, pattern: [6, 4], style: 'dashed' }, i === 0 ? otherName : null);
      }
      add(`${mover.name} ${lane.name}`, lane.values, { colour: own, width: 2.2 },
        lane.name === '' ? mover.name : `${mover.name} ${lane.name}`);
    });
    const unit = mover.value_kind === 'rotation' ? 'deg' : shownUnit(mover.unit);
    this.heading.textContent = `${mover.name}${target ? ` after ${target.name}` : ''}${unit ? `, ${unit}` : ''}`;
    this.chart.draw(times, series);
    keyLine(this.key, entries);
  }
}

export class JumpChart {
  constructor(element, key) {
    this.key = key;
    this.chart = new Chart(element, {});
  }

  draw({ jumps, mover, colour, other, otherName }) {
    const own = jumps.movers.find((each) => each.mover === mover.name);
    if (!own) {
      this.chart.plot?.destroy();
      this.chart.plot = null;
      this.chart.forget();
      this.key.textContent = mover.target ? 'A jump alone does not show how it moves.' : 'It has no target that could jump.';
      return;
    }
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
