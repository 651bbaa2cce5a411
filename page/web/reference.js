// A curve to compare with: from a file beside the scene, or one that is handed over.

import { get, post } from './api.js';

const byId = (id) => document.getElementById(id);
const DEGREES = 180 / Math.PI;

export class ReferencePanel {
  constructor(page) {
    this.page = page;
    this.curve = null; // { name, times, values }
    this.answer = null;
    byId('reference-name').addEventListener('change', () => this.#load());
    byId('reference-column').addEventListener('change', () => this.#choose());
    byId('reference-file').addEventListener('change', (event) => this.#send(event.target.files[0]));
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
        times: this.answer.take.times_s,
        values: this.answer.take.columns[name].map((value) => (value === null ? null : value * factor)),
      };
    }
    this.page.draw();
  }
}
