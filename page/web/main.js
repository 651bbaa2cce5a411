// The page: a setting under the hand, its motion beside it.

import { get, Latest, post } from './api.js';
import { CourseChart, JumpChart, OwnCharts, seriesInk } from './charts.js';
import { DialPanel } from './dials.js';
import { FiguresTable, figuresOf } from './figures.js';
import { Frames } from './frames.js';
import { Hand } from './hand.js';
import { KeepPanel } from './keep.js';
import { DialMap } from './map.js';
import { Player } from './player.js';
import { ReferencePanel } from './reference.js';
import { Settings } from './settings.js';
import { chartedOf, columnsOf } from './takes.js';
import { Stage } from './stage.js';
import { Variants } from './variants.js';

const byId = (id) => document.getElementById(id);
const KEPT = 30; // answers of earlier settings
const HEAVY_MS = 50; // a scene that takes longer is not run anew at each turn of a dial

class Page {
  constructor() {
    this.settings = new Settings();
    this.answer = null; // of the setting under the hand
    this.answerOfA = null;
    this.answers = new Map(); // of settings in the history, by their changes as text
    this.latencies = []; // from an edit to the picture, in milliseconds
    this.looked = null; // the name of the mover that is looked at
    this.overlay = true;
    this.dials = new DialPanel(byId('dial-groups'), this.settings);
    this.stage = new Stage(byId('stage'), byId('over'), byId('strip'), (name) => this.colourOf(name));
    this.course = new CourseChart(byId('course'), byId('course-heading'), byId('course-key'),
      (time) => this.player.seek(time));
    this.jump = new JumpChart(byId('jump'), byId('jump-key'),
      (key, time, percent, isDone) => this.#moveKey(key, time, percent, isDone));
    this.ownCharts = new OwnCharts(byId('own-charts'));
    this.figures = new FiguresTable(byId('figures'));
    this.drive = null; // how the hand has moved a target, while it is replayed
    this.hand = new Hand(() => this.#request(this.settings.changes), (problem) => this.say(problem.message, true));
    this.player = new Player(this);
    this.keep = new KeepPanel(this);
    this.reference = new ReferencePanel(this);
    this.variants = new Variants(this);
    this.map = new DialMap(this);
    this.frames = new Frames();
    this.runs = new Latest((wish) => this.#run(wish.changes),
      (answer, wish) => this.#take(answer, wish), (problem) => this.say(problem.message, true));
    this.runsOfA = new Latest((changes) => this.#run(changes),
      (answer) => { this.answerOfA = answer; this.draw(); }, () => {});
    this.#listen();
  }

  #listen() {
    this.settings.onChange((what) => {
      if (what === 'value') this.#turned();
      if (what === 'history') {
        if (this.hand.isActive) this.#ask();
        this.#keepAnswer();
        this.#showHistory();
      }
      if (what === 'held' && this.settings.held) this.runsOfA.want({ ...this.settings.held });
      this.#enableButtons();
    });
    byId('undo').addEventListener('click', () => this.settings.undo());
    byId('redo').addEventListener('click', () => this.settings.redo());
    byId('history').addEventListener('change', (event) => this.settings.goTo(Number(event.target.value)));
    byId('hold-a').addEventListener('click', () => this.settings.holdA());
    byId('flip').addEventListener('click', () => this.settings.flip());
    byId('overlay').addEventListener('click', () => this.#toggleOverlay());
    byId('whole-window').addEventListener('click', () => this.#toggleWindow());
    byId('fit').addEventListener('click', () => this.stage.fit());
    byId('replay').addEventListener('click', () => this.#toggleReplay());
    byId('keep-drive').addEventListener('click', () => this.#keepDrive());
    document.addEventListener('keydown', (event) => this.#key(event));
    window.addEventListener('resize', () => { this.draw(); this.map.draw(); });
    window.matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => {
      this.course.chart.forget();
      this.jump.chart.forget();
      this.stage.look(this.looked);
      this.#showMovers();
      this.draw();
    });
  }

  #key(event) {
    const on = event.target instanceof Element ? event.target : document.body;
    const typing = on.matches('input:not([type=range]):not([type=checkbox]), select, textarea');
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z' && !typing) {
      event.preventDefault();
      if (event.shiftKey) this.settings.redo();
      else this.settings.undo();
      return;
    }
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    const actions = {
      a: () => this.settings.holdA(),
      f: () => this.settings.flip(),
      v: () => this.#toggleWindow(),
      g: () => this.dials.turnChoice(this.looked),
      k: () => byId('kick').click(),
      t: () => this.player.toggleTarget(),
      Home: () => this.stage.fit(),
      o: () => this.#toggleOverlay(),
      ' ': () => this.player.toggle(),
      ',': () => this.player.step(-1),
      '.': () => this.player.step(1),
      Escape: () => (document.body.matches('.whole-window') && !this.hand.isActive
        ? this.#toggleWindow() : this.player.letGo()),
    };
    const onButton = event.key === ' ' && on.matches('button, summary, input');
    if (actions[event.key] && !onButton) {
      event.preventDefault();
      actions[event.key]();
    }
  }

  /** The view over the whole window, dials beside it; or back into the page. */
  #toggleWindow() {
    const whole = document.body.classList.toggle('whole-window');
    byId('whole-window').setAttribute('aria-pressed', String(whole));
    this.stage.fit();
    this.draw();
  }

  #toggleOverlay() {
    this.overlay = !this.overlay;
    byId('overlay').setAttribute('aria-pressed', String(this.overlay));
    this.draw();
  }

  async start() {
    await this.load();
    this.player.run();
    this.#watch();
  }

  /** The scene as its files have it now. */
  async load() {
    const scene = await get('/v1/scene');
    this.scene = scene;
    this.revision = scene.revision;
    document.title = `${scene.title || scene.made_by.scene} \u2013 Hop Coil`;
    byId('title').textContent = scene.title || scene.made_by.scene;
    byId('file').textContent = `${scene.file}: ${scene.duration_s} s at ${scene.rate_hz} Hz`;
    this.#showProblem(scene.problem);
    this.settings.setDials(scene.dials);
    if (!scene.movers.some((mover) => mover.name === this.looked)) {
      const listed = this.#listed();
      const first = listed.find((mover) => mover.target) ?? listed[0] ?? scene.movers[0];
      this.looked = first?.name ?? null;
    }
    this.answers.clear();
    this.answer = null;
    this.stage.setScene(scene);
    this.dials.build(this.looked);
    this.keep.all = [];
    this.look(this.looked);
    this.#showHistory();
    this.#enableButtons();
    await Promise.all([this.reference.list(), this.keep.list(), this.frames.list()]);
    this.runs.want({ changes: { ...this.settings.changes } });
    if (this.settings.held) this.runsOfA.want({ ...this.settings.held });
  }

  /** Waits for the files to change, for ever. */
  async #watch() {
    for (;;) {
      try {
        const change = await get(`/v1/changes?after=${this.revision}`);
        if (change.revision !== this.revision) {
          this.revision = change.revision;
          if (change.problem) this.#showProblem(change.problem);
          else await this.load();
        }
      } catch {
        this.say('The program that serves this page does not answer. Is it still running?', true);
        await new Promise((resolve) => { setTimeout(resolve, 1500); });
      }
    }
  }

  #showProblem(text) {
    byId('problem').hidden = !text;
    byId('problem-text').textContent = text ?? '';
  }

  say(text, bad = false) {
    byId('said').textContent = text;
    byId('said').classList.toggle('bad', bad);
  }

  mover() {
    return this.scene.movers.find((mover) => mover.name === this.looked);
  }

  colourOf(name) {
    return seriesInk(Math.max(0, this.scene.movers.findIndex((mover) => mover.name === name)));
  }

  /** What a mover follows, where that is a value like its own: a place, not the speed to go there. */
  targetOf(mover) {
    return this.scene.targets.find((each) => each.name === mover?.target
      && (each.value_kind ?? each.kind) === mover.value_kind);
  }

  look(name) {
    this.looked = name;
    this.stage.look(name);
    this.dials.look(name);
    this.keep.enable();
    this.#showMovers();
    const mover = this.mover();
    byId('kick').disabled = !mover.can_be_pushed;
    byId('kick-unit').textContent = `${mover.value_kind === 'number' || mover.value_kind === 'vector' ? mover.unit : 'rad'}/s`;
    this.variants.askSoon();
    this.map.askSoon();
    this.reference.enable();
    if (this.answer && !columnsOf(this.answer.take, chartedOf(mover)).every((column) => column)) this.#ask();
    else this.draw();
  }

  /** What can be chosen to be looked at: rows of points that are parts of a whole are seen with it. */
  #listed() {
    return this.scene.movers.filter((mover) => mover.name === mover.system || mover.count === 1);
  }

