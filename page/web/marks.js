// Feet, as they decide: where each stands or will, where it would like to, why it steps, and the
// polygon of those that carry the body.

import { pointsAt } from './space.js';
import { ink } from './view.js';

/** The corners of the convex hull of points [x, y], round it. */
export function hull(points) {
  const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const turn = (a, b, c) => (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  const half = (list) => {
    const kept = [];
    for (const point of list) {
      while (kept.length > 1 && turn(kept[kept.length - 2], kept[kept.length - 1], point) <= 0) kept.pop();
      kept.push(point);
    }
    return kept.slice(0, -1);
  };
  return sorted.length < 3 ? sorted : [...half(sorted), ...half(sorted.reverse())];
}

function circle(context, [x, y], radius) {
  context.beginPath();
  context.arc(x, y, radius, 0, 2 * Math.PI);
}

/** What a foot does, when it does something. */
function wordOf(take, mark, row) {
  const column = take.columns[mark.note];
  const word = column ? mark.words[Math.round(column[row])] : '';
  return word === mark.words[0] ? '' : word;
}

/** Between the entries of a profile; `mix` between two of them. */
function along(list, share, mix) {
  const at = Math.min(1, Math.max(0, share)) * (list.length - 1);
  const i = Math.min(Math.floor(at), list.length - 1);
  return mix(list[i], list[Math.min(i + 1, list.length - 1)], at - i);
}

const mixedColour = (a, b, part) => {
  const parts = (hex) => [1, 3, 5].map((at) => parseInt(hex.slice(at, at + 2), 16));
  const [from, to] = [parts(a), parts(b)];
  return `rgb(${from.map((each, i) => Math.round(each + part * (to[i] - each))).join(',')})`;
};

/** Where a dot has been: as far back as it is the same one, which grows older from row to row. */
function trailOf(take, dot, row, i) {
  const alive = take.columns[`${dot.alive}.${i}`];
  const ages = take.columns[`${dot.age}.${i}`];
  const way = [];
  for (let at = row - 1; at >= 0 && take.times_s[at] >= take.times_s[row] - dot.trail_s - 1e-9; at -= 1) {
    if (!(alive[at] > 0.5) || ages[at] > ages[at + 1]) break;
    way.push(['x', 'y', 'z'].map((axis) => take.columns[`${dot.channel}.${i}.${axis}`][at]));
  }
  return way;
}

/** A leaf of about the size of a disc, turned counter-clockwise. */
function leaf(context, [x, y], radius, turn) {
  const [c, s] = [Math.cos(turn), -Math.sin(turn)];
  context.beginPath();
  for (const [along, across] of [[1.8, 0], [0.5, 0.55], [-0.9, 0.45], [-1.6, 0], [-0.9, -0.45], [0.5, -0.55]])
    context.lineTo(x + radius * (along * c + across * s), y + radius * (along * s - across * c));
  context.closePath();
}

/** Points that come and go, each as large and of the colour that its age says. */
export function drawDots(context, view, dots, take, row) {
  for (const dot of dots) {
    const points = pointsAt(take, dot, row);
    points.forEach((point, i) => {
      if (!((take.columns[`${dot.alive}.${i}`]?.[row] ?? 0) > 0.5)) return;
      const age = take.columns[`${dot.age}.${i}`]?.[row] ?? 0;
      const radius = along(dot.radius_m, age, (a, b, part) => a + part * (b - a));
      context.fillStyle = along(dot.colours, age, mixedColour);
      const pixels = Math.max(1.2, radius / view.metresPerPixel(point));
      if (dot.turn) leaf(context, view.point(point), pixels, take.columns[`${dot.turn}.${i}`]?.[row] ?? 0);
      else circle(context, view.point(point), pixels);
      context.fill();
      if (!(dot.trail_s > 0)) return;
      context.strokeStyle = context.fillStyle;
      context.lineWidth = 1.2 * pixels;
      context.globalAlpha = 0.55;
      context.beginPath();
      context.moveTo(...view.point(point));
      for (const place of trailOf(take, dot, row, i)) context.lineTo(...view.point(place));
      context.stroke();
      context.globalAlpha = 1;
    });
  }
}

export function drawMarks(context, view, marks, take, row) {
  const carrying = [];
  context.save();
  context.font = '11px "DejaVu Sans", sans-serif';
  context.textAlign = 'left';
  for (const mark of marks) {
    const points = pointsAt(take, mark, row);
    if (points.length === 0) continue;
    if (mark.kind === 'bones') {
      context.strokeStyle = ink('--quiet');
      points.forEach((point, i) => {
        const parent = mark.parents[i];
        if (mark.parents[parent] === parent) return; // no bone goes to a root
        context.beginPath();
        context.moveTo(...view.point(points[parent]));
        context.lineTo(...view.point(point));
        context.stroke();
      });
      continue;
    }
    if (mark.kind === 'rings') {
      context.strokeStyle = ink('--quiet');
      context.setLineDash([2, 2]);
      for (const point of points) {
        circle(context, view.point(point), 6);
        context.stroke();
      }
      context.setLineDash([]);
      continue;
    }
    const foot = points[points.length - 1];
    const at = view.point(foot);
    const stands = (take.columns[mark.alive]?.[row] ?? 1) > 0.5;
    if (stands) carrying.push(foot);
    context.fillStyle = context.strokeStyle = ink('--accent');
    context.lineWidth = 1.6;
    circle(context, at, 4);
    if (stands) context.fill();
    else context.stroke();
    context.fillText(wordOf(take, mark, row), at[0] + 8, at[1] + 4);
  }
  if (carrying.length > 1) {
    // Of the feet as they lie on the ground, not as they are seen.
    const corners = hull(carrying.map((foot) => [foot[0], foot[2], foot[1]]));
    context.strokeStyle = ink('--accent');
    context.globalAlpha = 0.6;
    context.lineWidth = 1;
    context.beginPath();
    for (const [x, z, y] of corners) context.lineTo(...view.point([x, y, z]));
    context.closePath();
    context.stroke();
  }
  context.restore();
}
