// Time: playing, stepping, scrubbing; and the hand that takes a target out of its course.

const byId = (id) => document.getElementById(id);
const CLICK_PIXELS = 4;
const CLICK_MS = 350;
const FLICK_MS = 100; // of the hand's way, before it lets go
const FLICK_PIXELS_PER_S = 250;
const TURN_RATE = 1.6; // radians a second, by keys
const TURNS = { q: true, e: true };

export class Player {
  constructor(page) {
    this.page = page;
    this.time = 0;
    this.places = new Map(); // of targets: where it is, and where it was before
    this.end = 1;
    this.keys = new Set(); // that are down
    this.isPlaying = !window.matchMedia('(prefers-reduced-motion: reduce)').matches;
    this.#listen();
    this.#showPlaying();
  }

  #listen() {
    const { page } = this;
    byId('play').addEventListener('click', () => this.toggle());
    byId('step-back').addEventListener('click', () => this.step(-1));
    byId('step-on').addEventListener('click', () => this.step(1));
    byId('time').addEventListener('input', (event) => {
      this.pause();
      this.seek(this.end * Number(event.target.value) / 1000);
    });
    byId('let-go').addEventListener('click', () => this.letGo());
    byId('strip').addEventListener('click', (event) => this.seek(page.stage.momentAt(event.offsetX)));
    const stage = byId('stage');
    stage.addEventListener('pointerdown', (event) => this.#take(event));
    stage.addEventListener('pointermove', (event) => this.#move(event));
    stage.addEventListener('pointerup', (event) => this.#drop(event));
    stage.addEventListener('pointercancel', (event) => this.#drop(event));
    stage.addEventListener('keydown', (event) => this.#press(event));
    stage.addEventListener('keyup', (event) => this.keys.delete(event.key));
    stage.addEventListener('blur', () => this.keys.clear());
    byId('kick').addEventListener('click', () => this.kick(Number(byId('kick-size').value)));
    byId('toggle').addEventListener('click', () => this.toggleTarget());
  }

  toggle() {
    if (this.isPlaying) this.pause();
    else this.play();
  }

  play() {
    if (this.time >= this.end) this.time = 0;
    this.isPlaying = true;
    this.#showPlaying();
  }

  pause() {
    this.isPlaying = false;
    this.#showPlaying();
  }

  #showPlaying() {
    byId('play').textContent = this.isPlaying ? 'Pause' : 'Play';
  }

  seek(time) {
    this.#endHand();
    this.time = Math.min(this.end, Math.max(0, time));
    this.draw();
  }

  step(frames) {
    this.pause();
    this.seek(this.time + frames / this.page.scene.rate_hz);
  }

  setEnd(times) {
    this.end = times[times.length - 1] || 1;
    this.time = Math.min(this.time, this.end);
  }

  run() {
    let last = performance.now();
    const frame = (now) => {
      const dt = Math.min(0.1, Math.max(0, (now - last) / 1000)) * Number(byId('speed').value);
      last = now;
      this.#pass(dt);
      requestAnimationFrame(frame);
    };
    requestAnimationFrame(frame);
  }

  #pass(dt) {
    const { hand } = this.page;
    if (this.keys.size > 0 && dt > 0) this.#drive(dt);
    if (hand.isActive) {
      if (hand.tick(dt)) this.#endHand();
      this.draw();
      if (hand.take) this.page.drawCharts();
      return;
    }
    if (!this.isPlaying) return;
    this.time += dt;
    if (this.time > this.end) {
      if (byId('loop').checked) this.time %= this.end;
      else {
        this.time = this.end;
        this.pause();
      }
    }
    this.draw();
  }

  draw() {
    const { hand, stage, course } = this.page;
    const live = hand.isActive && hand.take;
    const time = live ? hand.time : this.time;
    stage.held = hand.isActive && !hand.letting ? hand.target : null;
    byId('replay').disabled = !this.page.drive && !hand.hasDrive;
    byId('keep-drive').disabled = byId('replay').disabled;
    stage.draw(time, live ? hand.take : stage.take);
    this.page.frames?.show(time);
    byId('time').value = Math.round(1000 * Math.min(1, this.time / this.end));
    byId('time-says').textContent = `${time.toFixed(2)} s`;
    const place = course.chart.placeOf(time);
    byId('playhead').style.display = place === null ? 'none' : 'block';
    if (place !== null) byId('playhead').style.left = `${place}px`;
    byId('let-go').disabled = !hand.isActive || hand.letting || hand.target === null;
    byId('stage-note').textContent = this.#note(hand);
  }

  #note(hand) {
    if (hand.isActive && hand.target !== null)
      return hand.letting ? `${hand.target} goes back to its course` : `${hand.target} is held`;
    if (hand.grabbed) return `you pull ${hand.grabbed}`;
    if (hand.isActive) return 'it goes on from here';
    if (this.page.drive) return `${this.page.drive.target} goes as your hand did`;
    return this.page.stage.handles().some((handle) => !handle.isLaunch)
      ? 'drag a target, or click where it shall jump to; drag elsewhere to look round'
      : 'drag to look round; flick a coast to launch it';
  }

  #at(event) {
    return [event.offsetX, event.offsetY];
  }

