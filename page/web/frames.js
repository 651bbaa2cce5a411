// Pictures of the real thing beside the view, at matching times: those that the scene names, or PNG
// files that are handed over.

import { get } from './api.js';

const byId = (id) => document.getElementById(id);

export class Frames {
  constructor() {
    this.pictures = []; // that the scene has
    this.sources = [];
    this.shown = null;
    byId('frames-name').addEventListener('change', () => this.#useScene());
    byId('frames-files').addEventListener('change', (event) => this.#useFiles([...event.target.files]));
    for (const id of ['frames-from', 'frames-every'])
      byId(id).addEventListener('input', () => { this.shown = null; });
  }

  async list() {
    this.pictures = (await get('/v1/frames')).pictures;
    const select = byId('frames-name');
    const chosen = select.value;
    select.replaceChildren(new Option('none', ''),
      ...this.pictures.map(({ name, count }) => new Option(`${name}: ${count}`, name)));
    select.value = this.pictures.some(({ name }) => name === chosen) ? chosen : '';
  }

  #useScene() {
    const picture = this.pictures.find(({ name }) => name === byId('frames-name').value);
    byId('frames-files').value = '';
    if (picture) this.#times(picture.from_s, picture.every_s);
    this.#use(Array.from({ length: picture?.count ?? 0 },
      (_, i) => `/v1/frames/${encodeURIComponent(picture.name)}/${i}`));
  }

  /** In the order of their names, numbers as numbers. */
  #useFiles(files) {
    byId('frames-name').value = '';
    files.sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));
    this.#use(files.map((file) => URL.createObjectURL(file)));
  }

  #times(from, every) {
    byId('frames-from').value = from;
    byId('frames-every').value = Number(every.toPrecision(6));
  }

  #use(sources) {
    for (const source of this.sources) if (source.startsWith('blob:')) URL.revokeObjectURL(source);
    this.sources = sources;
    this.shown = null;
    byId('frame').hidden = sources.length === 0;
    byId('view').classList.toggle('with-frame', sources.length > 0);
  }

  /** The one that is nearest to a time. */
  show(time) {
    if (this.sources.length === 0) return;
    const from = byId('frames-from').valueAsNumber || 0;
    const every = byId('frames-every').valueAsNumber || 1 / 24;
    const nearest = Math.round((time - from) / every);
    const i = Math.min(this.sources.length - 1, Math.max(0, nearest));
    if (i === this.shown) return;
    this.shown = i;
    byId('frame-picture').src = this.sources[i];
    byId('frame-says').textContent = `${(from + i * every).toFixed(2)} s`;
  }
}
