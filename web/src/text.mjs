// Numbers and elements as words.

/** @param {number | null | undefined} value @returns {string} */
export function plain(value) {
  if (value === null || value === undefined || !Number.isFinite(value)) return "–";
  const size = Math.abs(value);
  const digits = size >= 1000 || Number.isInteger(value) ? 0 : size >= 100 ? 1 : size >= 1 ? 2 : 3;
  return value.toLocaleString("en-US", { maximumFractionDigits: digits });
}

/** @param {number} share @returns {string} */
export const percent = (share) => `${(100 * share).toLocaleString("en-US", { maximumFractionDigits: 1 })} %`;

/** A number as the file would have it: without the last digits that steps of a slider leave. @param {number} value */
export const written = (value) => Number(value.toPrecision(12));

/**
 * An element with properties and children.
 * @template {keyof HTMLElementTagNameMap} K
 * @param {K} tag
 * @param {Record<string, unknown>} [properties]
 * @param {...(Node | string)} children
 * @returns {HTMLElementTagNameMap[K]}
 */
export function element(tag, properties = {}, ...children) {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(properties)) {
    if (name.startsWith("aria-") || name === "role" || name === "for") made.setAttribute(name, String(value));
    else if (name === "class") made.className = String(value);
    else Object.assign(made, { [name]: value });
  }
  made.append(...children);
  return made;
}

/** @param {string} id @returns {HTMLElement} */
export const byId = (id) => /** @type {HTMLElement} */ (document.getElementById(id));
