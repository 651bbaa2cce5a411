// Time: playing, stepping, scrubbing; and the hand that takes a target out of its course.

const byId = (id) => document.getElementById(id);

export class Player {
  constructor(page) {
    this.page = page;
    this.time = 0;
    this.end = 1;
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
    stage.addEventListener('keydown', (event) => this.#nudge(event));
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
    stage.draw(time, live ? hand.take : stage.take);
    byId('time').value = Math.round(1000 * Math.min(1, this.time / this.end));
    byId('time-says').textContent = `${time.toFixed(2)} s`;
    const place = course.chart.placeOf(time);
    byId('playhead').style.display = place === null ? 'none' : 'block';
    if (place !== null) byId('playhead').style.left = `${place}px`;
    byId('let-go').disabled = !hand.isActive || hand.letting;
    byId('stage-note').textContent = this.#note(hand);
  }

  #note(hand) {
    if (!hand.isActive) return 'drag a target to move it';
    return hand.letting ? `${hand.target} goes back to its course` : `${hand.target} is held`;
  }

  #take(event) {
    const { stage, hand } = this.page;
    const handle = stage.handleAt(event.offsetX, event.offsetY);
    if (!handle) return;
    byId('stage').setPointerCapture(event.pointerId);
    this.grip = { handle, from: [event.offsetX, event.offsetY] };
    this.#begin(handle);
    hand.hold(handle.numbers);
  }

  #begin(handle) {
    const { hand } = this.page;
    if (hand.isActive && hand.letting) hand.reset();
    hand.begin(handle.target.name, this.time);
  }

  #move(event) {
    const { stage, hand } = this.page;
    if (!this.grip) {
      byId('stage').style.cursor = stage.handleAt(event.offsetX, event.offsetY) ? 'grab' : 'default';
      return;
    }
    hand.hold(stage.numbersFor(this.grip.handle, this.grip.from, [event.offsetX, event.offsetY]));
  }

  #drop() {
    this.grip = null;
  }

  /** The arrow keys move the target of what is looked at, a little at a time. */
  #nudge(event) {
    const ways = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
    const way = ways[event.key];
    const { stage, hand } = this.page;
    const handle = stage.handles()[0];
    if (!way || !handle) return;
    event.preventDefault();
    const pixels = event.shiftKey ? 4 : 24;
    this.#begin(handle);
    hand.hold(stage.numbersFor(handle, handle.point,
      handle.point.map((at, i) => at + pixels * way[i])));
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
