// The motion itself: bodies now, their ghosts, the setting it is compared with, targets to drag.

import { between, drawShape, placeFrom, pointsAt, poseAt, Projection, turnFrom, rotated } from './space.js';
import { numbersAt, quaternionOf, rowAt, turnsOf } from './takes.js';

const GHOSTS = 5;
const REACH = 22; // pixels around a handle that take hold of it

function sized(canvas) {
  const ratio = window.devicePixelRatio || 1;
  const width = canvas.clientWidth;
  const height = canvas.clientHeight;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const context = canvas.getContext('2d');
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, width, height };
}

const ink = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Poses that no eye could tell apart. */
function isSame(a, b) {
  const apart = (x, y) => x.some((number, i) => Math.abs(number - y[i]) > 1e-4);
  return !apart(a.place, b.place) && !apart(a.turn, b.turn) && !apart(a.scale, b.scale);
}

/** What has no place in space, a plain number, stands on an upright rule of its own. */
function rulesFor(scene, bodies) {
  const placed = new Set(bodies.flatMap((body) => [body.position, body.rotation, body.scale]));
  const rules = [];
  for (const mover of scene.movers) {
    if (placed.has(mover.channel) || mover.value_kind !== 'number') continue;
    rules.push({ name: mover.name, position: mover.channel, rotation: null, scale: null,
      at_m: [1.2 * rules.length, 0, 0], axis: 1, shape: 'disc', length_m: null, joined_to: null });
  }
  return rules;
}

export class Stage {
  constructor(canvas, strip, colourOf) {
    this.canvas = canvas;
    this.strip = strip;
    this.colourOf = colourOf; // of a mover, by its name
    this.scene = null;
    this.take = null;
    this.other = null; // a take to compare with
    this.looked = null;
    this.bodies = [];
    this.lines = [];
  }

  setScene(scene) {
    this.scene = scene;
    this.rules = rulesFor(scene, scene.bodies);
    for (const body of [...scene.bodies, ...this.rules]) {
      const channels = [body.position, body.rotation, body.scale];
      body.mover = scene.movers.find((mover) => channels.includes(mover.channel));
    }
    this.bodies = [];
  }

  /** Bodies in space, or plain numbers on their rules, whichever the mover is among. */
  look(name) {
    this.looked = name;
    const onRule = this.rules.some((rule) => rule.mover.name === name);
    const isSpace = this.scene.bodies.length > 0 || this.scene.lines.length > 0;
    const bodies = onRule || !isSpace ? this.rules : this.scene.bodies;
    if (bodies === this.bodies) return;
    this.bodies = bodies;
    this.lines = bodies === this.rules ? [] : this.scene.lines;
    this.projection = new Projection(bodies === this.rules ? 'side' : this.scene.view);
  }

  setTakes(take, other) {
    this.take = take;
    this.other = other;
    if (!take || take.times_s.length === 0) return;
    this.length = this.#usualLength(take);
    const stride = Math.max(1, Math.floor(take.times_s.length / 200));
    for (let row = 0; row < take.times_s.length; row += stride) this.#takeIn(take, row);
    this.drawStrip();
  }

  #takeIn(take, row) {
    for (const body of this.bodies) {
      const pose = poseAt(take, body, row);
      this.projection.takeIn(pose.place, 0.62 * this.#lengthOf(body) * Math.max(...pose.scale));
    }
    for (const line of this.lines)
      for (const point of pointsAt(take, line, row)) this.projection.takeIn(point, 0);
  }