  #take(event) {
    const { stage, hand } = this.page;
    if (event.button !== 0) return;
    const handle = stage.handleAt(...this.#at(event)) ?? stage.grabAt(...this.#at(event));
    this.grip = { handle, from: this.#at(event), since: event.timeStamp, way: [] };
    if (!handle) return;
    stage.view.controls.enabled = false; // the eye stays where it is
    byId('stage').setPointerCapture(event.pointerId);
    if (handle.isLaunch) return;
    if (handle.grab) {
      hand.grab(handle.grab, handle.at, this.time);
      this.play();
      return;
    }
    this.#begin(handle);
    hand.hold(handle.numbers);
  }

  #begin(handle) {
    const { hand } = this.page;
    if (hand.isActive && hand.letting) hand.reset();
    hand.begin(handle.target.name, this.time, handle.numbers);
  }

  #move(event) {
    const { stage, hand } = this.page;
    if (!this.grip) {
      const point = this.#at(event);
      byId('stage').style.cursor = stage.handleAt(...point) || stage.grabAt(...point) ? 'grab' : 'default';
      return;
    }
    this.grip.way.push({ at: this.#at(event), time: event.timeStamp });
    this.grip.way = this.grip.way.filter((each) => event.timeStamp - each.time < FLICK_MS);
    const { handle, from } = this.grip;
    if (handle?.grab) {
      const way = this.#at(event).map((at, i) => at - from[i]);
      hand.grab(handle.grab, stage.view.moved(handle.at, ...way), this.time);
    } else if (handle && !handle.isLaunch) hand.hold(stage.numbersFor(handle, from, this.#at(event)));
  }

  #drop(event) {
    const { grip } = this;
    this.grip = null;
    this.page.stage.view.controls.enabled = true;
    if (!grip) return;
    const moved = Math.hypot(...this.#at(event).map((at, i) => at - grip.from[i]));
    if (!grip.handle) {
      if (moved < CLICK_PIXELS && event.timeStamp - grip.since < CLICK_MS) this.#jumpTo(this.#at(event));
      return;
    }
    if (grip.handle.grab) {
      this.page.hand.release();
      return;
    }
    const velocity = this.#flick(grip, event);
    if (!velocity) return;
    if (!grip.handle.isLaunch) this.page.hand.letGo();
    this.#push(grip.handle.mover, velocity);
  }

  /** How fast the hand was as it let go, in the units of what it held; null when it was slow. */
  #flick(grip, event) {
    const { stage } = this.page;
    const first = grip.way[0];
    const seconds = first ? (event.timeStamp - first.time) / 1000 : 0;
    if (!grip.handle.place || seconds < 0.01) return null;
    const way = this.#at(event).map((at, i) => at - first.at[i]);
    if (Math.hypot(...way) / seconds < FLICK_PIXELS_PER_S) return null;
    const { at, body, numbers } = grip.handle;
    const place = stage.view.moved(at, ...way).map((number, i) => (number - at[i]) / seconds);
    return numbers.length === 1 ? [place[body.axis]] : numbers.map((number, i) => place[i] ?? 0);
  }

  #push(mover, velocity) {
    this.page.hand.push(mover, velocity, this.time);
    this.play();
  }

  /** What is looked at is struck: along the view, or about the upright. */
  kick(size) {
    const mover = this.page.mover();
    if (!mover || !Number.isFinite(size)) return;
    const right = this.page.stage.view.moved([0, 0, 0], 1, 0);
    const long = Math.hypot(...right) || 1;
    const velocity = { number: [size], angle: [size], rotation: [0, size, 0],
      vector: Array.from({ length: mover.numbers }, (_, i) => size * (right[i] ?? 0) / long) };
    this.#push(mover.name, velocity[mover.value_kind]);
  }

  /** The target of what is looked at is elsewhere at once. */
  #jumpTo(point) {
    const { stage } = this.page;
    const handle = stage.handles().find((each) => !each.isLaunch);
    if (handle) this.#jump(handle, stage.numbersFor(handle, handle.point, point));
  }

