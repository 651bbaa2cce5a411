// Where bodies and rows of points are in a row of a take.

import { product } from './takes.js';

export function rotated(q, v) {
  const [, x, y, z] = product(product(q, [0, ...v]), [q[0], -q[1], -q[2], -q[3]]);
  return [x, y, z];
}

/** A place of one, two or three numbers, from where a body stands. */
export function placeFrom(body, numbers) {
  const place = [...body.at_m];
  if (numbers.length === 1) place[body.axis] += numbers[0];
  else numbers.forEach((number, i) => { if (i < 3) place[i] += number; });
  return place;
}

/** A turn of one number is about an axis of the body, Y without one. */
export function turnFrom(numbers, axis = 1) {
  if (numbers.length === 4) return numbers;
  const turn = [Math.cos(numbers[0] / 2), 0, 0, 0];
  turn[1 + axis] = Math.sin(numbers[0] / 2);
  return turn;
}

/** The numbers of a channel in one row; none without the channel. */
function channelAt(take, channel, row, parts) {
  if (!channel) return [];
  if (take.columns[channel]) return [take.columns[channel][row]];
  return parts.map((part) => take.columns[`${channel}.${part}`]).filter((column) => column)
    .map((column) => column[row]);
}

/** Where a body is in one row, how it is turned, how large it is. */
export function poseAt(take, body, row) {
  const position = channelAt(take, body.position, row, ['x', 'y', 'z']);
  const rotation = channelAt(take, body.rotation, row, ['w', 'x', 'y', 'z']);
  const scale = channelAt(take, body.scale, row, ['x', 'y', 'z']);
  return {
    place: position.length > 0 ? placeFrom(body, position) : [...body.at_m],
    turn: rotation.length > 0 ? turnFrom(rotation, body.turn_axis) : [1, 0, 0, 0],
    scale: scale.length === 0 ? [1, 1, 1] : [0, 1, 2].map((i) => scale[i] ?? scale[0]),
  };
}

/** The columns of a row of points: x, y and z of each. Looked up once a take. */
function pointColumns(take, line) {
  line.columnsIn ??= new WeakMap();
  if (!line.columnsIn.has(take)) {
    const columns = Array.from({ length: line.count }, (_, i) =>
      ['x', 'y', 'z'].map((axis) => take.columns[`${line.channel}.${i}.${axis}`]));
    line.columnsIn.set(take, columns.some((each) => each.includes(undefined)) ? [] : columns);
  }
  return line.columnsIn.get(take);
}

/** The points of a row, some part of the way from one row of the take to another. */
export function pointsAt(take, line, row, next = row, part = 0) {
  return pointColumns(take, line).map((columns) =>
    columns.map((column) => column[row] + part * (column[next] - column[row])));
}

/** The point of lines that is seen nearest to a place on the stage, within reach; null without one. */
export function nearestPoint(take, lines, row, view, [x, y], reach) {
  let nearest = null;
  let least = reach;
  for (const line of lines) {
    pointsAt(take, line, row).forEach((at, i) => {
      const [px, py] = view.point(at);
      const way = Math.hypot(px - x, py - y);
      if (way > least) return;
      least = way;
      nearest = { grab: `${line.name}.${i}`, at };
    });
  }
  return nearest;
}

/** Between two poses; turns the short way. */
export function between(a, b, part) {
  const mix = (x, y) => x.map((number, i) => number + part * (y[i] - number));
  const sign = a.turn.reduce((sum, number, i) => sum + number * b.turn[i], 0) < 0 ? -1 : 1;
  const turn = mix(a.turn, b.turn.map((number) => sign * number));
  const size = Math.hypot(...turn) || 1;
  return { place: mix(a.place, b.place), turn: turn.map((n) => n / size), scale: mix(a.scale, b.scale) };
}
