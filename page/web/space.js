// Bodies in space, and how they come onto the canvas: without perspective, from one of four sides.

import { product } from './takes.js';

const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const plus = (a, b) => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];

export function rotated(q, v) {
  const [, x, y, z] = product(product(q, [0, ...v]), [q[0], -q[1], -q[2], -q[3]]);
  return [x, y, z];
}

export function eyeOf(view) {
  if (view === 'top') return { right: [1, 0, 0], up: [0, 0, -1], toward: [0, 1, 0] };
  if (view === 'end') return { right: [0, 0, 1], up: [0, 1, 0], toward: [-1, 0, 0] };
  if (view === 'side') return { right: [1, 0, 0], up: [0, 1, 0], toward: [0, 0, 1] };
  const around = 0.6;
  const above = 0.45;
  const toward = [Math.sin(around) * Math.cos(above), Math.sin(above), Math.cos(around) * Math.cos(above)];
  const right = [Math.cos(around), 0, -Math.sin(around)];
  const up = [toward[1] * right[2] - toward[2] * right[1],
    toward[2] * right[0] - toward[0] * right[2],
    toward[0] * right[1] - toward[1] * right[0]];
  return { right, up, toward };
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

/** The points of a row in one row of the take. */
export function pointsAt(take, line, row) {
  const axes = ['x', 'y', 'z'].map((axis) =>
    Array.from({ length: line.count }, (_, i) => take.columns[`${line.channel}.${i}.${axis}`]));
  if (axes[0].some((column) => column === undefined)) return [];
  return axes[0].map((_, i) => axes.map((columns) => columns[i][row]));
}

/** Between two poses; turns the short way. */
export function between(a, b, part) {
  const mix = (x, y) => x.map((number, i) => number + part * (y[i] - number));
  const sign = a.turn.reduce((sum, number, i) => sum + number * b.turn[i], 0) < 0 ? -1 : 1;
  const turn = mix(a.turn, b.turn.map((number) => sign * number));
  const size = Math.hypot(...turn) || 1;
  return { place: mix(a.place, b.place), turn: turn.map((n) => n / size), scale: mix(a.scale, b.scale) };
}

/** From metres to pixels, and back in the plane of the canvas. */
export class Projection {
  constructor(view) {
    this.eye = eyeOf(view);
    this.extent = null; // [left, right, low, high] in metres
  }

  /** Makes room for a place with something of that reach on it. Whether it had to. */
  takeIn(place, reach) {
    const x = dot(place, this.eye.right);
    const y = dot(place, this.eye.up);
    const before = this.extent ?? [Infinity, -Infinity, Infinity, -Infinity];
    this.extent = [Math.min(before[0], x - reach), Math.max(before[1], x + reach),
      Math.min(before[2], y - reach), Math.max(before[3], y + reach)];
    return this.extent.some((edge, i) => edge !== before[i]);
  }

  fit(left, top, width, height) {
    const [x0, x1, y0, y1] = this.extent ?? [-1, 1, -1, 1];
    this.scale = Math.min(width / Math.max(x1 - x0, 1e-6), height / Math.max(y1 - y0, 1e-6));
    this.originX = left + width / 2 - this.scale * (x0 + x1) / 2;
    this.originY = top + height / 2 + this.scale * (y0 + y1) / 2;
  }

  point(place) {
    return [this.originX + this.scale * dot(place, this.eye.right),
      this.originY - this.scale * dot(place, this.eye.up)];
  }

  /** The place that is so many pixels from another, at its depth. */
  moved(place, dx, dy) {
    return plus(place, [0, 1, 2].map((i) =>
      (dx * this.eye.right[i] - dy * this.eye.up[i]) / this.scale));
  }
}

const DIAMOND = { corners: [[0, 0, 0.75], [0, 0, -0.25], [0.17, 0, 0], [-0.17, 0, 0], [0, 0.17, 0], [0, -0.17, 0]],
  faces: [[0, 2, 4], [0, 4, 3], [0, 3, 5], [0, 5, 2], [1, 4, 2], [1, 3, 4], [1, 5, 3], [1, 2, 5]] };
const ARROW = { corners: [[0, 0, 0.5], [0.2, 0, 0.1], [0.07, 0, 0.1], [0.07, 0, -0.5], [-0.07, 0, -0.5], [-0.07, 0, 0.1], [-0.2, 0, 0.1]],
  faces: [[0, 1, 2, 3, 4, 5, 6]], flat: true };
const BOX = { corners: [], faces: [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]] };
for (const x of [-0.25, 0.25]) for (const y of [-0.25, 0.25]) for (const z of [-0.5, 0.5]) BOX.corners.push([x, y, z]);
const SHAPES = { diamond: DIAMOND, arrow: ARROW, box: BOX };

/** Draws a body's shape: filled, or hollow and dashed. */
export function drawShape(context, projection, shape, length, pose, look) {
  context.save();
  context.globalAlpha = look.opacity ?? 1;
  context.fillStyle = look.colour;
  context.strokeStyle = look.colour;
  context.lineWidth = 1.4;
  if (look.hollow) context.setLineDash([4, 3]);
  if (shape === 'disc') {
    const [x, y] = projection.point(pose.place);
    context.beginPath();
    context.arc(x, y, Math.max(2, length * projection.scale * pose.scale[0] / 2), 0, 2 * Math.PI);
    if (look.hollow) context.stroke();
    else context.fill();
    context.restore();
    return;
  }
  const mesh = SHAPES[shape];
  const corners = mesh.corners.map((corner) =>
    plus(pose.place, rotated(pose.turn, corner.map((c, i) => c * length * pose.scale[i]))));
  const faces = mesh.faces.map((face) => ({
    face,
    depth: face.reduce((sum, i) => sum + dot(corners[i], projection.eye.toward), 0) / face.length,
  })).sort((a, b) => a.depth - b.depth);
  for (const { face } of faces) {
    context.beginPath();
    face.forEach((i, k) => context[k === 0 ? 'moveTo' : 'lineTo'](...projection.point(corners[i])));
    context.closePath();
    if (!look.hollow) context.fill();
    if (!look.hollow && !mesh.flat) {
      context.save();
      context.strokeStyle = look.edge ?? look.colour;
      context.lineWidth = 0.7;
      context.stroke();
      context.restore();
    } else if (look.hollow) context.stroke();
  }
  context.restore();
}
