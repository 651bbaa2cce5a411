// The motion itself: bodies now, their ghosts, the setting it is compared with, targets to drag.
/* global THREE */

import { drawDots, drawMarks } from './marks.js';
import { madeOf, outline, scenery, solid } from './solids.js';
import { between, nearestPoint, placeFrom, pointsAt, poseAt, rotated, turnFrom } from './space.js';
import { momentIn, numbersAt, quaternionOf, turnsOf } from './takes.js';
import { ink, View } from './view.js';

const GHOSTS = 5;
const GHOST_EVERY_S = 0.12;
const REACH = 22; // pixels around a handle that take hold of it
const STRIP_AFTER_MS = 120; // once the dial rests
const THINNEST = 0.8; // pixels from the middle of a line to its side

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

function poseIn(take, body, time) {
  const { row, next, part } = momentIn(take, time);
  const pose = poseAt(take, body, row);
  return part > 0 ? between(pose, poseAt(take, body, next), part) : pose;
}

function put(object, pose, length) {
  object.position.set(...pose.place);
  object.quaternion.set(pose.turn[1], pose.turn[2], pose.turn[3], pose.turn[0]);
  object.scale.set(...pose.scale.map((size) => length * size || 1e-9));
}

function lineThrough(places, colour, opacity) {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute('position', new THREE.Float32BufferAttribute(places.flat(), 3));
  const line = new THREE.Line(geometry, new THREE.LineBasicMaterial({ color: colour, transparent: true, opacity }));
  line.frustumCulled = false;
  return line;
}

/** A round number of metres, about so many. */
function roundNumber(about) {
  const power = 10 ** Math.floor(Math.log10(about));
  return power * ([1, 2, 5].find((n) => n * power >= about) ?? 10);
}

export class Stage {
  constructor(canvas, over, strip, colourOf) {
    this.canvas = canvas;
    this.over = over; // names and handles are drawn there
    this.strip = strip;
    this.colourOf = colourOf; // of a mover, by its name
    this.scene = null;
    this.take = null;
    this.other = null; // a take to compare with
    this.looked = null;
    this.bodies = [];
    this.dots = [];
    this.lines = [];
    this.view = new View(canvas, () => this.#redraw());
    this.things = new THREE.Group();
    this.view.scene.add(this.things);
  }

  setScene(scene) {
    this.scene = scene;
    this.rules = rulesFor(scene, scene.bodies);
    for (const body of [...scene.bodies, ...this.rules]) {
      const channels = [body.position, body.rotation, body.scale];
      body.mover = scene.movers.find((mover) => channels.includes(mover.channel));
    }
    const isSolid = (line) => ['line', 'mesh', 'branches'].includes(line.kind);
    this.dots = scene.lines.filter((line) => line.kind === 'dots');
    this.marks = scene.lines.filter((line) => !isSolid(line) && line.kind !== 'dots');
    scene.lines = scene.lines.filter(isSolid);
    for (const line of scene.lines) line.mover = scene.movers.find((mover) => mover.name === line.name);
    this.bodies = null;
  }

  /** Bodies in space, or plain numbers on their rules, whichever the mover is among. */
  look(name) {
    this.looked = name;
    const onRule = this.rules.some((rule) => rule.mover.name === name);
    const isSpace = [this.scene.bodies, this.scene.lines, this.dots, this.marks].some((all) => all.length > 0);
    const bodies = onRule || !isSpace ? this.rules : this.scene.bodies;
    if (bodies !== this.bodies) {
      const isFirst = this.bodies === null;
      this.bodies = bodies;
      this.lines = bodies === this.rules ? [] : this.scene.lines;
      const side = bodies === this.rules ? 'side' : this.scene.view;
      if (!isFirst || this.side !== side) this.view.isFitted = false;
      this.side = side;
      this.view.from(side);
      this.view.forgetExtent();
    }
    this.#forgetThings();
  }

  /** They are made anew when they are drawn next: other bodies, or other colours. */
  #forgetThings() {
    this.#remove(this.things.children);
    this.parts = null;
  }

