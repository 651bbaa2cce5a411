// A curve to compare with: from a file beside the scene, or one that is handed over.

import { get, post } from './api.js';
import { short } from './settings.js';
import { channelsOf } from './takes.js';

const byId = (id) => document.getElementById(id);
const DEGREES = 180 / Math.PI;

export class ReferencePanel {
  constructor(page) {
    this.page = page;
    this.curve = null; // { name, column, times, values, own: in the file's own units }
    this.answer = null;
    byId('reference-name').addEventListener('change', () => this.#load());
    byId('reference-column').addEventListener('change', () => this.#choose());
    byId('reference-file').addEventListener('change', (event) => this.#send(event.target.files[0]));
    byId('reference-fit').addEventListener('click', () => this.#fit());
  }

  enable() {
    byId('reference-fit').disabled = !this.curve || !this.page.mover();
  }

  /** The column of what is looked at that has the curve's name; else the one that moves the most. */
  #column() {
    const { take } = this.page.answer;
    const names = channelsOf(this.page.mover());
    if (names.includes(this.curve.column)) return this.curve.column;
    const span = (name) => Math.max(...take.columns[name]) - Math.min(...take.columns[name]);
    return names.filter((name) => take.columns[name]).sort((a, b) => span(b) - span(a))[0];
  }

  /** The dials of what is looked at that were turned; its own frequency and damping without any. */
  #paths() {
    const { settings } = this.page;
    const { system, name } = this.page.mover();
    return Object.keys(settings.changes)
      .filter((path) => path.startsWith(`${system ?? name}.`) && !settings.dials.get(path).names);
  }

  async #fit() {
    const { page } = this;
    const rows = this.curve.own.flatMap((value, i) => (value === null || this.curve.times[i] < 0 ? [] : [i]));
    byId('reference-fit').disabled = true;
    page.say('fitting…');
    try {
      const answer = await post('/v1/fit', {
        values: { ...page.settings.changes },
        drives: page.drive ? [page.drive] : [],
        mover: page.mover().name,
        column: this.#column(),
        times_s: rows.map((i) => this.curve.times[i]),
        motion: rows.map((i) => this.curve.own[i]),
        paths: this.#paths().slice(0, 6),
      });
      const found = Object.entries(answer.values).map(([path, value]) => [path, Number(value.toPrecision(4))]);
      page.settings.take(Object.fromEntries(found), `fitted to ${this.curve.name}`);
      page.say(this.#words(answer), !answer.is_explained);
    } catch (problem) {
      page.say(problem.message, true);
    }
    this.enable();
  }

  #words(answer) {
    const numbers = answer.numbers.map(({ name, value, low, high, is_at_bound: ends }) => {
      const sure = low === null || high === null ? 'cannot be told' : `${short(low, 3)} to ${short(high, 3)}`;
      return `${name} ${short(value)} (${ends ? 'at the end of its slider' : sure})`;
    });
    const percent = answer.unexplained_percent < 0.05 ? 'less than 0.1' : short(answer.unexplained_percent, 2);
    const left = `${percent} % of the motion is left unexplained`;
    const worst = answer.is_explained ? ''
      : `, most of it from ${short(answer.worst.from_s, 3)} to ${short(answer.worst.to_s, 3)} s`;
    return `${numbers.join('; ')}. ${left}${worst}.${answer.is_cut_short ? ' It was cut short after 10 s.' : ''}`;
  }

  async list() {
    const { references } = await get('/v1/references');
    const select = byId('reference-name');
    const chosen = select.value;
    select.replaceChildren(new Option('none', ''), ...references.map((name) => new Option(name, name)));
    if (references.includes(chosen)) select.value = chosen;
  }

  async #load() {
    const name = byId('reference-name').value;
    await this.#try(async () => this.#use(name ? await get(`/v1/references/${encodeURIComponent(name)}`) : null));
  }

  async #send(file) {
    if (!file) return;
    await this.#try(async () => this.#use(
      await post('/v1/references', { name: file.name, text: await file.text() })));
  }

  async #try(act) {
    try {
      await act();
    } catch (problem) {
      this.#use(null);
      this.page.say(problem.message, true);
    }
  }

  #use(answer) {
    this.answer = answer;
    const select = byId('reference-column');
    const names = answer ? Object.keys(answer.take.columns) : [];
    select.replaceChildren(...names.map((name) => new Option(name, name)));
    select.disabled = names.length === 0;
    const own = this.page.mover()?.channel;
    if (names.includes(own)) select.value = own;
    this.#choose();
  }

  #choose() {
    const name = byId('reference-column').value;
    if (!this.answer || !name) this.curve = null;
    else {
      const factor = /_rad$/.test(name) ? DEGREES : 1;
      this.curve = {
        name: `${this.answer.name}: ${name}`,
        column: name,
        own: this.answer.take.columns[name],
        times: this.answer.take.times_s,
        values: this.answer.take.columns[name].map((value) => (value === null ? null : value * factor)),
      };
    }
    this.enable();
    this.page.draw();
  }
}
