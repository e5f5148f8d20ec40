// What a figure is made of; each tab makes one, and one place draws them all.

/**
 * A line, with a band about it where it has one. `along` is what its points are read by.
 * @typedef {object} Line
 * @property {string} key
 * @property {string} label
 * @property {number} color which accent
 * @property {[number, number][]} points
 * @property {[number, number, number][]} [band] for each index: its place along, and the two ends across
 * @property {boolean} [pale] whether it is the file's, beside what is tried
 */

/**
 * An area of a stack.
 * @typedef {object} Area
 * @property {string} key
 * @property {string} label
 * @property {number} color
 * @property {[number, number, number][]} points x, lower and upper end
 */

/**
 * A point that can be dragged, or moved by arrow keys.
 * @typedef {object} Handle
 * @property {string} key
 * @property {string} label what it is called
 * @property {number} x
 * @property {number} y
 * @property {"x" | "y"} moves along which axis
 * @property {number} step of an arrow key
 * @property {boolean} whole whether it takes whole numbers only
 * @property {number} least the least value that it may have
 * @property {number} value
 * @property {string} [tone] "met", "missed" or "open"
 * @property {string} [unit]
 * @property {(value: number) => Record<string, unknown>} change what it changes, by place
 */

/**
 * @typedef {object} Axis
 * @property {string} label
 * @property {[number, number]} domain
 * @property {boolean} [log]
 * @property {boolean} [percent]
 */

/**
 * @typedef {object} Spec
 * @property {string} title
 * @property {Axis} x
 * @property {Axis} y
 * @property {"x" | "y"} along by which axis values are read under the pointer
 * @property {Line[]} lines
 * @property {Area[]} [areas]
 * @property {Handle[]} [handles]
 * @property {string[]} heads of the table behind it
 * @property {(string | number | null)[][]} rows of the table
 * @property {(at: number) => [string, string][]} read what stands at a place along: names and values
 * @property {boolean} [fine] whether places along lie between whole ones, too
 * @property {string} [note]
 */

/**
 * The pairs of two columns of which both are known.
 * @param {(number | null)[]} xs
 * @param {(number | null)[]} ys
 * @returns {[number, number][]}
 */
export function pairs(xs, ys) {
  /** @type {[number, number][]} */
  const found = [];
  for (let at = 0; at < xs.length; at += 1) {
    const [x, y] = [xs[at], ys[at]];
    if (x !== null && y !== null && x !== undefined && y !== undefined) found.push([x, y]);
  }
  return found;
}

/**
 * The largest of some numbers, with a little room; at least `least`.
 * @param {Iterable<number>} numbers
 * @param {number} least
 */
export function roomFor(numbers, least) {
  let most = least;
  for (const one of numbers) if (one > most) most = one;
  return most * 1.04;
}
