// The page: a setting under the hand, its motion beside it.

import { get, Latest, post } from './api.js';
import { CourseChart, JumpChart, seriesInk } from './charts.js';
import { DialPanel } from './dials.js';
import { FiguresTable, figuresOf } from './figures.js';
import { Hand } from './hand.js';
import { KeepPanel } from './keep.js';
import { Player } from './player.js';
import { ReferencePanel } from './reference.js';
import { Settings } from './settings.js';
import { Stage } from './stage.js';

const byId = (id) => document.getElementById(id);
const KEPT = 30; // answers of earlier settings

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
    this.stage = new Stage(byId('stage'), byId('strip'), (name) => this.colourOf(name));
    this.course = new CourseChart(byId('course'), byId('course-heading'), byId('course-key'),
      (time) => this.player.seek(time));
    this.jump = new JumpChart(byId('jump'), byId('jump-key'));
    this.figures = new FiguresTable(byId('figures'));
    this.hand = new Hand(() => this.settings.changes, (problem) => this.say(problem.message, true));
    this.player = new Player(this);
    this.keep = new KeepPanel(this);
    this.reference = new ReferencePanel(this);
    this.runs = new Latest((wish) => post('/v1/run', { values: wish.changes }),
      (answer, wish) => this.#take(answer, wish), (problem) => this.say(problem.message, true));
    this.runsOfA = new Latest((changes) => post('/v1/run', { values: changes }),
      (answer) => { this.answerOfA = answer; this.draw(); }, () => {});
    this.#listen();
  }

  #listen() {
    this.settings.onChange((what) => {
      if (what === 'value') this.#ask();
      if (what === 'history') {
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
    document.addEventListener('keydown', (event) => this.#key(event));
    window.addEventListener('resize', () => this.draw());
    window.matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => {
      this.course.chart.forget();
      this.jump.chart.forget();
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
      o: () => this.#toggleOverlay(),
      ' ': () => this.player.toggle(),
      ',': () => this.player.step(-1),
      '.': () => this.player.step(1),
      Escape: () => this.player.letGo(),
    };
    const onButton = event.key === ' ' && on.matches('button, summary, input');
    if (actions[event.key] && !onButton) {
      event.preventDefault();
      actions[event.key]();
    }
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
      const first = scene.movers.find((mover) => mover.target) ?? scene.movers[0];
      this.looked = first?.name ?? null;
    }
    this.answers.clear();
    this.stage.setScene(scene);
    this.stage.look(this.looked);
    this.dials.build(this.looked);
    this.#showMovers();
    this.#showHistory();
    this.#enableButtons();
    await Promise.all([this.reference.list(), this.keep.list()]);
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

  look(name) {
    this.looked = name;
    this.stage.look(name);
    this.dials.look(name);
    this.keep.enable();
    this.#showMovers();
    this.draw();
  }

  #showMovers() {
    byId('movers').replaceChildren(...this.scene.movers.map((mover) => {
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

  #ask() {
    this.runs.want({ changes: { ...this.settings.changes }, since: performance.now() });
  }

  #take(answer, wish) {
    this.answer = answer;
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
    const target = this.scene.targets.find((each) => each.name === mover.target);
    const live = this.hand.isActive && this.hand.take;
    const ghost = live ? null : this.#ghost();
    this.course.draw({ take: live || this.answer.take, target, mover, colour,
      other: ghost?.answer.take, otherName: ghost?.name,
      reference: live ? null : this.reference.curve });
    if (live) return;
    this.jump.draw({ jumps: this.answer.jumps, mover, colour,
      other: ghost?.answer.jumps, otherName: ghost?.name });
  }

  #showFigures() {
    const of = (answer) => (answer ? figuresOf(answer, this.looked) : null);
    this.figures.show(of(this.answer), of(this.#answerBefore()),
      this.settings.held ? of(this.answerOfA) : null);
  }
}

const page = new Page();
window.hopcoil = page;
page.start().catch((problem) => page.say(problem.message, true));
