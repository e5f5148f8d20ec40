// What has been turned so far, step by step: values by place, each as it stood at that step.

/** @typedef {Record<string, unknown>} Values */

/** Undo and redo of values by place. Values are kept as they are, not as differences, so that a save between two steps loses none. */
export class History {
  /** @type {Values[]} */
  #steps = [{}];
  #at = 0;

  /** @returns {Values} the values now */
  get values() {
    return this.#steps[this.#at];
  }

  get canUndo() {
    return this.#at > 0;
  }

  get canRedo() {
    return this.#at < this.#steps.length - 1;
  }

  /**
   * Take a step; what was undone before it is forgotten.
   * @param {Values} values what stands after it
   * @param {(place: string) => unknown} original gives what stands at a place that was not turned before; undefined where nobody knows
   */
  push(values, original) {
    if (JSON.stringify(values) === JSON.stringify(this.values)) return;
    this.#steps = this.#steps.slice(0, this.#at + 1);
    for (const place of Object.keys(values)) {
      const before = original(place);
      for (const step of this.#steps) if (!(place in step) && before !== undefined) step[place] = before;
    }
    this.#steps.push({ ...values });
    this.#at += 1;
  }

  /** @returns {Values} the values one step back */
  undo() {
    if (this.canUndo) this.#at -= 1;
    return this.values;
  }

  /** @returns {Values} the values one step on */
  redo() {
    if (this.canRedo) this.#at += 1;
    return this.values;
  }
}
