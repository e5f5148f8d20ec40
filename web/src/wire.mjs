// Asking the server: posts, previews of which one is under way at a time, and what the server says by itself.

const base = () => location.pathname.replace(/report$/, "");

/**
 * @param {string} path
 * @returns {Promise<any>}
 */
export async function get(path) {
  const answer = await fetch(base() + path);
  if (!answer.ok) throw new Error((await answer.text()).trim());
  return answer.json();
}

/**
 * @param {string} path
 * @param {unknown} body
 * @returns {Promise<any>} what it answers, or null where it says nothing
 * @throws {Error} what it refuses, in its words
 */
export async function post(path, body) {
  const answer = await fetch(base() + path, { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) });
  if (!answer.ok) throw new Error((await answer.text()).trim());
  return answer.status === 204 ? null : answer.json();
}

/**
 * One question under way; of those that come meanwhile the last is asked next. To end each one that is overtaken would
 * leave nothing to be seen while a hand moves, and to ask them all would fall behind it.
 * @template Q, A
 */
export class OneAtATime {
  #busy = false;
  /** @type {{question: Q} | null} */
  #next = null;

  /**
   * @param {(question: Q) => Promise<A>} ask
   * @param {(answer: A, question: Q) => void} show
   * @param {(error: Error, question: Q) => void} refuse
   */
  constructor(ask, show, refuse) {
    this.askOne = ask;
    this.show = show;
    this.refuse = refuse;
  }

  /** @param {Q} question */
  async ask(question) {
    this.#next = { question };
    if (this.#busy) return;
    this.#busy = true;
    while (this.#next !== null) {
      /** @type {Promise<() => void> | null} */
      let underWay = this.#askNext();
      while (underWay !== null) {
        const tell = await underWay;
        // The next one is on its way before what has come is drawn.
        underWay = this.#next === null ? null : this.#askNext();
        tell();
      }
    }
    this.#busy = false;
  }

  /** Ask what waits. @returns {Promise<() => void>} what tells the answer, or why there is none */
  async #askNext() {
    const { question } = /** @type {{question: Q}} */ (this.#next);
    this.#next = null;
    const [answered] = await Promise.allSettled([this.askOne(question)]);
    return () => {
      try {
        if (answered.status === "rejected") throw answered.reason;
        this.show(answered.value, question);
      } catch (error) {
        this.refuse(/** @type {Error} */ (error), question);
      }
    };
  }

  /** Forget what waits to be asked. */
  drop() {
    this.#next = null;
  }
}

/**
 * @param {(state: any) => void} take
 * @param {() => void} ended
 */
export function listen(take, ended) {
  const events = new EventSource(base() + "events");
  events.onmessage = (event) => take(JSON.parse(event.data));
  events.onerror = ended;
}

/** @param {number} version */
export const gameAddress = (version) => `${base()}game.mjs?version=${version}`;

/** @returns {string} */
export const reportAddress = () => `${base()}report`;
