// The numbers under the hand: what the scene's file says, what was changed, what was before.

/** Equal but for rounding. */
const same = (a, b) => Math.abs(a - b) <= 1e-12 * Math.max(Math.abs(a), Math.abs(b));

export class Settings {
  constructor() {
    this.dials = new Map(); // by path, as the server lists them
    this.changes = {}; // path -> number, where it is not what the file says
    this.held = null; // A: changes like these
    this.past = [{ changes: {}, words: 'as the file has it' }];
    this.place = 0; // in `past`
    this.listeners = [];
  }

  onChange(listener) {
    this.listeners.push(listener);
  }

  #tell(what) {
    for (const listener of this.listeners) listener(what);
  }

  /** The file's own numbers: changes to what is still there stay changes. */
  setDials(dials) {
    // JSON has no word for what has no end: a cap that is none.
    this.dials = new Map(dials.map((dial) => [dial.path,
      { ...dial, value: dial.value ?? Infinity, default: dial.default ?? Infinity }]));
    const keep = (changes) => Object.fromEntries(Object.entries(changes).filter(
      ([path, value]) => this.dials.has(path) && !same(value, this.dials.get(path).value)));
    this.changes = keep(this.changes);
    if (this.held) this.held = keep(this.held);
    for (const each of this.past) each.changes = keep(each.changes);
    this.#tell('dials');
  }

  value(path) {
    return this.changes[path] ?? this.dials.get(path).value;
  }

  isChanged(path) {
    return path in this.changes;
  }

  /** Under the hand; it becomes a part of the history with `commit`. */
  set(path, value) {
    const dial = this.dials.get(path);
    if (!dial || Number.isNaN(value)) return;
    if (value === dial.value || same(value, dial.value)) delete this.changes[path];
    else this.changes[path] = value;
    this.#tell('value');
  }

  /** Several at once, as one entry of the history. */
  take(values, words) {
    for (const [path, value] of Object.entries(values)) this.set(path, value);
    this.commit(words);
  }

  commit(words) {
    const changes = { ...this.changes };
    const before = this.past[this.place].changes;
    const paths = new Set([...Object.keys(changes), ...Object.keys(before)]);
    if ([...paths].every((path) => changes[path] === before[path])) return;
    this.past.length = this.place + 1;
    this.past.push({ changes, words });
    this.place += 1;
    this.#tell('history');
  }

  /** To a place in the history. */
  goTo(place) {
    if (place < 0 || place >= this.past.length) return;
    this.place = place;
    this.changes = { ...this.past[place].changes };
    this.#tell('value');
    this.#tell('history');
  }

  undo() {
    this.goTo(this.place - 1);
  }

  redo() {
    this.goTo(this.place + 1);
  }

  holdA() {
    this.held = { ...this.changes };
    this.#tell('held');
  }

  flip() {
    if (!this.held) return;
    const other = this.held;
    this.held = { ...this.changes };
    this.changes = { ...other };
    this.commit('flipped with A');
    this.#tell('held');
    this.#tell('value');
  }
}

const UNITS = /_((kg|n|n_s)(_per)?_m[23]?|kg|n|n_s|percent|m|rad|deg|s|hz|(m_|rad_|deg_)?per_s2?)$/;

/** "moves.0.jump_to_m" -> "moves 1: jump to"; "start_m.1" -> "start y". */
export function wordsOf(dial) {
  const parts = dial.name.split('.');
  const isNumber = (part) => /^\d+$/.test(part ?? '');
  const last = parts.length - 1;
  let end = '';
  if (isNumber(parts[last]) && isNumber(parts[last - 1])) {
    const [point, axis] = parts.splice(last - 1).map(Number);
    end = ` ${point + 1}, ${['time', 'x', 'y', 'z', 'w'][axis] ?? axis}`;
  } else if (isNumber(parts[last])) {
    const axis = Number(parts.pop());
    end = ` ${['x', 'y', 'z', 'w'][axis] ?? axis + 1}`;
  }
  const words = parts.map((part, i) => {
    if (isNumber(part)) return `${Number(part) + 1}${i + 1 < parts.length ? ':' : ''}`;
    return part.replace(UNITS, '').replaceAll('_', ' ');
  });
  return words.join(' ') + end;
}

/** Four digits that matter, and no more. */
export function short(value, digits = 4) {
  if (value === 0) return '0';
  if (!Number.isFinite(value)) return 'none';
  const size = Math.abs(value);
  if (size >= 1e6 || size < 1e-4) return value.toExponential(digits - 2).replace('e+', 'e');
  return String(Number(value.toPrecision(digits)));
}
