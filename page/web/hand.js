// The scene under way in real time, frame after frame: a target in the hand, a kick, a dial turned
// while it runs. The server steps it; here is only what was sent and what came back.

import { post } from './api.js';

const KEPT_S = 8; // of the motion, for the chart
const SETTLING_S = 4; // looked at after it was let go

export class Hand {
  /** `requestNow`: values, drives and channels of a request. */
  constructor(requestNow, onProblem) {
    this.requestNow = requestNow;
    this.onProblem = onProblem;
    this.reset();
  }

  reset() {
    this.isActive = false;
    this.target = null; // the one that is held, if any
    this.grabbed = null; // the point that is pulled, if any
    this.state = null;
    this.take = null;
    this.pending = [];
    this.busy = false;
    this.wanted = null;
    this.letting = false;
    this.hasLetGo = false;
    this.idle = 0;
    this.valuesBefore = null;
    this.generation = (this.generation ?? 0) + 1;
  }

  /** Takes hold of a target at a time of the scene; another is let go. */
  begin(target, time, numbers) {
    if (this.isActive && this.target === target && !this.letting) return;
    if (this.isActive && this.target !== null) this.reset();
    if (!this.isActive) {
      this.isActive = true;
      this.from = time;
      this.clock = time;
    }
    this.target = target;
    this.drive = { target, times_s: [this.clock], values: [...numbers] };
  }

  /** Goes on from a time of the scene with the dials as they were; then as they are. */
  goOn(time, valuesBefore) {
    if (this.isActive) return;
    this.isActive = true;
    this.from = time;
    this.clock = time;
    this.valuesBefore = valuesBefore;
  }

  hold(numbers) {
    this.wanted = numbers;
    this.idle = 0;
  }

  /** The target is there at once. */
  jump(numbers) {
    this.hold(numbers);
    this.pending.push({ dt: 0, hold: { [this.target]: numbers } });
    this.#note(numbers);
  }

  /** A sudden change of what a mover does. */
  push(mover, velocity, time) {
    if (!this.isActive) this.goOn(time, null);
    this.idle = 0;
    this.pending.push({ dt: 0, push: { [mover]: velocity } });
  }

  /** Pulls a point, "sheet.44", toward a place. */
  grab(name, place, time) {
    if (!this.isActive) this.goOn(time, null);
    this.grabbed = name;
    this.grabPlace = place;
    this.idle = 0;
  }

  release() {
    this.grabbed = null;
    this.idle = 0;
  }

  /** Back to its course; it is over when that has been seen for a while. */
  letGo() {
    if (!this.isActive || this.target === null) return;
    this.letting = true;
    this.wanted = null;
    this.idle = 0;
  }

  /** Something has changed that has to be seen for a while. */
  stir() {
    this.idle = 0;
  }

  /** Whether the hand has moved a target long enough to be worth keeping. */
  get hasDrive() {
    return Boolean(this.drive) && this.drive.times_s.length > 10;
  }

  #note(numbers) {
    this.drive.times_s.push(this.clock);
    this.drive.values.push(...numbers);
  }

  /** Some time has passed. True when there is nothing more to see. */
  tick(dt) {
    if (!this.isActive) return false;
    this.idle += dt;
    if ((this.letting || this.target === null) && this.idle > SETTLING_S) return true;
    const frame = { dt };
    this.clock += dt;
    if (this.wanted !== null) {
      frame.hold = { [this.target]: this.wanted };
      this.#note(this.wanted);
    }
    if (this.grabbed) {
      frame.grab = { [this.grabbed]: this.grabPlace };
      this.idle = 0;
    }
    this.pending.push(frame);
    if (!this.busy) this.#send();
    return false;
  }

  async #send() {
    const generation = this.generation;
    this.busy = true;
    const request = this.requestNow();
    if (this.valuesBefore) {
      request.values = this.valuesBefore;
      this.valuesBefore = null;
      request.frames = [];
    } else request.frames = this.pending.splice(0, this.pending.length);
    if (this.state === null) request.from_s = this.from;
    else request.state = this.state;
    if (this.letting && !this.hasLetGo) {
      request.let_go = [this.target];
      this.hasLetGo = true;
    }
    try {
      const answer = await post('/v1/step', request);
      if (generation !== this.generation) return;
      this.state = answer.state;
      this.#append(answer.take);
    } catch (problem) {
      if (generation !== this.generation) return;
      this.reset();
      this.onProblem(problem);
    }
    this.busy = false;
  }

  #append(take) {
    const isSame = this.take && Object.keys(take.columns).length === Object.keys(this.take.columns).length
      && Object.keys(take.columns).every((name) => name in this.take.columns);
    if (!isSame) { // the first, or another count of nodes
      this.take = take;
      return;
    }
    const skip = 1; // its first row is the last of what was there
    this.take.times_s.push(...take.times_s.slice(skip));
    for (const [name, column] of Object.entries(this.take.columns))
      column.push(...take.columns[name].slice(skip));
    const { times_s: times } = this.take;
    const old = times.findIndex((time) => time >= times[times.length - 1] - KEPT_S);
    if (old > 240) {
      times.splice(0, old);
      for (const column of Object.values(this.take.columns)) column.splice(0, old);
    }
  }

  get time() {
    const times = this.take?.times_s;
    return times ? times[times.length - 1] : this.from;
  }
}