  #remove(things) {
    for (const thing of [...things]) {
      this.things.remove(thing);
      // Shapes are shared by all bodies; what is made for one take is not.
      if (thing.geometry) thing.geometry.dispose();
    }
  }

  setTakes(take, other) {
    this.take = take;
    this.other = other;
    if (!take || take.times_s.length === 0) return;
    this.length = this.#usualLength(take);
    const stride = Math.max(1, Math.floor(take.times_s.length / 200));
    for (let row = 0; row < take.times_s.length; row += stride) this.#takeIn(take, row);
    if (this.parts) {
      this.#remove(this.parts.background);
      this.parts.background = this.#background();
    }
    if (!this.view.isFitted) this.draw(0, take); // the strip needs something drawn
    clearTimeout(this.stripSoon);
    this.stripSoon = setTimeout(() => this.drawStrip(), STRIP_AFTER_MS);
  }

  /** All of the motion in sight again. */
  fit() {
    this.view.fit();
    this.#redraw();
  }

  #redraw() {
    if (this.isDrawing || !this.shownTake) return; // the eye has moved because it is being drawn
    this.isDrawing = true;
    this.draw(this.time, this.shownTake);
    this.isDrawing = false;
  }

  #takeIn(take, row) {
    for (const body of this.bodies) {
      const pose = poseAt(take, body, row);
      this.view.takeIn(pose.place, 0.5 * this.#lengthOf(body) * Math.max(...pose.scale));
    }
    for (const line of [...this.lines, ...this.dots])
      for (const point of pointsAt(take, line, row)) this.view.takeIn(point, 0);
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

  #colour(body) {
    if (body.colour) return body.colour;
    return body.mover ? this.colourOf(body.mover.name) : ink('--target');
  }

  /** Everything that is seen, made once a take. */
  #make() {
    this.#forgetThings();
    const add = (thing) => {
      this.things.add(thing);
      return thing;
    };
    const turned = (body, thing) => {
      const group = new THREE.Group();
      const pivot = body.pivot_m ?? [0, 0, 0];
      thing.position.set(...pivot.map((number) => -number / this.#lengthOf(body)));
      group.add(thing);
      return add(group);
    };
    this.parts = { bodies: [], lines: [], background: [] };
    for (const body of this.bodies) {
      const colour = this.#colour(body);
      const ghosts = Array.from({ length: GHOSTS }, (_, i) =>
        turned(body, solid(body, colour, 0.05 + 0.035 * (GHOSTS - 1 - i))));
      const joined = this.bodies.find((each) => each.name === body.joined_to);
      this.parts.bodies.push({ body, ghosts, now: turned(body, solid(body, colour)),
        other: turned(body, outline(body, colour)), joined,
        joint: joined ? add(lineThrough([[0, 0, 0], [0, 0, 0]], ink('--target'), 1)) : null });
    }
    for (const line of this.lines) {
      const colours = line.colours.length > 0 ? line.colours : [this.colourOf(line.name)];
      const tubes = [1, 0.25].map((opacity) => madeOf(line, colours, opacity));
      for (const tube of tubes) add(tube.mesh);
      this.parts.lines.push({ line, now: tubes[0], other: tubes[1] });
    }
    this.parts.background = this.#background();
  }

  #background() {
    const things = [this.#grid(), ...scenery(this.scene), ...this.#paths()];
    this.things.add(...things);
    return things;
  }

  #grid() {
    const { box } = this.view;
    const size = box.isEmpty() ? 2 : Math.max(box.max.x - box.min.x, box.max.z - box.min.z, 0.2);
    this.cell = roundNumber(size / 10);
    const cells = 2 * Math.ceil(0.8 * size / this.cell);
    const grid = new THREE.GridHelper(cells * this.cell, cells, ink('--target'), ink('--line'));
    grid.material.transparent = true;
    grid.material.opacity = 0.8;
    grid.material.depthWrite = false;
    const centre = (axis) => (box.isEmpty() ? 0
      : this.cell * Math.round((box.min[axis] + box.max[axis]) / 2 / this.cell));
    // The ground is at 0, but for what hangs or sinks below it.
    const low = box.isEmpty() ? 0 : Math.min(0, this.cell * Math.floor(box.min.y / this.cell + 1e-6));
    grid.position.set(centre('x'), low, centre('z'));
    return grid;
  }

  /** Where everything goes that goes anywhere. */
  #paths() {
    const stride = Math.max(1, Math.floor(this.take.times_s.length / 400));
    return this.bodies.filter((body) => body.position).map((body) => {
      const places = [];
      for (let row = 0; row < this.take.times_s.length; row += stride)
        places.push(poseAt(this.take, body, row).place);
      return lineThrough(places, this.#colour(body), 0.35);
    });
  }

  draw(time, take = this.take) {
    if (!take || take.times_s.length === 0) return;
    const wasDrawing = this.isDrawing;
    this.isDrawing = true;
    const hasRoom = this.view.begin();
    this.isDrawing = wasDrawing;
    if (!hasRoom) return;
    this.time = time;
    this.shownTake = take;
    this.#show(time, take, true);
    this.view.draw();
    const { context, width, height } = sized(this.over);
    if (!this.view.hasPicture) context.fillText('This browser shows nothing in space: it has no WebGL.', 20, height / 2);
    this.#drawScale(context, width, height);
    if (this.bodies !== this.rules)
      drawDots(context, this.view, this.dots, take, momentIn(take, time).row);
    const marks = this.bodies === this.rules ? []
      : this.marks.filter((mark) => mark.system === this.#system());
    drawMarks(context, this.view, marks, take, momentIn(take, time).row);
    this.#drawNames(context, take, time);
    this.#drawHandles(context, take, time);
  }

  /** The system that is looked at. */
  #system() {
    return this.scene.movers.find((mover) => mover.name === this.looked)?.system;
  }

  /** Puts everything where it is at a time. */
  #show(time, take, withAll) {
    if (!this.parts) this.#make();
    const compared = withAll && this.other && take === this.take ? this.other : null;
    const first = take.times_s[0];
    for (const { body, now, ghosts, other, joined, joint } of this.parts.bodies) {
      const length = this.#lengthOf(body);
      const pose = poseIn(take, body, time);
      put(now, pose, length);
      ghosts.forEach((ghost, i) => {
        const then = time - GHOST_EVERY_S * (i + 1);
        ghost.visible = withAll && then >= first;
        if (!ghost.visible) return;
        const was = poseIn(take, body, then);
        ghost.visible = !isSame(was, pose);
        put(ghost, was, length);
      });
      const compare = compared && poseIn(compared, body, time);
      other.visible = Boolean(compare) && !isSame(compare, pose);
      if (other.visible) put(other, compare, length);
      if (!joint) continue;
      joint.geometry.attributes.position.setXYZ(0, ...poseIn(take, joined, time).place);
      joint.geometry.attributes.position.setXYZ(1, ...pose.place);
      joint.geometry.attributes.position.needsUpdate = true;
    }
    for (const { line, now, other } of this.parts.lines) {
      this.#showLine(now, line, take, time);
      other.mesh.visible = Boolean(compared) && pointsAt(compared, line, 0).length === line.count;
      if (other.mesh.visible) this.#showLine(other, line, compared, time);
    }
    for (const thing of this.parts.background) thing.visible = withAll;
  }

  #showLine(tube, line, take, time) {
    const { row, next, part } = momentIn(take, time);
    const points = pointsAt(take, line, row, next, part);
    tube.mesh.visible = points.length > 1;
    if (points.length > 1) tube.update(points, THINNEST * this.view.metresPerPixel(points[0]));
  }

  #drawScale(context, width, height) {
    context.fillStyle = ink('--quiet');
    context.font = '11px "DejaVu Sans", sans-serif';
    context.textAlign = 'right';
    const size = Number(this.cell.toPrecision(1));
    context.fillText(`squares of ${size}${this.bodies === this.rules ? '' : ' m'}`, width - 10, height - 8);
  }

  #drawNames(context, take, time) {
    context.font = '11px "DejaVu Sans", sans-serif';
    context.textAlign = 'center';
    context.fillStyle = ink('--quiet');
    const beside = (body) => this.bodies.filter((each) => each.mover?.system === body.mover.system);
    for (const body of this.bodies) {
      if (body.mover && beside(body).length > 6) continue; // parts too near for names
      const { place } = poseIn(take, body, time);
      const [x, y] = this.view.point(place);
      const down = 0.5 * this.#lengthOf(body) / this.view.metresPerPixel(place) + 13;
      context.fillText(body.name, x, y + Math.min(down, 70));
    }
    for (const line of this.lines) {
      if (line.name !== line.system) continue; // a part, named by its whole
      const { row } = momentIn(take, time);
      const points = pointsAt(take, line, row);
      if (points.length === 0) continue;
      const [x, y] = this.view.point(points[points.length - 1]);
      context.fillText(line.name, x, y + 16);
    }
  }

  /** Where a target can be taken hold of: beside a body that follows it, at the root of a line. */
  handles(take = this.shownTake, time = this.time) {
    if (!take) return [];
    const { row } = momentIn(take, time);
    const found = [];
    const seen = [...this.bodies, ...this.lines].sort((a, b) =>
      Number(b.mover?.name === this.looked) - Number(a.mover?.name === this.looked));
    for (const body of seen) {
      const mover = body.mover;
      if (mover && !mover.target && mover.can_be_pushed && body.position === mover.channel) {
        const { place } = poseAt(take, body, row);
        found.push({ target: null, isLaunch: true, mover: mover.name, body, place: true,
          numbers: numbersAt(take, mover, row), at: place, centre: place, point: this.view.point(place) });
        continue;
      }
      const target = mover && this.scene.targets.find((each) => each.name === mover.target);
      if (!target?.can_be_held || target.is_driven) continue;
      const isLine = this.lines.includes(body);
      const place = isLine || body.position === mover.channel;
      if (!place && body.rotation !== mover.channel) continue;
      const frame = isLine ? { at_m: [0, 0, 0], axis: 1 } : body;
      const numbers = numbersAt(take, target, row);
      const centre = place ? placeFrom(frame, numbers) : poseAt(take, body, row).place;
      const at = place ? centre
        : rotated(turnFrom(numbers, body.turn_axis), [0, 0, 0.62 * this.#lengthOf(body)]).map((n, i) => n + centre[i]);
      if (found.some((each) => each.target === target && each.place && place)) continue;
      found.push({ target, mover: mover.name, body: frame, place, numbers, at, centre, point: this.view.point(at) });
    }
    return found;
  }

  /** What the looked at system faces, beside where it goes: a target that turns. */
  turnHandle(take = this.shownTake, time = this.time) {
    const mover = this.scene.movers.find((each) => each.name === this.looked);
    const turns = (target) => ['angle', 'rotation'].includes(target.kind);
    const target = this.scene.targets.find((each) =>
      mover?.targets.includes(each.name) && turns(each) && each.can_be_held && !each.is_driven);
    if (!take || !target) return null;
    return { target, place: false, numbers: numbersAt(take, target, momentIn(take, time).row) };
  }

  #drawHandles(context, take, time) {
    for (const handle of this.handles(take, time)) {
      const held = handle.target !== null && this.held === handle.target.name;
      const [x, y] = handle.point;
      context.save();
      context.strokeStyle = held ? ink('--accent') : ink('--target');
      context.lineWidth = held ? 3 : 1.6;
      if (!handle.place) {
        context.setLineDash([3, 3]);
        context.beginPath();
        context.moveTo(...this.view.point(handle.centre));
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

  /** The point of what a hand can pull that is seen there, if any. */
  grabAt(x, y) {
    const lines = this.lines.filter((each) => each.mover?.can_be_grabbed);
    const take = this.shownTake;
    return take && nearestPoint(take, lines, momentIn(take, this.time).row, this.view, [x, y], REACH);
  }

  /** The target's numbers when its handle is moved to a point, having been taken up at another. */
  numbersFor(handle, from, to) {
    const dx = to[0] - from[0];
    const dy = to[1] - from[1];
    if (handle.place) {
      const place = this.view.moved(handle.at, dx, dy);
      const own = place.map((number, i) => number - handle.body.at_m[i]);
      return handle.numbers.length === 1 ? [own[handle.body.axis]]
        : handle.numbers.map((number, i) => own[i] ?? number);
    }
    if (handle.numbers.length === 4) {
      const [pitch, heading, roll] = turnsOf(handle.numbers);
      return quaternionOf([pitch + 0.01 * dy, heading + 0.01 * dx, roll]);
    }
    if (!this.view.isFromAbove || handle.body.turn_axis !== 1) return [handle.numbers[0] + 0.01 * dx];
    const centre = this.view.point(handle.centre);
    const way = this.view.moved(handle.centre, to[0] - centre[0], to[1] - centre[1])
      .map((number, i) => number - handle.centre[i]);
    return [Math.atan2(way[0], way[2])];
  }

  /** Moments of the whole motion side by side. */
  drawStrip() {
    const { context, width, height } = sized(this.strip);
    if (!this.take || this.take.times_s.length === 0 || width === 0 || !this.view.begin()) return;
    const count = Math.max(4, Math.floor(width / 74));
    const end = this.take.times_s[this.take.times_s.length - 1];
    const step = width / count;
    this.moments = [];
    context.font = '10px "DejaVu Sans", sans-serif';
    for (let i = 0; i < count; i += 1) {
      const time = end * i / (count - 1);
      this.moments.push(time);
      context.fillStyle = ink('--panel');
      context.fillRect(i * step, 0, step - 3, height);
      this.#show(time, this.take, false);
      const seen = this.view.drawInto(context, i * step + 2, 1, step - 7, height - 13);
      if (seen && this.bodies !== this.rules) drawDots(context, seen, this.dots, this.take, momentIn(this.take, time).row);
      context.fillStyle = ink('--quiet');
      context.fillText(`${time.toFixed(1)} s`, i * step + 4, height - 3);
    }
    this.#redraw();
  }

  momentAt(x) {
    const count = this.moments?.length ?? 0;
    const index = Math.floor(x / (this.strip.clientWidth / count));
    return this.moments?.[Math.min(count - 1, Math.max(0, index))] ?? 0;
  }
}
