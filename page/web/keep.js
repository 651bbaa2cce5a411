// A wish that moves the sliders, and what is kept: tunings by name, numbers in the scene's file.

import { get, post } from './api.js';

const byId = (id) => document.getElementById(id);

export class KeepPanel {
  constructor(page) {
    this.page = page;
    this.tunings = [];
    this.#on('named', 'change', () => this.#use());
    this.#on('wish-form', 'submit', () => this.#wish());
    this.#on('save-form', 'submit', () => this.#save());
    this.#on('patch', 'click', () => this.#patch());
  }

  /** What goes wrong is said where the rest is said. */
  #on(id, what, act) {
    byId(id).addEventListener(what, async (event) => {
      event.preventDefault();
      try {
        await act();
      } catch (problem) {
        this.page.say(problem.message, true);
      }
    });
  }

  /** The tunings that have names, to choose from. */
  async list() {
    this.#show(await get('/v1/tunings'));
  }

  #show(answer) {
    this.tunings = answer.tunings.filter((each) => each.frequency_hz !== undefined);
    const options = this.tunings.map(({ name, about }) => new Option(about ? `${name}: ${about}` : name, name));
    byId('named').replaceChildren(new Option('\u2013', ''), ...options);
    this.enable();
  }

  /** Only for what has a tuning. */
  enable() {
    byId('named').disabled = this.tunings.length === 0 || !this.page.mover()?.has_tuning;
    byId('save-form').querySelector('button').disabled = !this.page.mover()?.has_tuning;
  }

  #use() {
    const { page } = this;
    const tuning = this.tunings.find((each) => each.name === byId('named').value);
    byId('named').value = '';
    if (!tuning) return;
    for (const key of ['frequency_hz', 'damping_ratio', 'lead'])
      page.settings.set(`${page.looked}.${key}`, tuning[key]);
    page.settings.commit(`${page.looked}: ${tuning.name}`);
    page.say(`${page.looked}: ${tuning.name}`);
  }

  async #wish() {
    const { page } = this;
    const wish = byId('wish').value.trim();
    const answer = await post('/v1/wish', { wish, mover: page.looked, values: page.settings.changes });
    for (const [path, value] of Object.entries(answer.values)) page.settings.set(path, value);
    page.settings.commit(`${page.looked}: ${wish}`);
    page.say(`${page.looked}: solved for ${wish}`);
  }

  async #save() {
    const { page } = this;
    const name = byId('save-name').value.trim();
    const answer = await post('/v1/tunings', {
      name,
      about: byId('save-about').value.trim(),
      mover: page.looked,
      values: page.settings.changes,
      replace: byId('save-replace').checked,
    });
    this.#show(answer);
    page.say(`Saved ${name} in ${answer.file}`);
  }

  async #patch() {
    const { page } = this;
    const answer = await post('/v1/patch', { values: page.settings.changes });
    page.say(answer.written.length > 0 ? `Written: ${answer.written.join(', ')}`
      : 'Nothing has been changed.');
  }
}
