// A wish that moves the sliders, and what is kept: tunings by name, numbers in the scene's file.

import { post } from './api.js';

const byId = (id) => document.getElementById(id);

export class KeepPanel {
  constructor(page) {
    this.page = page;
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
    page.say(`Saved ${name} in ${answer.file}`);
  }

  async #patch() {
    const { page } = this;
    const answer = await post('/v1/patch', { values: page.settings.changes });
    page.say(answer.written.length > 0 ? `Written: ${answer.written.join(', ')}`
      : 'Nothing has been changed.');
  }
}
