// A target in the hand: the scene goes on in real time, frame after frame, while it is held. The
// server steps it; here is only what was sent and what came back.

import { post } from './api.js';

const KEPT_S = 8; // of the motion, for the chart
const SETTLING_S = 4; // looked at after it was let go

export class Hand {
  constructor(valuesNow, onProblem) {
    this.valuesNow = valuesNow;
    this.onProblem = onProblem;
    this.reset();
  }

  reset() {
    this.target = null;
    this.state = null;
    this.take = null;
    this.pending = [];
    this.busy = false;
    this.wanted = null;
    this.letting = false;
    this.hasLetGo = false;
    this.idle = 0;
    this.generation = (this.generation ?? 0) + 1;
  }

  get isActive() {
    return this.target !== null;
  }

  /** Takes hold of a target at a time of the scene; another is let go. */
  begin(target, time) {
    if (this.target === target) return;
    if (this.target !== null) this.reset();
    this.target = target;
    this.from = time;
  }

  hold(numbers) {
    this.wanted = numbers;
    this.idle = 0;
  }

  /** Back to its course; it is over when that has been seen for a while. */
  letGo() {
    if (!this.isActive) return;
    this.letting = true;
    this.wanted = null;
    this.idle = 0;
  }

  /** Some time has passed. True when there is nothing more to see. */
  tick(dt) {
    if (!this.isActive) return false;
    this.idle += dt;
    if (this.letting && this.idle > SETTLING_S) return true;
    const frame = { dt };
    if (this.wanted !== null) frame.hold = { [this.target]: this.wanted };
    this.pending.push(frame);
    if (!this.busy) this.#send();
    return false;
  }

  async #send() {
    const generation = this.generation;
    this.busy = true;
    const frames = this.pending.splice(0, this.pending.length);
    const request = { values: this.valuesNow(), frames };
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
    if (this.take === null) {
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