  /** Of what has no length of its own: a part of what there is to be seen. */
  #usualLength(take) {
    let low = Infinity;
    let high = -Infinity;
    for (const body of this.bodies.filter((each) => each.position)) {
      for (let row = 0; row < take.times_s.length; row += 16) {
        for (const number of poseAt(take, body, row).place) {
          low = Math.min(low, number);
          high = Math.max(high, number);
        }
      }
    }
    return high > low ? 0.12 * (high - low) : 1;
  }

  #lengthOf(body) {
    return body.length_m ?? (body.position ? this.length : 1);
  }

  #poseIn(take, body, time) {
    const row = rowAt(take, time);
    const next = Math.min(row + 1, take.times_s.length - 1);
    const span = take.times_s[next] - take.times_s[row];
    const part = span > 0 ? Math.min(1, Math.max(0, (time - take.times_s[row]) / span)) : 0;
    const pose = poseAt(take, body, row);
    return part > 0 ? between(pose, poseAt(take, body, next), part) : pose;
  }

  draw(time, take = this.take) {
    const { context, width, height } = sized(this.canvas);
    if (!take || take.times_s.length === 0 || width === 0) return;
    this.projection.fit(26, 20, width - 52, height - 44);
    this.time = time;
    this.shownTake = take;
    this.#drawGround(context, width, height);
    this.#drawPaths(context, take);
    if (this.other && take === this.take) this.#drawLines(context, this.projection, this.other, time, 0.25);
    this.#drawLines(context, this.projection, take, time, 1);
    if (this.other && take === this.take) this.#drawOther(context, time);
    const first = take.times_s[0];
    for (let ghost = GHOSTS; ghost > 0; ghost -= 1) {
      const then = time - 0.12 * ghost;
      if (then >= first) this.#drawBodies(context, take, then, 0.05 + 0.035 * (GHOSTS - ghost), false);
    }
    this.#drawBodies(context, take, time, 1, true);
    this.#drawHandles(context, take, time);
  }

  #drawGround(context, width, height) {
    const metres = [1000, 500, 200, 100, 50, 20, 10, 5, 2, 1, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01]
      .find((m) => m * this.projection.scale <= width / 4) ?? 0.01;
    const long = metres * this.projection.scale;
    context.strokeStyle = ink('--target');
    context.fillStyle = ink('--quiet');
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(width - 10 - long, height - 9);
    context.lineTo(width - 10, height - 9);
    context.stroke();
    context.font = '11px "DejaVu Sans", sans-serif';
    context.textAlign = 'right';
    context.fillText(this.bodies === this.rules ? `${metres}` : `${metres} m`, width - 10, height - 13);
  }

  /** Where everything goes that goes anywhere. */
  #drawPaths(context, take) {
    const stride = Math.max(1, Math.floor(take.times_s.length / 300));
    context.save();
    context.globalAlpha = 0.35;
    context.lineWidth = 1;
    for (const body of this.bodies.filter((each) => each.position)) {
      context.strokeStyle = this.#colour(body);
      context.beginPath();
      for (let row = 0; row < take.times_s.length; row += stride)
        context.lineTo(...this.projection.point(poseAt(take, body, row).place));
      context.stroke();
    }
    context.restore();
  }

  #drawOther(context, time) {
    for (const body of this.bodies) {
      const pose = this.#poseIn(this.other, body, time);
      if (isSame(pose, this.#poseIn(this.take, body, time))) continue;
      drawShape(context, this.projection, body.shape, this.#lengthOf(body), pose,
        { colour: this.#colour(body), opacity: 0.85, hollow: true });
    }
  }

  /** Rows of points, as wide as they are thick, smooth through their points. */
  #drawLines(context, projection, take, time, opacity) {
    for (const line of this.lines) {
      const row = rowAt(take, time);
      const next = Math.min(row + 1, take.times_s.length - 1);
      const span = take.times_s[next] - take.times_s[row];
      const part = span > 0 ? Math.min(1, Math.max(0, (time - take.times_s[row]) / span)) : 0;
      const after = pointsAt(take, line, next);
      const points = pointsAt(take, line, row).map((point, i) =>
        projection.point(point.map((number, k) => number + part * (after[i][k] - number))));
      const along = (list, share, otherwise) => {
        if (list.length === 0) return otherwise;
        return list[Math.min(list.length - 1, Math.round(share * (list.length - 1)))];
      };
      context.save();
      context.globalAlpha = opacity;
      context.lineCap = 'round';
      for (let i = 1; i < points.length; i += 1) {
        const share = (i - 0.5) / (points.length - 1);
        const from = points[i - 1];
        const to = points[i];
        const before = points[i - 2] ?? from;
        const beyond = points[i + 1] ?? to;
        context.strokeStyle = along(line.colours, share, this.colourOf(line.name));
        context.lineWidth = Math.max(1.6, 2 * along(line.radius_m, share, 0) * projection.scale);
        context.beginPath();
        context.moveTo(...from);
        context.bezierCurveTo(from[0] + (to[0] - before[0]) / 6, from[1] + (to[1] - before[1]) / 6,
          to[0] - (beyond[0] - from[0]) / 6, to[1] - (beyond[1] - from[1]) / 6, ...to);
        context.stroke();
      }
      context.restore();
    }
  }

  #colour(body) {
    if (body.colour) return body.colour;
    return body.mover ? this.colourOf(body.mover.name) : ink('--target');
  }

  #drawBodies(context, take, time, opacity, named) {
    const poses = this.bodies.map((body) => this.#poseIn(take, body, time));
    this.bodies.forEach((body, i) => {
      const joined = this.bodies.findIndex((other) => other.name === body.joined_to);
      if (joined < 0) return;
      context.save();
      context.globalAlpha = opacity;
      context.strokeStyle = ink('--target');
      context.lineWidth = 1.4;
      context.beginPath();
      context.moveTo(...this.projection.point(poses[joined].place));
      context.lineTo(...this.projection.point(poses[i].place));
      context.stroke();
      context.restore();
    });
    this.bodies.forEach((body, i) => {
      drawShape(context, this.projection, body.shape, this.#lengthOf(body), poses[i],
        { colour: this.#colour(body), opacity, edge: ink('--panel') });
      if (named) this.#drawName(context, body, poses[i]);
    });
  }

  #drawName(context, body, pose) {
    const [x, y] = this.projection.point(pose.place);
    context.font = '11px "DejaVu Sans", sans-serif';
    context.textAlign = 'center';
    context.fillStyle = ink('--quiet');
    const down = Math.min(0.5 * this.#lengthOf(body) * this.projection.scale + 13, 70);
    if (body.position) context.fillText(body.name, x, y + down);
    else context.fillText(body.name, x, this.canvas.clientHeight - 22);
  }

  /** Where a target can be taken hold of: beside a body that goes after it. */
  handles(take = this.shownTake, time = this.time) {
    if (!take) return [];
    const row = rowAt(take, time);
    const found = [];
    const bodies = [...this.bodies].sort((a, b) =>
      Number(b.mover?.name === this.looked) - Number(a.mover?.name === this.looked));
    for (const body of bodies) {
      const mover = body.mover;
      const target = mover && this.scene.targets.find((each) => each.name === mover.target);
      if (!target?.can_be_held || target.is_driven) continue;
      const place = body.position === mover.channel;
      if (!place && body.rotation !== mover.channel) continue;
      const numbers = numbersAt(take, target, row);
      const centre = poseAt(take, body, row).place;
      const at = place ? placeFrom(body, numbers)
        : rotated(turnFrom(numbers), [0, 0, 0.62 * this.#lengthOf(body)]).map((n, i) => n + centre[i]);
      if (found.some((each) => each.target === target && each.place && place)) continue;
      found.push({ target, body, place, numbers, at, centre, point: this.projection.point(at) });
    }
    return found;
  }

  #drawHandles(context, take, time) {
    for (const handle of this.handles(take, time)) {
      const held = this.held === handle.target.name;
      const [x, y] = handle.point;
      context.save();
      context.strokeStyle = held ? ink('--accent') : ink('--target');
      context.lineWidth = held ? 3 : 1.6;
      if (!handle.place) {
        context.setLineDash([3, 3]);
        context.beginPath();
        context.moveTo(...this.projection.point(handle.centre));
        context.lineTo(x, y);
        context.stroke();
        context.setLineDash([]);
      }
      context.beginPath();
      context.arc(x, y, 7, 0, 2 * Math.PI);
      context.stroke();
      context.beginPath();
      context.moveTo(x - 11, y); context.lineTo(x - 4, y);
      context.moveTo(x + 4, y); context.lineTo(x + 11, y);
      context.moveTo(x, y - 11); context.lineTo(x, y - 4);
      context.moveTo(x, y + 4); context.lineTo(x, y + 11);
      context.stroke();
      context.restore();
    }
  }

  handleAt(x, y) {
    const near = this.handles()
      .map((handle) => ({ handle, way: Math.hypot(handle.point[0] - x, handle.point[1] - y) }))
      .filter(({ way }) => way <= REACH)
      .sort((a, b) => a.way - b.way);
    return near[0]?.handle ?? null;
  }

  /** The target's numbers when its handle is moved to a point, having been taken up at another. */
  numbersFor(handle, from, to) {
    const dx = to[0] - from[0];
    const dy = to[1] - from[1];
    if (handle.place) {
      const place = this.projection.moved(handle.at, dx, dy);
      const own = place.map((number, i) => number - handle.body.at_m[i]);
      return handle.numbers.length === 1 ? [own[handle.body.axis]]
        : handle.numbers.map((number, i) => own[i] ?? number);
    }
    if (handle.numbers.length === 4) {
      const [pitch, heading, roll] = turnsOf(handle.numbers);
      return quaternionOf([pitch + 0.01 * dy, heading + 0.01 * dx, roll]);
    }
    const centre = this.projection.point(handle.centre);
    const seenFromAbove = Math.abs(this.projection.eye.toward[1]) > 0.5;
    if (!seenFromAbove) return [handle.numbers[0] + 0.01 * dx];
    const way = this.projection.moved([0, 0, 0], to[0] - centre[0], to[1] - centre[1]);
    return [Math.atan2(way[0], way[2])];
  }

  /** Moments of the whole motion side by side. */
  drawStrip() {
    const { context, width, height } = sized(this.strip);
    if (!this.take || this.take.times_s.length === 0 || width === 0) return;
    const count = Math.max(4, Math.floor(width / 74));
    const end = this.take.times_s[this.take.times_s.length - 1];
    const step = width / count;
    const small = new Projection(this.scene.view);
    small.eye = this.projection.eye;
    small.extent = this.projection.extent;
    this.moments = [];
    for (let i = 0; i < count; i += 1) {
      const time = end * i / (count - 1);
      this.moments.push(time);
      context.save();
      context.beginPath();
      context.rect(i * step, 0, step - 3, height);
      context.clip();
      context.fillStyle = ink('--panel');
      context.fill();
      small.fit(i * step + 5, 4, step - 13, height - 18);
      this.#drawLines(context, small, this.take, time, 1);
      for (const body of this.bodies) {
        drawShape(context, small, body.shape, this.#lengthOf(body),
          this.#poseIn(this.take, body, time), { colour: this.#colour(body), edge: ink('--panel') });
      }
      context.fillStyle = ink('--quiet');
      context.font = '10px "DejaVu Sans", sans-serif';
      context.fillText(`${time.toFixed(1)} s`, i * step + 4, height - 4);
      context.restore();
    }
  }

  momentAt(x) {
    const count = this.moments?.length ?? 0;
    const index = Math.floor(x / (this.strip.clientWidth / count));
    return this.moments?.[Math.min(count - 1, Math.max(0, index))] ?? 0;
  }
}