  #showMovers() {
    byId('movers').replaceChildren(...this.#listed().map((mover) => {
      const button = document.createElement('button');
      const swatch = document.createElement('span');
      swatch.className = 'swatch';
      if (mover.name !== this.looked) swatch.style.color = this.colourOf(mover.name);
      button.append(swatch, mover.name);
      button.title = mover.target ? `${mover.kind}, after ${mover.target}: ${mover.words}`
        : `${mover.kind}: ${mover.words}`;
      button.setAttribute('aria-pressed', String(mover.name === this.looked));
      button.addEventListener('click', () => this.look(mover.name));
      return button;
    }));
  }

  #showHistory() {
    const { past, place } = this.settings;
    byId('history').replaceChildren(...past.map((each, i) => new Option(each.words, i, false, i === place)));
  }

  #enableButtons() {
    const { past, place, held } = this.settings;
    byId('undo').disabled = place === 0;
    byId('redo').disabled = place + 1 >= past.length;
    byId('flip').disabled = byId('overlay').disabled = held === null;
  }

  /** What every request says of the setting. Only what is shown is asked for. */
  #request(values) {
    const mover = this.mover();
    const target = this.targetOf(mover);
    const channels = new Set([mover?.whole_channel, mover?.charted?.channel, target?.channel]);
    for (const body of [...this.scene.bodies, ...this.stage.rules])
      for (const channel of [body.position, body.rotation, body.scale]) channels.add(channel);
    for (const line of [...this.scene.lines, ...this.stage.marks, ...this.stage.dots])
      for (const channel of [line.channel, line.alive, line.age, line.turn, line.note]) channels.add(channel);
    for (const each of this.scene.targets) if (each.can_be_held) channels.add(each.channel);
    channels.delete(null);
    channels.delete(undefined);
    return { values: { ...values }, channels: [...channels], drives: this.drive ? [this.drive] : [] };
  }

  async #run(values) {
    const request = { ...this.#request(values), most_rows: 1500 };
    if (this.drive) {
      const end = this.drive.times_s[this.drive.times_s.length - 1] + 1;
      request.duration_s = Math.max(this.scene.duration_s, end);
    }
    const began = performance.now();
    const answer = await post('/v1/run', request);
    if (this.map.busy === 0) this.runTime = performance.now() - began;
    return answer;
  }

  /**
   * A dial has been turned. A scene that is quick is run anew; one that is not, and one in the hand,
   * goes on from now with the new number, and is run anew when the dial is let go.
   */
  #turned() {
    if (this.runTime > HEAVY_MS && this.player.isPlaying)
      this.hand.goOn(this.player.time, this.shownValues ?? {});
    if (this.hand.isActive) this.hand.stir();
    else this.#ask();
  }

  #toggleReplay() {
    this.drive = this.drive ? null : this.hand.drive;
    this.hand.reset();
    byId('replay').setAttribute('aria-pressed', String(this.drive !== null));
    this.answers.clear();
    this.player.seek(0);
    this.player.play();
    this.#ask();
    if (this.settings.held) this.runsOfA.want({ ...this.settings.held });
  }

  /** Under a name of its own, beside the scene. */
  async #keepDrive() {
    const drive = this.drive ?? this.hand.drive;
    try {
      const names = ['', '-2', '-3', '-4', '-5', '-6'].map((end) => `${drive.target}-by-hand${end}`);
      const taken = new Set((await get('/v1/references')).references.map((each) => each.name));
      const name = names.find((each) => !taken.has(`${each}.csv`)) ?? names[0];
      const answer = await post('/v1/drives', { ...drive, name, replace: taken.has(`${name}.csv`) });
      this.say(`Written: ${answer.written}. In the scene: [target.${drive.target}] csv = "${name}.csv"`);
      await this.reference.list();
    } catch (problem) {
      this.say(problem.message, true);
    }
  }

  #ask() {
    this.runs.want({ changes: { ...this.settings.changes }, since: performance.now() });
  }

  #take(answer, wish) {
    this.answer = answer;
    this.shownValues = { ...wish.changes };
    this.answerIs = JSON.stringify(wish.changes);
    this.#keepAnswer();
    if (byId('said').classList.contains('bad')) this.say(''); // it went wrong, and now it went right
    this.#showWarnings(answer);
    this.draw();
    if (wish.since !== undefined) {
      requestAnimationFrame(() => { this.latencies.push(performance.now() - wish.since); });
    }
  }

  /** Of a setting that is part of the history, for those after it to be compared with. */
  #keepAnswer() {
    const { past, place } = this.settings;
    if (this.answerIs !== JSON.stringify(past[place].changes)) return;
    this.answers.set(this.answerIs, this.answer);
    if (this.answers.size > KEPT) this.answers.delete(this.answers.keys().next().value);
  }

  #showWarnings(answer) {
    const lines = answer.diverged ? [answer.diverged, ...answer.warnings] : answer.warnings;
    byId('warnings').textContent = lines.join('\n');
    byId('warnings').classList.toggle('bad', answer.diverged !== null);
  }

  /** Everything, from the answer that is there. */
  draw() {
    if (!this.answer || !this.scene) return;
    this.stage.setTakes(this.answer.take, this.#ghost()?.answer.take ?? null);
    this.player.setEnd(this.answer.take.times_s);
    this.drawCharts();
    this.#showFigures();
    this.player.draw();
  }

  /** What is drawn behind: A, or while nothing is held the setting before the last edit. */
  #ghost() {
    if (!this.settings.held) {
      const answer = this.#answerBefore();
      return answer ? { answer, name: 'before' } : null;
    }
    return this.overlay && this.answerOfA ? { answer: this.answerOfA, name: 'A' } : null;
  }

  /** Of the last setting in the history that is another than the one that is shown. */
  #answerBefore() {
    const { past, place } = this.settings;
    const isCommitted = JSON.stringify(past[place].changes) === this.answerIs;
    const before = past[isCommitted ? place - 1 : place];
    return (before && this.answers.get(JSON.stringify(before.changes))) ?? null;
  }

  drawCharts() {
    const mover = this.mover();
    if (!mover) return;
    const colour = this.colourOf(mover.name);
    const target = this.targetOf(mover);
    const live = this.hand.isActive && this.hand.take;
    const ghost = live ? null : this.#ghost();
    this.course.draw({ take: live || this.answer.take, target, mover, colour,
      other: ghost?.answer.take, otherName: ghost?.name,
      reference: live ? null : this.reference.curve });
    if (live) return;
    this.jump.draw({ jumps: this.answer.jumps, mover, colour,
      other: ghost?.answer.jumps, otherName: ghost?.name, keys: this.#curveKeys() });
    const figures = this.answer.metrics.find((each) => each.mover === mover.name);
    this.ownCharts.draw(figures?.charts ?? [], mover.name, colour);
  }

  /** The keys of the curve that is looked at, where the file has them: in seconds and percent. */
  #curveKeys() {
    const path = (i, k) => `${this.looked}.keys.${i}.${k}`;
    const { settings } = this;
    const keys = [];
    while (settings.dials.has(path(keys.length, 1)))
      keys.push({ index: keys.length, at: settings.value(path(keys.length, 0)), percent: 100 * settings.value(path(keys.length, 1)) });
    const long = keys.length > 1 ? keys[keys.length - 1].at - keys[0].at : 0;
    const seconds = settings.dials.has(`${this.looked}.duration_s`) ? settings.value(`${this.looked}.duration_s`) : 1;
    if (!(long > 0)) return [];
    const first = keys[0].at;
    for (const key of keys) Object.assign(key, { time: (key.at - first) / long * seconds, perSecond: long / seconds, first });
    return keys;
  }

  /** A key between the ends goes anywhere between its neighbours. */
  #moveKey(key, time, percent, isDone) {
    if (isDone) {
      this.settings.commit(`${this.looked}: key ${key.index + 1}`);
      return;
    }
    const keys = this.#curveKeys();
    const [before, after] = [keys[key.index - 1], keys[key.index + 1]];
    if (!before || !after) return;
    const gap = 0.02 * (after.at - before.at);
    const at = Math.min(after.at - gap, Math.max(before.at + gap, key.first + time * key.perSecond));
    this.settings.set(`${this.looked}.keys.${key.index}.0`, Number(at.toPrecision(4)));
    this.settings.set(`${this.looked}.keys.${key.index}.1`, Number((percent / 100).toPrecision(4)));
  }

  #showFigures() {
    const of = (answer) => (answer ? figuresOf(answer, this.looked) : null);
    this.figures.show(of(this.answer), of(this.#answerBefore()),
      this.settings.held ? of(this.answerOfA) : null, this.looked);
  }
}

const page = new Page();
window.hopcoil = page;
page.start().catch((problem) => page.say(problem.message, true));