  #jump(handle, numbers) {
    const { hand } = this.page;
    this.places.set(handle.target.name, { here: numbers, there: handle.numbers });
    this.#begin(handle);
    hand.jump(numbers);
    this.play();
  }

  /** Between the last two places that the target has jumped to. */
  toggleTarget() {
    const handle = this.page.stage.handles().find((each) => !each.isLaunch);
    const places = handle && this.places.get(handle.target.name);
    if (!places) this.page.say('Click into the picture first: the target then goes to and fro between there and where it was.');
    else this.#jump({ ...handle, numbers: places.here }, places.there);
  }

  /** Arrow keys drive the target of what is looked at while they are down; Q and E turn what it faces. */
  #press(event) {
    const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    const ways = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
    if (event.ctrlKey || event.metaKey || event.altKey || !(ways[key] || TURNS[key])) return;
    if (!this.#handleFor(key)) return;
    event.preventDefault();
    if (!this.keys.has(key)) {
      this.keys.add(key);
      this.#drive(1 / 15); // a short press counts too
    }
  }

  /** A place for the arrows, a turn for Q and E. */
  #handleFor(key) {
    const handles = this.page.stage.handles().filter((each) => !each.isLaunch);
    return TURNS[key] ? this.page.stage.turnHandle()
      : handles.find((each) => each.place) ?? handles[0] ?? null;
  }

  /** On for a while by the keys that are down. */
  #drive(dt) {
    const { hand } = this.page;
    const handle = this.#handleFor([...this.keys][0]);
    if (!handle) return;
    const goesOn = hand.isActive && !hand.letting && hand.target === handle.target.name && hand.wanted;
    const numbers = [...(goesOn ? hand.wanted : handle.numbers)];
    this.#begin(handle);
    hand.hold(handle.place ? this.#drivenPlace(handle, numbers, dt) : this.#driven(handle, numbers, dt));
  }

  #drivenPlace(handle, numbers, dt) {
    const down = (key) => (this.keys.has(key) ? 1 : 0);
    const across = down('ArrowRight') - down('ArrowLeft');
    const on = down('ArrowUp') - down('ArrowDown');
    const { right, ahead } = this.page.stage.view.ways();
    const step = Number(byId('drive-speed').value) * dt;
    const way = right.map((number, i) => step * (across * number + on * ahead[i]));
    return numbers.length === 1 ? [numbers[0] + step * (handle.body.axis === 1 ? on : across)]
      : numbers.map((number, i) => number + (way[i] ?? 0));
  }

  #driven(handle, numbers, dt) {
    const down = (key) => (this.keys.has(key) ? 1 : 0);
    const turn = TURN_RATE * dt * (down('q') - down('e') + down('ArrowLeft') - down('ArrowRight'));
    if (numbers.length < 4) return [numbers[0] + turn];
    const [w, x, y, z] = numbers; // turned about the upright
    const [c, s] = [Math.cos(turn / 2), Math.sin(turn / 2)];
    return [c * w - s * y, c * x + s * z, c * y + s * w, c * z - s * x];
  }

  letGo() {
    this.page.hand.letGo();
  }

  #endHand() {
    const { hand } = this.page;
    if (!hand.isActive) return;
    this.time = Math.min(this.end, hand.time);
    hand.reset();
    this.grip = null;
    this.page.drawCharts();
  }
}
