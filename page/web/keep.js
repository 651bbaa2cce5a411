// A wish that moves the sliders, and what is kept: tunings by name, numbers in the scene's file.

import { get, post } from './api.js';

const byId = (id) => document.getElementById(id);

export class KeepPanel {
  constructor(page) {
    this.page = page;
    this.all = []; // tunings and settings of the file
    this.tunings = []; // those that fit what is looked at
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
    this.all = answer.tunings;
    this.enable();
  }

  /** The dials that named numbers are of, for what is looked at; null where one is missing. */
  #dialsOf(each) {
    const mover = this.page.mover();
    if (!mover || (each.kind && each.kind !== mover.kind)) return null;
    const { dials } = this.page.settings;
    for (const owner of [mover.name, mover.system]) {
      const found = Object.entries(each.numbers).map(([path, value]) => [`${owner}.${path}`, value]);
      for (const [path, name] of Object.entries(each.choices)) {
        const index = dials.get(`${owner}.${path}`)?.names?.indexOf(name) ?? -1;
        found.push([`${owner}.${path}`, index >= 0 ? index : null]);
      }
      if (found.length > 0 && found.every(([path, value]) => dials.has(path) && value !== null)) return found;
    }
    return null;
  }

  /** Those that fit what is looked at; a tuning is kept of what has one, settings of anything. */
  enable() {
    const mover = this.page.mover();
    this.tunings = this.all.filter((each) => this.#dialsOf(each));
    const options = this.tunings.map(({ name, about }) => new Option(about ? `${name}: ${about}` : name, name));
    byId('named').replaceChildren(new Option('\u2013', ''), ...options);
    byId('named').disabled = this.tunings.length === 0;
    const what = byId('save-what');
    what.options[0].disabled = !mover?.has_tuning;
    if (!mover?.has_tuning) what.value = 'settings';
    what.options[1].text = mover ? `all numbers of ${mover.system}` : 'all numbers';
  }

  #use() {
    const { page } = this;
    const tuning = this.tunings.find((each) => each.name === byId('named').value);
    byId('named').value = '';
    if (!tuning) return;
    for (const [path, value] of this.#dialsOf(tuning)) page.settings.set(path, value);
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
      ...(byId('save-what').value === 'tuning' ? { mover: page.looked } : { system: page.mover().system }),
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
