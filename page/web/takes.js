// Columns of a take as what is shown: degrees for radians, turns for rotations, on past the seam.

const AXES = ['x', 'y', 'z', 'w'];
const PARTS = ['w', 'x', 'y', 'z'];
const DEGREES = 180 / Math.PI;

export const shownUnit = (unit) => (unit === 'rad' ? 'deg' : unit);

/** What charts show of a mover: its value, or a number that says more. */
export const chartedOf = (mover) => mover.charted ?? mover;

/** The names of the columns of a target or mover. */
export function channelsOf(thing) {
  const kind = thing.value_kind ?? thing.kind;
  if (kind === 'number' || kind === 'angle') return [thing.channel];
  const names = kind === 'rotation' ? PARTS : AXES.slice(0, thing.numbers);
  return names.map((name) => `${thing.channel}.${name}`);
}

/** Those columns, in the take's own units. */
export function columnsOf(take, thing) {
  return channelsOf(thing).map((name) => take.columns[name]);
}

/** Its numbers in one row. */
export function numbersAt(take, thing, row) {
  return columnsOf(take, thing).map((column) => column[row]);
}

/** The row at or before a time. */
export function rowAt(take, time) {
  const times = take.times_s;
  let low = 0;
  let high = times.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (times[middle] <= time + 1e-9) low = middle;
    else high = middle - 1;
  }
  return low;
}

function unwrapped(column) {
  const result = new Array(column.length);
  let turns = 0;
  for (let i = 0; i < column.length; i += 1) {
    if (i > 0) turns -= Math.round((column[i] - column[i - 1]) / (2 * Math.PI));
    result[i] = (column[i] + 2 * Math.PI * turns) * DEGREES;
  }
  return result;
}

/** Pitch, heading and roll of a unit quaternion: rolled about Z first, then X, then Y. */
export function turnsOf([w, x, y, z]) {
  const across = Math.max(-1, Math.min(1, 2 * (w * x - y * z)));
  return [
    Math.asin(across),
    Math.atan2(2 * (x * z + w * y), 1 - 2 * (x * x + y * y)),
    Math.atan2(2 * (x * y + w * z), 1 - 2 * (x * x + z * z)),
  ];
}

/** The quaternion of such turns. */
export function quaternionOf([pitch, heading, roll]) {
  const about = (axis, angle) => {
    const q = [Math.cos(angle / 2), 0, 0, 0];
    q[axis] = Math.sin(angle / 2);
    return q;
  };
  return product(about(2, heading), product(about(1, pitch), about(3, roll)));
}

export function product([a, b, c, d], [w, x, y, z]) {
  return [
    a * w - b * x - c * y - d * z,
    a * x + b * w + c * z - d * y,
    a * y - b * z + c * w + d * x,
    a * z + b * y - c * x + d * w,
  ];
}

/** What a chart shows of it: components with a name each. */
export function componentsOf(take, thing) {
  const kind = thing.value_kind ?? thing.kind;
  const columns = columnsOf(take, thing);
  if (columns.some((column) => column === undefined)) return [];
  if (kind === 'angle') return [{ name: '', values: unwrapped(columns[0]) }];
  if (kind === 'number') {
    const factor = thing.unit === 'rad' ? DEGREES : 1;
    return [{ name: '', values: factor === 1 ? columns[0] : columns[0].map((v) => v * factor) }];
  }
  if (kind === 'vector')
    return columns.map((values, i) => ({ name: AXES[i], values }));
  const turns = [[], [], []];
  for (let row = 0; row < columns[0].length; row += 1)
    turnsOf(columns.map((column) => column[row])).forEach((turn, i) => turns[i].push(turn));
  return ['pitch', 'heading', 'roll'].map((name, i) => ({ name, values: unwrapped(turns[i]) }));
}

/** A column at the times of another take, straight between its rows; nothing beyond its ends. */
export function resampled(times, values, wanted) {
  let row = 0;
  return wanted.map((time) => {
    while (row + 1 < times.length && times[row + 1] <= time) row += 1;
    if (time < times[0] - 1e-9 || time > times[times.length - 1] + 1e-9) return null;
    if (row + 1 >= times.length || times[row] === time) return values[row];
    const part = (time - times[row]) / (times[row + 1] - times[row]);
    return values[row] + part * (values[row + 1] - values[row]);
  });
}

/** A row of a take and how far it is to the next. */
export function momentIn(take, time) {
  const row = rowAt(take, time);
  const next = Math.min(row + 1, take.times_s.length - 1);
  const span = take.times_s[next] - take.times_s[row];
  return { row, next, part: span > 0 ? Math.min(1, Math.max(0, (time - take.times_s[row]) / span)) : 0 };
}
