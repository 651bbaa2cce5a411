// What the server is asked: docs/live.md has the interface.

/** The server's own words on why something cannot be. */
export class Problem extends Error {
  constructor(problem) {
    super(problem.message);
    this.places = problem.places ?? [];
  }
}

async function answer(response) {
  const json = await response.json().catch(() => null);
  if (json?.problem?.status) throw new Problem(json.problem);
  if (!response.ok || json === null) throw new Error(`the server answered ${response.status}`);
  return json;
}

export async function get(path) {
  return answer(await fetch(path));
}

export async function post(path, body) {
  return answer(await fetch(path, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
  }));
}

/**
 * Asks one at a time, always for the latest: while an answer is awaited, only the last of further
 * wishes is kept.
 */
export class Latest {
  constructor(ask, use, fail) {
    this.ask = ask;
    this.use = use;
    this.fail = fail;
    this.busy = false;
    this.next = null;
  }

  want(what) {
    this.next = { what };
    if (!this.busy) this.#go();
  }

  async #go() {
    this.busy = true;
    while (this.next !== null) {
      const { what } = this.next;
      this.next = null;
      try {
        this.use(await this.ask(what), what);
      } catch (problem) {
        this.fail(problem, what);
      }
    }
    this.busy = false;
  }
}
